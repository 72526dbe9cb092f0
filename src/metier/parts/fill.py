"""Regions as lines: outlines one inside the other, and lines to and fro in what is left."""

import math
from collections.abc import Iterator, Sequence
from typing import Any

import shapely
from shapely import affinity

from metier.core.line.printed import PrintedLine
from metier.core.line.runs import Point, Run
from metier.parts.solid import Region

# How much of a line lies under what is laid beside it, to hold on to it.
_SEAM = 0.1
# What is shorter is not worth going there.
_SHORTEST_MM = 0.4
# Places are rounded to what a printer can tell apart, and circles lie so deep inside of round ones.
_PLACES, _CIRCLE_DEEP_MM = 4, 0.02


def polygons_of(region: Region) -> list[Any]:
    """Return the single polygons of a region, the largest first."""
    parts = getattr(region, "geoms", [region])
    found = [one for one in parts if one.geom_type == "Polygon" and one.area > 1e-6]
    return sorted(found, key=lambda one: -one.area)


def outlines(region: Region, inset_mm: float) -> list[tuple[Point, ...]]:
    """Return the closed lines that follow a region's edges, so far inside of them.

    Each begins at its back left corner and goes round against the clock.
    """
    found = []
    for polygon in polygons_of(region.buffer(-inset_mm, join_style="mitre", quad_segs=64)):
        for ring in (polygon.exterior, *polygon.interiors):
            points = [_rounded(x, y) for x, y in ring.coords[:-1]]
            if not ring.is_ccw:
                points.reverse()
            found.append(from_back_left(points))
    return found


def from_back_left(points: list[Point]) -> tuple[Point, ...]:
    """Return a closed line that begins, and ends, at its point that is furthest back left."""
    first = max(range(len(points)), key=lambda at: points[at][1] - points[at][0])
    return (*points[first:], *points[: first + 1])


def walled(region: Region, line: PrintedLine, speed_mm_s: float, walls: int) -> list[Run]:
    """Return so many lines along a region's edges, the outer ones first."""
    return [
        Run(points, line.area_mm2, speed_mm_s)
        for wall in range(walls)
        for points in outlines(region, line.width_mm / 2 + wall * _apart_mm(line))
    ]


def within(region: Region, line: PrintedLine, walls: int) -> Region:
    """Return what is left of a region inside of so many lines along its edges."""
    return region.buffer(-(line.width_mm + (walls - 1) * _apart_mm(line)), join_style="mitre")


def hatched(
    region: Region,
    line: PrintedLine,
    speed_mm_s: float,
    *,
    spread: float = 1.0,
    turned: bool = False,
) -> list[Run]:
    """Return lines to and fro across a region.

    ``spread`` is how many times their width they lie apart (1: solid); ``turned`` lays them the
    other way, as every second layer is.
    """
    apart_mm = _apart_mm(line)
    # They end at the edge of the outline that holds them, so that no plastic is lacking along it.
    return [
        Run(points, line.area_mm2, speed_mm_s)
        for points in _to_and_fro(region, apart_mm * spread, -45.0 if turned else 45.0)
    ]


def filled(
    region: Region, line: PrintedLine, speed_mm_s: float, *, turned: bool = False
) -> list[Run]:
    """Return a region as a line along its edges, and lines to and fro in what is left."""
    return [
        *walled(region, line, speed_mm_s, 1),
        *hatched(within(region, line, 1), line, speed_mm_s, turned=turned),
    ]


def covered(runs: Sequence[Run], line: PrintedLine) -> Region:
    """Return what lines cover, but for a seam in which what lies beside them holds on to them."""
    paths = [shapely.LineString(run.points) for run in runs]
    return shapely.unary_union(shapely.buffer(paths, (0.5 - _SEAM) * line.width_mm, quad_segs=4))


def _apart_mm(line: PrintedLine) -> float:
    """Return how far lines lie apart so that what is dosed for them just fills."""
    return line.apart_mm * max(1.0, line.flow)


def _to_and_fro(region: Region, apart_mm: float, angle: float) -> Iterator[tuple[Point, ...]]:
    """Yield lines across a region, each the other way than the one before."""
    for polygon in polygons_of(region):
        flat = affinity.rotate(polygon, -angle, origin=(0, 0))
        low_x, low_y, high_x, high_y = flat.bounds
        count = math.floor((high_y - low_y) / apart_mm)
        first = (high_y + low_y - count * apart_mm) / 2
        heights = [first + number * apart_mm for number in range(count + 1)]
        across = shapely.linestrings([[(low_x - 1, y), (high_x + 1, y)] for y in heights])
        cut = shapely.GeometryCollection(list(shapely.intersection(flat, across)))
        turned = affinity.rotate(cut, angle, origin=(0, 0))
        for number, found in enumerate(turned.geoms):
            pieces = [
                [_rounded(x, y) for x, y in one.coords]
                for one in getattr(found, "geoms", [found])
                if one.length > _SHORTEST_MM
            ]
            back = number % 2 == 1
            for points in sorted(pieces, reverse=back):
                yield tuple(reversed(points)) if back else tuple(points)


def _rounded(x: float, y: float) -> Point:
    return round(float(x), _PLACES), round(float(y), _PLACES)


def circles(diameter_mm: float, at: Point, line: PrintedLine, speed_mm_s: float) -> list[Run]:
    """Return a disc as circles, one inside the other until it is full."""
    return [
        Run(circle(radius, at), line.area_mm2, speed_mm_s) for radius in radii_of(diameter_mm, line)
    ]


def radii_of(diameter_mm: float, line: PrintedLine) -> list[float]:
    """Return the radii of the circles that fill a disc, the outer one first."""
    outer, apart_mm = diameter_mm / 2 - line.width_mm / 2, _apart_mm(line)
    count = max(1, math.floor((outer - line.width_mm / 4) / apart_mm) + 1)
    return [outer - number * apart_mm for number in range(count)]


def circle(radius_mm: float, at: Point) -> tuple[Point, ...]:
    """Return a circle from its back left point, against the clock, as short straight lines."""
    count = max(16, math.ceil(math.pi / math.acos(1 - _CIRCLE_DEEP_MM / radius_mm)))
    points = []
    for number in range(count):
        angle = 2 * math.pi * (number / count + 3 / 8)
        x, y = at[0] + radius_mm * math.cos(angle), at[1] + radius_mm * math.sin(angle)
        points.append((round(x, _PLACES), round(y, _PLACES)))
    return (*points, points[0])


def outside(points: tuple[Point, ...], region: Region) -> list[tuple[Point, ...]]:
    """Return a line where it does not lie in a region, piece by piece."""
    left = shapely.line_merge(shapely.LineString(points).difference(region))
    return [
        tuple(_rounded(x, y) for x, y in piece.coords)
        for piece in getattr(left, "geoms", [left])
        if piece.length > _SHORTEST_MM
    ]
