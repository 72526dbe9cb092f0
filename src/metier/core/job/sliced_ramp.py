"""A ramp as it was sliced: its flow by height, its steps, its foot, and a cap that flattens it."""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.job.cost import flows_mm3_s
from metier.core.job.moves import PRINT, Moves
from metier.core.limit.ramp import Continuous, Ramp, Stepped
from metier.core.refusal import Refusal

# Flows this near to each other, in proportion, are one step.
_LIKE = 0.004
_SHORTEST_MM = 1.0
# Steps differ from the usual one by no more than this part.
_REGULAR = 0.25


class RampStep(NamedTuple):
    """A step: the height where it begins, the one where it ends, its flow."""

    z_mm: float
    top_mm: float
    flow_mm3_s: float


class SlicedRamp(NamedTuple):
    """A ramp of steps (``step_mm3_s`` every ``every_mm``) or a continuous one (``rise_mm3_s_mm``).

    ``capped`` tells that its upper end is flat: something held the flow there.
    """

    steps: tuple[RampStep, ...]
    foot_mm: float
    from_mm3_s: float
    to_mm3_s: float
    step_mm3_s: float | None
    every_mm: float | None
    rise_mm3_s_mm: float | None
    layer_mm: float
    capped: bool

    def ramp(self) -> Ramp:
        """Return it as the ramp that a limit is read off, to the decimals that a file carries."""
        start, base = round(self.from_mm3_s, 4), round(self.foot_mm, 4)
        if self.step_mm3_s is None or self.every_mm is None:
            rise = round(self.rise_mm3_s_mm or 0.0, 4)
            return Continuous(start, rise, base, round(self.to_mm3_s, 4))
        step = round(self.step_mm3_s, 4)
        steps = round((self.to_mm3_s - self.from_mm3_s) / self.step_mm3_s)
        return Stepped(start, step, round(self.every_mm, 4), base, start + steps * step)


def ramp_in(moves: Moves, filament_diameter_mm: float) -> SlicedRamp:
    """Return the ramp of a file: a wall whose flow rises with height.

    Raises:
        Refusal: the flow does not rise, or falls.
    """
    heights, flows = _layer_flows(moves, math.pi * filament_diameter_mm**2 / 4)
    if len(heights) < 4:
        raise Refusal(f"only {len(heights)} layers are printed: a ramp has more")
    layer_mm = float(np.median(np.diff(heights)))
    bottoms = np.concatenate(([max(0.0, heights[0] - layer_mm)], heights[:-1]))
    steps = _steps(bottoms, heights, flows)
    rising = _rising(steps)
    inner = [step.top_mm - step.z_mm for step in rising[1:-1]]
    if len(inner) > 3 and float(np.median(inner)) < 1.5 * layer_mm:
        return _continuous(rising, layer_mm)
    return _stepped(rising, inner, layer_mm)


def _layer_flows(
    moves: Moves, filament_area_mm2: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the flow of each layer: the median of its printed length."""
    length = moves.length_mm()
    asked = flows_mm3_s(moves, filament_area_mm2)
    rows = np.flatnonzero((moves.kind == PRINT) & (length > _SHORTEST_MM))
    if not len(rows):
        raise Refusal("nothing is printed in lines long enough to tell a flow: this is no ramp")
    heights, layer = np.unique(np.round(moves.z[rows], 4), return_inverse=True)
    order = np.lexsort((asked[rows], layer))
    weights = length[rows][order]
    total = np.cumsum(weights)
    ends = np.cumsum(np.bincount(layer))
    before = np.concatenate(([0.0], total[ends[:-1] - 1]))
    halves = (before + total[ends - 1]) / 2
    at = np.minimum(np.searchsorted(total, halves - 1e-9), len(order) - 1)
    return heights, asked[rows][order][at]


def _steps(
    bottoms: NDArray[np.float64], tops: NDArray[np.float64], flows: NDArray[np.float64]
) -> list[RampStep]:
    """Join layers of like flow."""
    begins = [0]
    for place in range(1, len(flows)):
        here = float(np.mean(flows[begins[-1] : place]))
        if abs(flows[place] - here) > _LIKE * here:
            begins.append(place)
    ends = [*begins[1:], len(flows)]
    return [
        RampStep(float(bottoms[a]), float(tops[b - 1]), float(np.mean(flows[a:b])))
        for a, b in zip(begins, ends, strict=True)
    ]


def _rising(steps: list[RampStep]) -> list[RampStep]:
    """Return the part that rises to the end; what lies below it is the foot."""
    first = len(steps) - 1
    while first and steps[first].flow_mm3_s > steps[first - 1].flow_mm3_s:
        first -= 1
    rising = steps[first:]
    below = steps[:first]
    if len(rising) < 2 or (below and max(one.top_mm for one in below) > rising[-1].top_mm / 2):
        if len(steps) > 1 and steps[-1].flow_mm3_s < max(one.flow_mm3_s for one in steps):
            raise Refusal("the flow falls with height: a ramp has to rise")
        if len(rising) < 2:
            raise Refusal("the flow is the same at every height: this is no ramp")
    if len(rising) > 3:
        # A slow first layer looks like a step of its own, but not like a usual one.
        rises = np.diff([one.flow_mm3_s for one in rising])
        usual = float(np.median(rises[1:]))
        if abs(rises[0] - usual) > _REGULAR * usual:
            rising = rising[1:]
    return rising


def _stepped(rising: list[RampStep], inner: list[float], layer_mm: float) -> SlicedRamp:
    every_mm = float(np.median(inner)) if inner else rising[0].top_mm - rising[0].z_mm
    last = rising[-1]
    capped = last.top_mm - last.z_mm > 1.5 * every_mm
    # The first step counts back from its upper end: its lowest layers may be printed slowly.
    foot_mm = max(0.0, rising[0].top_mm - every_mm) if len(rising) > 1 else rising[0].z_mm
    even = rising[:-1] if capped and len(rising) > 2 else rising
    step = (even[-1].flow_mm3_s - even[0].flow_mm3_s) / (len(even) - 1)
    rising = [rising[0]._replace(z_mm=foot_mm), *rising[1:]]
    return SlicedRamp(
        tuple(rising),
        foot_mm if foot_mm > 1e-6 else 0.0,
        rising[0].flow_mm3_s,
        last.flow_mm3_s,
        step,
        every_mm,
        None,
        layer_mm,
        capped,
    )


def _continuous(rising: list[RampStep], layer_mm: float) -> SlicedRamp:
    last = rising[-1]
    capped = last.top_mm - last.z_mm > 2.5 * layer_mm
    even = rising[:-1] if capped else rising
    middle = np.array([(one.z_mm + one.top_mm) / 2 for one in even])
    flows = np.array([one.flow_mm3_s for one in even])
    rise, at_bed = np.polyfit(middle, flows, 1)
    foot_mm = even[0].z_mm
    end_mm = last.z_mm if capped else last.top_mm
    return SlicedRamp(
        tuple(rising),
        foot_mm if foot_mm > 1e-6 else 0.0,
        float(at_bed + rise * foot_mm),
        float(at_bed + rise * end_mm),
        None,
        None,
        float(rise),
        layer_mm,
        capped,
    )
