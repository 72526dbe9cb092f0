"""Regions and bodies as lines, layer by layer, in their order."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import Polygon

from metier.core.job.moves import NEAR_MM
from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Point, Run
from metier.parts.solid import ROUND_MM, Body, Region, ring_points, rounded_place

_FIRST_MM_S, _FIRST_INNER_MM_S = 20.0, 30.0


def layers_for(height_mm: float, layer_mm: float) -> int:
    """Return how many layers reach a height."""
    return math.ceil(height_mm / layer_mm - 1e-9)


def first_speed(speed_mm_s: float, *, inner: bool = False) -> float:
    """Return the speed of the first layer: slow enough to stick, less so beside what sticks."""
    return min(_FIRST_INNER_MM_S if inner else _FIRST_MM_S, speed_mm_s)


def top_of(number: int, layer_mm: float) -> float:
    """Return the height of a layer, counted from 0, as a file has it."""
    return round((number + 1) * layer_mm, 6)


# So many of the nearest are looked at for one that is reached inside.
_TRIED = 8


def routed(
    groups: Sequence[Sequence[Run]],
    region: Region,
    begin: Point | None = None,
    *,
    either_way: bool = False,
) -> list[Run]:
    """Return groups of runs, each in its own order, one after the other: from where one ``begins``
    to the nearest that is reached without leaving the ``region``, else the nearest.

    Without ``begin`` the first group comes first. ``either_way`` lets groups of one run be laid
    from either end.
    """
    if not groups:
        return []
    shapely.prepare(region)
    begins = np.array([group[0].points[0] for group in groups])
    ends = np.array([group[-1].points[-1] for group in groups])
    left = np.ones(len(groups), bool)
    ordered: list[Run] = []
    if begin is None:
        ordered, left[0] = list(groups[0]), False
    while left.any():
        at = np.array(ordered[-1].points[-1] if ordered else begin)
        away = np.where(left, np.hypot(*(begins - at).T), np.inf)
        back = np.full(len(groups), np.inf)
        if either_way:
            back = np.where(left, np.hypot(*(ends - at).T), np.inf)
        nearest = np.argsort(np.minimum(away, back), kind="stable")[:_TRIED]
        nearest = nearest[left[nearest]]
        chosen = int(nearest[0])
        inside = False
        for place in nearest:
            turned = back[place] < away[place]
            near = min(back[place], away[place]) <= NEAR_MM
            goal = ends[place] if turned else begins[place]
            inside = bool(region.covers(shapely.LineString([at, goal])))
            if inside or near:
                chosen = int(place)
                break
        turned = back[chosen] < away[chosen]
        first, *others = groups[chosen]
        points = tuple(reversed(first.points)) if turned else first.points
        ordered += [first._replace(points=points, inside=inside), *others]
        left[chosen] = False
    return ordered


# How much of a line lies under what is laid beside it, to hold on to it.
_SEAM = 0.1
# What is shorter is not worth going there.
_SHORTEST_MM = 0.4


def polygons_of(region: Region) -> list[Any]:
    """Return the single polygons of a region, the largest first."""
    parts = getattr(region, "geoms", [region])
    polygons = [part for part in parts if part.geom_type == "Polygon" and part.area > 1e-6]
    return sorted(polygons, key=lambda polygon: -polygon.area)


def outlines(region: Region, inset_mm: float) -> list[tuple[Point, ...]]:
    """Return the closed lines that follow a region's edges, so far inside of them.

    Each begins at its back left corner and goes round against the clock.
    """
    rings = []
    for polygon in polygons_of(region.buffer(-inset_mm, join_style="mitre", quad_segs=64)):
        for ring in (polygon.exterior, *polygon.interiors):
            points = [rounded_place(x, y) for x, y in ring.coords[:-1]]
            if not ring.is_ccw:
                points.reverse()
            rings.append(from_back_left(points))
    return rings


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
        around = polygon.buffer(0.55 * line.width_mm, quad_segs=2) if solid is None else solid
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


WALLS = 3
# Layers that are solid below what is open and above, and how sparse lines lie elsewhere.
_SOLID_LAYERS, _SPARSE = 2, 5.0


def flat_layers(bodies: Sequence[Body], line: PrintedLine, speed_mm_s: float) -> list[Layer]:
    """Return bodies as lines: along their edges first, then what these hold."""
    height_mm = line.layer_mm
    count = max(layers_for(body.height_mm, height_mm) for body in bodies)
    runses: list[list[Run]] = [[] for _ in range(count)]
    for body in bodies:
        regions = body.sections([(number + 0.5) * height_mm for number in range(count)])
        known: dict[tuple[object, ...], list[Run]] = {}
        for number in range(count):
            speed = first_speed(speed_mm_s) if number == 0 else speed_mm_s
            near = tuple(id(region) for region in _near(regions, number))
            like = (id(regions[number]), near, number % 2, speed)
            if like not in known:
                known[like] = _layer(regions, number, line, speed)
            runses[number] += known[like]
    # What ends within the lower half of a layer has none there.
    return [
        Layer(top_of(number, height_mm), tuple(runs)) for number, runs in enumerate(runses) if runs
    ]


def _layer(
    regions: Sequence[Region], number: int, line: PrintedLine, speed_mm_s: float
) -> list[Run]:
    """Return a layer of a body, polygon by polygon."""
    covered = _covered(regions, number)
    turned = number % 2 == 1
    runs: list[Run] = []
    for polygon in polygons_of(regions[number]):
        inside = within(polygon, line, WALLS)
        # A thin seam between solid and sparse would be lines of no length.
        sparse = inside.intersection(covered.buffer(-line.width_mm))
        runs += routed([[wall] for wall in walled(polygon, line, speed_mm_s, WALLS)], polygon)
        for region, spread in ((inside.difference(sparse), 1.0), (sparse, _SPARSE)):
            runs += hatched(
                region, line, speed_mm_s, spread=spread, turned=turned, after=runs, solid=polygon
            )
    return runs


def _near(regions: Sequence[Region], number: int) -> Sequence[Region]:
    """Return the regions of the layers near one; none where they reach beyond the body."""
    low, high = number - _SOLID_LAYERS, number + _SOLID_LAYERS + 1
    return regions[low:high] if low >= 0 and high <= len(regions) else ()


def _covered(regions: Sequence[Region], number: int) -> Region:
    """Return what has plastic in all layers near it."""
    near = _near(regions, number)
    return shapely.intersection_all(near) if near else Polygon()
