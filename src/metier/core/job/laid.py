"""Layers of lines as the moves that lay them: what printing them takes."""

import math
from collections.abc import Sequence

import numpy as np

from metier.core.job.moves import JUMP, PRIME, PRINT, RETRACT, TRAVEL, Moves
from metier.core.line.runs import Layer, Point

# What a travel is made at, and filament drawn back; how far a travel goes without that.
TRAVEL_MM_S, BACK_MM_S, NEAR_MM = 120.0, 35.0, 2.0


def moves_of(layers: Sequence[Layer], filament_mm: float, retract_mm: float) -> Moves:
    """Return the moves of layers: the lines of each run, and a travel to where it begins, for
    which filament is drawn back where it is far."""
    filament_mm2 = math.pi * filament_mm**2 / 4
    places: list[Point] = [(0.0, 0.0)]
    # Height, what is fed for each mm or all at once, speed and kind of the moves; how many alike.
    groups = [(0.0, 0.0, 1.0, JUMP, 1)]
    for layer in layers:
        top_mm = layer.top_mm
        for run in layer.runs:
            begin = run.points[0]
            far = retract_mm > 0 and math.dist(places[-1], begin) > NEAR_MM
            if far:
                places.append(places[-1])
                groups.append((top_mm, -retract_mm, BACK_MM_S, RETRACT, 1))
            places.append(begin)
            groups.append((top_mm, 0.0, TRAVEL_MM_S, TRAVEL, 1))
            if far:
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
