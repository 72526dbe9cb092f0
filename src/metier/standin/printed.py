"""A print as it lies on the bed: what can be measured of its lines."""

import math
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.standin.plastic import dull_from_mm3_s, gaps_from_mm3_s, grown, pushed, strand_mm2
from metier.standin.records import PrintedLine
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
        strand = np.array([strand_mm2(truth.roll, one) for one in along])
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
        found: list[list[Wall]] = []
        for top_mm in self.tops[self.tops > _ABOVE_MM]:
            wall = self.wall_at(float(top_mm), "front")
            if wall is None:
                continue
            if found and _alike(found[-1][-1], wall):
                found[-1].append(wall)
            else:
                found.append([wall])
        return [tuple(walls) for walls in found if len(walls) > 8]

    def wall_at(self, top_mm: float, side: str) -> Wall | None:
        """Return the lines side by side in the middle of a side of one layer; None for none."""
        here = np.flatnonzero(np.abs(self.z - top_mm) < 1e-3)
        if side in ("front", "back"):
            run0, run1, at0, at1 = self.x0, self.x1, self.y0, self.y1
        else:
            run0, run1, at0, at1 = self.y0, self.y1, self.x0, self.x1
        low = min(run0[here].min(), run1[here].min())
        high = max(run0[here].max(), run1[here].max())
        middle = (low + high) / 2
        left, right = np.minimum(run0, run1)[here], np.maximum(run0, run1)[here]
        parallel = np.abs(at1 - at0)[here] < _ALONG * np.maximum(right - left, 1e-9)
        crossed = here[parallel & (left < middle) & (right > middle)]
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
        found: list[tuple[float, int]] = []
        for top_mm in self.tops:
            layer = self.heat[np.abs(self.z - top_mm) < 1e-3]
            heat = 5.0 * round(float(np.median(layer)) / 5.0)
            if found and found[-1][0] == heat:
                found[-1] = heat, found[-1][1] + 1
            else:
                found.append((heat, 1))
        return [heat for heat, layers in found if layers >= _STEP_LAYERS]

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


def _alike(one: Wall, other: Wall) -> bool:
    if one.lines != other.lines or abs(one.speed_mm_s / other.speed_mm_s - 1) > _SAME_SPEED:
        return False
    return abs(one.wide_mm / other.wide_mm - 1) < _SAME


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
