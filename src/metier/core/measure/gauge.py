"""Whether an instrument can be believed: readings of a gauge of known size."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.measure.readings import Instrument, estimate
from metier.core.measure.slips import refuse_slip
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict


class GaugeCheck(NamedTuple):
    """Readings of a known gauge: how far they are off, and what that calls for."""

    off_mm: float
    off_u95_mm: float
    accuracy_mm: float
    verdict: Verdict


def check_against(
    readings_mm: Sequence[float], gauge_mm: float, instrument: Instrument
) -> GaugeCheck:
    """Compare readings of a gauge of known size with it.

    keep: off by no more than its accuracy says. unclear: off by more, but the readings scatter too
    much to be sure. correct: surely off; a zero or a wider accuracy would account for it.

    >>> check_against([10.03, 10.04, 10.03], 10.0, Instrument(0.012, 0.01, 0.01)).verdict.name
    'correct'

    Raises:
        Refusal: no readings, or readings nowhere near the gauge.
    """
    for reading in readings_mm:
        refuse_slip(reading, gauge_mm + instrument.zero_mm, "reading")
    found = estimate(readings_mm, instrument._replace(accuracy_mm=0.0))
    off_mm = found.value - gauge_mm
    limit = f"its accuracy of ±{instrument.accuracy_mm:g} mm"
    off = f"off by {off_mm:+.3f} mm ± {found.u95:.3f}"
    if not exceeds(abs(off_mm), instrument.accuracy_mm):
        verdict = Verdict("keep", f"{off}, within {limit}")
    elif not exceeds(abs(off_mm) - found.u95, instrument.accuracy_mm):
        verdict = Verdict(
            "unclear", f"{off}: that may still be within {limit}", ("more readings of the gauge",)
        )
    else:
        verdict = Verdict("correct", f"{off}, more than {limit}")
    return GaugeCheck(off_mm, found.u95, abs(off_mm) + found.u95, verdict)
