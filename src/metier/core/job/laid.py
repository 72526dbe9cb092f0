"""Layers of lines as the moves that lay them: what printing them takes, and what becomes of the
strand meanwhile."""

import math
from collections import deque
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from metier.core.job.moves import JUMP, PRIME, PRINT, RETRACT, TRAVEL, Moves
from metier.core.line.runs import Layer, Point, Run

# What a travel is made at, and filament drawn back; how far a travel goes without that.
TRAVEL_MM_S, BACK_MM_S, NEAR_MM = 150.0, 35.0, 2.0
# The same strand goes through the gear no more often than this on that length: it grinds.
_MOST_BACK, _ON_MM = 8, 5.0
# So far above what stands already the way to the next part goes.
_CLEAR_MM = 2.0


class Step(NamedTuple):
    """A run and the way to where it begins: whether filament is drawn back for it, and how high it
    goes where that is above what stands already."""

    run: Run
    draws_back: bool
    over_mm: float | None = None


def steps_of(
    layers: Sequence[Layer], filament_mm2: float, retract_mm: float
) -> Iterator[tuple[Layer, list[Step]]]:
    """Yield layers with the steps that lay their runs.

    Filament is drawn back for a way that is far and leads out of what is printed, and seldom enough
    that no 5 mm of the strand are drawn back more than eight times. Where a layer lies lower than
    the one before, another part begins.
    """
    at: Point | None = None
    fed_mm, height_mm, highest_mm = 0.0, 0.0, 0.0
    drawn: deque[float] = deque(maxlen=_MOST_BACK)
    for layer in layers:
        over_mm = None
        if layer.top_mm < height_mm - 1e-9:
            over_mm = highest_mm + _CLEAR_MM
        height_mm, highest_mm = layer.top_mm, max(highest_mm, layer.top_mm)
        steps = []
        for run in layer.runs:
            far = over_mm is not None or (
                at is not None and not run.inside and math.dist(at, run.points[0]) > NEAR_MM
            )
            rested = len(drawn) < _MOST_BACK or fed_mm - drawn[0] > _ON_MM
            draws_back = retract_mm > 0 and far and rested
            if draws_back:
                drawn.append(fed_mm)
            steps.append(Step(run, draws_back, over_mm))
            fed_mm += run.length_mm * run.area_mm2 / filament_mm2
            at, over_mm = run.points[-1], None
        yield layer, steps


def moves_of(layers: Sequence[Layer], filament_mm: float, retract_mm: float) -> Moves:
    """Return the moves of layers: the lines of each run, and the way to where it begins."""
    filament_mm2 = math.pi * filament_mm**2 / 4
    places: list[Point] = [(0.0, 0.0)]
    # Height, what is fed for each mm or all at once, speed and kind of the moves; how many alike.
    groups = [(0.0, 0.0, 1.0, JUMP, 1)]
    for layer, steps in steps_of(layers, filament_mm2, retract_mm):
        top_mm = layer.top_mm
        for run, draws_back, _ in steps:
            begin = run.points[0]
            if draws_back:
                places.append(places[-1])
                groups.append((top_mm, -retract_mm, BACK_MM_S, RETRACT, 1))
            places.append(begin)
            groups.append((top_mm, 0.0, TRAVEL_MM_S, TRAVEL, 1))
            if draws_back:
                places.append(begin)
                groups.append((top_mm, retract_mm, BACK_MM_S, PRIME, 1))
            places.extend(run.points[1:])
            per_mm = run.area_mm2 / filament_mm2
            groups.append((top_mm, per_mm, run.speed_mm_s, PRINT, len(run.points) - 1))
    x, y = np.array(places).T
    columns = np.array(groups)
    z, fed, feed, kind, _ = np.repeat(columns, columns[:, 4].astype(int), axis=0).T
    length = np.hypot(np.diff(x, prepend=0.0), np.diff(y, prepend=0.0))
    entries = len(x)
    return Moves(
        x,
        y,
        z,
        np.where(kind == PRINT, length * fed, fed),
        feed,
        np.full(entries, np.nan, np.float32),
        kind.astype(np.uint8),
        np.zeros(entries, np.uint8),
    )
