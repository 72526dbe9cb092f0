"""Signs in the readings of a cube that something other than flow is at work."""

import math
from collections.abc import Sequence

from metier.core.measure.readings import PRIOR_DOF, Instrument, estimate, suspects
from metier.core.measure.student import t95
from metier.core.measure.thresholds import exceeds

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
    if max(abs(one) for one in opposite) > abs(differ_mm):
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
    slope = math.fsum((i - middle) * (one - mean_mm) for i, one in enumerate(readings_mm)) / spread
    rest = math.fsum(
        (one - mean_mm - slope * (i - middle)) ** 2 for i, one in enumerate(readings_mm)
    )
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
    squares = math.fsum((one - _mean(group)) ** 2 for group in (first, second) for one in group)
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
    rest = estimate([one for i, one in enumerate(readings_mm) if i not in odd], instrument)
    return (
        f"{named}: misread? It counts as it stands; without it the wall is "
        f"{rest.value:.4f} ± {rest.u95:.4f} mm"
    )
