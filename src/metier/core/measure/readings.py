"""Readings to one thickness, its ± by JCGM 100, what looks like a slip, what would settle it, and
signs that something other than chance is at work."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput, Slip
from metier.core.measure.student import f_quantile, t95
from metier.core.measure.thresholds import TOLERANCE, exceeds

# Weight, in readings, of what is known of the instrument beforehand.
PRIOR_DOF = 5


class Instrument(NamedTuple):
    """What an instrument in one use can tell; all in mm.

    ``repeatability_mm`` is a standard deviation, ``accuracy_mm`` a limit, ``resolution_mm``
    the last digit and ``zero_mm`` what it shows when closed (subtracted from readings).
    """

    repeatability_mm: float
    accuracy_mm: float
    resolution_mm: float
    zero_mm: float = 0.0


class Estimate(NamedTuple):
    """A mean with standard uncertainty ``u``, truncated ``dof`` and 95 % half width ``u95``.

    ``scatter`` is the sample standard deviation of the ``n`` readings (0 for one).
    """

    value: float
    u: float
    dof: float
    u95: float
    n: int
    scatter: float


def estimate(readings_mm: Sequence[float], instrument: Instrument) -> Estimate:
    """Return the mean of ``readings_mm`` and how far it can be trusted.

    The scatter of few readings is pooled with the instrument's known repeatability
    (JCGM 100:2008, 4.2.4), never taken smaller than the pooled value; the accuracy limit is
    a rectangular distribution (4.3.7) that averaging does not shrink; degrees of freedom by
    Welch and Satterthwaite (G.4.1), truncated.

    >>> e = estimate([0.47, 0.49, 0.48, 0.46], Instrument(0.012, 0.01, 0.01))
    >>> round(e.value, 4), round(e.u95, 4), e.dof
    (0.475, 0.0178, 25)

    Raises:
        BadInput: no readings, or one that is not a finite number.
    """
    return estimate_sides([readings_mm], instrument)


def estimate_sides(sides_mm: Sequence[Sequence[float]], instrument: Instrument) -> Estimate:
    """Return the mean of the side means: each side counts alike, however often measured.

    With unequal counts the mean is a weighted one, and its readings count as
    ``1 / sum(weight²)`` (the effective sample size of Kish, Survey Sampling, 1965).

    Raises:
        BadInput: no readings, an empty side, or a reading that is not a finite number.
    """
    readings = [reading for side in sides_mm for reading in side]
    if not readings or not all(len(side) for side in sides_mm):
        raise BadInput("no readings: give at least one")
    for reading in readings:
        if not math.isfinite(reading):
            raise BadInput(f"reading {reading} is not a finite number")
    count = len(readings)
    mean = math.fsum(math.fsum(side) / len(side) for side in sides_mm) / len(sides_mm)
    plain_mean = math.fsum(readings) / count
    scatter = 0.0
    if count > 1:
        squares = math.fsum((reading - plain_mean) ** 2 for reading in readings)
        scatter = math.sqrt(squares / (count - 1))
    effective_count = len(sides_mm) ** 2 / math.fsum(1 / len(side) for side in sides_mm)
    u, dof = standard_uncertainty(scatter, count, instrument, effective_count)
    return Estimate(mean - instrument.zero_mm, u, dof, t95(dof) * u, count, scatter)


def standard_uncertainty(
    scatter_mm: float, count: int, instrument: Instrument, effective_count: float | None = None
) -> tuple[float, float]:
    """Return ``(u, dof)`` of the mean of ``count`` readings that scatter by ``scatter_mm``.

    Also answers what further readings of the same scatter would give.
    """
    u_repeat, dof_repeat = repeat_uncertainty(scatter_mm, count, instrument, effective_count)
    u = math.hypot(u_repeat, instrument.accuracy_mm / math.sqrt(3))
    if u_repeat == 0:
        return u, math.inf
    return u, math.floor(dof_repeat * (u / u_repeat) ** 4 + TOLERANCE)


def repeat_uncertainty(
    scatter_mm: float, count: int, instrument: Instrument, effective_count: float | None = None
) -> tuple[float, int]:
    """Return ``(u, dof)`` of the mean by the readings alone, the instrument taken as right."""
    u = spread_mm(scatter_mm, count, instrument) / math.sqrt(effective_count or count)
    return max(u, instrument.resolution_mm / math.sqrt(12)), PRIOR_DOF + count - 1


def spread_mm(scatter_mm: float, count: int, instrument: Instrument) -> float:
    """Return by how much readings scatter, theirs pooled with what the instrument is known for."""
    squares = PRIOR_DOF * instrument.repeatability_mm**2 + (count - 1) * scatter_mm**2
    return max(scatter_mm, math.sqrt(squares / (PRIOR_DOF + count - 1)))


def scatters_more_than(readings: Estimate, instrument: Instrument, factor: float) -> bool:
    """Tell whether readings scatter by more than ``factor`` times what the instrument does."""
    return exceeds(readings.scatter, factor * instrument.repeatability_mm)


def scatter_note(readings: Estimate, instrument: Instrument) -> str | None:
    """Return the note due when readings scatter more than the instrument explains."""
    if not scatters_more_than(readings, instrument, 2):
        return None
    return (
        f"the readings scatter by {readings.scatter:.3g} mm, more than the instrument explains "
        f"({instrument.repeatability_mm:.2g} mm): uneven, debris, or a misread value"
    )


def suspects(readings_mm: Sequence[float], instrument: Instrument) -> tuple[int, ...]:
    """Return the positions of readings so far from the median that they may be misread.

    Farther than 3.5 scaled median absolute deviations (Iglewicz and Hoaglin, ASQC, 1993) and
    than three times the instrument's repeatability. They are asked about, never dropped.
    """
    if len(readings_mm) < 3:
        return ()
    middle = _median(readings_mm)
    deviations = [abs(reading - middle) for reading in readings_mm]
    bound = max(3.5 * 1.4826 * _median(deviations), 3 * instrument.repeatability_mm)
    return tuple(i for i, deviation in enumerate(deviations) if exceeds(deviation, bound))


def _median(values: Sequence[float]) -> float:
    ordered = sorted(values)
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2


_PLAUSIBLE = 6.0
_MM_PER_INCH = 25.4


def refuse_slip(value: float, expected: float, what: str, unit: str = "mm") -> None:
    """Refuse a value so far from the expected size that it must be a slip, and name the slip.

    ``what`` names the value («reading», «moved length»). A value within a factor of six of what is
    expected passes: two walls measured for one is a finding, not a slip.

    >>> refuse_slip(4.7, 0.44, "reading")  # doctest: +ELLIPSIS
    Traceback (most recent call last):
    metier.core.errors.Slip: reading 4.7 mm is about 10 times ... expected: was it 0.47?

    Raises:
        Slip: with the value that was likely meant.
        BadInput: nothing near it is.
    """
    ratio = value / expected
    if 1 / _PLAUSIBLE <= ratio <= _PLAUSIBLE:
        return
    if unit == "mm" and _near(value * _MM_PER_INCH, expected, 1.5):
        raise BadInput(
            f"{what} {value:g} {unit} is far below the {expected:.4g} {unit} expected: "
            f"in inches? then type {value:g}in"
        )
    for factor in (10, 100, 0.1, 0.01):
        likely = value / factor
        if _near(likely, expected, 2.2):
            times = f"{factor:g} times" if factor > 1 else f"1/{1 / factor:g} of"
            text = f"{what} {value:g} {unit} is about {times} the {expected:.4g} {unit} expected"
            raise Slip(f"{text}: was it {likely:.6g}?", value, likely)
    raise BadInput(
        f"{what} {value:g} {unit} is nowhere near the {expected:.4g} {unit} expected: "
        "look at the reading and at the unit"
    )


def _near(value: float, expected: float, factor: float) -> bool:
    return expected / factor <= value <= expected * factor


# So often the readings to come scatter no more than is reckoned with.
_HOLDS = 0.90


def unlucky_mm(scatter_mm: float, count: int, instrument: Instrument) -> float:
    """Return the scatter to reckon with where readings may have come close together by luck.

    Nine times in ten the next ones scatter by no more (ratio of two variances; Fisher's F).

    >>> round(unlucky_mm(0.0, 1, Instrument(0.25, 0.03, 0.01)), 3)
    0.504
    """
    return spread_mm(scatter_mm, count, instrument) * luck(count - 1)


def luck(own_dof: int) -> float:
    """Return how many times as much the next readings may scatter as these, pooled, let believe.

    ``own_dof`` are their degrees of freedom without what is known of the instrument.
    """
    return math.sqrt(f_quantile(_HOLDS, max(1, own_dof), PRIOR_DOF + own_dof))


def expected_u95_mm(scatter_mm: float, count: int, instrument: Instrument) -> float:
    """Return the 95 % half width that ``count`` readings of that scatter would have."""
    u, dof = standard_uncertainty(scatter_mm, count, instrument)
    return t95(dof) * u


# Differences smaller than this are nobody's trouble, however significant.
_LEAST_MM = 0.02
_FEWEST_FOR_DRIFT = 6


def pairs_note(sides_mm: Sequence[Sequence[float]], instrument: Instrument) -> str | None:
    """Return the note due when opposite sides agree but the two pairs do not.

    Four sides in their order round the part. Walls along x and walls along y then differ, which
    flow cannot do: it is a motion matter.
    """
    if len(sides_mm) != 4 or not all(sides_mm):
        return None
    first = [*sides_mm[0], *sides_mm[2]]
    second = [*sides_mm[1], *sides_mm[3]]
    means = [sum(pair) / len(pair) for pair in (first, second)]
    differ_mm = means[0] - means[1]
    if not exceeds(abs(differ_mm), _difference_u95_mm(first, second, instrument)):
        return None
    opposite = [_mean(sides_mm[0]) - _mean(sides_mm[2]), _mean(sides_mm[1]) - _mean(sides_mm[3])]
    if max(abs(side_mm) for side_mm in opposite) > abs(differ_mm):
        return None
    return (
        f"the sides disagree in pairs: {means[0]:.3f} mm on the first and third, {means[1]:.3f} mm "
        "on the second and fourth: a motion matter (belts, an axis' steps, play), not flow"
    )


def drift_note(readings_mm: Sequence[float], instrument: Instrument) -> str | None:
    """Return the note due when readings rise or fall along the way they were taken.

    A straight line by least squares; its rise is tested with Student's t.
    """
    n = len(readings_mm)
    if n < _FEWEST_FOR_DRIFT:
        return None
    middle = (n - 1) / 2
    mean_mm = _mean(readings_mm)
    spread = math.fsum((i - middle) ** 2 for i in range(n))
    slope = math.fsum((i - middle) * (mm - mean_mm) for i, mm in enumerate(readings_mm)) / spread
    rest = math.fsum((mm - mean_mm - slope * (i - middle)) ** 2 for i, mm in enumerate(readings_mm))
    dof = PRIOR_DOF + n - 2
    s_mm = math.sqrt((PRIOR_DOF * instrument.repeatability_mm**2 + rest) / dof)
    rise_mm = slope * (n - 1)
    u95_mm = t95(dof) * s_mm * (n - 1) / math.sqrt(spread)
    if not exceeds(abs(rise_mm), max(u95_mm, _LEAST_MM)):
        return None
    return (
        f"the readings drift by {rise_mm:+.3f} mm from the first to the last: a wall that tapers, "
        "jaws that close harder, or a part still cooling"
    )


def _difference_u95_mm(
    first: Sequence[float], second: Sequence[float], instrument: Instrument
) -> float:
    squares = math.fsum((mm - _mean(group)) ** 2 for group in (first, second) for mm in group)
    dof = PRIOR_DOF + len(first) + len(second) - 2
    s_mm = math.sqrt((PRIOR_DOF * instrument.repeatability_mm**2 + squares) / dof)
    u_mm = s_mm * math.sqrt(1 / len(first) + 1 / len(second))
    return max(t95(dof) * u_mm, _LEAST_MM)


def _mean(values: Sequence[float]) -> float:
    return math.fsum(values) / len(values)


def misread_note(readings_mm: Sequence[float], instrument: Instrument) -> str | None:
    """Return the note due when readings look misread; they still count."""
    odd = suspects(readings_mm, instrument)
    if not odd or len(odd) == len(readings_mm):
        return None
    named = ", ".join(f"{readings_mm[i]:g}" for i in odd)
    rest = estimate([mm for i, mm in enumerate(readings_mm) if i not in odd], instrument)
    return (
        f"{named}: misread? It counts as it stands; without it the wall is "
        f"{rest.value:.4f} ± {rest.u95:.4f} mm"
    )
