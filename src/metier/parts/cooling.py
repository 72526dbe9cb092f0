"""Layers that take long enough to set before the next one lies on them: printed slower, and where
that does not do, with a post beside them to go to meanwhile."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Point, Run, extent_of
from metier.core.materials import Material
from metier.parts.fill import first_speed, hatched
from metier.parts.solid import square

# What is smaller than this sets more slowly than it is printed; no line is slower than that.
SMALL_MM2, SLOWEST_MM_S = 100.0, 10.0
# The post: so far beside the part, so many lines thick, and no smaller than this.
_BESIDE_MM, _POST_LINES, _LEAST_POST_MM = 12.0, 2, 8.0


class Pacing(NamedTuple):
    """How a part is printed where a layer would be too short: slower, or only with something beside
    it; and what it is printed of."""

    slower: bool
    material: Material

    def wanted_s(self, layer: Layer, layer_mm: float) -> float:
        """Return how long a layer takes at least."""
        area_mm2 = math.fsum(run.length_mm * run.area_mm2 for run in layer.runs) / layer_mm
        small = area_mm2 < SMALL_MM2 - 1e-9
        return self.material.small_layer_s if small else self.material.least_layer_s


def paced(layers: Sequence[Layer], line: PrintedLine, pacing: Pacing) -> list[Layer]:
    """Return layers whose lines all take as long as the material wants, their order kept.

    Their time is reckoned as if each speed were there at once and no way between them took any: it
    is never less.
    """
    slower, lacking_s = [], []
    for layer in layers:
        wanted_s = pacing.wanted_s(layer, line.layer_mm)
        while pacing.slower and lines_s(layer) < wanted_s - 1e-6 and _may_slow(layer):
            layer = _slowed(layer, lines_s(layer) / wanted_s)
        slower.append(layer)
        lacking_s.append(wanted_s - lines_s(layer))
    short = [number for number, lacking in enumerate(lacking_s) if lacking > 1e-6]
    return _with_post(slower, lacking_s, short[-1], line) if short else slower


def lines_s(layer: Layer) -> float:
    """Return how long the lines of a layer take at their speeds, in s."""
    return math.fsum(run.length_mm / run.speed_mm_s for run in layer.runs)


def _may_slow(layer: Layer) -> bool:
    return any(run.speed_mm_s > SLOWEST_MM_S * (1 + 1e-9) for run in layer.runs)


def _slowed(layer: Layer, part: float) -> Layer:
    """Return a layer at a part of its speeds, none below the slowest."""
    return layer._replace(
        runs=tuple(
            run._replace(speed_mm_s=max(part * run.speed_mm_s, min(SLOWEST_MM_S, run.speed_mm_s)))
            for run in layer.runs
        )
    )


def _with_post(
    layers: Sequence[Layer], lacking_s: Sequence[float], last: int, line: PrintedLine
) -> list[Layer]:
    """Return layers with a hollow square post beside them, up to the last that needs it."""
    most_mm = SLOWEST_MM_S * max(lacking_s)
    # Round a square of that side so many lines go, each shorter than the one before by 8 widths.
    side_mm = max(_LEAST_POST_MM, most_mm / (4 * _POST_LINES) + _POST_LINES * line.width_mm)
    extent = extent_of(tuple(layers))
    at = (
        round(extent.high_x + line.width_mm / 2 + _BESIDE_MM + side_mm / 2, 3),
        round((extent.low_y + extent.high_y) / 2, 3),
    )
    together = list(layers)
    for number in range(last + 1):
        planned = max(run.speed_mm_s for run in layers[number].runs)
        loops = [
            _loop(side_mm / 2 - line.width_mm / 2 - place * line.apart_mm, at)
            for place in range(_POST_LINES)
        ]
        runs = [
            Run(points, line.area_mm2, planned, place > 0) for place, points in enumerate(loops)
        ]
        long_mm = math.fsum(run.length_mm for run in runs)
        speed_mm_s = planned
        if lacking_s[number] > 0:
            speed_mm_s = min(planned, max(SLOWEST_MM_S, long_mm / lacking_s[number]))
        if number == 0:
            inside = square(side_mm - 2 * _POST_LINES * line.apart_mm, at)
            speed_mm_s = min(speed_mm_s, first_speed(planned))
            runs += hatched(inside, line, planned)
        together[number] = layers[number]._replace(
            runs=(*layers[number].runs, *(run._replace(speed_mm_s=speed_mm_s) for run in runs))
        )
    return together


def _loop(half_mm: float, at: Point) -> tuple[Point, ...]:
    """Return a square about a point, from its back left corner, against the clock."""
    x, y = at
    left, right, front, back = x - half_mm, x + half_mm, y - half_mm, y + half_mm
    return ((left, back), (left, front), (right, front), (right, back), (left, back))
