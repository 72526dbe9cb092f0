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
