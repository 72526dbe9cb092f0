"""Bodies as lines, layer by layer: walls along every edge, solid near what is open above or below,
sparse within."""

from collections.abc import Sequence

import shapely
from shapely.geometry import Polygon

from metier.core.line.printed import PrintedLine
from metier.core.line.runs import Layer, Run
from metier.parts.fill import hatched, polygons_of, walled, within
from metier.parts.layering import first_speed, layers_for, top_of
from metier.parts.route import routed
from metier.parts.solid import Body, Region

WALLS = 3
# Layers that are solid below what is open and above, and how sparse lines lie elsewhere.
_SOLID_LAYERS, _SPARSE = 2, 5.0


def flat_layers(bodies: Sequence[Body], line: PrintedLine, speed_mm_s: float) -> list[Layer]:
    """Return bodies as lines: along their edges first, then what these hold."""
    height_mm = line.layer_mm
    count = max(layers_for(body.height_mm, height_mm) for body in bodies)
    found: list[list[Run]] = [[] for _ in range(count)]
    for body in bodies:
        regions = body.sections([(number + 0.5) * height_mm for number in range(count)])
        known: dict[tuple[object, ...], list[Run]] = {}
        for number in range(count):
            speed = first_speed(speed_mm_s) if number == 0 else speed_mm_s
            near = tuple(id(one) for one in _near(regions, number))
            like = (id(regions[number]), near, number % 2, speed)
            if like not in known:
                known[like] = _layer(regions, number, line, speed)
            found[number] += known[like]
    # What ends within the lower half of a layer has none there.
    return [
        Layer(top_of(number, height_mm), tuple(runs)) for number, runs in enumerate(found) if runs
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
