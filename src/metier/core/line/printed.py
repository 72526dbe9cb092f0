"""A line as a bench prints it: its size, how it is dosed, and the flow in force."""

from typing import NamedTuple

from metier.core.line.bead import LineModel, area_mm2, speed_mm_s
from metier.core.measure.thresholds import round_to

# Wide enough to be pressed out, and high enough for steps to be seen.
_WIDTH_OF_BORE, _LAYER_OF_BORE, _LAYER_STEP_MM = 1.2, 0.5, 0.04


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

    @property
    def apart_mm(self) -> float:
        """How far such lines lie apart: so far that at flow 100 % they just fill."""
        return area_mm2(self.width_mm, self.layer_mm, self.line_model) / self.layer_mm

    def speed_mm_s(self, flow_mm3_s: float) -> float:
        """Return the speed at which it takes that flow."""
        return speed_mm_s(flow_mm3_s, *self)


def line_for_bore(bore_mm: float) -> tuple[float, float]:
    """Return width and height of the lines that suit a nozzle, where nothing else is known.

    >>> line_for_bore(0.5), line_for_bore(0.4)
    ((0.6, 0.24), (0.48, 0.2))
    """
    return round_to(_WIDTH_OF_BORE * bore_mm, 0.01), max(
        _LAYER_STEP_MM, round_to(_LAYER_OF_BORE * bore_mm, _LAYER_STEP_MM)
    )
