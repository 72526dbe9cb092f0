"""What was seen on a ramp: heights, flows or markers, and the last good flow before them."""

import math
from typing import NamedTuple

from metier.core.limit.ramp import SIGHTED_WITHIN_MM, LastGood, Ramp, Stepped, check_flow
from metier.core.measure.thresholds import exceeds
from metier.core.refusal import Refusal


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
        Refusal: a height off the ramp, or one without a ramp.
    """
    found = [_before(ramp, sighting, within_mm) for sighting in sightings]
    known = [good.mm3_s for good in found if good.mm3_s is not None]
    heights_mm = [one.mm for one in sightings if isinstance(one, Height)]
    lowest = None if len(known) < len(found) else min(known)
    u = next((good.u for good in found if good.mm3_s == lowest), None)
    spread = max(known) - min(known) if lowest is not None else 0.0
    return Threshold(lowest, u, spread, len(found), min(heights_mm) if heights_mm else None)


def _before(ramp: Ramp | None, sighting: Sighting, within_mm: float) -> LastGood:
    if isinstance(sighting, Height):
        if ramp is None:
            raise Refusal(
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
        Refusal: a height off the ramp, one without a ramp, or one above where gaps show.
    """
    flows = []
    for sighting in good:
        if isinstance(sighting, PreviewFlow):
            if ramp:
                check_flow(ramp, sighting.mm3_s)
            flows.append(sighting.mm3_s)
            continue
        if ramp is None:
            raise Refusal(
                "a height means nothing without its ramp: say where it begins and how it rises"
            )
        ramp.flow_at(sighting.mm)
        if gaps and gaps.height_mm is not None and exceeds(sighting.mm, gaps.height_mm):
            raise Refusal(
                f"good to {sighting.mm:g} mm and gaps from {gaps.height_mm:g} mm: only one can be"
            )
        flows.append(ramp.flow_at(max(ramp.base_mm, sighting.mm - within_mm)))
    told = Threshold(min(flows), None, max(flows) - min(flows), len(flows), None)
    heights_mm = [one.mm for one in good if isinstance(one, Height)]
    if gaps:
        return gaps._replace(last_good_mm3_s=told.last_good_mm3_s)
    return told._replace(height_mm=min(heights_mm) if heights_mm else None)


def threshold_of_markers(ramp: Ramp, markers: Markers) -> Threshold:
    """Return the flow just below the last clean marker.

    Raises:
        Refusal: no such marker on this ramp.
    """
    if not markers.every_mm > 0 or markers.clean < 0:
        raise Refusal("markers stand apart, and none or more of them are clean")
    height_mm = markers.clean * markers.every_mm
    if exceeds(ramp.base_mm + height_mm, ramp.end_mm):
        raise Refusal(
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
