"""What instruments can tell that measure or weigh, and what a gauge tells of them."""

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple, get_args

from metier.core.errors import BadInput
from metier.core.measure.readings import Estimate, Instrument, estimate, refuse_slip
from metier.core.measure.student import Influence
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict


class Scale(NamedTuple):
    """A pocket scale as it comes, or the workshop's own; all in g.

    ``repeatability_g`` is a standard deviation, ``accuracy_g`` a limit, ``resolution_g`` the last
    digit and ``zero_g`` what it shows with nothing on it (subtracted from readings).
    """

    repeatability_g: float = 0.004
    accuracy_g: float = 0.01
    resolution_g: float = 0.01
    zero_g: float = 0.0

    @property
    def figures(self) -> Instrument:
        """The same figures as those of any instrument: what readings say hangs on no unit."""
        return Instrument(self.repeatability_g, self.accuracy_g, self.resolution_g, self.zero_g)


def weighed(readings_g: Sequence[float], scale: Scale) -> Estimate:
    """Return the mean of weighings in g, and how far it can be trusted.

    Raises:
        BadInput: none, or one that is no finite number.
    """
    return estimate(readings_g, scale.figures)


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
    # Curl and play hide a little, and more of neither with more strands.
    "cut": {"calipers": Instrument(0.20, 0.30, 0.01), "ruler": _RULER},
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
        BadInput: that instrument cannot measure this.
    """
    suitable = _FIGURES[use]
    if kind not in suitable:
        raise BadInput(
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
            BadInput: it is none.
        """
        if not self.weighs:
            raise BadInput(f"{self.name} is a {self.kind} and shows no grams: use a scale")
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
            BadInput: an instrument of this kind cannot measure that.
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


class GaugeCheck(NamedTuple):
    """Readings of a known gauge: how far they are off, in the instrument's unit, and what that
    calls for; ``accuracy`` is the limit that would account for it."""

    off: float
    off_u95: float
    accuracy: float
    verdict: Verdict


def check_against(
    readings: Sequence[float], gauge: float, instrument: Instrument, unit: str = "mm"
) -> GaugeCheck:
    """Compare readings of a gauge, or a weight, of known size with it.

    keep: off by no more than its accuracy says. unclear: off by more, but the readings scatter too
    much to be sure. correct: surely off; a zero or a wider accuracy would account for it.

    >>> check_against([10.03, 10.04, 10.03], 10.0, Instrument(0.012, 0.01, 0.01)).verdict.name
    'correct'

    Raises:
        BadInput: no readings, or readings nowhere near the gauge.
    """
    for reading in readings:
        refuse_slip(reading, gauge + instrument.zero_mm, "reading", unit)
    shown = estimate(readings, instrument._replace(accuracy_mm=0.0))
    by = shown.value - gauge
    limit = f"its accuracy of ±{instrument.accuracy_mm:g} {unit}"
    off = f"off by {by:+.3f} {unit} ± {shown.u95:.3f}"
    if not exceeds(abs(by), instrument.accuracy_mm):
        verdict = Verdict("keep", f"{off}, within {limit}")
    elif not exceeds(abs(by) - shown.u95, instrument.accuracy_mm):
        verdict = Verdict(
            "unclear", f"{off}: that may still be within {limit}", ("more readings of the gauge",)
        )
    else:
        verdict = Verdict("correct", f"{off}, more than {limit}")
    return GaugeCheck(by, shown.u95, abs(by) + shown.u95, verdict)


def checking_note(
    influences: Sequence[Influence],
    u95: float,
    instrument: Instrument,
    use: Use,
    unit: str,
    factor: float = 1.0,
) -> str | None:
    """Return what checking calipers on a gauge would gain, where they make most of a ±.

    None where something else does, and for calipers that are known better already. ``factor``
    turns ``u95`` into what people see.
    """
    checked_mm = CHECKED_MM.get(use)
    if not influences or influences[0].name != "calipers" or checked_mm is None:
        return None
    if not exceeds(instrument.accuracy_mm, checked_mm):
        return None
    own = influences[0].u95
    then = own * checked_mm / instrument.accuracy_mm
    after = math.sqrt(max(0.0, u95**2 - own**2) + then**2)
    places = max(0, 1 - math.floor(math.log10(factor * after) + 1e-9))
    return (
        f"calipers make most of the ±: once a gauge is read right with them (metier instrument "
        f"check) it would be {factor * after:.{places}f} {unit} instead of "
        f"{factor * u95:.{places}f}"
    )
