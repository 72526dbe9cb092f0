"""A hollow test cube as it was sliced, and the wall it should have."""

import math
from typing import NamedTuple

from metier.core.line.bead import LineModel, area_mm2, check_line, fused_wall_mm, rounding_mm
from metier.core.refusal import Refusal


class Cube(NamedTuple):
    """How the cube was printed: line width, lines a wall, layer height, flow, line model.

    ``flow`` is a ratio. ``aim_mm`` replaces the wall that the line model would have.
    """

    width_mm: float
    walls: int
    layer_mm: float
    flow: float
    line_model: LineModel = "plain"
    aim_mm: float | None = None

    def target_mm(self) -> float:
        """Return what the wall should measure.

        Raises:
            Refusal: an impossible line, or an aim thinner than the rounded sides of a line.
        """
        targets = targets_mm(self.width_mm, self.walls, self.layer_mm)
        if self.aim_mm is None:
            return float(getattr(targets, self.line_model))
        c_mm = rounding_mm(self.layer_mm)
        if not c_mm < self.aim_mm < math.inf:
            raise Refusal(
                f"aim {self.aim_mm:g} mm is no wall: the rounded sides of a {self.layer_mm:g} mm "
                f"layer alone make {c_mm:.3f} mm"
            )
        return self.aim_mm


class Targets(NamedTuple):
    """What a wall should measure under each line model, in mm."""

    plain: float
    rounded: float
    rectangular: float


def targets_mm(width_mm: float, walls: int, layer_mm: float) -> Targets:
    """Return what a wall should measure under each line model.

    plain: N·w, as people reckon on paper. rounded: lines of dosed area overlap by c, the first
    keeps its full width. rectangular: lines lie w apart and bulge by c in all.

    >>> t = targets_mm(0.42, 3, 0.2)
    >>> round(t.plain, 4), round(t.rounded, 4), round(t.rectangular, 4)
    (1.26, 1.1742, 1.3029)

    Raises:
        Refusal: see `check_line`; or no wall at all.
    """
    check_line(width_mm, layer_mm)
    if walls < 1:
        raise Refusal(f"{walls} walls: a wall has at least one line")
    return Targets(
        plain=walls * width_mm,
        rounded=fused_wall_mm(area_mm2(width_mm, layer_mm, "rounded"), layer_mm, walls),
        rectangular=fused_wall_mm(area_mm2(width_mm, layer_mm, "rectangular"), layer_mm, walls),
    )
