"""Which values there are, what each belongs to, and what makes each doubtful."""

from typing import Literal, NamedTuple, get_args

ValueKind = Literal["esteps", "flow", "limit", "hole", "contour", "scale"]
What = Literal["nozzle", "extruder", "hotend", "mainboard", "motion", "other"]

KINDS: tuple[ValueKind, ...] = get_args(ValueKind)
# What a person types into a printer or slicer; scale is only reported.
TYPED_KINDS: tuple[ValueKind, ...] = ("esteps", "flow", "limit", "hole", "contour")
WHATS: tuple[What, ...] = get_args(What)

# A new e-steps or flow value this far from the old one leaves nothing built on it standing.
DRIFT = 0.02
# A print this much hotter or colder is another print.
TEMPERATURE_C = 5.0


class Traits(NamedTuple):
    """The unit of a value on screen, and how far it holds."""

    unit: str
    per_nozzle_and_spool: bool
    depends_on: tuple[ValueKind, ...] = ()


TRAITS: dict[ValueKind, Traits] = {
    "esteps": Traits("steps/mm", False),
    "flow": Traits("%", True, ("esteps",)),
    "limit": Traits("mm³/s", True, ("esteps", "flow")),
    "hole": Traits("mm per side", True, ("esteps", "flow")),
    "contour": Traits("mm per side", True, ("esteps", "flow")),
    "scale": Traits("", True),
}

_MELT: tuple[ValueKind, ...] = ("flow", "limit", "hole", "contour")
_UPSET_BY: dict[What, tuple[ValueKind, ...]] = {
    "mainboard": ("esteps", *_MELT, "scale"),
    "extruder": ("esteps", *_MELT),
    "hotend": _MELT,
    "nozzle": _MELT,
    "motion": ("hole", "contour", "scale"),
    "other": (),
}


def upset_by(what: What) -> tuple[ValueKind, ...]:
    """Return the values that a hardware change makes doubtful.

    For ``other`` nobody but the user knows, so it names none.

    >>> upset_by("motion")
    ('hole', 'contour', 'scale')
    """
    return _UPSET_BY[what]


def temperature_matters(then_c: float | None, now_c: float | None, foaming: bool) -> bool:
    """Tell whether a value found at one nozzle temperature is doubtful at another.

    Foaming filament changes its density with temperature, so any difference counts.
    """
    if then_c is None or now_c is None:
        return False
    return abs(then_c - now_c) > (1e-9 if foaming else TEMPERATURE_C + 1e-9)
