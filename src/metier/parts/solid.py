"""Bodies made of simple pieces: flat regions that rise, regions that change as they rise, threads.

A body answers for both ways to print it: what is solid at a height, for lines, and from where to
where it is what, for a mesh.
"""

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Any, NamedTuple

from shapely import affinity, set_precision, unary_union
from shapely.geometry import Point, Polygon, box

# Regions are shapely's polygons, which say nothing of their types.
Region = Any
# No side of a round thing lies deeper inside of its corners' circle.
ROUND_MM, _PLACES = 0.002, 4
# Corners and heights nearer to each other than this are one.
_GRID_MM = 1e-6
# What sums of heights may be off.
_SAME_MM = 1e-9
_SLIVER_MM = 1e-4


class Slab(NamedTuple):
    """A region that is solid from one height to another; in mm."""

    region: Region
    from_mm: float
    to_mm: float

    def holds(self, height_mm: float) -> bool:
        """Tell whether it is solid at a height."""
        return _holds(self.from_mm, self.to_mm, height_mm)


def _holds(from_mm: float, to_mm: float, height_mm: float) -> bool:
    """Tell whether a piece is solid at a height: at its lower end it is, at its upper no more, so
    that a layer whose middle lies just between two pieces is one of the upper."""
    return from_mm - _SAME_MM <= height_mm < to_mm - _SAME_MM


class Lofted(NamedTuple):
    """A polygon that becomes another as it rises, corner by corner; both have as many."""

    low: Region
    high: Region
    from_mm: float
    to_mm: float

    def at_height(self, height_mm: float) -> Region:
        """Return its section at a height between its ends."""
        part = (height_mm - self.from_mm) / (self.to_mm - self.from_mm)
        corners = zip(self.low.exterior.coords, self.high.exterior.coords, strict=True)
        return Polygon([(x + (u - x) * part, y + (v - y) * part) for (x, y), (u, v) in corners])


class Turned(NamedTuple):
    """A region that turns as it rises, by a whole turn each ``pitch_mm``: a thread.

    It is cut to ``within``, heights and radii of a profile turned round its axis. With
    ``hollow`` it is what is cut out of its body, and is widened to that profile.
    """

    region: Region
    pitch_mm: float
    within: tuple[tuple[float, float], ...]
    hollow: bool
    at: tuple[float, float] = (0.0, 0.0)

    def at_height(self, height_mm: float) -> Region:
        """Return its section at a height.

        There the radius in a direction is that of the section at 0, turned by so many pitches.
        """
        limit_mm = self.limit_mm(height_mm)
        if limit_mm is None:
            return Polygon()
        turned = affinity.rotate(self.region, 360.0 * height_mm / self.pitch_mm, origin=(0, 0))
        if self.hollow and limit_mm > self.region.exterior.distance(Point(0, 0)):
            turned = turned.union(disc(2 * limit_mm))
        if not self.hollow and limit_mm < max(abs(bound) for bound in self.region.bounds):
            turned = turned.intersection(disc(2 * limit_mm))
        return affinity.translate(turned, *self.at)

    def limit_mm(self, height_mm: float) -> float | None:
        """Return the radius that it is cut to at a height; None beyond its ends."""
        for (low, inner), (high, outer) in pairwise(self.within):
            if low <= height_mm <= high and high > low:
                return inner + (outer - inner) * (height_mm - low) / (high - low)
        return None


class Body(NamedTuple):
    """A body by its name: its pieces, which may overlap, and its threads."""

    name: str
    slabs: tuple[Slab, ...]
    lofted: tuple[Lofted, ...] = ()
    turned: tuple[Turned, ...] = ()

    @property
    def height_mm(self) -> float:
        """How high it is."""
        tops = [slab.to_mm for slab in self.slabs] + [loft.to_mm for loft in self.lofted]
        return max(tops + [turning.within[-1][0] for turning in self.turned if not turning.hollow])

    def flat_at(self, height_mm: float) -> Region:
        """Return what of its slabs is solid at a height."""
        solid = [slab.region for slab in self.slabs if slab.holds(height_mm)]
        return solid[0] if len(solid) == 1 else unary_union(solid, grid_size=_GRID_MM)

    def at(self, height_mm: float) -> Region:
        """Return what is solid at a height."""
        region = self.flat_at(height_mm)
        for loft in self.lofted:
            if _holds(loft.from_mm, loft.to_mm, height_mm):
                region = region.union(loft.at_height(height_mm))
        for turn in self.turned:
            section = turn.at_height(height_mm)
            region = region.difference(section) if turn.hollow else region.union(section)
        # Slivers of no width would trouble whoever draws lines along them.
        return set_precision(region, _SLIVER_MM) if self.turned else region

    def sections(self, heights_mm: Sequence[float]) -> list[Region]:
        """Return what is solid at each height; the same object where it is the same."""
        if self.lofted or self.turned:
            return [self.at(height) for height in heights_mm]
        slabs, nothing = self.intervals(), Polygon()
        return [
            next((slab.region for slab in slabs if slab.holds(height)), nothing)
            for height in heights_mm
        ]

    def intervals(self) -> list[Slab]:
        """Return its slabs without overlaps: each from one height to the next.

        Heights that were summed in another order are one; no slab is so thin.
        """
        heights: list[float] = []
        for height in sorted({height for slab in self.slabs for height in slab[1:]}):
            if not heights or height - heights[-1] > _GRID_MM:
                heights.append(height)
        slabs: list[Slab] = []
        for low, high in pairwise(heights):
            region = self.flat_at((low + high) / 2)
            if slabs and slabs[-1].to_mm == low and slabs[-1].region.equals(region):
                slabs[-1] = slabs[-1]._replace(to_mm=high)
            elif not region.is_empty:
                slabs.append(Slab(region, low, high))
        return slabs

    def volume_mm3(self) -> float:
        """Return its volume without threads, by Simpson's rule from one change to the next: exact
        where a section grows evenly on all sides."""
        ends = {height for slab in self.slabs for height in slab[1:]}
        heights = sorted(ends | {height for loft in self.lofted for height in loft[2:]})
        volume = 0.0
        for low, high in pairwise(heights):
            inset = min(2 * _SAME_MM, (high - low) / 4)
            areas = [self._area(at) for at in (low + inset, (low + high) / 2, high - inset)]
            volume += (high - low) / 6 * (areas[0] + 4 * areas[1] + areas[2])
        return volume

    def _area(self, height_mm: float) -> float:
        return float(self._replace(turned=()).at(height_mm).area)


def square(side_mm: float, at: tuple[float, float] = (0.0, 0.0)) -> Region:
    """Return a square about a point."""
    half = side_mm / 2
    return box(at[0] - half, at[1] - half, at[0] + half, at[1] + half)


def disc(
    diameter_mm: float, at: tuple[float, float] = (0.0, 0.0), sides: int | None = None
) -> Region:
    """Return a disc; its polygon has that many ``sides``, its corners on the circle.

    Without them it is round to 1 µm.
    """
    if sides is None:
        return Polygon(ring_points(diameter_mm / 2, at))
    return Polygon(ring_points(diameter_mm / 2 * math.cos(math.pi / sides), at, sides))


def ring_points(
    radius_mm: float, at: tuple[float, float], facets: int | None = None, deep_mm: float = ROUND_MM
) -> list[tuple[float, float]]:
    """Return the corners of a circle whose sides lie half inside and half outside of its radius,
    within 1 µm; with ``facets`` those of a polygon whose sides lie so far from its middle."""
    count = facets or corners_of(radius_mm, deep_mm=deep_mm)
    out_mm = radius_mm / math.cos(math.pi / count)
    if facets is None:
        out_mm = (out_mm + radius_mm) / 2
    turn = 2 * math.pi / count
    return [
        (at[0] + out_mm * math.cos(turn * n), at[1] + out_mm * math.sin(turn * n))
        for n in range(count)
    ]


def rounded_place(x: float, y: float) -> tuple[float, float]:
    """Return a place as exact as a printer can tell places apart."""
    return round(float(x), _PLACES), round(float(y), _PLACES)


def corners_of(radius_mm: float, multiple: int = 4, deep_mm: float = ROUND_MM) -> int:
    """Return how many corners a circle is drawn with, a multiple of that number, so that no side
    lies deeper inside of it."""
    needed = math.pi / math.acos(1 - deep_mm / max(radius_mm, 4 * deep_mm))
    return multiple * max(48 // multiple, math.ceil(needed / multiple))


def bounds_of(bodies: Sequence[Body]) -> tuple[float, float, float, float]:
    """Return from where to where bodies reach."""
    regions = [slab.region for body in bodies for slab in body.slabs]
    regions += [loft.high for body in bodies for loft in body.lofted]
    low_x, low_y, high_x, high_y = unary_union(regions).bounds
    return float(low_x), float(low_y), float(high_x), float(high_y)
