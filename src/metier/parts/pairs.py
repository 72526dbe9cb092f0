"""The pairs for a fit: a short pin, and rings of rising clearance to try it in."""

from collections.abc import Sequence
from itertools import pairwise

from shapely import unary_union

from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Point
from metier.parts.fill import circles, first_speed, layers_for
from metier.parts.part import Compensated, Dimension, HeightRow, PacingWay
from metier.parts.rings import Label, Rib, Ring, RingPlate
from metier.parts.solid import Body, Slab, disc
from metier.parts.tab import Tab, with_tab

_GAP_MM, _TEXT_MM, _HIGH_MM = 3.0, 3.5, 6.0
# The pin's foot, to hold it by, is so much wider than it and so thick; the tip is so much thinner.
_FOOT_MM, _FOOT_THICK_MM, _TIP_MM = 8.0, 1.2, 0.8
_IN_A_ROW = 4


class Pairs:
    """A pin upright on its foot, as high as the rings behind it, which are wider by each clearance
    in turn."""

    name = "pairs"
    best_as_gcode = False
    sliceable = True
    pacing: PacingWay = "slower"

    def __init__(
        self,
        number: int,
        clearances_mm: Sequence[float],
        line: PrintedLine,
        speed_mm_s: float,
        compensated: Compensated,
        pin_mm: float,
        inner_mm_s: float | None = None,
    ) -> None:
        self.number, self.line, self.pin_mm = number, line, pin_mm
        self.clearances_mm = tuple(clearances_mm)
        self._speed_mm_s, self._compensated = speed_mm_s, compensated
        self._inner_mm_s = inner_mm_s or speed_mm_s
        self._drawn = self._rings(Compensated())
        low_x, low_y, _, _ = unary_union([slab.region for slab in self._drawn.slabs()]).bounds
        first = self._drawn.rings[0]
        self._tab = Tab(
            str(number), line, first.at[1] - first.outside_mm, first.at[0], first.held_mm
        )
        self._foot_mm = pin_mm + _FOOT_MM
        self._pin_at = (low_x - _GAP_MM - self._foot_mm / 2, low_y + self._foot_mm / 2)

    def _rings(self, by: Compensated) -> RingPlate:
        """Return the rings in rows of four, each with its clearance behind it."""
        wanted = [
            Ring("hole", self.pin_mm + clearance, (0.0, 0.0), self.line, None, by.hole_mm)
            for clearance in self.clearances_mm
        ]
        reach = max(ring.drawn_mm for ring in wanted)
        high_mm = max(_TEXT_MM, 7 * self.line.width_mm)
        named = [Label(_text(clearance), (0.0, 0.0), high_mm) for clearance in self.clearances_mm]
        wide_mm = max(2 * reach, *(label.pad.bounds[2] * 2 for label in named)) + _GAP_MM
        pad_mm = named[0].pad.bounds[3] - named[0].pad.bounds[1]
        deep_mm = 2 * reach + pad_mm + 2 * _GAP_MM / 2
        rings, labels, ribs = [], [], []
        for place, (ring, label) in enumerate(zip(wanted, named, strict=True)):
            row, column = divmod(place, _IN_A_ROW)
            x, y = round(column * wide_mm, 3), round(row * deep_mm, 3)
            rings.append(ring._replace(at=(x, y)))
            edge = ring.drawn_mm
            labels.append(label._replace(at=(x, y + reach + _GAP_MM / 2 + pad_mm / 2)))
            ribs.append(Rib((x, y + edge), (x, labels[-1].pad.bounds[1])))
            if row:
                ribs.append(Rib((x, labels[place - _IN_A_ROW].pad.bounds[3]), (x, y - edge)))
        for left, other in pairwise(rings):
            if left.at[1] == other.at[1]:
                reached = [ring.drawn_mm for ring in (left, other)]
                y = left.at[1]
                ribs.append(Rib((left.at[0] + reached[0], y), (other.at[0] - reached[1], y)))
        return RingPlate(rings, labels, ribs, self.line, _HIGH_MM)

    def places(self) -> list[tuple[float, Point]]:
        """Return the diameter that each hole is drawn with, and its middle."""
        return [(ring.diameter_mm, ring.at) for ring in self._drawn.rings]

    def bodies(self) -> list[Body]:
        top_mm = self._drawn.high_mm
        thick_mm, tip_mm = (self._whole(height) for height in (_FOOT_THICK_MM, top_mm - _TIP_MM))
        return [
            Body(f"rings {self.number}", (*self._drawn.slabs(), *self._tab.slabs)),
            Body(
                f"pin {self.number}",
                (
                    Slab(disc(self._foot_mm, self._pin_at), 0.0, thick_mm),
                    Slab(disc(self.pin_mm, self._pin_at), thick_mm, tip_mm),
                    Slab(disc(self.pin_mm - _TIP_MM, self._pin_at), tip_mm, top_mm),
                ),
            ),
        ]

    def _whole(self, height_mm: float) -> float:
        """Return a height as whole layers."""
        return layers_for(height_mm, self.line.layer_mm) * self.line.layer_mm

    def layers(self) -> list[Layer]:
        layers = self._rings(self._compensated).layers(self._speed_mm_s, self._inner_mm_s)
        pinned = []
        for number, layer in enumerate(with_tab(layers, self._tab, self.line, self._inner_mm_s)):
            speed_mm_s = first_speed(self._speed_mm_s) if number == 0 else self._speed_mm_s
            pin = circles(self._pin(layer.top_mm), self._pin_at, self.line, speed_mm_s)
            pinned.append(layer._replace(runs=(*layer.runs, *pin)))
        return pinned

    def _pin(self, top_mm: float) -> float:
        """Return how thick the pin is in the layer that ends at a height."""
        if top_mm < self._whole(_FOOT_THICK_MM) + 1e-9:
            return self._foot_mm
        grown_mm = 2 * self._compensated.contour_mm
        tip = top_mm > self._whole(self._drawn.high_mm - _TIP_MM) + 1e-9
        return self.pin_mm + grown_mm - (_TIP_MM if tip else 0.0)

    def slicing(self) -> list[tuple[str, str]]:
        listed = ", ".join(f"{clearance:g}" for clearance in self.clearances_mm)
        return [
            ("walls", "3 lines or more, infill 100 %: rings are as thin as they stay stiff"),
            ("compensate", self._compensated.words),
            ("pin", f"{self.pin_mm:g} mm; rings wider by {listed} mm, from the tab on, row by row"),
            ("try", "the free end of the pin, from above"),
        ]

    def table(self) -> list[HeightRow]:
        return []

    def dimensions(self) -> list[Dimension]:
        low_x, low_y, high_x, high_y = unary_union(
            [slab.region for slab in self._drawn.slabs()]
        ).bounds
        pin_x, pin_y = self._pin_at
        foot, high = self._foot_mm / 2, self._drawn.high_mm
        return [
            Dimension("above", (high_x, low_y), (high_x, high_y), f"{high_y - low_y:.4g}"),
            Dimension("above", (low_x, high_y), (high_x, high_y), f"{high_x - low_x:.4g}"),
            Dimension("above", (pin_x - foot, pin_y + foot), (pin_x + foot, pin_y + foot),
                      f"ø {self._foot_mm:.4g}"),
            Dimension("front", (high_x, 0), (high_x, high), f"{high:.3g}"),
        ]  # fmt: skip


def _text(clearance_mm: float) -> str:
    """Return a clearance as it is raised beside its ring: «.05» for 0.05 mm."""
    return f"{clearance_mm:g}".removeprefix("0") or "0"
