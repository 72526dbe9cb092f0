"""The tab at a part's foot: it tells which trial the part is of, and which side is its front."""

from shapely import affinity
from shapely.geometry import box

from metier.core.line.printed import PrintedLine
from metier.core.line.runs import Layer, Run
from metier.parts.fill import covered, filled
from metier.parts.layering import first_speed
from metier.parts.letters import STROKE, text_region
from metier.parts.solid import Region, Slab

# Its size, how high it is and its number stands above it, and how far it keeps from the wall.
WIDE_MM, DEEP_MM, HIGH_MM, RAISED_MM, GAP_MM = 14.0, 9.0, 0.8, 0.6, 1.0
_DIGITS_MM, _MARGIN_MM = 6.0, 1.5


class Tab:
    """A tab with a text, in front of a part whose front lies at ``front_y``.

    Its lowest layer reaches the part, ``into_mm`` into it; what is above keeps off, so that no
    wall is another one there.
    """

    def __init__(
        self, text: str, line: PrintedLine, front_y: float, at_x: float = 0.0, into_mm: float = 0.0
    ) -> None:
        # A stroke takes a line.
        scale = max(1.0, line.width_mm / (STROKE * _DIGITS_MM))
        digits_mm = _DIGITS_MM * scale
        letters = text_region(text, digits_mm)
        *_, across, high = letters.bounds
        self.deep_mm = max(DEEP_MM, high + 2 * _MARGIN_MM)
        wide = max(WIDE_MM, across + 2 * _MARGIN_MM)
        low, self._front_y = front_y - GAP_MM - self.deep_mm, front_y
        self._line = line
        self._plate = box(at_x - wide / 2, low, at_x + wide / 2, front_y - GAP_MM)
        self._bridge = box(at_x - wide / 2, front_y - GAP_MM, at_x + wide / 2, front_y + into_mm)
        shift = (at_x - across / 2, low + (self.deep_mm - high) / 2)
        self._digits = affinity.translate(letters, *shift)
        self.layers_high = max(2, round(HIGH_MM / line.layer_mm))
        self.layers_raised = max(2, round(RAISED_MM / line.layer_mm))

    @property
    def slabs(self) -> list[Slab]:
        """It as slabs: what reaches the part is as high as a layer."""
        first_mm = self._line.layer_mm
        top_mm = self.layers_high * first_mm
        return [
            Slab(self._bridge, 0.0, first_mm),
            Slab(self._plate, 0.0, top_mm),
            Slab(self._digits, top_mm, top_mm + self.layers_raised * first_mm),
        ]

    @property
    def foot(self) -> Region:
        """What its lowest layer covers."""
        return self._plate.union(self._bridge)

    def runs(self, layer: int, speed_mm_s: float, beside: Region | None = None) -> list[Run]:
        """Return its lines in a layer, counted from 0; none above it, and on the lowest none where
        there is something else, ``beside`` which it lies."""
        if layer == 0:
            region = self.foot if beside is None else self.foot.difference(beside)
        elif layer < self.layers_high:
            region = self._plate
        elif layer < self.layers_high + self.layers_raised:
            region = self._digits
        else:
            return []
        return filled(region, self._line, speed_mm_s, turned=layer % 2 == 1)


def with_tab(
    layers: list[Layer], tab: Tab, line: PrintedLine, speed_mm_s: float | None = None
) -> list[Layer]:
    """Return layers with a tab's lines after their own, at that speed, else at that of the slowest
    of these."""
    beside = covered(layers[0].runs, line)
    tabbed = []
    for number, layer in enumerate(layers):
        speed = speed_mm_s or min(run.speed_mm_s for run in layer.runs)
        if number == 0:
            speed = first_speed(speed, inner=True)
        runs = tab.runs(number, speed, beside)
        tabbed.append(layer._replace(runs=(*layer.runs, *runs)))
    return tabbed
