"""Regions as lines: outlines one inside the other, and lines to and fro in what is left."""

import math
from collections.abc import Sequence
from typing import Any

import shapely
from shapely import affinity

from metier.core.line.printed import PrintedLine
from metier.core.line.runs import Point, Run
from metier.parts.route import routed
from metier.parts.solid import ROUND_MM, Region, ring_points, rounded_place

# How much of a line lies under what is laid beside it, to hold on to it.
_SEAM = 0.1
# What is shorter is not worth going there.
_SHORTEST_MM = 0.4


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
            points = [rounded_place(x, y) for x, y in ring.coords[:-1]]
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
    after: Sequence[Run] = (),
    solid: Region | None = None,
) -> list[Run]:
    """Return lines to and fro across a region.

    ``spread`` is how many times their width they lie apart (1: solid); ``turned`` lays them the
    other way, as every second layer is. They come ``after`` other lines, and the way from these
    and between them stays within what is ``solid`` where it can.
    """
    apart_mm = _apart_mm(line)
    runs: list[Run] = []
    for polygon in polygons_of(region):
        # They end at the edge of the outline that holds them, so that no plastic is lacking along
        # it; between them the way is along that outline.
        lines = _across(polygon, apart_mm * spread, -45.0 if turned else 45.0)
        groups = [[Run(points, line.area_mm2, speed_mm_s)] for points in lines]
        within_mm = 0.55 * line.width_mm
        around = polygon.buffer(within_mm, quad_segs=2) if solid is None else solid
        before = runs or after
        begin = before[-1].points[-1] if before else None
        runs += routed(groups, around, begin, either_way=True)
    return runs


def filled(
    region: Region, line: PrintedLine, speed_mm_s: float, *, turned: bool = False
) -> list[Run]:
    """Return a region as a line along its edges, and lines to and fro in what is left, polygon by
    polygon."""
    runs: list[Run] = []
    for polygon in polygons_of(region):
        walls = walled(polygon, line, speed_mm_s, 1)
        inside = within(polygon, line, 1)
        runs += walls
        runs += hatched(inside, line, speed_mm_s, turned=turned, after=walls, solid=polygon)
    return runs


def covered(runs: Sequence[Run], line: PrintedLine) -> Region:
    """Return what lines cover, but for a seam in which what lies beside them holds on to them."""
    paths = [shapely.LineString(run.points) for run in runs]
    return shapely.unary_union(shapely.buffer(paths, (0.5 - _SEAM) * line.width_mm, quad_segs=4))


def _apart_mm(line: PrintedLine) -> float:
    """Return how far lines lie apart so that what is dosed for them just fills."""
    return line.apart_mm * max(1.0, line.flow)


def _across(polygon: Region, apart_mm: float, angle: float) -> list[tuple[Point, ...]]:
    """Return lines across a polygon, from one side of it to the other."""
    flat = affinity.rotate(polygon, -angle, origin=(0, 0))
    low_x, low_y, high_x, high_y = flat.bounds
    count = math.floor((high_y - low_y) / apart_mm)
    first = (high_y + low_y - count * apart_mm) / 2
    heights = [first + number * apart_mm for number in range(count + 1)]
    across = shapely.linestrings([[(low_x - 1, y), (high_x + 1, y)] for y in heights])
    cut = shapely.GeometryCollection(list(shapely.intersection(flat, across)))
    turned = affinity.rotate(cut, angle, origin=(0, 0))
    return [
        tuple(rounded_place(x, y) for x, y in piece.coords)
        for pieces in turned.geoms
        for piece in getattr(pieces, "geoms", [pieces])
        if piece.length > _SHORTEST_MM
    ]


def circles(
    diameter_mm: float, at: Point, line: PrintedLine, speed_mm_s: float, deep_mm: float = ROUND_MM
) -> list[Run]:
    """Return a disc as circles, one inside the other until it is full."""
    return [
        Run(circle(radius, at, deep_mm), line.area_mm2, speed_mm_s, place > 0)
        for place, radius in enumerate(radii_of(diameter_mm, line))
    ]


def radii_of(diameter_mm: float, line: PrintedLine) -> list[float]:
    """Return the radii of the circles that fill a disc, the outer one first."""
    outer, apart_mm = diameter_mm / 2 - line.width_mm / 2, _apart_mm(line)
    count = max(1, math.floor((outer - line.width_mm / 4) / apart_mm) + 1)
    return [outer - number * apart_mm for number in range(count)]


def circle(radius_mm: float, at: Point, deep_mm: float = ROUND_MM) -> tuple[Point, ...]:
    """Return a circle from its back left point, against the clock, as short straight lines."""
    points = ring_points(radius_mm, at, deep_mm=deep_mm)
    return from_back_left([rounded_place(x, y) for x, y in points])


def outside(points: tuple[Point, ...], region: Region) -> list[tuple[Point, ...]]:
    """Return a line where it does not lie in a region, piece by piece."""
    left = shapely.line_merge(shapely.LineString(points).difference(region))
    return [
        tuple(rounded_place(x, y) for x, y in piece.coords)
        for piece in getattr(left, "geoms", [left])
        if piece.length > _SHORTEST_MM
    ]
