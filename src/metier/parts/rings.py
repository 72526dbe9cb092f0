"""Holes and posts as rings: as little plastic as stays stiff under the jaws, laid as circles."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from shapely import affinity, unary_union
from shapely.geometry import LineString, Polygon, box

from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Point, Run
from metier.parts.fill import (
    filled,
    first_speed,
    from_back_left,
    hatched,
    layers_for,
    routed,
    top_of,
)
from metier.parts.solid import Region, Slab, disc, ring_points, rounded_place
from metier.parts.tab import text_region

RING_MM = 5.0
# A ring of mean radius R and width t gives way under two opposite forces P by 0.149·P·R³/(E·I),
# with I = h·t³/12 (Roark's Formulas for Stress and Strain, circular rings). So it is this part of
# its hole wide for 0.005 mm at 1 N: plastic of 3,000 N/mm², 5 mm high.
_OF_HOLE = 0.168
# Beyond that diameter a thin floor makes up for most of a ring's width: it is as stiff as one by
# the formula if it is so wide, a part of its hole and some more, and its floor so thick.
_FLOORED_MM, _OF_FLOORED, _MORE_MM, _FLOOR_MM, _FLOOR_OF_HOLE = 10.0, 0.08, 0.7, 0.4, 1 / 75
_LEAST_LINES, _POST_LINES, _FOOT_LAYERS = 3, 2, 2
# A tab reaches into so much of a ring's width.
_HELD = 0.75
# A cross within a post stands against the jaws: so long for each mm that it is wide.
_CROSS_LONG = 75.0
# What is left within a post is not worth leaving empty.
_HOLLOW_MM = 4.0
# So high labels stand on the foot, and so far their pads reach beyond them.
_RAISED_MM, _PAD_MM = 0.4, 0.5


class Ring(NamedTuple):
    """A hole or a post of a diameter about a point; ``facets`` are the sides that a hole is drawn
    with, its corners on the circle; ``grown_mm`` is by how much its radius is compensated."""

    kind: str
    diameter_mm: float
    at: Point
    line: PrintedLine
    facets: int | None = None
    grown_mm: float = 0.0

    @property
    def _edge_mm(self) -> float:
        """Where its edge is, from its middle: the radius, or how far a side of it lies."""
        radius = self.diameter_mm / 2 + self.grown_mm
        return radius * math.cos(math.pi / self.facets) if self.facets else radius

    @property
    def floored(self) -> bool:
        """Whether a floor closes it below."""
        return self.kind == "hole" and self.diameter_mm > _FLOORED_MM + 1e-9

    @property
    def lines(self) -> int:
        """How many lines it is wide."""
        if self.kind == "hole":
            needed_mm = _OF_HOLE * self.diameter_mm
            if self.floored:
                needed_mm = _OF_FLOORED * self.diameter_mm + _MORE_MM
            beside_mm = needed_mm - (self.line.width_mm - self.line.apart_mm)
            return max(_LEAST_LINES, math.ceil(beside_mm / self.line.apart_mm - 1e-9))
        filling = math.floor((self._edge_mm - self.line.width_mm) / self.line.apart_mm) + 1
        return max(1, filling) if self.diameter_mm < _HOLLOW_MM + 1e-9 else min(
            filling, _POST_LINES
        )  # fmt: skip

    @property
    def width_mm(self) -> float:
        """How wide it is from its inside to its outside."""
        return self.line.width_mm + (self.lines - 1) * self.line.apart_mm

    @property
    def outside_mm(self) -> float:
        """How far it reaches from its middle."""
        edge_mm = self._edge_mm + (self.width_mm if self.kind == "hole" else 0.0)
        return edge_mm / math.cos(math.pi / self.facets) if self.facets else edge_mm

    @property
    def drawn_mm(self) -> float:
        """How far it reaches as it is drawn, whatever is compensated."""
        return self._replace(grown_mm=0.0).outside_mm

    @property
    def held_mm(self) -> float:
        """How deep what holds on to its outside may reach into it."""
        return _HELD * self.width_mm

    @property
    def _inside_mm(self) -> float:
        """How much of it is open or closed by its cross, from its middle."""
        return self._edge_mm - (0.0 if self.kind == "hole" else self.width_mm)

    @property
    def _arms(self) -> int:
        """Of how many lines a bar of its cross is; 0 where it has none."""
        if self.kind == "hole" or self.diameter_mm < _HOLLOW_MM + 1e-9:
            return 0
        beside_mm = self.diameter_mm / _CROSS_LONG - (self.line.width_mm - self.line.apart_mm)
        return max(1, math.ceil(beside_mm / self.line.apart_mm - 1e-9))

    def region(self) -> Region:
        """Return what is solid of it above its foot."""
        outside = self._disc(self._edge_mm + (self.width_mm if self.kind == "hole" else 0.0))
        if self.kind == "post" and not self._arms:
            return outside
        ring = outside.difference(self._disc(self._inside_mm))
        x, y = self.at
        long_mm = self._inside_mm + self.line.width_mm / 2
        wide_mm = (self.line.width_mm + (self._arms - 1) * self.line.apart_mm) / 2
        if self._arms:
            for half_x, half_y in ((long_mm, wide_mm), (wide_mm, long_mm)):
                ring = ring.union(box(x - half_x, y - half_y, x + half_x, y + half_y))
        return ring

    def floor(self) -> Region:
        """Return what is solid of it at its foot."""
        return self.region() if not self.floored else self._disc(self._edge_mm + self.width_mm)

    def _disc(self, edge_mm: float) -> Region:
        if self.facets:
            return disc(2 * edge_mm / math.cos(math.pi / self.facets), self.at, self.facets)
        return disc(2 * edge_mm, self.at)

    def runs(self, speed_mm_s: float, inner_mm_s: float) -> list[Run]:
        """Return the lines of it: that along its edge first, then what is inside, faster."""
        apart_mm, area_mm2 = self.line.apart_mm, self.line.area_mm2
        outwards = 1 if self.kind == "hole" else -1
        first_mm = self._edge_mm + outwards * self.line.width_mm / 2
        loops = [
            from_back_left(
                [
                    rounded_place(x, y)
                    for x, y in ring_points(
                        first_mm + outwards * place * apart_mm, self.at, self.facets
                    )
                ]
            )
            for place in range(self.lines)
        ]
        edge, *others = loops
        return [
            Run(edge, area_mm2, speed_mm_s),
            *(Run(points, area_mm2, inner_mm_s, True) for points in others),
            # The first bar is reached through the air within the ring.
            *(
                Run(points, area_mm2, inner_mm_s, place > 0)
                for place, points in enumerate(self._cross())
            ),
        ]

    def _cross(self) -> list[tuple[Point, ...]]:
        """Return the bars of its cross; those along y leave out the ones along x, which lie in
        their way."""
        apart_mm = self.line.apart_mm
        end_mm = self._inside_mm + (self.line.width_mm - apart_mm) / 2
        clear_mm = self._arms * apart_mm / 2
        offsets = [(place - (self._arms - 1) / 2) * apart_mm for place in range(self._arms)]
        bars: list[tuple[Point, Point]] = []
        for number, off in enumerate(offsets):
            ends = ((-end_mm, off), (end_mm, off))
            bars.append(ends if number % 2 == 0 else (ends[1], ends[0]))
        for sign in (1, -1):
            bars += [((off, sign * clear_mm), (off, sign * end_mm)) for off in offsets]
        x, y = self.at
        return [tuple(rounded_place(x + u, y + v) for u, v in bar) for bar in bars]

    def floor_runs(self, speed_mm_s: float, inner_mm_s: float, turned: bool) -> list[Run]:
        """Return the lines of its foot: itself, and the floor that closes it."""
        runs = self.runs(speed_mm_s, inner_mm_s)
        if self.floored:
            inside = self._disc(self._edge_mm)
            runs += hatched(
                inside, self.line, inner_mm_s, turned=turned, after=runs, solid=self.floor()
            )
        return runs


class Label(NamedTuple):
    """A text raised on a pad about a point, as high as the foot."""

    text: str
    at: Point
    high_mm: float

    @property
    def letters(self) -> Region:
        """What is raised."""
        region = text_region(self.text, self.high_mm)
        *_, wide, high = region.bounds
        return affinity.translate(region, self.at[0] - wide / 2, self.at[1] - high / 2)

    @property
    def pad(self) -> Region:
        """What it is raised on."""
        return self.letters.envelope.buffer(_PAD_MM, join_style="mitre")


class Rib(NamedTuple):
    """What joins two things at their foot, along x or y, from the edge of one to that of the
    other."""

    begin: Point
    end: Point

    def runs(self, line: PrintedLine, speed_mm_s: float) -> list[Run]:
        """Return its lines, to and fro."""
        (x, y), (u, v) = self
        long_mm = math.dist(*self)
        if long_mm < line.width_mm / 4:
            return []
        # So far beyond its ends, as lines lie within each other, and so far aside.
        seam = (line.width_mm - line.apart_mm) / 2 / long_mm
        aside = line.apart_mm / 2 / long_mm
        dx, dy = u - x, v - y
        ends = ((x - seam * dx, y - seam * dy), (u + seam * dx, v + seam * dy))
        left, right = (
            tuple(rounded_place(a - side * aside * dy, b + side * aside * dx) for a, b in ends)
            for side in (1, -1)
        )
        return [
            Run(left, line.area_mm2, speed_mm_s),
            Run(tuple(reversed(right)), line.area_mm2, speed_mm_s, True),
        ]

    def region(self, line: PrintedLine) -> Region:
        """Return what is solid of it, half a line into what it joins."""
        (x, y), (u, v) = self
        long_mm = math.dist(*self)
        if long_mm < line.width_mm / 4:
            return Polygon()
        seam = line.width_mm / 2 / long_mm
        dx, dy = seam * (u - x), seam * (v - y)
        drawn = LineString([(x - dx, y - dy), (u + dx, v + dy)])
        return drawn.buffer(line.apart_mm, cap_style="flat")


class RingPlate:
    """Rings that stand side by side on one foot: thin ribs join them, labels stand between."""

    def __init__(
        self,
        rings: Sequence[Ring],
        labels: Sequence[Label],
        ribs: Sequence[Rib],
        line: PrintedLine,
        high_mm: float = RING_MM,
    ) -> None:
        self.rings, self.labels, self.ribs, self.line = rings, labels, ribs, line
        layer_mm = line.layer_mm
        widest = max(ring.diameter_mm for ring in rings)
        floor_mm = max(_FLOOR_MM, _FLOOR_OF_HOLE * widest)
        self._foot = max(_FOOT_LAYERS, layers_for(floor_mm, layer_mm))
        self._raised = max(1, layers_for(_RAISED_MM, layer_mm))
        self._count = max(layers_for(high_mm, layer_mm), self._foot + self._raised)

    @property
    def high_mm(self) -> float:
        """How high its rings are: whole layers."""
        return self._count * self.line.layer_mm

    @property
    def foot_mm(self) -> float:
        """How high its foot is, and the floor of large holes."""
        return self._foot * self.line.layer_mm

    def slabs(self) -> list[Slab]:
        """Return it as slabs."""
        slabs = [Slab(ring.region(), 0.0, self.high_mm) for ring in self.rings]
        foot = [ring.floor() for ring in self.rings if ring.floored]
        foot += [label.pad for label in self.labels]
        foot += [rib.region(self.line) for rib in self.ribs]
        slabs += [Slab(region, 0.0, self.foot_mm) for region in foot]
        top_mm = self.foot_mm + self._raised * self.line.layer_mm
        return slabs + [Slab(label.letters, self.foot_mm, top_mm) for label in self.labels]

    def _groups(self, number: int, speed_mm_s: float, inner_mm_s: float) -> list[list[Run]]:
        """Return its lines in a layer, counted from 0, each group of them in its own order."""
        turned, foot = number % 2 == 1, number < self._foot
        groups = [
            ring.floor_runs(speed_mm_s, inner_mm_s, turned)
            if foot
            else ring.runs(speed_mm_s, inner_mm_s)
            for ring in self.rings
        ]
        if number < self._foot + self._raised:
            groups += [
                filled(label.pad if foot else label.letters, self.line, inner_mm_s, turned=turned)
                for label in self.labels
            ]
        groups += [rib.runs(self.line, inner_mm_s) for rib in self.ribs if foot]
        return [group for group in groups if group]

    def layers(self, speed_mm_s: float, inner_mm_s: float) -> list[Layer]:
        """Return its lines layer by layer."""
        foot = unary_union([slab.region for slab in self.slabs() if slab.from_mm == 0.0])
        above = unary_union([ring.region() for ring in self.rings])
        layers = []
        for number in range(self._count):
            speeds = (speed_mm_s, inner_mm_s)
            if number == 0:
                speeds = (first_speed(speed_mm_s), first_speed(inner_mm_s, inner=True))
            runs = routed(self._groups(number, *speeds), foot if number < self._foot else above)
            layers.append(Layer(top_of(number, self.line.layer_mm), tuple(runs)))
        return layers
