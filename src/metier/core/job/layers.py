"""The layers of a file and the loops in them."""

import math
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.errors import BadInput
from metier.core.job.moves import PRINT, Moves

# From the foot of what rises upwards: a seam that slopes is less, a spiral is nearly all.
_SEAMS, _SPIRAL = 0.4, 0.9
# A turn that goes round by this part of itself less is the end of a spiral.
_WHOLE = 0.9
# Corners that are written rounded miss a turn by a little.
_ROUNDED = 1e-3


class Layers(NamedTuple):
    """The printing moves by layer, from the lowest.

    ``rows`` are indices of moves, ``layer`` says for each in which layer it is, ``tops_mm`` how
    high each reaches, on the average of its turn where it belongs to a spiral. Of a spiral,
    ``turns`` are the first layer that is a turn and the one after the last: below lies its
    floor, above what closes it. None for layers that all lie flat.
    """

    rows: NDArray[np.int64]
    layer: NDArray[np.int64]
    tops_mm: NDArray[np.float64]
    turns: tuple[int, int] | None


def layers_of(moves: Moves, shortest_mm: float = 1e-9) -> Layers:
    """Return the printing moves that are no shorter by layer.

    Raises:
        BadInput: nothing is printed, or flat and rising lines so mixed that neither is meant.
    """
    dx, dy, dz = moves.steps()
    length = np.sqrt(dx * dx + dy * dy + dz * dz)
    printing = np.flatnonzero((moves.kind == PRINT) & (length > 1e-9))
    if not len(printing):
        raise BadInput("nothing is printed in lines")
    rises = dz[printing] > 1e-9
    flat = np.abs(dz[printing]) < 1e-9
    if not rises.any():
        return _flat(moves, printing[flat & (length[printing] > shortest_mm)])
    foot_mm = float((moves.z - dz)[printing[rises]].min())
    above = moves.z[printing] > foot_mm + 1e-9
    share = float(length[printing[rises]].sum() / length[printing[above]].sum())
    if share < _SEAMS:
        return _flat(moves, printing[flat & (length[printing] > shortest_mm)])
    if share < _SPIRAL:
        raise BadInput(
            f"{100 * share:.0f} % of what is printed rises as it goes and the rest lies flat: "
            "neither layers nor a spiral; slice it as one of them"
        )
    return _spiral(moves, printing, rises, flat, length, shortest_mm)


def _flat(moves: Moves, rows: NDArray[np.int64]) -> Layers:
    tops, layer = np.unique(np.round(moves.z[rows], 4), return_inverse=True)
    return Layers(rows, layer, tops, None)


def _spiral(
    moves: Moves,
    printing: NDArray[np.int64],
    rises: NDArray[np.bool_],
    flat: NDArray[np.bool_],
    length: NDArray[np.float64],
    shortest_mm: float,
) -> Layers:
    """Cut a spiral where its direction has come round; a piece of a turn joins the one below."""
    rising = printing[rises]
    dx, dy, dz = moves.steps()
    angle = np.unwrap(np.arctan2(dy[rising], dx[rising]))
    turn = np.floor(np.abs(angle - angle[0]) / (2 * math.pi) + _ROUNDED).astype(np.int64)
    turn = np.maximum.accumulate(turn)
    around = np.bincount(turn, length[rising])
    last = len(around) - 1
    if last and around[last] < _WHOLE * np.median(around):
        turn = np.minimum(turn, last - 1)
        around = np.bincount(turn, length[rising])
    middle = np.bincount(turn, length[rising] * (moves.z[rising] - dz[rising] / 2)) / around
    floor = _flat(moves, printing[flat & (moves.z[printing] < moves.z[rising[0]])])
    lid = _flat(moves, printing[flat & (moves.z[printing] > moves.z[rising[0]])])
    first, end = len(floor.tops_mm), len(floor.tops_mm) + len(middle)
    rows = np.concatenate((floor.rows, rising, lid.rows))
    layer = np.concatenate((floor.layer, turn + first, lid.layer + end))
    tops = np.concatenate((floor.tops_mm, middle, lid.tops_mm))
    long_enough = length[rows] > shortest_mm
    return Layers(rows[long_enough], layer[long_enough], tops, (first, end))


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
