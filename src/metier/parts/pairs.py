"""The pairs for a fit: one pin, and a bar with holes of rising clearance, numbered."""

from collections.abc import Sequence

from shapely import affinity
from shapely.geometry import box

from metier.core.line.printed import PrintedLine
from metier.core.line.runs import Layer
from metier.parts.flat import WALLS, Compensated, flat_layers
from metier.parts.letters import text_region
from metier.parts.part import Dimension, HeightRow
from metier.parts.solid import Body, Slab, disc
from metier.parts.tab import Tab

_BAR_MM, _GAP_MM, _RAISED_MM, _CORNER_MM = 8.0, 4.0, 0.6, 3.0
# The pin's foot, how thick that is, and how far the pin stands out of it.
_FOOT_MM, _FOOT_THICK_MM, _PIN_LONG_MM = 14.0, 3.0, 14.0


class Pairs:
    """A pin upright on its foot, and a bar whose holes are wider by each clearance in turn."""

    name = "pairs"
    best_as_gcode = False
    sliceable = True

    def __init__(
        self,
        number: int,
        clearances_mm: Sequence[float],
        line: PrintedLine,
        speed_mm_s: float,
        compensated: Compensated,
        pin_mm: float,
    ) -> None:
        self.number, self.line, self.pin_mm = number, line, pin_mm
        self.clearances_mm = tuple(clearances_mm)
        self._speed_mm_s, self._compensated = speed_mm_s, compensated
        self._text_mm = max(3.5, 7 * line.width_mm)
        texts = [text_region(_text(one), self._text_mm) for one in self.clearances_mm]
        widest = pin_mm + max(self.clearances_mm)
        room = max(widest, *(text.bounds[2] for text in texts)) + _GAP_MM
        self.long_mm = len(texts) * room + _GAP_MM
        self.deep_mm = widest + 2 * _GAP_MM + self._text_mm + 1.5
        self._holes_y = -self.deep_mm / 2 + _GAP_MM + widest / 2
        first = -self.long_mm / 2 + _GAP_MM / 2 + room / 2
        self._xs = [first + place * room for place in range(len(texts))]
        self._texts = [
            affinity.translate(text, x - text.bounds[2] / 2, self._holes_y + widest / 2 + 1.5)
            for text, x in zip(texts, self._xs, strict=True)
        ]
        self._foot_mm = max(_FOOT_MM, pin_mm + 6)
        self._pin_at = (0.0, self.deep_mm / 2 + 6.0 + self._foot_mm / 2)
        self._tab = Tab(str(number), line, -self.deep_mm / 2, into_mm=WALLS * line.width_mm)

    def places(self) -> list[tuple[float, tuple[float, float]]]:
        """Return the diameter that each hole is drawn with, and its middle."""
        return [
            (self.pin_mm + clearance, (x, self._holes_y))
            for clearance, x in zip(self.clearances_mm, self._xs, strict=True)
        ]

    def bodies(self) -> list[Body]:
        return self._bodies(Compensated())

    def _bodies(self, by: Compensated) -> list[Body]:
        edge = box(-self.long_mm / 2, -self.deep_mm / 2, self.long_mm / 2, self.deep_mm / 2)
        bar = edge.buffer(-_CORNER_MM).buffer(_CORNER_MM, quad_segs=16)
        for diameter_mm, at in self.places():
            bar = bar.difference(disc(diameter_mm + 2 * by.hole_mm, at))
        slabs = [Slab(bar, 0.0, _BAR_MM)]
        raised_mm = max(_RAISED_MM, self.line.layer_mm)
        slabs += [Slab(text, _BAR_MM, _BAR_MM + raised_mm) for text in self._texts]
        pin = disc(self.pin_mm + 2 * by.contour_mm, self._pin_at)
        tip = disc(self.pin_mm - 1.0 + 2 * by.contour_mm, self._pin_at)
        top = _FOOT_THICK_MM + _PIN_LONG_MM
        return [
            Body(f"holes {self.number}", (*slabs, *self._tab.slabs)),
            Body(
                f"pin {self.number}",
                (
                    Slab(disc(self._foot_mm, self._pin_at), 0.0, _FOOT_THICK_MM),
                    Slab(pin, _FOOT_THICK_MM, top),
                    Slab(tip, top, top + 0.8),
                ),
            ),
        ]

    def layers(self) -> list[Layer]:
        return flat_layers(self._bodies(self._compensated), self.line, self._speed_mm_s)

    def slicing(self) -> list[tuple[str, str]]:
        listed = ", ".join(f"{one:g}" for one in self.clearances_mm)
        return [
            ("walls", f"{WALLS} lines, top and bottom of 3 layers, 15 % infill"),
            ("compensate", self._compensated.words),
            ("pin", f"{self.pin_mm:g} mm; holes wider by {listed} mm, left to right"),
        ]

    def table(self) -> list[HeightRow]:
        return []

    def dimensions(self) -> list[Dimension]:
        x, y = self.long_mm / 2, self.deep_mm / 2
        back, high = self._pin_at[1] + self._foot_mm / 2, _FOOT_THICK_MM + _PIN_LONG_MM
        return [
            Dimension("above", (-x, -y), (-x, y), f"{2 * y:.4g}"),
            Dimension("above", (-x, back), (x, back), f"{2 * x:.4g}"),
            Dimension("front", (x, 0), (x, _BAR_MM), f"{_BAR_MM:g}"),
            Dimension("front", (-x, 0), (-x, high), f"{high:g}"),
        ]


def _text(clearance_mm: float) -> str:
    """Return a clearance as it is raised beside its hole: «.05» for 0.05 mm."""
    return f"{clearance_mm:g}".removeprefix("0") or "0"
