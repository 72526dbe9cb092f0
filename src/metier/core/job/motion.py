"""How long moves take: speeding up, cruising, slowing down, with a bounded jerk at corners."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.job.moves import JUMP, Moves
from metier.core.limit.reach import ACCELERATION_MM_S2, CORNERING_MM_S
from metier.core.refusal import Refusal


class Motion(NamedTuple):
    """What the printer's moves are bounded by: acceleration, and the change of speed at corners."""

    acceleration_mm_s2: float = ACCELERATION_MM_S2
    cornering_mm_s: float = CORNERING_MM_S


class Pace(NamedTuple):
    """How moves are really made, one an entry: how long each takes, the highest speed it reaches
    (0 where it goes nowhere), and for how long and how far it keeps to that speed."""

    time_s: NDArray[np.float64]
    reached_mm_s: NDArray[np.float64]
    steady_s: NDArray[np.float64]
    steady_mm: NDArray[np.float64]


def pace(moves: Moves, feed_mm_s: NDArray[np.float64], motion: Motion, own: bool = True) -> Pace:
    """Return how moves are made at these feeds; from rest at first, to rest at last.

    Speeds are trapezoids. At a corner the speed is such that its change, as a vector, stays within
    ``cornering_mm_s``, and round a curve of many short moves such that the acceleration towards
    its middle, v²/r, stays within what is given; every move is entered no faster than it can be
    left again, looking ahead over all that follow. With ``own`` the file's accelerations count
    where it gives them.

    Raises:
        Refusal: an acceleration or cornering speed not above zero.
    """
    if not motion.acceleration_mm_s2 > 0 or not motion.cornering_mm_s > 0:
        raise Refusal("acceleration and cornering speed must be above zero")
    dx, dy, dz = moves.steps()
    length = np.sqrt(dx * dx + dy * dy + dz * dz)
    in_place = length < 1e-9
    way = np.where(in_place, np.abs(moves.e), length)
    real = np.flatnonzero((way > 1e-9) & (moves.kind != JUMP))
    found = Pace(*(np.zeros(moves.entries) for _ in Pace._fields))
    if not len(real):
        return found
    way = way[real]
    speed = _positive(feed_mm_s[real])
    acceleration = np.full(len(real), float(motion.acceleration_mm_s2))
    if own:
        given = moves.acceleration[real].astype(float)
        np.copyto(acceleration, given, where=given > 0)
    unit = np.stack([dx[real], dy[real], dz[real]]) / np.where(in_place[real], np.inf, way)
    turn = np.sqrt(np.sum((unit[:, 1:] - unit[:, :-1]) ** 2, axis=0))
    with np.errstate(divide="ignore"):
        corner = motion.cornering_mm_s / turn
        radius_mm = (way[1:] + way[:-1]) / 2 / turn
        corner = np.minimum(corner, np.sqrt(acceleration[1:] * radius_mm))
    # Feeding in place is a stop.
    corner[in_place[real][1:] | in_place[real][:-1]] = 0.0
    corner = np.minimum(corner, np.minimum(speed[1:], speed[:-1]))
    entry = np.concatenate(([0.0], corner**2, [0.0]))
    reach = np.concatenate(([0.0], np.cumsum(2 * acceleration * way)))
    # Each squared speed is bounded by any later one plus what can be shed on the way to it, and by
    # any earlier one plus what can be gained: two running minima.
    entry = np.minimum.accumulate((entry + reach)[::-1])[::-1] - reach
    entry = np.minimum.accumulate(entry - reach) + reach
    entry = np.maximum(entry, 0.0)
    before, after = entry[:-1], entry[1:]
    peak = np.minimum(speed, np.sqrt((before + after) / 2 + acceleration * way))
    ramps = (2 * peak - np.sqrt(before) - np.sqrt(after)) / acceleration
    steady_mm = np.maximum(way - (2 * peak**2 - before - after) / (2 * acceleration), 0.0)
    found.time_s[real] = ramps + steady_mm / peak
    found.reached_mm_s[real] = peak
    found.steady_s[real] = steady_mm / peak
    found.steady_mm[real] = steady_mm
    return found


def times_s(
    moves: Moves, feed_mm_s: NDArray[np.float64], motion: Motion, own: bool = True
) -> NDArray[np.float64]:
    """Return how long each move takes, in s, as `pace` does."""
    return pace(moves, feed_mm_s, motion, own).time_s


def _positive(feed_mm_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return feeds, for moves before the first one given that one."""
    given = feed_mm_s[feed_mm_s > 0]
    if not len(given):
        raise Refusal("no feed rate is given anywhere: the file does not say how fast it prints")
    return np.where(feed_mm_s > 0, feed_mm_s, given[0])
