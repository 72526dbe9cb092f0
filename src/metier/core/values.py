"""The values of a profile, a row each: unit, place, what each belongs to and what upsets it.

This is the one list of them: what else is said of a value anywhere is read off its row.
"""

from typing import Literal, NamedTuple, get_args

from metier.core.errors import BadInput

What = Literal["nozzle", "extruder", "hotend", "mainboard", "motion", "other"]
WHATS: tuple[What, ...] = get_args(What)
Place = Literal["printer", "slicer"]
# As a slicer reckons the cross-section of a line.
LineModel = Literal["rounded", "rectangular"]
LINE_MODELS: tuple[LineModel, ...] = get_args(LineModel)

# Of the calculations: what another edition found is judged anew where it is brought in.
METHOD_EDITION = 3
# A new e-steps or flow value this far from the old one leaves nothing built on it standing.
DRIFT = 0.02
# A print this much hotter or colder is another print.
TEMPERATURE_C = 5.0
# One so much faster or slower, too, relative.
SPEED_WITHIN = 0.05

# What a value belongs to, as the logbook's columns are called.
_PRINTER = ("printer",)
_ROLL = ("printer", "nozzle", "spool")
_HEAT = (*_ROLL, "temperature_c")


class Value(NamedTuple):
    """A value that printer or slicer carries.

    ``unit`` is the one people see it in; what is reckoned with times ``seen_factor`` is in it.
    ``toml_key`` is its unit in a profile, ``key`` its name where it stands alone, unit and all.
    ``digits`` are the decimals it is written with, None for as many as it has; those of a value
    typed in at the printer are the firmware's. ``scope`` is what it belongs to, ``measured_by``
    the kind of trial that speaks about it. ``largest`` is what no such value goes beyond.
    ``rescaled_by`` names the values it changes with, each with the power of its ratio, and by which
    it can be carried over. ``usual`` is what values lie in, but for slips; ``most_ratio`` what one
    that stands becomes another by at once, but for slips.
    ``by_hand`` tells whether anybody types it in, ``proven`` that the trial that advised it has
    tried it too. ``forgotten_with`` is the hardware that it is stored in: with another one it is
    lost, and still right. ``nominal`` is the column of the roll that holds where nobody said
    anything. ``of_speed`` tells that what is tried at another speed is another value, which the
    map of speeds has; ``is_heat`` that it is the bench's own temperature.
    """

    called: str
    also: str
    unit: str
    place: Place
    scope: tuple[str, ...]
    measured_by: str
    toml_key: str
    key: str
    seen_factor: float = 1.0
    digits: int | None = None
    signed: bool = False
    largest: float | None = None
    depends_on: tuple[str, ...] = ()
    upset_by: tuple[What, ...] = ()
    rescaled_by: tuple[tuple[str, int], ...] = ()
    usual: tuple[float, float] | None = None
    most_ratio: float | None = None
    carried_by_rolls: bool = True
    by_hand: bool = True
    proven: bool = False
    forgotten_with: tuple[What, ...] = ()
    nominal: str | None = None
    of_speed: bool = False
    is_heat: bool = False

    @property
    def of_temperature(self) -> bool:
        """Whether it is another value at every temperature."""
        return "temperature_c" in self.scope

    @property
    def doubtful_by_temperature(self) -> bool:
        """Whether it is one value, found at one temperature and doubtful far from it."""
        return "nozzle" in self.scope and not self.of_temperature and not self.is_heat

    def seen(self, value: float) -> float:
        """Return a value in the unit people see it in.

        >>> VALUES["flow"].seen(0.92), VALUES["limit"].seen(10.0)
        (92.0, 10.0)
        """
        # 0.92 * 100 is not quite 92 in binary; far below any step that is ever typed.
        return value if self.seen_factor == 1 else round(self.seen_factor * value, 9)


_MELT: tuple[What, ...] = ("mainboard", "extruder", "hotend", "nozzle")

VALUES: dict[str, Value] = {
    "diameter": Value(
        *("diameter", "filament diameter", "mm", "slicer", ("spool",), "diameter", "mm"),
        "diameter_mm",
        digits=2,
        usual=(1.5, 3.2),
        most_ratio=1.2,
        carried_by_rolls=False,
        nominal="diameter_mm",
    ),
    "esteps": Value(
        *("e-steps", "steps per mm of the extruder", "steps/mm", "printer", _PRINTER, "esteps"),
        "steps_per_mm",
        "steps_per_mm",
        upset_by=("mainboard", "extruder"),
        carried_by_rolls=False,
        usual=(20.0, 5000.0),
        # A board that forgot may carry those of any microstepping.
        most_ratio=8.0,
        forgotten_with=("mainboard",),
    ),
    "temperature": Value(
        *("heat", "nozzle temperature", "°C", "slicer", _ROLL, "heat", "celsius"),
        "temperature_c",
        digits=0,
        upset_by=("hotend",),
        usual=(150.0, 330.0),
        proven=True,
        is_heat=True,
    ),
    "flow": Value(
        *("flow", "flow ratio or multiplier", "%", "slicer", _ROLL, "flow", "percent"),
        "flow_percent",
        seen_factor=100.0,
        depends_on=("diameter", "esteps"),
        upset_by=_MELT,
        # The same plastic as before: more steps a mm, less flow; a thicker strand reckoned with,
        # so that less of it is fed, more flow.
        rescaled_by=(("esteps", -1), ("diameter", 2)),
        usual=(0.6, 1.4),
        most_ratio=1.5,
        of_speed=True,
    ),
    "limit": Value(
        *("limit", "volumetric speed limit", "mm³/s", "slicer", _HEAT, "volumetric"),
        "mm3_per_s",
        "limit_mm3_s",
        depends_on=("esteps", "flow"),
        upset_by=_MELT,
        proven=True,
        usual=(0.3, 100.0),
        most_ratio=5.0,
    ),
    "hole": Value(
        *("hole", "XY hole compensation", "mm per side", "slicer", _ROLL, "xy", "per_side_mm"),
        "hole_mm",
        digits=2,
        signed=True,
        largest=2.0,
        usual=(-0.5, 0.5),
        depends_on=("esteps", "flow"),
        upset_by=(*_MELT, "motion"),
    ),
    "contour": Value(
        *("contour", "XY contour compensation", "mm per side", "slicer", _ROLL, "xy"),
        "per_side_mm",
        "contour_mm",
        digits=2,
        signed=True,
        largest=2.0,
        usual=(-0.5, 0.5),
        depends_on=("esteps", "flow"),
        upset_by=(*_MELT, "motion"),
    ),
    "scale": Value(
        *("scale", "XY shrinkage", "", "slicer", _ROLL, "xy", "ratio"),
        "scale",
        digits=4,
        upset_by=("mainboard", "motion"),
        by_hand=False,
    ),
}


def value_named(name: str) -> Value:
    """Return the row of a value.

    Raises:
        BadInput: there is no such value.
    """
    if name not in VALUES:
        raise BadInput(f"there is no value '{name[:40]}': {', '.join(VALUES)}")
    return VALUES[name]


def typed_values() -> tuple[str, ...]:
    """Return the names of what a person types into a printer or slicer; the rest is reported."""
    return tuple(name for name, value in VALUES.items() if value.by_hand)


def measured_together(value: Value) -> bool:
    """Tell whether one trial speaks about several values at once, this one among them."""
    return sum(row.measured_by == value.measured_by for row in VALUES.values()) > 1


def upset_by(what: What) -> tuple[str, ...]:
    """Return the values that a hardware change makes doubtful.

    For ``other`` nobody but the user knows, so it names none.

    >>> upset_by("motion")
    ('hole', 'contour', 'scale')
    """
    return tuple(name for name, value in VALUES.items() if what in value.upset_by)


def temperature_matters(then_c: float | None, now_c: float | None, foaming: bool) -> bool:
    """Tell whether a value found at one nozzle temperature is doubtful at another.

    Foaming filament changes its density with temperature, so any difference counts.
    """
    if then_c is None or now_c is None:
        return False
    return abs(then_c - now_c) > (1e-9 if foaming else TEMPERATURE_C + 1e-9)
