"""The flow that a coupon was really printed at: layer times and acceleration hold it back."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.limit.reach import Outline, Reach
from metier.core.measure.thresholds import exceeds

_MOSTLY_AT_SPEED = 0.8


class AtSpeed(NamedTuple):
    """A coupon's flow as set and as ``reached_mm3_s``, at least in the middle of its gauge
    length, and the share of that length printed so; ``layer_time`` tells that this held it
    back."""

    flow_mm3_s: float
    reached_mm3_s: float
    share: float
    layer_time: bool


def at_speed(
    flow_mm3_s: float,
    area_mm2: float,
    *,
    length_mm: float | None = None,
    accel_mm_s2: float | None = None,
    layer_path_mm: float | None = None,
    layer_time_s: float | None = None,
) -> AtSpeed:
    """Return what of a coupon's gauge length really runs at its flow.

    ``area_mm2`` is the line's cross-section times the flow in force. A layer done sooner than
    ``layer_time_s`` is slowed down to last that long.

    >>> found = at_speed(10, 0.1, length_mm=30, accel_mm_s2=1000)
    >>> round(found.share, 3), found.reached_mm3_s
    (0.669, 10)
    """
    slowed = flow_mm3_s
    if layer_path_mm and layer_time_s:
        slowed = min(slowed, layer_path_mm / layer_time_s * area_mm2)
    reached, share = slowed, 1.0
    if length_mm and accel_mm_s2:
        reach = Reach(Outline("square", length_mm), accel_mm_s2)
        share = reach.share(slowed / area_mm2)
        reached = min(slowed, reach.fastest_mm_s * area_mm2)
    return AtSpeed(flow_mm3_s, reached, share, exceeds(flow_mm3_s, slowed * 1.01))


def speed_notes(found: Sequence[AtSpeed]) -> list[str]:
    """Return the warnings due where coupons were printed slower than their flow says."""
    notes = []
    slowed = [one for one in found if one.layer_time]
    if slowed:
        last = slowed[-1]
        notes.append(
            f"the layer time held {len(slowed)} of the flows back: {last.flow_mm3_s:g} was really "
            f"{last.reached_mm3_s:.3g} mm³/s, and counts as that; print several coupons at once"
        )
    short = [one for one in found if exceeds(_MOSTLY_AT_SPEED, one.share)]
    if short:
        last = short[-1]
        reached = ""
        if exceeds(last.flow_mm3_s, last.reached_mm3_s) and not last.layer_time:
            reached = f", it counts as the {last.reached_mm3_s:.3g} that is reached"
        notes.append(
            f"acceleration held {len(short)} of the flows back: at {last.flow_mm3_s:g} mm³/s only "
            f"{100 * last.share:.0f} % of the gauge length ran at speed{reached}; longer coupons "
            "or more acceleration"
        )
    return notes
