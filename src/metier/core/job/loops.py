"""The closed lines of a layer: walls go round and come back, infill does not."""

import math
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.job.layers import Layers
from metier.core.job.moves import Moves

# A loop comes back to within so much of a line's width; a circle keeps its radius to so much.
_CLOSES, _ROUND_MM = 1.6, 0.06
_LEAST_POINTS, _LEAST_CORNERS = 4, 10


class Loop(NamedTuple):
    """A closed line: its points (n, 2) in mm, the head that lays it, and how wide the plastic of
    its line is, without its rounded sides."""

    points: NDArray[np.float64]
    tool: int
    wide_mm: float

    @property
    def length_mm(self) -> float:
        """How long it is."""
        steps = np.diff(self.points, axis=0)
        return float(np.hypot(steps[:, 0], steps[:, 1]).sum())

    def circle(self) -> tuple[float, float, float] | None:
        """Return its middle and radius where it is a circle; None where it is none."""
        corners = self.points[:-1]
        if len(corners) < _LEAST_CORNERS:
            return None
        steps = np.hypot(*np.diff(self.points, axis=0).T)
        halfway = (self.points[:-1] + self.points[1:]) / 2
        # The middle of its line, however its corners are spread.
        middle = (halfway * steps[:, None]).sum(axis=0) / steps.sum()
        radius = np.hypot(*(corners - middle).T)
        mean = float(radius.mean())
        if mean < 0.3 or float(radius.max() - radius.min()) > 2 * _ROUND_MM:
            return None
        # The corners of a square keep their distance as well: a circle has them all round.
        longest = float(steps.max())
        if longest > 2 * mean * math.sin(math.pi / 8):
            return None
        # Chords lie inside of the circle that is meant: half their depth each way.
        depth = mean * (1 - math.cos(math.pi / len(corners)))
        return float(middle[0]), float(middle[1]), mean - depth / 2


class LayerLines(NamedTuple):
    """The lines of a layer: its loops, and the middles of all lines (n, 2) with the heads that lay
    them, loops' own among them; ``height_mm`` is how high the layer is."""

    loops: tuple[Loop, ...]
    begins: NDArray[np.float64]
    ends: NDArray[np.float64]
    tools: NDArray[np.int64]
    height_mm: float


def lines_of_layer(
    moves: Moves, layers: Layers, number: int, filament_area_mm2: float
) -> LayerLines:
    """Return the lines of a layer, its loops found by lines that go on where the last ended."""
    rows = np.sort(layers.rows[layers.layer == number])
    dx, dy, _ = moves.steps()
    ends = np.column_stack((moves.x[rows], moves.y[rows]))
    begins = ends - np.column_stack((dx[rows], dy[rows]))
    tools = moves.tool[rows].astype(np.int64)
    below = layers.tops_mm[number - 1] if number else 0.0
    height_mm = float(layers.tops_mm[number] - below)
    length = np.hypot(dx[rows], dy[rows])
    wide = moves.e[rows] * filament_area_mm2 / np.maximum(length, 1e-9) / height_mm
    joins = (np.diff(rows) == 1) & (np.abs(begins[1:] - ends[:-1]).max(axis=1) < 1e-6)
    joins &= tools[1:] == tools[:-1]
    starts = np.concatenate(([0], np.flatnonzero(~joins) + 1, [len(rows)]))
    loops = []
    for low, high in pairwise(starts.tolist()):
        if high - low < _LEAST_POINTS - 1:
            continue
        width = float((wide[low:high] * length[low:high]).sum() / length[low:high].sum())
        gap = math.dist(begins[low], ends[high - 1])
        around = float(length[low:high].sum())
        if gap <= _CLOSES * width and around > 6 * width:
            points = np.concatenate(
                (begins[low : low + 1], ends[low : high - 1], begins[low : low + 1])
            )
            if high - low >= _LEAST_POINTS:
                loops.append(Loop(points, int(tools[low]), width))
    return LayerLines(tuple(loops), begins, ends, tools, height_mm)
