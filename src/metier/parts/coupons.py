"""The coupons for strength: upright rods with a gauge section, each printed at its own flow."""

import math
from collections.abc import Sequence

from shapely import unary_union

from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Point, Run
from metier.parts.fill import circle, circles, first_speed, layers_for, outside, radii_of, top_of
from metier.parts.part import Dimension, HeightRow, PacingWay
from metier.parts.solid import Body, Lofted, Slab, corners_of, disc
from metier.parts.tab import Tab

GAUGE_MM, GAUGE_LONG_MM = 6.0, 16.0
# A foot is no thinner, and so much thicker than its gauge section.
_FOOT_MM, _SHOULDERS_MM = 10.0, 4.0
# How high both feet are, and the cone between foot and gauge; how far rods stand apart.
_FOOT_HIGH_MM, _APART_MM = 3.0, 4.0
# Rods are round to this: it is their strength that is looked for.
_DEEP_MM = 0.02
# Lines round a rod on its first layer.
_BRIM_LINES = 6


def foot_mm(gauge_mm: float) -> float:
    """Return how thick the feet of a rod are."""
    return max(_FOOT_MM, gauge_mm + _SHOULDERS_MM)


class Coupons:
    """Rods in rows of the same flow, the slowest in front.

    All are printed layer by layer, one after the other in the same order, so that the time from
    a layer to the next is the same for all. Feet are printed at the slowest flow; the gauge
    section, all outlines, at the rod's own.
    """

    name = "coupons"
    best_as_gcode = True
    pacing: PacingWay = "beside"
    sliceable = True

    def __init__(
        self,
        number: int,
        flows_mm3_s: Sequence[float],
        each: int,
        line: PrintedLine,
        gauge_mm: float = GAUGE_MM,
        long_mm: float = GAUGE_LONG_MM,
    ) -> None:
        self.number, self.line, self.each = number, line, each
        self.flows_mm3_s = tuple(sorted(flows_mm3_s))
        self.gauge_mm, self.long_mm = gauge_mm, long_mm
        self.foot_mm = foot_mm(gauge_mm)
        self._cone_mm = (self.foot_mm - gauge_mm) / 2
        layer_mm = line.layer_mm
        self._heights = [
            layers_for(height, layer_mm)
            for height in (_FOOT_HIGH_MM, self._cone_mm, long_mm, self._cone_mm, _FOOT_HIGH_MM)
        ]
        tab = Tab(f"{number}/{max(self.flows_mm3_s):g}", line, 0.0)
        pitch_y = self.foot_mm + tab.deep_mm + 1.0 + _APART_MM
        widest = max(
            self.foot_mm,
            *(Tab(self._label(flow), line, 0.0).slabs[1].region.bounds[2] * 2
              for flow in self.flows_mm3_s),
        )  # fmt: skip
        pitch_x = widest + _APART_MM
        self.rods = [
            (flow, ((column - (each - 1) / 2) * pitch_x, row * pitch_y))
            for row, flow in enumerate(self.flows_mm3_s)
            for column in range(each)
        ]
        self._tabs = [
            Tab(self._label(flow), line, y - self.foot_mm / 2, x, self.foot_mm / 4)
            for flow, (x, y) in self.rods
        ]

    def _label(self, flow_mm3_s: float) -> str:
        """Return what is raised at a rod's foot: the trial, and its flow."""
        return f"{self.number}/{flow_mm3_s:g}"

    @property
    def height_mm(self) -> float:
        """How high a rod is."""
        return sum(self._heights) * self.line.layer_mm

    def _diameter(self, layer: int) -> float:
        """Return how thick a rod is in a layer, counted from 0."""
        foot, cone, gauge, again, _ = self._heights
        grown = self.foot_mm - self.gauge_mm
        up = layer + 0.5 - foot
        if up < 0:
            return self.foot_mm
        if up < cone:
            return self.foot_mm - grown * up / cone
        if up < cone + gauge:
            return self.gauge_mm
        down = up - cone - gauge
        return self.gauge_mm + grown * min(1.0, down / again)

    def in_gauge(self, layer: int) -> bool:
        """Tell whether a layer is one of the gauge section."""
        foot, cone, gauge, *_ = self._heights
        return foot + cone <= layer < foot + cone + gauge

    def bodies(self) -> list[Body]:
        ends = [0.0]
        for count in self._heights:
            ends.append(ends[-1] + count * self.line.layer_mm)
        bodies = []
        for place, (flow, at) in enumerate(self.rods):
            corners = corners_of(self.foot_mm / 2, deep_mm=_DEEP_MM)
            foot, gauge = disc(self.foot_mm, at, corners), disc(self.gauge_mm, at, corners)
            slabs = (
                Slab(foot, ends[0], ends[1]),
                Slab(gauge, ends[2], ends[3]),
                Slab(foot, ends[4], ends[5]),
                *self._tabs[place].slabs,
            )
            cones = (Lofted(foot, gauge, ends[1], ends[2]), Lofted(gauge, foot, ends[3], ends[4]))
            bodies.append(Body(f"rod {place % self.each + 1} at {flow:g} mm3/s", slabs, cones))
        return bodies

    def layers(self) -> list[Layer]:
        area_mm2 = self.line.area_mm2
        slow = self.flows_mm3_s[0] / area_mm2
        layers = []
        known: dict[tuple[int, float, float], list[Run]] = {}
        for number in range(sum(self._heights)):
            runs: list[Run] = []
            for rod, ((flow, at), tab) in enumerate(zip(self.rods, self._tabs, strict=True)):
                speed = flow / area_mm2 if self.in_gauge(number) else slow
                speed = first_speed(speed) if number == 0 else speed
                diameter_mm = self._diameter(number)
                like = (rod, diameter_mm, speed)
                if like not in known:
                    known[like] = circles(diameter_mm, at, self.line, speed, _DEEP_MM)
                runs += known[like]
                if number == 0:
                    runs += self._brim(at, speed)
                runs += tab.runs(number, speed, disc(self.foot_mm, at))
            layers.append(Layer(top_of(number, self.line.layer_mm), tuple(runs)))
        return layers

    def _brim(self, at: Point, speed_mm_s: float) -> list[Run]:
        """Return lines round a rod's foot, so that it stands: not over its tab, nor half way to the
        next rod."""
        line = self.line
        first = self.foot_mm / 2 + line.width_mm / 2
        count = min(_BRIM_LINES, math.floor(_APART_MM / 2 / line.apart_mm))
        tabs = unary_union([tab.foot for tab in self._tabs]).buffer(line.width_mm / 8)
        return [
            Run(points, line.area_mm2, speed_mm_s)
            for place in range(count)
            for points in outside(circle(first + place * line.apart_mm, at, _DEEP_MM), tabs)
        ]

    def slicing(self) -> list[tuple[str, str]]:
        flows = ", ".join(f"{flow:g}" for flow in self.flows_mm3_s)
        return [
            ("rods", f"{self.each} each at {flows} mm³/s, slowest in front; on the tab trial/flow"),
            ("walls", "as many lines as fill the rod; all rods at once, layer by layer"),
            ("speed", "the gauge sections by their flow, feet all at the slowest"),
            ("layer time", "no slowing for short layers: they all share one"),
        ]

    def table(self) -> list[HeightRow]:
        return []

    def dimensions(self) -> list[Dimension]:
        height = self.line.layer_mm
        low = sum(self._heights[:2]) * height
        high = sum(self._heights[:3]) * height
        (_, (x, _)), half = self.rods[0], self.gauge_mm / 2
        x = self.rods[self.each - 1][1][0]
        left = self.rods[0][1][0]
        foot = self.foot_mm / 2
        return [
            Dimension("front", (x + foot, 0), (x + foot, self.height_mm), f"{self.height_mm:.4g}"),
            Dimension("front", (left - foot, low), (left - foot, high), f"gauge {high - low:.4g}"),
            Dimension("front", (left - half, (low + high) / 2), (left + half, (low + high) / 2),
                      f"ø {self.gauge_mm:g}"),
            Dimension("front", (left - foot, 0), (left + foot, 0), f"ø {self.foot_mm:g}"),
        ]  # fmt: skip


def reached_share(
    gauge_mm: float, line: PrintedLine, speed_mm_s: float, accel_mm_s2: float
) -> float:
    """Return the share of a gauge section's lines, all circles, that can be gone round at a speed.

    Round a circle of radius r no more than √(a·r) can be reached.
    """
    radii = radii_of(gauge_mm, line)
    reached = [radius for radius in radii if math.sqrt(accel_mm_s2 * radius) >= speed_mm_s - 1e-9]
    return math.fsum(reached) / math.fsum(radii)
