"""The instruments on the bench and what each can tell in each use."""

from typing import Literal, get_args

from metier.core.readings import Instrument
from metier.core.refusal import Refusal

InstrumentKind = Literal["calipers", "ruler", "micrometer"]
Use = Literal["wall", "mark", "cut"]

KINDS: tuple[InstrumentKind, ...] = get_args(InstrumentKind)

_RULER = Instrument(0.50, 0.20, 0.5)
_FIGURES: dict[Use, dict[InstrumentKind, Instrument]] = {
    "wall": {
        "calipers": Instrument(0.012, 0.01, 0.01),
        "micrometer": Instrument(0.005, 0.004, 0.001),
    },
    "mark": {"calipers": Instrument(0.25, 0.03, 0.01), "ruler": _RULER},
    "cut": {"calipers": Instrument(0.20, 0.03, 0.01), "ruler": _RULER},
}
_DESCRIPTIONS: dict[Use, str] = {
    "wall": "the thickness of a wall",
    "mark": "the distance to a pen mark",
    "cut": "the length of a cut piece",
}


def figures(kind: InstrumentKind, use: Use) -> Instrument:
    """Return the figures of an instrument in one use.

    Raises:
        Refusal: that instrument cannot measure this.
    """
    suitable = _FIGURES[use]
    if kind not in suitable:
        raise Refusal(
            f"a {kind} cannot measure {_DESCRIPTIONS[use]}: use {' or '.join(sorted(suitable))}"
        )
    return suitable[kind]
