"""The layers of a job: flat ones by their height; those of a spiral, which rises all the way, by
its turns."""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.job.moves import PRINT, Moves
from metier.core.refusal import Refusal

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
        Refusal: nothing is printed, or flat and rising lines so mixed that neither is meant.
    """
    dx, dy, dz = moves.steps()
    length = np.sqrt(dx * dx + dy * dy + dz * dz)
    printing = np.flatnonzero((moves.kind == PRINT) & (length > 1e-9))
    if not len(printing):
        raise Refusal("nothing is printed in lines")
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
        raise Refusal(
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
