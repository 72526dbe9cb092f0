"""What a job takes: its time by acceleration, its filament."""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.errors import BadInput
from metier.core.job.moves import JUMP, PRINT, Moves
from metier.core.limit.plan import ACCELERATION_MM_S2, CORNERING_MM_S


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
        BadInput: an acceleration or cornering speed not above zero.
    """
    if not motion.acceleration_mm_s2 > 0 or not motion.cornering_mm_s > 0:
        raise BadInput("acceleration and cornering speed must be above zero")
    dx, dy, dz = moves.steps()
    length = np.sqrt(dx * dx + dy * dy + dz * dz)
    in_place = length < 1e-9
    way = np.where(in_place, np.abs(moves.e), length)
    real = np.flatnonzero((way > 1e-9) & (moves.kind != JUMP))
    paces = Pace(*(np.zeros(moves.entries) for _ in Pace._fields))
    if not len(real):
        return paces
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
    paces.time_s[real] = ramps + steady_mm / peak
    paces.reached_mm_s[real] = peak
    paces.steady_s[real] = steady_mm / peak
    paces.steady_mm[real] = steady_mm
    return paces


def times_s(
    moves: Moves, feed_mm_s: NDArray[np.float64], motion: Motion, own: bool = True
) -> NDArray[np.float64]:
    """Return how long each move takes, in s, as `pace` does."""
    return pace(moves, feed_mm_s, motion, own).time_s


def _positive(feed_mm_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return feeds, for moves before the first one given that one."""
    given = feed_mm_s[feed_mm_s > 0]
    if not len(given):
        raise BadInput("no feed rate is given anywhere: the file does not say how fast it prints")
    return np.where(feed_mm_s > 0, feed_mm_s, given[0])


# Coordinates and feeds are written rounded: flows this near to a limit or border are at it.
_ROUNDED = 5e-3
# Flows that run for less than this part of the time get no bin of their own.
_RARE = 1e-3
QUANTILES = (0.05, 0.25, 0.5, 0.75, 0.9, 0.95, 0.99, 1.0)


class UnderLimit(NamedTuple):
    """A limit: the shares of printing time and length that ask for more, and the time under it."""

    limit_mm3_s: float
    share_of_time: float
    share_of_length: float
    time_s: float


class Bin(NamedTuple):
    """The part of the printing time at flows from ``low`` to ``high``."""

    low_mm3_s: float
    high_mm3_s: float
    share: float


class LayerFlow(NamedTuple):
    """The flow of a layer, by time: the mean, and the highest."""

    z_mm: float
    mean_mm3_s: float
    most_mm3_s: float


class JobCost(NamedTuple):
    """Time, filament and flows of a job; ``quantiles_mm3_s`` are by printing time.

    Flows are those really reached: where acceleration keeps a move from its set speed, less.
    """

    time_s: float
    printing_s: float
    filament_mm: float
    volume_mm3: float
    quantiles_mm3_s: dict[float, float]
    histogram: tuple[Bin, ...]
    limits: tuple[UnderLimit, ...]
    layers: tuple[LayerFlow, ...]


def flows_mm3_s(
    moves: Moves, speed_mm_s: NDArray[np.float64], filament_area_mm2: float, flow: float = 1.0
) -> NDArray[np.float64]:
    """Return the flow of each printing move at these speeds; 0 for all others."""
    length = moves.length_mm()
    asks = (moves.kind == PRINT) & (length > 1e-9)
    flows = np.zeros(moves.entries)
    flows[asks] = moves.e[asks] * flow * filament_area_mm2 * speed_mm_s[asks] / length[asks]
    return flows


def job_cost(
    moves: Moves,
    filament_diameter_mm: float,
    motion: Motion,
    limits_mm3_s: Sequence[float] = (),
    flow: float = 1.0,
    own_acceleration: bool = True,
) -> JobCost:
    """Return what a job costs, and what it costs under each limit.

    ``flow`` multiplies what the file extrudes. Under a limit, moves that ask for more are slowed
    down to it, as a slicer would.

    Raises:
        BadInput: a limit, flow or diameter not above zero.
    """
    for value in (filament_diameter_mm, flow, *limits_mm3_s):
        if not 0 < value < math.inf:
            raise BadInput(f"{value:g}: limits, flow and filament diameter must be above zero")
    area = math.pi * filament_diameter_mm**2 / 4
    asked = flows_mm3_s(moves, moves.feed, area, flow)
    paces = pace(moves, moves.feed, motion, own_acceleration)
    times = paces.time_s
    reached = flows_mm3_s(moves, paces.reached_mm_s, area, flow)
    printing = reached > 0
    time_printing = float(times[printing].sum())
    lengths = moves.length_mm()
    under = []
    for limit in limits_mm3_s:
        over = reached > limit * (1 + _ROUNDED)
        capped = asked > limit * (1 + _ROUNDED)
        slowed = np.where(capped, moves.feed * limit / np.where(capped, asked, 1.0), moves.feed)
        under.append(
            UnderLimit(
                limit,
                float(times[over].sum()) / (time_printing or 1.0),
                float(lengths[over].sum()) / (float(lengths[printing].sum()) or 1.0),
                float(times_s(moves, slowed, motion, own_acceleration).sum()),
            )
        )
    filament_mm = float(moves.e.sum()) * flow
    flows, shares_s = _spread(moves, paces, reached, area * flow)
    return JobCost(
        float(times.sum()),
        time_printing,
        filament_mm,
        filament_mm * area,
        _quantiles(flows, shares_s),
        _histogram(flows, shares_s),
        tuple(under),
        _layers(moves, printing, reached, times, area * flow),
    )


def _spread(
    moves: Moves, paces: Pace, reached: NDArray[np.float64], area_mm2: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the flows that are printed at and for how long, in s: a move's steady part at the
    flow reached, its speeding up and slowing down at their mean."""
    printing = reached > 0
    steady_s = paces.steady_s[printing]
    unsteady_s = paces.time_s[printing] - steady_s
    volume_mm3 = moves.e[printing] * area_mm2 - reached[printing] * steady_s
    mean = np.maximum(volume_mm3, 0.0) / np.where(unsteady_s > 1e-12, unsteady_s, 1.0)
    flows = np.concatenate((reached[printing], mean))
    shares_s = np.concatenate((steady_s, unsteady_s))
    lasts = shares_s > 1e-12
    return flows[lasts], shares_s[lasts]


def _quantiles(asked: NDArray[np.float64], times: NDArray[np.float64]) -> dict[float, float]:
    order = np.argsort(asked)
    share = np.cumsum(times[order])
    share /= share[-1]
    places = np.minimum(np.searchsorted(share, np.array(QUANTILES) - 1e-12), len(order) - 1)
    return {part: float(asked[order[at]]) for part, at in zip(QUANTILES, places, strict=True)}


def _histogram(asked: NDArray[np.float64], times: NDArray[np.float64]) -> tuple[Bin, ...]:
    """Return the shares of time by flow; the few highest flows share the last bin."""
    # A flow at a border, as limits make them, belongs below it.
    asked = asked * (1 - _ROUNDED)
    order = np.argsort(asked)
    most_of_time = np.searchsorted(np.cumsum(times[order]), (1 - _RARE) * times.sum())
    highest = float(asked[order[min(int(most_of_time), len(order) - 1)]])
    width = next(
        (wide for wide in (0.5, 1.0, 2.0, 5.0, 10.0) if highest / wide <= 16), highest / 16
    )
    count = max(1, math.ceil(highest / width - 1e-9))
    places = np.clip(np.ceil(asked / width).astype(int) - 1, 0, count - 1)
    shares = np.bincount(places, times, count) / times.sum()
    tops = [width * (i + 1) for i in range(count)]
    tops[-1] = max(tops[-1], float(asked.max()))
    return tuple(
        Bin(i * width, top, float(share))
        for i, (top, share) in enumerate(zip(tops, shares, strict=True))
    )


def _layers(
    moves: Moves,
    printing: NDArray[np.bool_],
    reached: NDArray[np.float64],
    times: NDArray[np.float64],
    area_mm2: float,
) -> tuple[LayerFlow, ...]:
    heights, layer = np.unique(np.round(moves.z[printing], 3), return_inverse=True)
    total = np.bincount(layer, times[printing])
    mean = np.bincount(layer, moves.e[printing] * area_mm2) / np.where(total > 0, total, 1.0)
    most = np.zeros(len(heights))
    np.maximum.at(most, layer, reached[printing])
    return tuple(
        LayerFlow(float(height), float(layer_mean), float(top))
        for height, layer_mean, top in zip(heights, mean, most, strict=True)
    )
