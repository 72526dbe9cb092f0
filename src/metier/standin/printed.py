"""What was printed: walls, and round things."""

import math
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.standin.physics import (
    PrintedLine,
    dull_from_mm3_s,
    gaps_from_mm3_s,
    grown,
    hole_mm,
    line_mm,
    post_mm,
    pushed,
    strand_mm2,
)
from metier.standin.truth import Frame, Truth

Floats = NDArray[np.float64]
# Straight on, as far as a head that moves on is concerned.
_STRAIGHT_COS = math.cos(math.radians(20))
_CORNER_MM_S = 8.0
# What lies lower is a tab in front, a foot or a floor.
_ABOVE_MM = 2.0
# A line that runs along a side, and how far inwards its neighbours may lie.
_ALONG, _DEEPEST_MM = 0.02, 6.0
# Two layers whose plastic differs by less are of one section.
_SAME, _SAME_SPEED = 0.008, 0.02
_STEP_LAYERS = 8
# Lower ones are pressed onto the bed, and the nozzle is primed there.
_FIRST_LAYERS_MM = 0.45


class Luck(NamedTuple):
    """What is peculiar to one print: ratios of its plastic and of what it melted, and how sizes
    came out."""

    frame: Frame
    plastic: float = 1.0
    melt: float = 1.0


class Wall(NamedTuple):
    """Lines side by side at a place: how many, how far apart, how wide the plastic of each is, and
    the speed they were asked for at."""

    lines: int
    apart_mm: float
    wide_mm: float
    layer_mm: float
    top_mm: float
    speed_mm_s: float


class Printed:
    """Lines laid down, with what really came out of each."""

    def __init__(self, lines: Sequence[PrintedLine] | Floats, truth: Truth, luck: Luck) -> None:
        table = np.asarray(lines, float).reshape(-1, len(PrintedLine._fields))
        self.x0, self.y0, self.x1, self.y1, self.z = table[:, :5].T
        _, geared, speed, accel, heat, along = table[:, 5:].T
        self.asked_mm_s = speed
        self.length = np.hypot(self.x1 - self.x0, self.y1 - self.y0)
        speed = _reached(self, speed, accel)
        per_mm = geared / self.length
        strand = np.array([strand_mm2(truth.roll, at_m) for at_m in along])
        self.heat, self.flow = heat, per_mm * speed * strand
        share = np.empty(len(table))
        growth = np.empty(len(table))
        known: dict[tuple[float, float], tuple[float, float]] = {}
        # Flow and heat differ too little from line to line to reckon each anew.
        for i, key in enumerate(
            zip(self.flow.round(3).tolist(), heat.round(1).tolist(), strict=True)
        ):
            if key not in known:
                known[key] = pushed(truth, *key, luck.melt), grown(truth.roll, *key)
            share[i], growth[i] = known[key]
        came_mm2 = share * per_mm * strand * luck.plastic
        self.area = came_mm2 * growth
        self.truth, self.luck = truth, luck
        self.mass_g = float(np.sum(came_mm2 * self.length)) * truth.roll.density_g_cm3 / 1000
        self.tops = np.unique(np.round(self.z, 4))
        self.layer = np.diff(self.tops, prepend=0.0)

    # Walls.

    def sections(self) -> list[tuple[Wall, ...]]:
        """Return the walls of a square tube, lowest first: those of each section, layer by layer.

        A section ends where the number of lines, their speed or what they were asked for changes.
        """
        wallses: list[list[Wall]] = []
        for top_mm in self.tops[self.tops > _ABOVE_MM]:
            wall = self.wall_at(float(top_mm), "front")
            if wall is None:
                continue
            if wallses and _alike(wallses[-1][-1], wall):
                wallses[-1].append(wall)
            else:
                wallses.append([wall])
        return [tuple(walls) for walls in wallses if len(walls) > 8]

    def wall_at(self, top_mm: float, side: str) -> Wall | None:
        """Return the lines side by side in the middle of a side of one layer; None for none."""
        at = np.flatnonzero(np.abs(self.z - top_mm) < 1e-3)
        if side in ("front", "back"):
            run0, run1, at0, at1 = self.x0, self.x1, self.y0, self.y1
        else:
            run0, run1, at0, at1 = self.y0, self.y1, self.x0, self.x1
        low = min(run0[at].min(), run1[at].min())
        high = max(run0[at].max(), run1[at].max())
        middle = (low + high) / 2
        left, right = np.minimum(run0, run1)[at], np.maximum(run0, run1)[at]
        parallel = np.abs(at1 - at0)[at] < _ALONG * np.maximum(right - left, 1e-9)
        crossed = at[parallel & (left < middle) & (right > middle)]
        if not len(crossed):
            return None
        places = at0[crossed]
        order = np.argsort(places)
        if side in ("back", "right"):
            order = order[::-1]
        crossed, places = crossed[order], places[order]
        near = np.abs(places - places[0]) < _DEEPEST_MM
        crossed, places = crossed[near], places[near]
        index = int(np.argmin(np.abs(self.tops - top_mm)))
        layer_mm = float(self.layer[index])
        apart_mm = float(np.abs(np.diff(places)).mean()) if len(places) > 1 else 0.0
        wide_mm = float(self.area[crossed].mean()) / layer_mm
        speed_mm_s = float(self.asked_mm_s[crossed].mean())
        return Wall(len(crossed), apart_mm, wide_mm, layer_mm, top_mm, speed_mm_s)

    # Heat by height.

    def heat_steps(self) -> list[float]:
        """Return the heats of steps, lowest first, each to 5 °C: what is printed for so many layers
        at one heat."""
        steps: list[tuple[float, int]] = []
        for top_mm in self.tops:
            heat = 5.0 * round(float(np.median(self.heat[np.abs(self.z - top_mm) < 1e-3])) / 5.0)
            if steps and steps[-1][0] == heat:
                steps[-1] = heat, steps[-1][1] + 1
            else:
                steps.append((heat, 1))
        return [heat for heat, layers in steps if layers >= _STEP_LAYERS]

    # Faults of too much flow.

    def gaps_from_mm(self) -> float | None:
        """Return the height from which walls have gaps; None where they have none."""
        return self._first(gaps_from_mm3_s)

    def dull_from_mm(self) -> float | None:
        """Return the height from which walls are dull."""
        return self._first(dull_from_mm3_s)

    def _first(self, from_mm3_s: Callable[[Truth, float], float]) -> float | None:
        heats = self.heat.round(1)
        from_flow = {heat: from_mm3_s(self.truth, heat) for heat in np.unique(heats).tolist()}
        most = self.luck.melt * np.array([from_flow[heat] for heat in heats.tolist()])
        over = (self.flow > most) & (self.z > _FIRST_LAYERS_MM)
        return float(self.z[over].min()) if over.any() else None


def _alike(wall: Wall, other: Wall) -> bool:
    if wall.lines != other.lines or abs(wall.speed_mm_s / other.speed_mm_s - 1) > _SAME_SPEED:
        return False
    return abs(wall.wide_mm / other.wide_mm - 1) < _SAME


def _reached(lines: Printed, speed: Floats, accel: Floats) -> Floats:
    """Return the speed that is reached on each line: a straight run of them lets the head gather
    speed from one corner to the next."""
    if not len(speed):
        return speed
    ux, uy = (lines.x1 - lines.x0) / lines.length, (lines.y1 - lines.y0) / lines.length
    joined = (np.abs(lines.x1[:-1] - lines.x0[1:]) < 1e-6) & (
        np.abs(lines.y1[:-1] - lines.y0[1:]) < 1e-6
    )
    on = joined & (ux[1:] * ux[:-1] + uy[1:] * uy[:-1] > _STRAIGHT_COS)
    run = np.concatenate(([0], np.cumsum(~on)))
    length = np.bincount(run, lines.length)[run]
    return np.minimum(speed, np.sqrt(_CORNER_MM_S**2 + accel * length))


_JOINED_MM = 1e-3
# Rounder than this counts as a circle, and so many chords at least.
_ROUND, _CHORDS = 0.02, 12
# Outlines about one middle.
_ONE_MIDDLE_MM = 0.3
# Above the foot that rings stand on, and below the tip of a pin.
_MIDDLE = 0.6
# A ring has so many lines at least; one line round is none.
_LINES = 2


class Circle(NamedTuple):
    """One outline: its middle, the radius its middle line is drawn at, a line's width there."""

    x_mm: float
    y_mm: float
    radius_mm: float
    wide_mm: float


class Round(NamedTuple):
    """A hole or a post as it came out along x and y, the size that its lines leave it, and where it
    stands."""

    kind: str
    drawn_mm: float
    along_x_mm: float
    along_y_mm: float
    x_mm: float
    y_mm: float


def holes_at_foot(printed: Printed) -> list[Round]:
    """Return the holes that go through, as they are at the first layer, which bulges into them."""
    frame = printed.luck.frame
    frame = frame._replace(hole_mm=frame.hole_mm + frame.foot_mm)
    first_mm = float(printed.tops[0])
    below = [ring for ring in _rings(printed, first_mm) if not _closed(printed, first_mm, ring)]
    holes = []
    for ring in _rings(printed, _middle_mm(printed)):
        through = any(_near(ring[0], other[0]) for other in below)
        if through and not _closed(printed, _middle_mm(printed), ring):
            holes.append(_hole(ring, frame))
    return sorted(holes, key=lambda hole: hole.drawn_mm)


def rounds_of(printed: Printed) -> list[Round]:
    """Return the holes and the posts of a print, smaller ones first.

    A ring is a post where it has something inside, and a hole where it is empty.
    """
    frame, middle_mm = printed.luck.frame, _middle_mm(printed)
    rounds = []
    for ring in _rings(printed, middle_mm):
        if not _closed(printed, middle_mm, ring):
            rounds.append(_hole(ring, frame))
            continue
        outer = max(ring, key=lambda loop: loop.radius_mm)
        drawn_mm = 2 * outer.radius_mm + outer.wide_mm
        x_mm, y_mm = post_mm(drawn_mm, frame, "x"), post_mm(drawn_mm, frame, "y")
        rounds.append(Round("post", drawn_mm, x_mm, y_mm, outer.x_mm, outer.y_mm))
    return sorted(rounds, key=lambda round_: (round_.kind, round_.drawn_mm))


def _middle_mm(printed: Printed) -> float:
    tops = printed.tops
    return float(tops[int(_MIDDLE * (len(tops) - 1))])


def _rings(printed: Printed, top_mm: float) -> list[list[Circle]]:
    return [ring for ring in _groups(_circles(printed, top_mm)) if len(ring) >= _LINES]


def _hole(ring: list[Circle], frame: Frame) -> Round:
    inner = min(ring, key=lambda loop: loop.radius_mm)
    drawn_mm = 2 * inner.radius_mm - inner.wide_mm
    x_mm, y_mm = hole_mm(drawn_mm, frame, "x"), hole_mm(drawn_mm, frame, "y")
    return Round("hole", drawn_mm, x_mm, y_mm, inner.x_mm, inner.y_mm)


def _closed(printed: Printed, top_mm: float, ring: list[Circle]) -> bool:
    """Tell whether anything lies within a ring, or no room is left there."""
    inner = min(ring, key=lambda loop: loop.radius_mm)
    room_mm = inner.radius_mm - inner.wide_mm
    if room_mm < inner.wide_mm / 2:
        return True
    layer = np.abs(printed.z - top_mm) < _JOINED_MM
    x = (printed.x0[layer] + printed.x1[layer]) / 2 - inner.x_mm
    y = (printed.y0[layer] + printed.y1[layer]) / 2 - inner.y_mm
    return bool((np.hypot(x, y) < room_mm).any())


def _circles(printed: Printed, top_mm: float) -> list[Circle]:
    at = np.flatnonzero(np.abs(printed.z - top_mm) < _JOINED_MM)
    if not len(at):
        return []
    index = int(np.argmin(np.abs(printed.tops - top_mm)))
    layer_mm = float(printed.layer[index])
    x0, y0, x1, y1 = (edge[at] for edge in (printed.x0, printed.y0, printed.x1, printed.y1))
    follows = (np.abs(x1[:-1] - x0[1:]) < _JOINED_MM) & (np.abs(y1[:-1] - y0[1:]) < _JOINED_MM)
    runs = np.split(np.arange(len(at)), np.flatnonzero(~follows) + 1)
    circles = []
    for run in runs:
        first, last = run[0], run[-1]
        closed = abs(x0[first] - x1[last]) < 0.1 and abs(y0[first] - y1[last]) < 0.1
        if len(run) < _CHORDS or not closed:
            continue
        x, y = x0[run], y0[run]
        middle_x, middle_y = (x.min() + x.max()) / 2, (y.min() + y.max()) / 2
        radii = np.hypot(x - middle_x, y - middle_y)
        # The corners of a square are as far from its middle, too.
        longest_mm = float(printed.length[at[run]].max())
        if np.ptp(radii) > _ROUND * radii.mean() or longest_mm > radii.mean():
            continue
        wide_mm = line_mm(float(printed.area[at[run]].mean()) / layer_mm, layer_mm)
        circles.append(Circle(float(middle_x), float(middle_y), float(radii.mean()), wide_mm))
    return circles


def _groups(circles: list[Circle]) -> list[list[Circle]]:
    circleses: list[list[Circle]] = []
    for circle in circles:
        for group in circleses:
            if _near(group[0], circle):
                group.append(circle)
                break
        else:
            circleses.append([circle])
    return circleses


def _near(circle: Circle, other: Circle) -> bool:
    apart = np.hypot(circle.x_mm - other.x_mm, circle.y_mm - other.y_mm)
    return bool(apart < _ONE_MIDDLE_MM)
