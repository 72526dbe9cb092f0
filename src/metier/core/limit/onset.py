"""What was seen on ramps, and the flow at which gaps begin.

Unlike the limit, which is lowered on purpose, it may be right or wrong and has an uncertainty
(JCGM 100:2008, 4.3.7 and 5.1.2).
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.ramp import (
    SIGHTED_WITHIN_MM,
    Continuous,
    LastGood,
    Ramp,
    Stepped,
    check_flow,
)
from metier.core.measure.readings import PRIOR_DOF
from metier.core.measure.student import NORMAL95, Influence, by_size
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
        squares = math.fsum((height - mean_mm) ** 2 for height in heights_mm)
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
    return Onset.of((low_mm3_s + high_mm3_s) / 2, u_step=(high_mm3_s - low_mm3_s) / math.sqrt(12))


class Height(NamedTuple):
    """Where something was first seen on the part, in mm from its lowest point."""

    mm: float


class PreviewFlow(NamedTuple):
    """The flow where something was first seen, read off the slicer's preview."""

    mm3_s: float


Sighting = Height | PreviewFlow


class Markers(NamedTuple):
    """Marks printed on the part, the k-th at ``k · every_mm`` above the foot, and the last clean.

    ``clean`` is 0 when it shows even below the first.
    """

    every_mm: float
    clean: int


def at_most(flow_mm3_s: float, reached_mm3_s: float | None) -> float:
    """Return the flow that something was printed at, of which no more is reached than that."""
    return flow_mm3_s if reached_mm3_s is None else min(flow_mm3_s, reached_mm3_s)


class Threshold(NamedTuple):
    """The last flow before something showed, None where it shows from the beginning.

    ``u`` is its standard uncertainty (None where nothing is known of it), ``spread_mm3_s`` how
    far several sightings lie apart, and ``height_mm`` the earliest of them.
    """

    last_good_mm3_s: float | None
    u: float | None
    spread_mm3_s: float
    sightings: int
    height_mm: float | None

    def at_most(self, reached_mm3_s: float | None) -> "Threshold":
        """Return it where no more than that flow was reached."""
        good = self.last_good_mm3_s
        return self._replace(last_good_mm3_s=good and at_most(good, reached_mm3_s))


def threshold_of(
    ramp: Ramp | None, sightings: tuple[Sighting, ...], within_mm: float = SIGHTED_WITHIN_MM
) -> Threshold:
    """Return the last good flow before the earliest of several sightings.

    A height counts as ``within_mm`` lower than it was read. On a ramp of steps the last good
    flow is that of the step below.

    Raises:
        BadInput: a height off the ramp, or one without a ramp.
    """
    flows = [_before(ramp, sighting, within_mm) for sighting in sightings]
    known = [good.mm3_s for good in flows if good.mm3_s is not None]
    heights_mm = [sighting.mm for sighting in sightings if isinstance(sighting, Height)]
    lowest = None if len(known) < len(flows) else min(known)
    u = next((good.u for good in flows if good.mm3_s == lowest), None)
    spread = max(known) - min(known) if lowest is not None else 0.0
    return Threshold(lowest, u, spread, len(flows), min(heights_mm) if heights_mm else None)


def _before(ramp: Ramp | None, sighting: Sighting, within_mm: float) -> LastGood:
    if isinstance(sighting, Height):
        if ramp is None:
            raise BadInput(
                "a height means nothing without its ramp: say where it begins and how it rises"
            )
        ramp.flow_at(sighting.mm)
        return ramp.before_height(sighting.mm - ramp.base_mm, within_mm)
    if ramp is None:
        return LastGood(sighting.mm3_s, None)
    check_flow(ramp, sighting.mm3_s)
    return ramp.before_flow(sighting.mm3_s, within_mm)


def threshold_of_good(
    ramp: Ramp | None,
    good: tuple[Sighting, ...],
    gaps: Threshold | None,
    within_mm: float = SIGHTED_WITHIN_MM,
) -> Threshold:
    """Return the last good flow where one was told: the lowest of several.

    A height counts as ``within_mm`` lower than it was read. Where gaps were seen too, what is
    told of them stays, but for the flow.

    Raises:
        BadInput: a height off the ramp, one without a ramp, or one above where gaps show.
    """
    flows = []
    for sighting in good:
        if isinstance(sighting, PreviewFlow):
            if ramp:
                check_flow(ramp, sighting.mm3_s)
            flows.append(sighting.mm3_s)
            continue
        if ramp is None:
            raise BadInput(
                "a height means nothing without its ramp: say where it begins and how it rises"
            )
        ramp.flow_at(sighting.mm)
        if gaps and gaps.height_mm is not None and exceeds(sighting.mm, gaps.height_mm):
            raise BadInput(
                f"good to {sighting.mm:g} mm and gaps from {gaps.height_mm:g} mm: only one can be"
            )
        flows.append(ramp.flow_at(max(ramp.base_mm, sighting.mm - within_mm)))
    told = Threshold(min(flows), None, max(flows) - min(flows), len(flows), None)
    heights_mm = [sighting.mm for sighting in good if isinstance(sighting, Height)]
    if gaps:
        return gaps._replace(last_good_mm3_s=told.last_good_mm3_s)
    return told._replace(height_mm=min(heights_mm) if heights_mm else None)


def threshold_of_markers(ramp: Ramp, markers: Markers) -> Threshold:
    """Return the flow just below the last clean marker.

    Raises:
        BadInput: no such marker on this ramp.
    """
    if not markers.every_mm > 0 or markers.clean < 0:
        raise BadInput("markers stand apart, and none or more of them are clean")
    height_mm = markers.clean * markers.every_mm
    if exceeds(ramp.base_mm + height_mm, ramp.end_mm):
        raise BadInput(
            f"marker {markers.clean} would stand {height_mm:g} mm above the foot, beyond the end "
            f"of the ramp at {ramp.end_mm - ramp.base_mm:g} mm"
        )
    if markers.clean == 0:
        return Threshold(None, None, 0.0, 1, ramp.base_mm)
    last_good = ramp.just_below(height_mm)
    between = ramp.just_below(height_mm + markers.every_mm) - last_good
    if isinstance(ramp, Stepped):
        between = max(between, ramp.step_mm3_s)
    return Threshold(last_good, between / math.sqrt(12), 0.0, 1, ramp.base_mm + height_mm)
