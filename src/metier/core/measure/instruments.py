"""The instruments on the bench and what each can tell in each use."""

from typing import Literal, NamedTuple, get_args

from metier.core.measure.readings import Instrument
from metier.core.measure.scale import Scale
from metier.core.refusal import Refusal

InstrumentKind = Literal["calipers", "ruler", "micrometer", "scale"]
Use = Literal["wall", "strand", "part", "mark", "cut"]

KINDS: tuple[InstrumentKind, ...] = get_args(InstrumentKind)

_RULER = Instrument(0.50, 0.20, 0.5)
_THIN: dict[InstrumentKind, Instrument] = {
    # New ones may be 0.02 to 0.03 off (ISO 13385-1).
    "calipers": Instrument(0.012, 0.02, 0.01),
    "micrometer": Instrument(0.005, 0.004, 0.001),
}
_FIGURES: dict[Use, dict[InstrumentKind, Instrument]] = {
    "wall": _THIN,
    "strand": _THIN,
    "part": {"calipers": Instrument(0.03, 0.03, 0.01)},
    "mark": {"calipers": Instrument(0.25, 0.03, 0.01), "ruler": _RULER},
    "cut": {"calipers": Instrument(0.20, 0.03, 0.01), "ruler": _RULER},
}
_DESCRIPTIONS: dict[Use, str] = {
    "wall": "the thickness of a wall",
    "strand": "the diameter of a strand",
    "part": "the size of holes and posts",
    "mark": "the distance to a pen mark",
    "cut": "the length of a cut piece",
}


# What calipers can be trusted to once a gauge was read right with them, by use.
CHECKED_MM: dict[Use, float] = {"wall": 0.01, "strand": 0.01, "part": 0.02}


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


class Named(NamedTuple):
    """An instrument of the workshop: its kind, and what is known of this one in particular.

    None where its kind's figures serve; ``zero_mm`` is what it shows when closed, ``zero_g`` what
    a scale shows with nothing on it.
    """

    name: str
    kind: InstrumentKind
    accuracy_mm: float | None = None
    resolution_mm: float | None = None
    zero_mm: float | None = None
    accuracy_g: float | None = None
    resolution_g: float | None = None
    zero_g: float | None = None

    @property
    def weighs(self) -> bool:
        """Whether it shows grams."""
        return self.kind == "scale"

    @property
    def scale(self) -> Scale:
        """Return what this scale can tell.

        Raises:
            Refusal: it is none.
        """
        if not self.weighs:
            raise Refusal(f"{self.name} is a {self.kind} and shows no grams: use a scale")
        usual = Scale()
        return Scale(
            usual.repeatability_g,
            usual.accuracy_g if self.accuracy_g is None else self.accuracy_g,
            usual.resolution_g if self.resolution_g is None else self.resolution_g,
            self.zero_g or 0.0,
        )

    def figures(self, use: Use) -> Instrument:
        """Return what this instrument can tell in one use.

        Its own accuracy is known for thin things between the jaws; a part between them adds to
        it; where a pen mark or a curled strand is the larger trouble, it can only be worse than
        its kind's, not better.

        Raises:
            Refusal: an instrument of this kind cannot measure that.
        """
        known = figures(self.kind, use)
        accuracy_mm = known.accuracy_mm
        if self.accuracy_mm is not None:
            thin = use in ("wall", "strand")
            least_mm = CHECKED_MM.get(use, accuracy_mm)
            accuracy_mm = self.accuracy_mm if thin else max(self.accuracy_mm, least_mm)
        resolution_mm = known.resolution_mm if self.resolution_mm is None else self.resolution_mm
        # A zero shifts a thickness between the jaws; a distance to a mark is a difference.
        zero_mm = self.zero_mm if use in ("wall", "strand", "part") and self.zero_mm else 0.0
        return Instrument(known.repeatability_mm, accuracy_mm, resolution_mm, zero_mm)
