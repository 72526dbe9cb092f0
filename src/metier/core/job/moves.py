"""Moves of a file, and layers of lines as moves."""

import math
from collections import deque
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.line.runs import Layer, Point, Run

TRAVEL, PRINT, RETRACT, PRIME, JUMP = range(5)


class Moves(NamedTuple):
    """Moves in order, one an entry; each begins where the one before ends.

    ``x y z`` are where it ends (mm), ``e`` how much filament it feeds (mm, below zero when it is
    drawn back), ``feed`` its speed (mm/s), ``acceleration`` as the file sets it (mm/s², NaN where
    it does not), ``kind`` one of the above and ``tool`` the head that makes it. A JUMP only names
    a place anew. The first entry is the start and moves nothing.
    """

    x: NDArray[np.float64]
    y: NDArray[np.float64]
    z: NDArray[np.float64]
    e: NDArray[np.float64]
    feed: NDArray[np.float64]
    acceleration: NDArray[np.float32]
    kind: NDArray[np.uint8]
    tool: NDArray[np.uint8]

    @property
    def entries(self) -> int:
        """How many entries there are."""
        return len(self.x)

    def steps(self) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Return how far each goes along x, y and z; a JUMP goes nowhere."""
        still = self.kind == JUMP
        pieces = []
        for end in (self.x, self.y, self.z):
            step = np.diff(end, prepend=end[:1])
            step[still] = 0.0
            pieces.append(step)
        return pieces[0], pieces[1], pieces[2]

    def length_mm(self) -> NDArray[np.float64]:
        """Return how far each goes."""
        dx, dy, dz = self.steps()
        length: NDArray[np.float64] = np.sqrt(dx * dx + dy * dy + dz * dz)
        return length

    def stops(self) -> NDArray[np.intp]:
        """Return the moves that feed filament or draw it back in place."""
        fed = np.flatnonzero((self.kind == RETRACT) | (self.kind == PRIME))
        fed = fed[fed > 0]
        places = (self.x, self.y, self.z)
        return fed[np.logical_and.reduce([place[fed] == place[fed - 1] for place in places])]

    def followed_by(self, later: "Moves") -> "Moves":
        """Return these and later ones."""
        join = np.concatenate
        return Moves(
            join((self.x, later.x)),
            join((self.y, later.y)),
            join((self.z, later.z)),
            join((self.e, later.e)),
            join((self.feed, later.feed)),
            join((self.acceleration, later.acceleration)),
            join((self.kind, later.kind)),
            join((self.tool, later.tool)),
        )

    def stretch(self, begin: int, end: int) -> "Moves":
        """Return some of the moves, in a row; the first moves nothing, and is where they start."""
        kind, e = self.kind[begin:end].copy(), self.e[begin:end].copy()
        kind[:1], e[:1] = JUMP, 0.0
        return Moves(
            self.x[begin:end],
            self.y[begin:end],
            self.z[begin:end],
            e,
            self.feed[begin:end],
            self.acceleration[begin:end],
            kind,
            self.tool[begin:end],
        )

    def of_tool(self, tool: int) -> "Moves":
        """Return what one head prints: the moves of the others extrude nothing."""
        mine = self.tool == tool
        return self._replace(
            e=np.where(mine, self.e, 0.0),
            kind=np.where(mine | (self.kind == JUMP), self.kind, TRAVEL).astype(np.uint8),
        )


def kinds_of(
    dx: NDArray[np.float64], dy: NDArray[np.float64], e: NDArray[np.float64]
) -> NDArray[np.uint8]:
    """Tell printing from travel, drawing back, and priming (feeding in place)."""
    across = (np.abs(dx) > 1e-9) | (np.abs(dy) > 1e-9)
    kind = np.full(len(e), TRAVEL, np.uint8)
    kind[e < 0] = RETRACT
    feeds = e > 0
    kind[feeds & across] = PRINT
    kind[feeds & ~across] = PRIME
    return kind


# What a travel is made at, and filament drawn back; how far a travel goes without that.
TRAVEL_MM_S, BACK_MM_S, NEAR_MM = 150.0, 35.0, 2.0
# The same strand goes through the gear no more often than this on that length: it grinds.
_MOST_BACK, _ON_MM = 8, 5.0
# So far above what stands already the way to the next part goes.
_CLEAR_MM = 2.0


class Step(NamedTuple):
    """A run and the way to where it begins: whether filament is drawn back for it, and how high it
    goes where that is above what stands already."""

    run: Run
    draws_back: bool
    over_mm: float | None = None


def steps_of(
    layers: Sequence[Layer], filament_mm2: float, retract_mm: float
) -> Iterator[tuple[Layer, list[Step]]]:
    """Yield layers with the steps that lay their runs.

    Filament is drawn back for a way that is far and leads out of what is printed, and seldom enough
    that no 5 mm of the strand are drawn back more than eight times. Where a layer lies lower than
    the one before, another part begins.
    """
    at: Point | None = None
    fed_mm, height_mm, highest_mm = 0.0, 0.0, 0.0
    drawn: deque[float] = deque(maxlen=_MOST_BACK)
    for layer in layers:
        over_mm = None
        if layer.top_mm < height_mm - 1e-9:
            over_mm = highest_mm + _CLEAR_MM
        height_mm, highest_mm = layer.top_mm, max(highest_mm, layer.top_mm)
        steps = []
        for run in layer.runs:
            far = over_mm is not None or (
                at is not None and not run.inside and math.dist(at, run.points[0]) > NEAR_MM
            )
            rested = len(drawn) < _MOST_BACK or fed_mm - drawn[0] > _ON_MM
            draws_back = retract_mm > 0 and far and rested
            if draws_back:
                drawn.append(fed_mm)
            steps.append(Step(run, draws_back, over_mm))
            fed_mm += run.length_mm * run.area_mm2 / filament_mm2
            at, over_mm = run.points[-1], None
        yield layer, steps


def moves_of(layers: Sequence[Layer], filament_mm: float, retract_mm: float) -> Moves:
    """Return the moves of layers: the lines of each run, and the way to where it begins."""
    filament_mm2 = math.pi * filament_mm**2 / 4
    places: list[Point] = [(0.0, 0.0)]
    # Height, what is fed for each mm or all at once, speed and kind of the moves; how many alike.
    groups = [(0.0, 0.0, 1.0, JUMP, 1)]
    for layer, steps in steps_of(layers, filament_mm2, retract_mm):
        top_mm = layer.top_mm
        for run, draws_back, _ in steps:
            begin = run.points[0]
            if draws_back:
                places.append(places[-1])
                groups.append((top_mm, -retract_mm, BACK_MM_S, RETRACT, 1))
            places.append(begin)
            groups.append((top_mm, 0.0, TRAVEL_MM_S, TRAVEL, 1))
            if draws_back:
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
