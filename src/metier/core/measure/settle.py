"""What would settle an answer that readings cannot give yet: advice that holds in nine of ten."""

import math

from metier.core.measure.readings import (
    PRIOR_DOF,
    Estimate,
    Instrument,
    spread_mm,
    standard_uncertainty,
)
from metier.core.measure.student import f_quantile, t95
from metier.core.measure.thresholds import exceeds

# Nobody measures more often than this; beyond it another way is needed.
MOST_READINGS = 30
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


def further_readings(
    so_far: Estimate, instrument: Instrument, allowed_u95_mm: float, most: int = MOST_READINGS
) -> int | None:
    """Return how many more readings bring U within bounds, in nine of ten cases.

    None when ``most`` readings in all would not: the instrument's own accuracy is in the way.
    """
    scatter_mm = unlucky_mm(so_far.scatter, so_far.n, instrument)
    for count in range(so_far.n + 1, most + 1):
        if not exceeds(expected_u95_mm(scatter_mm, count, instrument), allowed_u95_mm):
            return count - so_far.n
    return None
