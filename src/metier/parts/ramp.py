"""The ramp for the volumetric limit: a tube of one line whose flow rises with height."""

import math

from shapely.geometry import Polygon

from metier.core.limit.plan import Outline, Reach
from metier.core.limit.ramp import Ramp, Stepped
from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Point, Run
from metier.parts.fill import first_speed, layers_for, top_of
from metier.parts.part import Dimension, HeightRow, PacingWay
from metier.parts.solid import Body, Lofted, Region, Slab, disc, square
from metier.parts.tab import Tab, with_tab

# Ribs stand out so far in front, over so much of the wall, and every fifth over more of it.
RIB_MM, RIB_WIDE_MM, LONG_RIB_MM, LONG_EVERY = 1.2, 4.0, 10.0, 5
# The foot: its layers, and how many lines it has beside the wall's own, inside and outside.
FOOT_LAYERS, FOOT_LINES = 2, 3
# The foot's flow, at most this part of that where the ramp begins; from there on it is no step.
_FOOT_FLOW, _LIKE_A_STEP = 0.8, 0.4
# A round tube is gone round in straight lines of this length at most, and of that at least; they
# turn by so much of what may be taken without slowing down.
_CHORD_MM, _SHORTEST_CHORD_MM, _SMOOTH = 1.0, 0.35, 0.9


class RampTube:
    """A tube of one line, round or square, its ribs outside in front at the end of each step.

    A rib grows out of the wall below, no faster than a layer a layer, and ends where a step
    ends: the first rib marks the end of the first step. ``every_mm`` is how far they stand apart.
    """

    name = "ramp"
    best_as_gcode = True
    pacing: PacingWay = "kept"
    sliceable = True

    def __init__(
        self, number: int, ramp: Ramp, line: PrintedLine, reach: Reach, every_mm: float
    ) -> None:
        self.number, self.ramp, self.line = number, ramp, line
        self._reach, self.every_mm = reach, every_mm
        self.outline: Outline = reach.outline
        self.height_mm = layers_for(ramp.end_mm, line.layer_mm) * line.layer_mm
        self._rib_mm = min(RIB_MM, every_mm)
        # The middle of the line at the front, and the wall's outer face there.
        self._front_mm = self._half_mm + line.width_mm / 2
        foot_mm = FOOT_LINES * line.apart_mm
        self._tab = Tab(
            str(number), line, -self._front_mm - foot_mm, into_mm=foot_mm / 2 + line.width_mm
        )

    @property
    def _half_mm(self) -> float:
        size_mm = self.outline.size_mm
        return size_mm if self.outline.shape == "round" else size_mm / 2

    @property
    def ribs(self) -> int:
        """How many ribs it has."""
        return math.floor((self.ramp.end_mm - self.ramp.base_mm) / self.every_mm + 1e-9)

    def _rib_at(self, height_mm: float) -> tuple[float, float]:
        """Return how far a rib stands out at a height, and how wide it is; 0 and 0 beside ribs."""
        above = height_mm - self.ramp.base_mm
        rib = math.floor(above / self.every_mm + 1e-9) + 1
        out_mm = self._rib_mm - (rib * self.every_mm - above)
        if above < 0 or rib > self.ribs or out_mm <= 0:
            return 0.0, 0.0
        return out_mm, LONG_RIB_MM if rib % LONG_EVERY == 0 else RIB_WIDE_MM

    def bodies(self) -> list[Body]:
        """A block with its ribs: the slicer makes it hollow, with one line a wall."""
        layer_mm = self.line.layer_mm
        outside_mm = 2 * self._front_mm
        is_round = self.outline.shape == "round"
        slabs = [Slab(disc(outside_mm) if is_round else square(outside_mm), 0.0, self.height_mm)]
        foot_mm = outside_mm + 2 * FOOT_LINES * self.line.apart_mm
        foot = disc(foot_mm) if is_round else square(foot_mm)
        slabs.append(Slab(foot, 0.0, min(self.ramp.base_mm, FOOT_LAYERS * layer_mm)))
        ribs = []
        for rib in range(1, self.ribs + 1):
            top_mm = self.ramp.base_mm + rib * self.every_mm
            wide_mm = LONG_RIB_MM if rib % LONG_EVERY == 0 else RIB_WIDE_MM
            ribs.append(
                Lofted(
                    self._rib_region(0.0, wide_mm),
                    self._rib_region(self._rib_mm, wide_mm),
                    top_mm - self._rib_mm,
                    top_mm,
                )
            )
        return [Body(f"ramp {self.number}", (*slabs, *self._tab.slabs), tuple(ribs))]

    def _rib_region(self, out_mm: float, wide_mm: float) -> Region:
        front, half = -self._front_mm, wide_mm / 2
        back = front + self._front_mm / 4
        tip = max(half - out_mm, half / 2)
        return Polygon(
            [(-half, back), (-half, front + self._sagitta(half)), (-tip, front - out_mm),
             (tip, front - out_mm), (half, front + self._sagitta(half)), (half, back)]
        )  # fmt: skip

    def _sagitta(self, x_mm: float) -> float:
        """Return how far the wall's outer face lies back so far beside the middle of the front."""
        if self.outline.shape == "square":
            return 0.0
        return self._front_mm - math.sqrt(self._front_mm**2 - x_mm**2)

    def _count(self) -> int:
        return layers_for(self.height_mm, self.line.layer_mm)

    def layers(self) -> list[Layer]:
        layer_mm, area_mm2 = self.line.layer_mm, self.line.area_mm2
        foot = layers_for(self.ramp.base_mm, layer_mm)
        layers = []
        for number in range(self._count()):
            middle_mm = (number + 0.5) * layer_mm
            flow = self.ramp.flow_at(min(max(middle_mm, self.ramp.base_mm), self._last_mm()))
            speed_mm_s = flow / area_mm2
            runs = [Run(self._around(0.0, *self._rib_at(middle_mm)), area_mm2, speed_mm_s)]
            if number < foot:
                speed_mm_s = self._foot_speed()
                wide = range(-FOOT_LINES, FOOT_LINES + 1) if number < FOOT_LAYERS else (0,)
                runs = [
                    Run(self._around(place * self.line.apart_mm), area_mm2, speed_mm_s)
                    for place in wide
                ]
            layers.append(Layer(top_of(number, layer_mm), tuple(runs)))
        return with_tab(layers, self._tab, self.line)

    def _last_mm(self) -> float:
        """Return a height that lies just below the end of the ramp."""
        return self.ramp.end_mm - 1e-6

    def _foot_speed(self) -> float:
        """Return the speed of the foot: that of a first layer, and slower than where the ramp
        begins by another flow than a step adds, so that a file tells the two apart."""
        area_mm2, begins = self.line.area_mm2, self.ramp.from_mm3_s
        flow = min(_FOOT_FLOW * begins, first_speed(begins / area_mm2) * area_mm2)
        if isinstance(self.ramp, Stepped):
            while abs((begins - flow) / self.ramp.step_mm3_s - 1) < _LIKE_A_STEP:
                flow *= _FOOT_FLOW
        return flow / area_mm2

    def _around(
        self, out_mm: float, rib_mm: float = 0.0, wide_mm: float = 0.0
    ) -> tuple[Point, ...]:
        """Return the way round, so far outside of the wall's middle; in front a rib stands out."""
        half = self._half_mm + out_mm
        if self.outline.shape == "square":
            front = _rib(half, half, rib_mm, wide_mm)
            corners = ((half, -half), (half, half), (-half, half))
            return ((-half, half), (-half, -half), *front, *corners)
        # Corners so flat that nothing slows down at them.
        assert self.ramp.to_mm3_s is not None
        fastest_mm_s = self.line.speed_mm_s(self.ramp.to_mm3_s)
        smooth_mm = _SMOOTH * self._reach.cornering_mm_s * half / fastest_mm_s
        chord_mm = min(_CHORD_MM, max(_SHORTEST_CHORD_MM, smooth_mm))
        count = max(48, 8 * math.ceil(2 * math.pi * half / chord_mm / 8))
        first = count * 3 // 8
        rib = list(_rib(half, math.sqrt(half**2 - (wide_mm / 2) ** 2), rib_mm, wide_mm))
        points: list[Point] = []
        for n in range(first, first + count + 1):
            angle = 2 * math.pi * n / count
            x, y = half * math.cos(angle), half * math.sin(angle)
            if rib_mm and y < 0 and abs(x) < wide_mm / 2:
                # Once, in place of all that lies behind it.
                points += rib
                rib = []
            else:
                points.append((x, y))
        points[-1] = points[0]
        return tuple(points)

    def slicing(self) -> list[tuple[str, str]]:
        counts = ""
        if isinstance(self.ramp, Stepped) and self.ramp.every_mm == self.every_mm:
            counts = "; a step ends where its rib does"
        return [
            ("walls", "1 line, seam in the back left corner"),
            ("bottom", "1 layer, or none with a brim; no top, no infill"),
            ("speed", f"by height, as the table has it: {self.ramp.rises()}"),
            ("limit", f"the slicer's volumetric limit above {self.ramp.to_mm3_s:g}: it would "
             "flatten the ramp"),
            ("layer time", "no slowing for short layers"),
            ("ribs", f"in front, one every {self.every_mm:g} mm, each fifth a long one{counts}"),
        ]  # fmt: skip

    def table(self) -> list[HeightRow]:
        """Each step; of a ramp that rises all the way each millimetre, at its middle's flow."""
        ramp, rows = self.ramp, []
        every = ramp.every_mm if isinstance(ramp, Stepped) else 1.0
        assert every is not None
        low = ramp.base_mm
        while low < ramp.end_mm - 1e-6:
            high = min(low + every, ramp.end_mm)
            flow = ramp.flow_at(low if isinstance(ramp, Stepped) else (low + high) / 2)
            rows.append(HeightRow(low, high, flow, flow / self.line.area_mm2))
            low = high
        return rows

    def dimensions(self) -> list[Dimension]:
        out, base = self._front_mm, self.ramp.base_mm
        across = "ø " if self.outline.shape == "round" else ""
        sizes = [
            Dimension("above", (-out, out), (out, out), f"{across}{2 * out:.4g}"),
            Dimension("front", (out, 0), (out, self.height_mm), f"{self.height_mm:.4g}"),
        ]
        if self.ribs:
            count = min(LONG_EVERY, self.ribs)
            top, text = base + count * self.every_mm, f"{count} x {self.every_mm:g}"
            sizes.append(Dimension("front", (-out, base), (-out, top), text))
        return sizes


def _rib(half: float, beside: float, rib_mm: float, wide_mm: float) -> tuple[Point, ...]:
    """Return a rib in front of a way round, so far in front at its middle and at the rib's ends."""
    if not rib_mm:
        return ()
    foot = wide_mm / 2
    tip = max(foot - rib_mm, foot / 2)
    return ((-foot, -beside), (-tip, -half - rib_mm), (tip, -half - rib_mm), (foot, -beside))
