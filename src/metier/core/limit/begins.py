"""The onset: the flow where gaps begin, which a ramp shows a little late, with its ±.

Unlike the limit, which is lowered on purpose, it may be right or wrong and has an uncertainty
(JCGM 100:2008, 4.3.7 and 5.1.2).
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.limit.ramp import Continuous, Ramp
from metier.core.measure.budget import Influence, by_size
from metier.core.measure.readings import PRIOR_DOF
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import exceeds, round_to

# A defect shows so much higher than it began, in mm; heights are known to this (1 u).
LAG_MM, SIGHTED_U_MM = 1.0, 0.5
# The same ramp printed again begins to gape this near, in proportion.
_REPEATS = 0.03


class Onset(NamedTuple):
    """The flow where gaps begin, with U at 95 % and what makes it, in mm³/s."""

    flow_mm3_s: float
    u95_mm3_s: float
    influences: tuple[Influence, ...] = ()

    @classmethod
    def of(cls, flow_mm3_s: float, *, u_step: float = 0.0, u_seen: float = 0.0) -> "Onset":
        """Return a flow known so well by its ramp, and as well as ramps repeat."""
        parts = {"step": u_step, "sightings": u_seen, "ramps": _REPEATS * flow_mm3_s}
        return cls(flow_mm3_s, NORMAL95 * math.hypot(*parts.values()), by_size(parts))


def onset_at(ramp: Ramp, heights_mm: Sequence[float]) -> Onset | None:
    """Return where gaps began that were seen at these heights on the part.

    None where they show in the first step, and where a stepped ramp has no heights.

    >>> ramp = Continuous(4.0, 0.25)
    >>> found = onset_at(ramp, [30.0])
    >>> round(found.flow_mm3_s, 3), round(found.u95_mm3_s, 3)
    (11.375, 0.73)
    """
    n = len(heights_mm)
    mean_mm = math.fsum(heights_mm) / n
    scatter_mm = 0.0
    if n > 1:
        squares = math.fsum((one - mean_mm) ** 2 for one in heights_mm)
        scatter_mm = math.sqrt(squares / (n - 1))
    pooled_mm = math.sqrt(
        (PRIOR_DOF * SIGHTED_U_MM**2 + (n - 1) * scatter_mm**2) / (PRIOR_DOF + n - 1)
    )
    spread_mm = max(scatter_mm, pooled_mm)
    at_mm = mean_mm - LAG_MM / 2 - ramp.base_mm
    if isinstance(ramp, Continuous):
        u_mm = math.sqrt(spread_mm**2 / n + LAG_MM**2 / 12 + SIGHTED_U_MM**2 / 12)
        flow = ramp.from_mm3_s + ramp.rise_mm3_s_mm * at_mm
        return Onset.of(flow, u_seen=ramp.rise_mm3_s_mm * u_mm) if at_mm > 0 else None
    step, every_mm = ramp.step_mm3_s, ramp.every_mm
    if every_mm is None:
        return None
    boundary = round_to(at_mm / every_mm, 1)
    if boundary < 1:
        return None
    u_seen = 0.0
    if n > 1 and exceeds(max(heights_mm) - min(heights_mm), every_mm):
        u_seen = step / every_mm * spread_mm / math.sqrt(n)
    flow = ramp.from_mm3_s + step * boundary - step / 2
    return Onset.of(flow, u_step=step / math.sqrt(12), u_seen=u_seen)


def onset_between(low_mm3_s: float, high_mm3_s: float) -> Onset:
    """Return where gaps began somewhere between two flows, each as likely."""
    u_step = (high_mm3_s - low_mm3_s) / math.sqrt(12)
    return Onset.of((low_mm3_s + high_mm3_s) / 2, u_step=u_step)
