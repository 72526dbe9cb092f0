"""A line as a bench prints it: its size, how it is dosed, and the flow in force."""

from typing import NamedTuple

from metier.core.line.bead import LineModel, area_mm2, speed_mm_s


class PrintedLine(NamedTuple):
    """Width and height of a line, the slicer's line model where it is known, and
    the flow in force, a ratio."""

    width_mm: float
    layer_mm: float
    line_model: LineModel | None = None
    flow: float = 1.0

    @property
    def area_mm2(self) -> float:
        """The cross-section that is really asked for."""
        return area_mm2(self.width_mm, self.layer_mm, self.line_model) * self.flow

    def speed_mm_s(self, flow_mm3_s: float) -> float:
        """Return the speed at which it takes that flow."""
        return speed_mm_s(flow_mm3_s, *self)
