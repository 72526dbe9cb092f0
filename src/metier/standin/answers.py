"""The right answers: what somebody who knew the truth would type in."""

import math
from collections.abc import Sequence

from metier.standin.physics import gaps_from_mm3_s, grown, hole_mm, post_mm, pushed
from metier.standin.truth import Truth

# How a length is fed where nobody says: slowly.
_RATE_MM_S = 1.5
_DEPTH = 6


def true_diameter_mm(truth: Truth) -> float:
    """Return the mean diameter of the strand."""
    return truth.roll.diameter_mm


def true_steps(truth: Truth, nozzle_c: float, rate_mm_s: float | None = None) -> float:
    """Return the steps/mm at which as much moves as is asked for, fed through the hot nozzle."""
    strand_mm2 = math.pi * truth.roll.diameter_mm**2 / 4
    flow_mm3_s = (rate_mm_s or _RATE_MM_S) * strand_mm2
    return truth.gear.steps_per_mm / pushed(truth, flow_mm3_s, nozzle_c)


def true_flow(
    truth: Truth,
    nozzle_c: float,
    *,
    steps: float,
    slicer_mm: float,
    dosed_mm2: float,
    speed_mm_s: float,
) -> float:
    """Return the flow, a ratio, at which as much comes out as a line of 100 % is to have.

    ``steps`` are the printer's, ``slicer_mm`` the diameter that the slicer reckons with,
    ``dosed_mm2`` what it doses a line with at 100 %.
    """
    flow = 1.0
    for _ in range(_DEPTH):
        # What slips hangs on how much is asked for, if only a little.
        flow = 1 / delivered(
            truth, nozzle_c, flow, steps=steps, slicer_mm=slicer_mm, dosed_mm2=dosed_mm2,
            speed_mm_s=speed_mm_s,
        )  # fmt: skip
    return flow


def delivered(
    truth: Truth,
    nozzle_c: float,
    flow: float,
    *,
    steps: float,
    slicer_mm: float,
    dosed_mm2: float,
    speed_mm_s: float,
) -> float:
    """Return the share of what is dosed at this flow that comes out."""
    ratio = geared(truth, steps, slicer_mm)
    through_mm3_s = flow * dosed_mm2 * speed_mm_s * ratio
    share = pushed(truth, through_mm3_s, nozzle_c)
    return ratio * share * grown(truth.roll, through_mm3_s, nozzle_c)


def geared(truth: Truth, steps: float, slicer_mm: float) -> float:
    """Return the plastic that the gear moves, a ratio to what is asked for, where nothing slips."""
    return steps / truth.gear.steps_per_mm * (truth.roll.diameter_mm / slicer_mm) ** 2


def true_onset_mm3_s(truth: Truth, nozzle_c: float, *, steps: float, slicer_mm: float) -> float:
    """Return the flow at which gaps begin, as slicers count it: what is asked for."""
    return gaps_from_mm3_s(truth, nozzle_c) / geared(truth, steps, slicer_mm)


def true_strand_g_per_m(truth: Truth) -> float:
    """Return what a metre of the strand weighs, on the average of the roll."""
    return 1000 * math.pi * truth.roll.diameter_mm**2 / 4 * truth.roll.density_g_cm3 / 1000


def true_fed(
    truth: Truth, nozzle_c: float, *, steps: float, dosed_mm2: float, speed_mm_s: float
) -> float:
    """Return the length of filament that goes through, a ratio to what is asked for."""
    ratio = steps / truth.gear.steps_per_mm
    return ratio * pushed(truth, dosed_mm2 * speed_mm_s * ratio, nozzle_c)


def true_range_c(truth: Truth) -> tuple[float, float]:
    """Return the temperatures between which nothing is at its worst."""
    heats = truth.roll.heats
    return max(heats.easy_c, heats.cold_rough_c), min(
        heats.many_strings_c, heats.falls_c, heats.rough_c
    )


def true_hole_mm(truth: Truth, drawn_mm: Sequence[float], too_wide_mm: float = 0.0) -> float:
    """Return how much larger per side holes have to be on the average of these sizes, scale apart;
    ``too_wide_mm`` is how much wider lines come out than they are meant."""
    frame = truth.frame._replace(scale_x=1.0, scale_y=1.0)
    short = [(drawn - hole_mm(drawn, frame, "x")) / 2 for drawn in drawn_mm]
    return sum(short) / len(short) + too_wide_mm / 2


def true_contour_mm(truth: Truth, too_wide_mm: float = 0.0) -> float:
    """Return how much smaller per side outlines have to be, below zero."""
    return -truth.frame.post_mm - too_wide_mm / 2


def true_slide_mm(truth: Truth, pin_mm: float, opened_mm: float, too_wide_mm: float = 0.0) -> float:
    """Return the clearance drawn from which a pin slides in its hole; ``opened_mm`` is what holes
    and outlines are compensated by together, per side."""
    frame = truth.frame._replace(scale_x=1.0, scale_y=1.0)
    lost_mm = post_mm(pin_mm, frame, "x") - hole_mm(pin_mm, frame, "x")
    return frame.slides_from_mm + lost_mm + 2 * too_wide_mm - 2 * opened_mm
