"""A ramp as it was sliced: its flow by height, its steps, its foot, and a cap that flattens it."""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.errors import BadInput
from metier.core.job.cost import Motion, flows_mm3_s, pace
from metier.core.job.layers import layers_of
from metier.core.job.moves import Moves
from metier.core.limit.ramp import Continuous, Ramp, Stepped

# Flows nearer to each other than this part of the usual rise of a layer are one step; those
# nearer than what rounding makes of them, in proportion, always are.
_LIKE, _ROUNDED = 0.3, 5e-4
_SHORTEST_MM = 0.3
# A turn that is dosed by less than this part of the one before it fades out.
_FADED = 0.95
# A set speed is reached where less is lacking, in proportion.
_REACHED = 1e-3
# Steps differ from the usual one by no more than this part.
_REGULAR = 0.25


class RampStep(NamedTuple):
    """A step: the height where it begins, the one where it ends, its flow, and the share of its
    way that is printed at its set speed."""

    z_mm: float
    top_mm: float
    flow_mm3_s: float
    at_speed: float


class SlicedRamp(NamedTuple):
    """A ramp of steps (``step_mm3_s`` every ``every_mm``) or a continuous one (``rise_mm3_s_mm``).

    Flows are those really reached. ``capped`` tells that its upper end is flat: something held
    the flow there; it was acceleration where ``asked_mm3_s`` is what the file asks for at its
    end, and more than what is reached. The layers of a ``spiral`` are its turns.
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
    asked_mm3_s: float
    spiral: bool

    @property
    def held(self) -> bool:
        """Whether acceleration keeps its end from the flow that is asked for."""
        return self.to_mm3_s < self.asked_mm3_s * (1 - 0.02)

    def ramp(self) -> Ramp:
        """Return it as the ramp that a limit is read off, to the decimals that a file carries."""
        start, base = round(self.from_mm3_s, 4), round(self.foot_mm, 4)
        if self.step_mm3_s is None or self.every_mm is None:
            rise = round(self.rise_mm3_s_mm or 0.0, 4)
            return Continuous(start, rise, base, round(self.to_mm3_s, 4))
        step = round(self.step_mm3_s, 4)
        steps = round((self.to_mm3_s - self.from_mm3_s) / self.step_mm3_s)
        return Stepped(start, step, round(self.every_mm, 4), base, start + steps * step)


def ramp_in(
    moves: Moves, filament_diameter_mm: float, motion: Motion, own_acceleration: bool = True
) -> SlicedRamp:
    """Return the ramp of a file: a wall whose flow rises with height.

    Flows are those reached under ``motion``; with ``own_acceleration`` under the file's own
    where it gives one.

    Raises:
        BadInput: the flow does not rise, or falls.
    """
    walls = _layer_flows(moves, math.pi * filament_diameter_mm**2 / 4, motion, own_acceleration)
    if len(walls.tops_mm) < 4:
        raise BadInput(f"only {len(walls.tops_mm)} layers are printed: a ramp has more")
    layer_mm = float(np.median(np.diff(walls.tops_mm)))
    rising = _rising(_steps(walls, layer_mm))
    inner = [step.top_mm - step.z_mm for step in rising[1:-1]]
    continuous = len(inner) > 3 and float(np.median(inner)) < 1.5 * layer_mm
    ramp = _continuous(rising, layer_mm) if continuous else _stepped(rising, inner, layer_mm)
    return ramp._replace(asked_mm3_s=float(walls.asked.max()), spiral=walls.spiral)


class _LayerFlows(NamedTuple):
    """Each layer of a ramp: its top, its flow as reached and as asked, its share at speed."""

    tops_mm: NDArray[np.float64]
    reached: NDArray[np.float64]
    asked: NDArray[np.float64]
    at_speed: NDArray[np.float64]
    spiral: bool


def _layer_flows(
    moves: Moves, filament_area_mm2: float, motion: Motion, own_acceleration: bool
) -> _LayerFlows:
    """Return the flow of each layer: the median of its printed length."""
    length = moves.length_mm()
    made = pace(moves, moves.feed, motion, own_acceleration)
    layers = layers_of(moves, _SHORTEST_MM)
    if not len(layers.rows):
        raise BadInput("nothing is printed in lines long enough to tell a flow: this is no ramp")
    numbers, layer = np.unique(layers.layer, return_inverse=True)
    rows, way = layers.rows, length[layers.rows]
    steady = np.where(
        made.reached_mm_s[rows] > moves.feed[rows] * (1 - _REACHED), made.steady_mm[rows], 0.0
    )
    reached = flows_mm3_s(moves, made.reached_mm_s, filament_area_mm2)[rows]
    asked = flows_mm3_s(moves, moves.feed, filament_area_mm2)[rows]
    total = np.bincount(layer, way)
    dosed = np.bincount(layer, moves.e[rows]) / total
    keep = slice(_end_of_whole(dosed) if layers.turns else None)
    return _LayerFlows(
        layers.tops_mm[numbers][keep],
        _medians(reached, layer, way)[keep],
        _medians(asked, layer, way)[keep],
        (np.bincount(layer, steady) / total)[keep],
        layers.turns is not None,
    )


def _end_of_whole(dosed: NDArray[np.float64]) -> int:
    """Return how many layers are dosed in full: the last turn of a spiral may fade out."""
    end = len(dosed)
    while end > 4 and dosed[end - 1] < _FADED * dosed[end - 2]:
        end -= 1
    return end


def _medians(
    flows: NDArray[np.float64], layer: NDArray[np.int64], way: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Return the median of each layer, weighted by the way."""
    order = np.lexsort((flows, layer))
    total = np.cumsum(way[order])
    ends = np.cumsum(np.bincount(layer))
    before = np.concatenate(([0.0], total[ends[:-1] - 1]))
    halves = (before + total[ends - 1]) / 2
    at = np.minimum(np.searchsorted(total, halves - 1e-9), len(order) - 1)
    array: NDArray[np.float64] = flows[order][at]
    return array


def _steps(walls: _LayerFlows, layer_mm: float) -> list[RampStep]:
    """Join layers of like flow."""
    tops, flows = walls.tops_mm, walls.reached
    bottoms = np.concatenate(([max(0.0, tops[0] - layer_mm)], tops[:-1]))
    usual = float(flows.max() - flows.min()) / len(flows)
    begins = [0]
    for place in range(1, len(flows)):
        flow = float(np.mean(flows[begins[-1] : place]))
        if abs(flows[place] - flow) > max(_LIKE * usual, _ROUNDED * flow):
            begins.append(place)
    ends = [*begins[1:], len(flows)]
    return [
        RampStep(
            float(bottoms[a]),
            float(tops[b - 1]),
            float(np.mean(flows[a:b])),
            float(walls.at_speed[a:b].min()),
        )
        for a, b in zip(begins, ends, strict=True)
    ]


def _rising(steps: list[RampStep]) -> list[RampStep]:
    """Return the part that rises to the end; what lies below it is the foot."""
    first = len(steps) - 1
    while first and steps[first].flow_mm3_s > steps[first - 1].flow_mm3_s:
        first -= 1
    rising = steps[first:]
    below = steps[:first]
    if len(rising) < 2 or (below and max(layer.top_mm for layer in below) > rising[-1].top_mm / 2):
        if len(steps) > 1 and steps[-1].flow_mm3_s < max(step.flow_mm3_s for step in steps):
            raise BadInput("the flow falls with height: a ramp has to rise")
        if len(rising) < 2:
            raise BadInput("the flow is the same at every height: this is no ramp")
    if len(rising) > 3:
        # A slow first layer looks like a step of its own, but not like a usual one.
        rises = np.diff([layer.flow_mm3_s for layer in rising])
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
        steps=tuple(rising),
        foot_mm=foot_mm if foot_mm > 1e-6 else 0.0,
        from_mm3_s=rising[0].flow_mm3_s,
        to_mm3_s=last.flow_mm3_s,
        step_mm3_s=step,
        every_mm=every_mm,
        rise_mm3_s_mm=None,
        layer_mm=layer_mm,
        capped=capped,
        asked_mm3_s=last.flow_mm3_s,
        spiral=False,
    )


def _continuous(rising: list[RampStep], layer_mm: float) -> SlicedRamp:
    last = rising[-1]
    capped = last.top_mm - last.z_mm > 2.5 * layer_mm
    even = rising[:-1] if capped else rising
    middle = np.array([(layer.z_mm + layer.top_mm) / 2 for layer in even])
    rise, at_bed = np.polyfit(middle, np.array([layer.flow_mm3_s for layer in even]), 1)
    foot_mm = even[0].z_mm
    end_mm = last.z_mm if capped else last.top_mm
    return SlicedRamp(
        steps=tuple(rising),
        foot_mm=foot_mm if foot_mm > 1e-6 else 0.0,
        from_mm3_s=float(at_bed + rise * foot_mm),
        to_mm3_s=float(at_bed + rise * end_mm),
        step_mm3_s=None,
        every_mm=None,
        rise_mm3_s_mm=float(rise),
        layer_mm=layer_mm,
        capped=capped,
        asked_mm3_s=last.flow_mm3_s,
        spiral=False,
    )
