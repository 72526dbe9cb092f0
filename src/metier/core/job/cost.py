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


_NO_FEED = "no feed rate is given anywhere: the file does not say how fast it prints"


def _positive(feed_mm_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return feeds, for moves before the first one given that one."""
    given = feed_mm_s[feed_mm_s > 0]
    if not len(given):
        raise BadInput(_NO_FEED)
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
    meter = JobMeter(filament_diameter_mm, motion, limits_mm3_s, flow, own_acceleration)
    meter.take(moves)
    return meter.cost()


# So many moves are looked at together, as long as one of them is a stop.
_STRETCH, _LONGEST_STRETCH = 100_000, 1_000_000
# Flows nearer than this, relative, are told apart by their mean alone.
_ALIKE = 2e-4
_LEAST_MM3_S, _MOST_MM3_S = 1e-5, 1e6
_FLOW_BINS = math.ceil(math.log(_MOST_MM3_S / _LEAST_MM3_S) / _ALIKE) + 1


class JobMeter:
    """What a job costs, added up part by part, in memory that does not grow with it.

    Flows are kept as how long each of many fine bins of them runs, and its mean.

    Raises:
        BadInput: a limit, flow or diameter not above zero.
    """

    def __init__(
        self,
        filament_diameter_mm: float,
        motion: Motion,
        limits_mm3_s: Sequence[float] = (),
        flow: float = 1.0,
        own_acceleration: bool = True,
    ) -> None:
        for value in (filament_diameter_mm, flow, *limits_mm3_s):
            if not 0 < value < math.inf:
                raise BadInput(f"{value:g}: limits, flow and filament diameter must be above zero")
        self._filament_mm2 = math.pi * filament_diameter_mm**2 / 4
        self._area_mm2, self._flow = self._filament_mm2 * flow, flow
        self._limits, self._motion, self._own = limits_mm3_s, motion, own_acceleration
        self._fed_mm = self._time_s = self._printing_s = self._printed_mm = 0.0
        # Of each limit the time over it, the length over it, and the time under it.
        self._under = [[0.0, 0.0, 0.0] for _ in limits_mm3_s]
        self._seconds = np.zeros(_FLOW_BINS)
        self._volumes = np.zeros(_FLOW_BINS)
        self._most = 0.0
        # Of each height the time, the volume, and the highest flow.
        self._layers: dict[float, list[float]] = {}
        # Moves before the first feed are made at that.
        self._first_mm_s = 0.0
        self._rest: Moves | None = None

    def take(self, moves: Moves) -> None:
        """Add moves; the first entry is where those before ended.

        What comes behind the last stop waits for more: where filament is fed or drawn back in
        place, speed is nought, and nothing behind bears on anything before.
        """
        self._fed_mm += float(moves.e.sum())
        moves = moves if self._rest is None else self._rest.followed_by(moves)
        if not self._first_mm_s:
            given = moves.feed[moves.feed > 0]
            self._first_mm_s = float(given[0]) if len(given) else 0.0
        begin = 0
        stops = moves.stops() if self._first_mm_s else np.zeros(0, np.intp)
        while moves.entries - begin > _STRETCH:
            at = int(np.searchsorted(stops, begin + _STRETCH))
            if at == len(stops):
                break
            end = int(stops[at]) + 1
            self._add(moves.stretch(begin, end))
            begin = end - 1
        if moves.entries - begin > _LONGEST_STRETCH:
            # Nothing stops for so long: once more does not matter.
            self._add(moves.stretch(begin, moves.entries))
            begin = moves.entries - 1
        self._rest = moves.stretch(begin, moves.entries)

    def _add(self, moves: Moves) -> None:
        """Add a stretch, from rest to rest."""
        feed = np.where(moves.feed > 0, moves.feed, self._first_mm_s)
        lengths = moves.length_mm()
        per_mm = np.zeros(moves.entries)
        asks = (moves.kind == PRINT) & (lengths > 1e-9)
        np.divide(moves.e * self._area_mm2, lengths, out=per_mm, where=asks)
        paces = pace(moves, feed, self._motion, self._own)
        times, reached = paces.time_s, per_mm * paces.reached_mm_s
        printing = reached > 0
        self._time_s += float(times.sum())
        self._printing_s += float(times[printing].sum())
        self._printed_mm += float(lengths[printing].sum())
        asked = per_mm * feed
        for limit, under in zip(self._limits, self._under, strict=True):
            over = reached > limit * (1 + _ROUNDED)
            capped = asked > limit * (1 + _ROUNDED)
            under[0] += float(times[over].sum())
            under[1] += float(lengths[over].sum())
            if capped.any():
                slowed = feed * (limit / np.where(capped, asked, limit))
                under[2] += float(times_s(moves, slowed, self._motion, self._own).sum())
            else:
                under[2] += float(times.sum())
        self._spread(moves, paces, reached)
        self._add_layers(moves, printing, reached, times)

    def _spread(self, moves: Moves, paces: Pace, reached: NDArray[np.float64]) -> None:
        """Add the flows that are printed at and for how long: a move's steady part at the flow
        reached, its speeding up and slowing down at their mean."""
        printing = np.flatnonzero(reached > 0)
        if not len(printing):
            return
        reached, steady_s = reached[printing], paces.steady_s[printing]
        unsteady_s = paces.time_s[printing] - steady_s
        volume_mm3 = np.maximum(moves.e[printing] * self._area_mm2 - reached * steady_s, 0.0)
        mean = volume_mm3 / np.where(unsteady_s > 1e-12, unsteady_s, 1.0)
        for flows, seconds in ((reached, steady_s), (mean, unsteady_s)):
            lasts = seconds > 1e-12
            flows, seconds = flows[lasts], seconds[lasts]
            if not len(flows):
                continue
            within = np.clip(flows, _LEAST_MM3_S, _MOST_MM3_S)
            places = (np.log(within / _LEAST_MM3_S) / _ALIKE).astype(np.intp)
            self._seconds += np.bincount(places, seconds, _FLOW_BINS)
            self._volumes += np.bincount(places, seconds * flows, _FLOW_BINS)
            self._most = max(self._most, float(flows.max()))

    def _add_layers(
        self,
        moves: Moves,
        printing: NDArray[np.bool_],
        reached: NDArray[np.float64],
        times: NDArray[np.float64],
    ) -> None:
        heights, layer = np.unique(np.round(moves.z[printing], 3), return_inverse=True)
        total = np.bincount(layer, times[printing], len(heights))
        volume = np.bincount(layer, moves.e[printing] * self._area_mm2, len(heights))
        most = np.zeros(len(heights))
        np.maximum.at(most, layer, reached[printing])
        for height, *parts in zip(heights, total, volume, most, strict=True):
            kept = self._layers.setdefault(float(height), [0.0, 0.0, 0.0])
            kept[0] += float(parts[0])
            kept[1] += float(parts[1])
            kept[2] = max(kept[2], float(parts[2]))

    def cost(self) -> JobCost:
        """Return what all that was taken comes to.

        Raises:
            BadInput: no feed was given.
        """
        if not self._first_mm_s:
            raise BadInput(_NO_FEED)
        if self._rest is not None:
            self._add(self._rest)
            self._rest = None
        filament_mm = self._fed_mm * self._flow
        runs = np.flatnonzero(self._seconds)
        seconds = self._seconds[runs]
        flows = self._volumes[runs] / seconds
        return JobCost(
            self._time_s,
            self._printing_s,
            filament_mm,
            filament_mm * self._filament_mm2,
            {**_quantiles(flows, seconds), 1.0: self._most},
            _histogram(flows, seconds, self._most),
            tuple(
                UnderLimit(
                    limit,
                    over_s / (self._printing_s or 1.0),
                    over_mm / (self._printed_mm or 1.0),
                    under_s,
                )
                for limit, (over_s, over_mm, under_s) in zip(self._limits, self._under, strict=True)
            ),
            tuple(
                LayerFlow(height, volume / (time_s or 1.0), most)
                for height, (time_s, volume, most) in sorted(self._layers.items())
            ),
        )


def _quantiles(flows: NDArray[np.float64], seconds: NDArray[np.float64]) -> dict[float, float]:
    """Return the flows, rising, below which the job runs for these parts of the time."""
    share = np.cumsum(seconds)
    share /= share[-1]
    places = np.minimum(np.searchsorted(share, np.array(QUANTILES) - 1e-12), len(flows) - 1)
    return {part: float(flows[at]) for part, at in zip(QUANTILES, places, strict=True)}


def _histogram(
    flows: NDArray[np.float64], seconds: NDArray[np.float64], most: float
) -> tuple[Bin, ...]:
    """Return the shares of time by flow, rising; the few highest flows share the last bin."""
    # A flow at a border, as limits make them, belongs below it.
    flows = flows * (1 - _ROUNDED)
    most_of_time = np.searchsorted(np.cumsum(seconds), (1 - _RARE) * seconds.sum())
    highest = float(flows[min(int(most_of_time), len(flows) - 1)])
    width = next(
        (wide for wide in (0.5, 1.0, 2.0, 5.0, 10.0) if highest / wide <= 16), highest / 16
    )
    count = max(1, math.ceil(highest / width - 1e-9))
    places = np.clip(np.ceil(flows / width).astype(int) - 1, 0, count - 1)
    shares = np.bincount(places, seconds, count) / seconds.sum()
    tops = [width * (i + 1) for i in range(count)]
    tops[-1] = max(tops[-1], most * (1 - _ROUNDED))
    return tuple(
        Bin(i * width, top, float(share))
        for i, (top, share) in enumerate(zip(tops, shares, strict=True))
    )
