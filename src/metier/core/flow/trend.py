"""The trend rule: several cubes at different flows show how the wall really follows."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.measure.student import t95
from metier.core.measure.thresholds import exceeds

# Flows closer than this tell nothing about the slope between them.
LEAST_APART = 0.02


class CubeWall(NamedTuple):
    """A wall measured on one cube: the flow it was printed at, its mean and uncertainty.

    ``u_repeat_mm`` is the part of u that is each trial's own, with ``dof`` degrees of freedom;
    ``u_accuracy_mm`` the part that one instrument gives all its trials alike.
    """

    flow: float
    wall_mm: float
    u_repeat_mm: float
    u_accuracy_mm: float
    dof: float


class Trend(NamedTuple):
    """The flow at which the fitted line meets the target, ± its 95 % half width."""

    flow: float
    u95: float
    slope_mm: float


def fit_trend(cubes: Sequence[CubeWall], target_mm: float, walls: int, c_mm: float) -> Trend | None:
    """Return where a least-squares line through (flow, wall) meets the target.

    The trials' own errors propagate through the fit (JCGM 100:2008, 5.1.2), the instrument's shared
    one shifts all walls alike (5.2.2); degrees of freedom by Welch and Satterthwaite (G.4.1).

    None where the flows lie less than 2 % apart, or where the slope is not that of a wall of
    ``walls`` lines: from the bead rule's over 1.5 times the number of lines, for beads that stand
    apart, to twice the bead rule's.
    """
    if len(cubes) < 2:
        return None
    flows = [cube.flow for cube in cubes]
    if exceeds(1 + LEAST_APART, max(flows) / min(flows)):
        return None
    n = len(cubes)
    mean_flow = math.fsum(flows) / n
    mean_mm = math.fsum(cube.wall_mm for cube in cubes) / n
    spread = math.fsum((flow - mean_flow) ** 2 for flow in flows)
    slope = math.fsum((cube.flow - mean_flow) * (cube.wall_mm - mean_mm) for cube in cubes) / spread
    by_bead = (mean_mm - c_mm) / mean_flow
    if exceeds(by_bead / (1.5 * walls), slope) or exceeds(slope, 2 * by_bead):
        return None
    beyond_mm = target_mm - mean_mm
    partials = [
        -1 / (n * slope) - beyond_mm * (cube.flow - mean_flow) / (slope**2 * spread)
        for cube in cubes
    ]
    own = [partial * cube.u_repeat_mm for partial, cube in zip(partials, cubes, strict=True)]
    shared = math.fsum(partials) * max(cube.u_accuracy_mm for cube in cubes)
    u = math.hypot(*own, shared)
    weight = math.fsum(part**4 / cube.dof for part, cube in zip(own, cubes, strict=True))
    dof = u**4 / weight if weight else math.inf
    return Trend(mean_flow + beyond_mm / slope, t95(dof) * u, slope)
