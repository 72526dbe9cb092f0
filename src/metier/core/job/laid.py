"""Layers of lines as the moves that lay them: what printing them takes."""

import math
from collections.abc import Sequence

import numpy as np

from metier.core.job.moves import JUMP, PRINT, TRAVEL, Moves
from metier.core.line.runs import Layer

# What a travel is made at.
TRAVEL_MM_S = 120.0


def moves_of(layers: Sequence[Layer], filament_mm: float) -> Moves:
    """Return the moves of layers: the lines of each run, and a travel to where it begins.

    What is drawn back for travels comes to nothing, and is left out.
    """
    places, heights, dosed, feeds, kinds = [np.zeros((1, 2))], [0.0], [0.0], [1.0], [JUMP]
    counts = [1]
    for layer in layers:
        for run in layer.runs:
            points = np.array(run.points)
            count = len(points)
            places.append(points)
            counts.append(count)
            heights.append(layer.top_mm)
            dosed.append(run.area_mm2)
            feeds.append(run.speed_mm_s)
            kinds.append(PRINT)
    x, y = np.vstack(places).T
    repeated = np.array(counts)
    z, area, feed = (np.repeat(np.array(one), repeated) for one in (heights, dosed, feeds))
    kind = np.repeat(np.array(kinds, np.uint8), repeated)
    # Each run is entered by a travel.
    begins = np.concatenate(([0], np.cumsum(repeated)[:-1]))[1:]
    kind[begins] = TRAVEL
    feed[begins] = TRAVEL_MM_S
    length = np.hypot(np.diff(x, prepend=0.0), np.diff(y, prepend=0.0))
    fed = np.where(kind == PRINT, length * area / (math.pi * filament_mm**2 / 4), 0.0)
    entries = len(x)
    return Moves(
        x, y, z, fed, feed, np.full(entries, np.nan, np.float32), kind, np.zeros(entries, np.uint8)
    )
