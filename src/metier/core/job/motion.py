"""How long moves take: speeding up, cruising, slowing down, with a bounded jerk at corners."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.job.moves import JUMP, Moves
from metier.core.refusal import Refusal

# Where neither file nor user says: what an ordinary printer of the hobby does.
ACCELERATION_MM_S2 = 1000.0
CORNERING_MM_S = 8.0


class Motion(NamedTuple):
    """What the printer's moves are bounded by: acceleration, and the change of speed at corners."""

    acceleration_mm_s2: float = ACCELERATION_MM_S2
    cornering_mm_s: float = CORNERING_MM_S


def times_s(
    moves: Moves, feed_mm_s: NDArray[np.float64], motion: Motion, own: bool = True
) -> NDArray[np.float64]:
    """Return how long each move takes at these feeds, in s; from rest at first, to rest at last.

    Speeds are trapezoids. At a corner the speed is such that its change, as a vector, stays within
    ``cornering_mm_s``; every move is entered no faster than it can be left again, looking ahead
    over all that follow. With ``own`` the file's accelerations count where it gives them.

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
    found = np.zeros(moves.entries)
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
    cruise = np.maximum(way - (2 * peak**2 - before - after) / (2 * acceleration), 0.0) / peak
    found[real] = ramps + cruise
    return found


def _positive(feed_mm_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return feeds, for moves before the first one given that one."""
    given = feed_mm_s[feed_mm_s > 0]
    if not len(given):
        raise Refusal("no feed rate is given anywhere: the file does not say how fast it prints")
    return np.where(feed_mm_s > 0, feed_mm_s, given[0])
