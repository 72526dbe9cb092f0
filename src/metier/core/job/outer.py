"""Which walls are seen from outside and which are not, whatever their colours.

A wall is an outer one where nothing lies on one of its sides: no line of any head, outside of all
that is enclosed or inside a loop that holds nothing. Where two colours meet, the walls of both are
inner ones: no jaws reach them, and nobody sees them.
"""

from typing import Any, NamedTuple

import numpy as np
import shapely
from shapely import STRtree
from shapely.geometry import Polygon

from metier.core.job.layers import LayerLines, Loop, layers_of, lines_of_layer
from metier.core.job.moves import Moves
from metier.core.job.sliced_walls import Walls

# So many layers, spread over the height, tell of a whole job.
_LAYERS = 24
# A neighbour lies as far away as lines do, give or take.
_BESIDE, _WITHIN = 1.0, 0.6


class OuterLoop(NamedTuple):
    """A loop and the part of it that is seen from outside; whether it holds nothing (a hole, or a
    hollow), and whether nothing lies on either side of it: a single line."""

    loop: Loop
    share: float
    hole: bool
    both: bool = False


def walls_by_tool(moves: Moves, filament_area_mm2: float) -> list[Walls]:
    """Return what each head lays down as outer walls, inner walls and all else.

    Raises:
        BadInput: nothing is printed in lines.
    """
    layers = layers_of(moves)
    count = len(layers.tops_mm)
    looked = sorted({round(at) for at in np.linspace(1, max(1, count - 2), min(_LAYERS, count))})
    totals: dict[int, list[float]] = {}
    for number in looked:
        if number >= count:
            continue
        lines = lines_of_layer(moves, layers, number, filament_area_mm2)
        length = np.hypot(*(lines.ends - lines.begins).T)
        for tool in np.unique(lines.tools).tolist():
            totals.setdefault(tool, [0.0, 0.0, 0.0])[2] += float(length[lines.tools == tool].sum())
        for loop in outer_loops(lines):
            mine = totals[loop.loop.tool]
            around = loop.loop.length_mm
            mine[0] += loop.share * around
            mine[1] += (1 - loop.share) * around
            mine[2] -= around
    return [Walls(tool, *loop) for tool, loop in sorted(totals.items())]


def outer_loops(lines: LayerLines) -> list[OuterLoop]:
    """Return the loops of a layer with how much of each is seen from outside."""
    if not lines.loops:
        return []
    tree = STRtree(shapely.linestrings(np.stack((lines.begins, lines.ends), axis=1)))
    middles = shapely.points((lines.begins + lines.ends) / 2)
    shapes = [_polygon(loop) for loop in lines.loops]
    holders = STRtree(shapes)
    within = STRtree(middles)
    return [
        _looked_at(loop, shape, tree, holders, within)
        for loop, shape in zip(lines.loops, shapes, strict=True)
    ]


def _polygon(loop: Loop) -> Any:
    shape = Polygon(loop.points)
    return shape if shape.is_valid else shape.buffer(0)


def _looked_at(
    loop: Loop, shape: Any, tree: STRtree, holders: STRtree, within: STRtree
) -> OuterLoop:
    """Return how much of a loop has nothing beside it, inside or outside."""
    # What lies further in than its own line.
    core = shape.buffer(-0.4 * loop.wide_mm)
    hollow = len([] if core.is_empty else within.query(core, predicate="contains")) == 0
    steps = np.diff(loop.points, axis=0)
    length = np.hypot(steps[:, 0], steps[:, 1])
    real = length > 1e-6
    begins, steps, length = loop.points[:-1][real], steps[real], length[real]
    at = begins + steps / 2
    normal = np.column_stack((-steps[:, 1], steps[:, 0])) / length[:, None]
    free = np.zeros(len(at), bool)
    alone = np.ones(len(at), bool)
    for side in (1.0, -1.0):
        probes = shapely.points(at + side * _BESIDE * loop.wide_mm * normal)
        is_in = shapely.contains_properly(shape, probes)
        near = np.zeros(len(at), bool)
        hits = tree.query(probes, predicate="dwithin", distance=_WITHIN * loop.wide_mm)
        near[hits[0]] = True
        held = np.zeros(len(at), bool)
        held[holders.query(probes, predicate="within")[0]] = True
        # Outside of everything, or inside a loop that holds nothing.
        void = np.where(is_in, hollow, ~held)
        free |= ~near & void
        alone &= ~near & void
    share = float(length[free].sum() / length.sum()) if len(length) else 0.0
    return OuterLoop(loop, share, hollow, bool(len(alone)) and bool(alone.mean() > 0.5))
