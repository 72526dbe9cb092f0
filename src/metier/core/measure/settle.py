"""What would settle an answer that readings cannot give yet."""

from metier.core.measure.readings import Estimate, Instrument, standard_uncertainty
from metier.core.measure.student import t95
from metier.core.measure.thresholds import exceeds

# Nobody measures more often than this; beyond it another way is needed.
MOST_READINGS = 30


def expected_u95_mm(scatter_mm: float, count: int, instrument: Instrument) -> float:
    """Return the 95 % half width that ``count`` readings of that scatter would have."""
    u, dof = standard_uncertainty(scatter_mm, count, instrument)
    return t95(dof) * u


def further_readings(
    so_far: Estimate, instrument: Instrument, allowed_u95_mm: float, most: int = MOST_READINGS
) -> int | None:
    """Return how many more readings of the same scatter bring U within bounds.

    None when ``most`` readings in all would not: the instrument's own accuracy is in the way.
    """
    for count in range(so_far.n + 1, most + 1):
        u95_mm = expected_u95_mm(so_far.scatter, count, instrument)
        if not exceeds(u95_mm, allowed_u95_mm):
            return count - so_far.n
    return None
