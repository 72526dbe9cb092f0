"""Arcs of G-code, G2 clockwise and G3 against it, as the chords that a printer would make."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from metier.core.refusal import Refusal

# A chord leaves its arc by no more than this: far below what a nozzle can show.
_SAGITTA_MM = 0.002
_MOST_CHORDS = 2000
TOO_MANY_MOVES = (
    "more than 5 million moves, arcs counted as their chords: that is too much for one job"
)


def with_chords(
    columns: list[NDArray[Any]],
    before: list[NDArray[np.float64]],
    code: NDArray[np.intp],
    given: dict[str, NDArray[np.float64]],
    moved: NDArray[np.bool_],
    most: int,
) -> tuple[list[NDArray[Any]], NDArray[np.bool_]]:
    """Return the columns (x, y, z, e, feed and so on) with each arc drawn out into its chords.

    The centre is given by I and J from the start, or by the radius R, whose shorter arc is meant
    where it is positive. What is extruded and climbed is spread evenly.

    Raises:
        Refusal: more chords than there is room for, ``most``.
    """
    arc = (code == 2) | (code == 3)
    x0, y0, z0 = before
    x1, y1, z1 = columns[0], columns[1], columns[2]
    centre_x, centre_y = _centres(x0, y0, x1, y1, code, given)
    radius = np.hypot(x0 - centre_x, y0 - centre_y)
    turn = _turns(x0, y0, x1, y1, centre_x, centre_y, code)
    with np.errstate(divide="ignore", invalid="ignore"):
        single = 2 * np.arccos(np.clip(1 - _SAGITTA_MM / radius, -1, 1))
        chords = np.ceil(np.abs(turn) / single)
    chords = np.where(arc & np.isfinite(chords), np.clip(chords, 1, _MOST_CHORDS), 1).astype(int)
    if int(chords.sum()) > max(most, 0):
        raise Refusal(TOO_MANY_MOVES)
    moved = moved | (arc & (chords > 1))
    owner = np.repeat(np.arange(len(arc)), chords)
    nth = np.arange(len(owner)) - np.repeat(np.cumsum(chords) - chords, chords) + 1
    part = nth / chords[owner]
    found = [column[owner] for column in columns]
    along = np.flatnonzero(arc[owner] & (part < 1))
    angle = np.arctan2(y0 - centre_y, x0 - centre_x)[owner] + turn[owner] * part
    found[0][along] = (centre_x[owner] + radius[owner] * np.cos(angle))[along]
    found[1][along] = (centre_y[owner] + radius[owner] * np.sin(angle))[along]
    found[2][along] = (z0[owner] + (z1 - z0)[owner] * part)[along]
    found[3] = found[3] / chords[owner]
    return found, moved[owner]


def _centres(
    x0: NDArray[np.float64],
    y0: NDArray[np.float64],
    x1: NDArray[np.float64],
    y1: NDArray[np.float64],
    code: NDArray[np.intp],
    given: dict[str, NDArray[np.float64]],
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    from_start = [np.nan_to_num(given[letter]) for letter in "IJ"]
    half_x, half_y = (x1 - x0) / 2, (y1 - y0) / 2
    half = np.hypot(half_x, half_y)
    r = given["R"]
    with np.errstate(divide="ignore", invalid="ignore"):
        away = np.sqrt(np.maximum(r * r - half * half, 0)) / half
    # To the left of the way for a short arc against the clock, to the right for one with it.
    side = np.where((code == 3) == (r > 0), 1.0, -1.0) * away
    by_radius = ~np.isnan(r) & (half > 0)
    return (
        np.where(by_radius, x0 + half_x - side * half_y, x0 + from_start[0]),
        np.where(by_radius, y0 + half_y + side * half_x, y0 + from_start[1]),
    )


def _turns(
    x0: NDArray[np.float64],
    y0: NDArray[np.float64],
    x1: NDArray[np.float64],
    y1: NDArray[np.float64],
    centre_x: NDArray[np.float64],
    centre_y: NDArray[np.float64],
    code: NDArray[np.intp],
) -> NDArray[np.float64]:
    """Return the angle of each arc, against the clock above zero; a whole turn where it closes."""
    begin = np.arctan2(y0 - centre_y, x0 - centre_x)
    end = np.arctan2(y1 - centre_y, x1 - centre_x)
    turn = np.mod(end - begin, 2 * np.pi)
    closed = (np.abs(x1 - x0) < 1e-9) & (np.abs(y1 - y0) < 1e-9)
    turn = np.where(closed, 2 * np.pi, turn)
    result: NDArray[np.float64] = np.where(
        code == 2, np.where(closed, -turn, turn - 2 * np.pi), turn
    )
    return np.where(code == 3, turn, result)
