"""The part for temperature: two columns with a gap, a bridge and a thin wall for every step."""

from shapely.geometry import box

from metier.core.heat import STEP_MM
from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Run
from metier.parts.fill import filled, first_speed, layers_for, top_of
from metier.parts.part import Dimension, HeightRow, PacingWay
from metier.parts.solid import Body, Slab
from metier.parts.tab import Tab, with_tab

# A column's side; the gap that strings cross and bridges span; how deep a bridge is.
_COLUMN_MM, _GAP_MM, _BRIDGE_MM = 8.0, 16.0, 5.0
# The thin wall that stands off the right column: its length, and the leg that it stands by.
_WALL_MM, _LEG_MM = 12.0, 6.0
_FOOT_LAYERS, _BRIDGE_LAYERS, _FOOT_MM = 2, 3, 3.0


class Columns:
    """Steps one above the other, hottest lowest; each ends with a bridge from column to column.

    The gap is crossed in every layer: that is where strings show. Steps are broken off by hand,
    one after the other from above.
    """

    name = "columns"
    best_as_gcode = True
    pacing: PacingWay = "kept"
    sliceable = True

    def __init__(
        self,
        number: int,
        line: PrintedLine,
        temperatures_c: tuple[float, ...],
        speed_mm_s: float,
        step_mm: float = STEP_MM,
    ) -> None:
        self.number, self.line = number, line
        self.temperatures_c = tuple(sorted(temperatures_c, reverse=True))
        self._speed_mm_s = speed_mm_s
        self._each = layers_for(step_mm, line.layer_mm)
        half = (_GAP_MM + 2 * _COLUMN_MM) / 2
        deep = _COLUMN_MM / 2
        self._left = box(-half, -deep, -half + _COLUMN_MM, deep)
        self._right = box(half - _COLUMN_MM, -deep, half, deep)
        self._bridge = box(-half + _COLUMN_MM, -_BRIDGE_MM / 2, half - _COLUMN_MM, _BRIDGE_MM / 2)
        self._half_mm = half
        low, high = -half - _FOOT_MM, half + _WALL_MM + _FOOT_MM
        self._foot = box(low, -deep - _FOOT_MM, high, deep + _FOOT_MM)
        self._tab = Tab(str(number), line, -deep - _FOOT_MM, into_mm=line.width_mm)

    @property
    def step_mm(self) -> float:
        """How high a step is: whole layers."""
        return self._each * self.line.layer_mm

    @property
    def foot_mm(self) -> float:
        """How high its foot is."""
        return _FOOT_LAYERS * self.line.layer_mm

    @property
    def height_mm(self) -> float:
        """How high it is."""
        return self.foot_mm + len(self.temperatures_c) * self.step_mm

    def from_mm(self, step: int) -> float:
        """Return where a step begins, counted from 0, the hottest."""
        return self.foot_mm + step * self.step_mm

    def bodies(self) -> list[Body]:
        top_mm, layer_mm = self.height_mm, self.line.layer_mm
        thin = self.line.width_mm
        wall_x = self._half_mm
        slabs = [
            Slab(self._foot, 0.0, self.foot_mm),
            Slab(self._left, self.foot_mm, top_mm),
            Slab(self._right, self.foot_mm, top_mm),
            Slab(box(wall_x, -thin / 2, wall_x + _WALL_MM, thin / 2), self.foot_mm, top_mm),
            Slab(
                box(wall_x + _WALL_MM - thin, -thin / 2, wall_x + _WALL_MM, _LEG_MM - thin / 2),
                self.foot_mm,
                top_mm,
            ),
        ]
        for step in range(len(self.temperatures_c)):
            end = self.from_mm(step) + self.step_mm
            slabs.append(Slab(self._bridge, end - _BRIDGE_LAYERS * layer_mm, end))
        return [Body(f"columns {self.number}", (*slabs, *self._tab.slabs))]

    def layers(self) -> list[Layer]:
        layers = []
        for number in range(_FOOT_LAYERS + len(self.temperatures_c) * self._each):
            step, in_step = divmod(max(0, number - _FOOT_LAYERS), self._each)
            speed = first_speed(self._speed_mm_s) if number == 0 else self._speed_mm_s
            turned = number % 2 == 1
            if number < _FOOT_LAYERS:
                runs = filled(self._foot, self.line, speed, turned=turned)
            else:
                runs = [
                    *filled(self._left, self.line, speed, turned=turned),
                    *filled(self._right, self.line, speed, turned=turned),
                    self._thin_wall(speed),
                ]
                if in_step >= self._each - _BRIDGE_LAYERS:
                    runs += self._bridge_lines(speed)
            heat = self.temperatures_c[step]
            layers.append(Layer(top_of(number, self.line.layer_mm), tuple(runs), heat))
        return with_tab(layers, self._tab, self.line)

    def _thin_wall(self, speed_mm_s: float) -> Run:
        """Return a single line off the right column, with a leg to stand by."""
        line = self.line
        begin = self._half_mm - line.width_mm / 2
        end = self._half_mm + _WALL_MM - line.width_mm / 2
        points = ((begin, 0.0), (end, 0.0), (end, _LEG_MM - line.width_mm / 2))
        return Run(points, line.area_mm2, speed_mm_s)

    def _bridge_lines(self, speed_mm_s: float) -> list[Run]:
        """Return lines straight across the gap, each the other way than the one before."""
        line = self.line
        low_x, low_y, high_x, high_y = self._bridge.bounds
        # They are held by the columns at both ends.
        low_x, high_x = low_x - line.width_mm, high_x + line.width_mm
        count = max(1, int((high_y - low_y) / line.apart_mm))
        runs = []
        for number in range(count):
            y = low_y + (number + 0.5) * line.apart_mm
            ends = ((low_x, y), (high_x, y))
            points = ends if number % 2 == 0 else (ends[1], ends[0])
            runs.append(Run(points, line.area_mm2, speed_mm_s))
        return runs

    def slicing(self) -> list[tuple[str, str]]:
        return [
            ("walls", "two lines, and infill enough to be solid; the thin wall is one line"),
            ("supports", "none: the bridges are what is looked at"),
            ("temperature", "by height, as in the table (metier part N FILE.csv)"),
        ]

    def table(self) -> list[HeightRow]:
        rows = []
        for step, heat in enumerate(self.temperatures_c):
            low = 0.0 if step == 0 else self.from_mm(step)
            rows.append(HeightRow(low, self.from_mm(step) + self.step_mm, nozzle_c=heat))
        return rows

    def dimensions(self) -> list[Dimension]:
        half, height = self._half_mm, self.height_mm
        sizes = [
            Dimension("front", (half, 0), (half, height), f"{height:.4g}"),
            Dimension("front", (-half + _COLUMN_MM, height), (half - _COLUMN_MM, height),
                      f"gap {_GAP_MM:g}"),
            Dimension("above", (-half, _COLUMN_MM / 2), (-half + _COLUMN_MM, _COLUMN_MM / 2),
                      f"{_COLUMN_MM:g}"),
        ]  # fmt: skip
        for step, heat in enumerate(self.temperatures_c):
            low = self.from_mm(step)
            sizes.append(
                Dimension("front", (-half, low), (-half, low + self.step_mm), f"{heat:g} °C")
            )
        return sizes
