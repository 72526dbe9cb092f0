"""Whether an instrument can be believed: readings of a gauge of known size."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.measure.budget import Influence
from metier.core.measure.instruments import CHECKED_MM, Use
from metier.core.measure.readings import Instrument, estimate
from metier.core.measure.slips import refuse_slip
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict


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
        Refusal: no readings, or readings nowhere near the gauge.
    """
    for reading in readings:
        refuse_slip(reading, gauge + instrument.zero_mm, "reading", unit)
    found = estimate(readings, instrument._replace(accuracy_mm=0.0))
    by = found.value - gauge
    limit = f"its accuracy of ±{instrument.accuracy_mm:g} {unit}"
    off = f"off by {by:+.3f} {unit} ± {found.u95:.3f}"
    if not exceeds(abs(by), instrument.accuracy_mm):
        verdict = Verdict("keep", f"{off}, within {limit}")
    elif not exceeds(abs(by) - found.u95, instrument.accuracy_mm):
        verdict = Verdict(
            "unclear", f"{off}: that may still be within {limit}", ("more readings of the gauge",)
        )
    else:
        verdict = Verdict("correct", f"{off}, more than {limit}")
    return GaugeCheck(by, found.u95, abs(by) + found.u95, verdict)


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
