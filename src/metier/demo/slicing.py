"""Small slicers of cube, ramp and globe: the sliced files of the worked example and of the tests.

Each writes plain G-code of a shape it knows exactly, in any of the line models.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.line.bead import rounding_mm
from metier.core.values import LineModel


class SlicedLine(NamedTuple):
    """The line that is printed: width asked for, layer height, line model, flow (a ratio)."""

    width_mm: float
    layer_mm: float
    line_model: LineModel = "rectangular"
    flow: float = 1.0

    @property
    def apart_mm(self) -> float:
        """How far lines lie apart."""
        if self.line_model == "rounded":
            return self.width_mm - rounding_mm(self.layer_mm)
        return self.width_mm

    @property
    def area_mm2(self) -> float:
        """The cross-section dosed; lines of the plain model are round and a width apart."""
        dosed = self.width_mm
        if self.line_model != "rectangular":
            dosed -= rounding_mm(self.layer_mm)
        return dosed * self.layer_mm * self.flow


class Style(NamedTuple):
    """How the file is written: relative E, arcs for round things, decimals (None: all)."""

    relative: bool = False
    arcs: bool = False
    xy_places: int | None = None
    e_places: int | None = None
    diameter_mm: float = 1.75


class _Pen:
    """Writes moves, keeping count of E."""

    def __init__(self, style: Style, line: SlicedLine) -> None:
        self.style, self.line = style, line
        self.out = ["G21", "G90", "M83" if style.relative else "M82", "G92 E0"]
        self.e = self.z = self.climb = 0.0
        self.at = (0.0, 0.0)
        self.area = math.pi * style.diameter_mm**2 / 4

    def _number(self, value: float, places: int | None) -> str:
        text = f"{value:.{9 if places is None else places}f}"
        return text.rstrip("0").rstrip(".") or "0"

    def _xy(self, x: float, y: float) -> str:
        places = self.style.xy_places
        self.at = (x, y)
        return f"X{self._number(x, places)} Y{self._number(y, places)}"

    def _feed(self, e: float) -> str:
        places = self.style.e_places
        if self.style.relative:
            return f"E{self._number(e, places)}"
        self.e += e
        return f"E{self._number(self.e, places)}"

    def _up(self, length: float) -> str:
        """Return the height to rise to along a way, where lines climb."""
        self.z += length * self.climb
        return f" Z{self._number(self.z, 4)}" if self.climb else ""

    def layer(self, z: float, number: int) -> None:
        self.z = z
        self.out += [f"; layer {number}", f"G1 Z{self._number(z, 4)} F600"]

    def travel(self, x: float, y: float) -> None:
        self.out += [f"G1 {self._feed(-0.8)} F2400", f"G0 {self._xy(x, y)} F9000"]
        self.out.append(f"G1 {self._feed(0.8)} F2400")

    def speed(self, mm_s: float) -> None:
        self.out.append(f"G1 F{self._number(60 * mm_s, 3)}")

    def to(self, x: float, y: float) -> None:
        length = math.hypot(x - self.at[0], y - self.at[1])
        e = length * self.line.area_mm2 / self.area
        self.out.append(f"G1 {self._xy(x, y)}{self._up(length)} {self._feed(e)}")

    def arc(self, x: float, y: float, centre: tuple[float, float], turn: float) -> None:
        """Draw an arc against the clock by ``turn`` about a centre, or its chords."""
        x0, y0 = self.at
        radius = math.hypot(x0 - centre[0], y0 - centre[1])
        if self.style.arcs and not self.climb:
            e = radius * turn * self.line.area_mm2 / self.area
            i, j = (
                self._number(length, self.style.xy_places)
                for length in (centre[0] - x0, centre[1] - y0)
            )
            self.out.append(f"G3 {self._xy(x, y)} I{i} J{j} {self._feed(e)}")
            return
        begin = math.atan2(y0 - centre[1], x0 - centre[0])
        count = max(8, math.ceil(radius * turn / 0.8))
        for n in range(1, count):
            angle = begin + turn * n / count
            self.to(centre[0] + radius * math.cos(angle), centre[1] + radius * math.sin(angle))
        self.to(x, y)

    def text(self) -> str:
        return "\n".join([*self.out, "M104 S0", "M84", ""])


def _turned(x: float, y: float, angle: float, middle: float) -> tuple[float, float]:
    cos, sin = math.cos(angle), math.sin(angle)
    return middle + x * cos - y * sin, middle + x * sin + y * cos


def cube(
    line: SlicedLine,
    style: Style = Style(),  # noqa: B008 (immutable)
    *,
    walls: int = 1,
    side_mm: float = 30.0,
    layers: int = 30,
    speed_mm_s: float = 40.0,
    angle: float = 0.0,
    bottom: int = 2,
    closed_top: bool = False,
    corner_mm: float = 2.0,
    spiral: bool = False,
) -> str:
    """Return a hollow cube with rounded corners, printed from the outside in.

    A ``spiral`` is one of a single line that rises all the way, above a flat bottom.
    """
    pen = _Pen(style, line)
    for number in range(1, (bottom if spiral else layers) + 1):
        pen.layer(number * line.layer_mm, number)
        for wall in range(walls):
            half = side_mm / 2 - line.width_mm / 2 - wall * line.apart_mm
            _loop(pen, half, max(corner_mm - wall * line.apart_mm, 0.3), angle, speed_mm_s)
        if number <= bottom or (closed_top and number == layers):
            _fill(pen, side_mm / 2 - (walls + 0.5) * line.width_mm, angle + math.pi / 4, speed_mm_s)
    if spiral:
        _spiral(pen, side_mm / 2 - line.width_mm / 2, corner_mm, angle, [speed_mm_s] * layers)
    return pen.text()


def _spiral(
    pen: _Pen, half: float, corner: float, angle: float, speeds_mm_s: Sequence[float]
) -> None:
    """Draw a square that rises by a layer each time round, at these speeds."""
    around_mm = 8 * (half - corner) + 2 * math.pi * corner
    _to_start(pen, half - corner, half, angle)
    pen.climb = pen.line.layer_mm / around_mm
    for speed_mm_s in speeds_mm_s:
        _round(pen, half, corner, angle, speed_mm_s)
    pen.climb = 0.0


def _to_start(pen: _Pen, reach: float, half: float, angle: float) -> None:
    pen.travel(*_turned(-reach, -half, angle, 100.0))


def _loop(pen: _Pen, half: float, corner: float, angle: float, speed_mm_s: float) -> None:
    """Draw a square with rounded corners, against the clock."""
    _to_start(pen, half - corner, half, angle)
    _round(pen, half, corner, angle, speed_mm_s)


def _round(pen: _Pen, half: float, corner: float, angle: float, speed_mm_s: float) -> None:
    """Go once round it."""
    reach = half - corner
    pen.speed(speed_mm_s)
    for n in range(4):
        side = angle + n * math.pi / 2
        pen.to(*_turned(reach, -half, side, 100.0))
        centre = _turned(reach, -reach, side, 100.0)
        pen.arc(*_turned(half, -reach, side, 100.0), centre, math.pi / 2)


def _fill(pen: _Pen, half: float, angle: float, speed_mm_s: float) -> None:
    """Fill the square inside with lines to and fro."""
    inside = half / math.sqrt(2)
    pen.travel(*_turned(-inside, -inside, angle, 100.0))
    pen.speed(speed_mm_s)
    count = int(2 * inside / pen.line.apart_mm)
    for n in range(count):
        y = -inside + n * pen.line.apart_mm
        ends = (inside, -inside) if n % 2 == 0 else (-inside, inside)
        pen.to(*_turned(ends[0], y, angle, 100.0))
        pen.to(*_turned(ends[0], y + pen.line.apart_mm, angle, 100.0))


def ramp(
    line: SlicedLine,
    flows_mm3_s: list[float],
    layers_each: int,
    style: Style = Style(),  # noqa: B008 (immutable)
    *,
    side_mm: float = 50.0,
    radius_mm: float | None = None,
    accel_mm_s2: float | None = None,
    foot_layers: int = 0,
    foot_mm3_s: float = 3.0,
    cap_mm3_s: float = math.inf,
    spiral: bool = False,
) -> str:
    """Return a square tube of one line whose flow rises step by step; ``cap`` flattens it.

    With a ``radius_mm`` it is round. A ``spiral`` rises all the way, above a foot that lies flat.
    """
    pen = _Pen(style, line)
    pen.out += [f"M204 S{accel_mm_s2:g}"] if accel_mm_s2 else []
    rising = [flow for flow in flows_mm3_s for _ in range(layers_each)]
    flows = [foot_mm3_s] * foot_layers + ([] if spiral else rising)
    for number, flow in enumerate(flows, 1):
        pen.layer(number * line.layer_mm, number)
        speed_mm_s = min(flow, cap_mm3_s) / line.area_mm2
        if radius_mm:
            _ring(pen, radius_mm, speed_mm_s)
        else:
            _loop(pen, side_mm / 2, 4.0, 0.0, speed_mm_s)
    if spiral:
        speeds = [min(flow, cap_mm3_s) / line.area_mm2 for flow in rising]
        _spiral(pen, side_mm / 2, 4.0, 0.0, speeds)
    return pen.text()


def globe(
    line: SlicedLine,
    style: Style = Style(),  # noqa: B008 (immutable)
    *,
    radius_mm: float = 30.0,
    walls: int = 2,
    speed_mm_s: float = 200.0,
    limit_mm3_s: float = math.inf,
    least_layer_s: float = 2.0,
) -> str:
    """Return a thin-walled globe on a small flat, its speed held back by a limit.

    Where it is narrow, layers are slowed down to last ``least_layer_s``.
    """
    pen = _Pen(style, line)
    fastest_mm_s = min(speed_mm_s, limit_mm3_s / line.area_mm2)
    layers = int(1.9 * radius_mm / line.layer_mm)
    for number in range(1, layers + 1):
        z = number * line.layer_mm
        pen.layer(z, number)
        around = 2 * math.pi * walls
        round_mm = math.sqrt(max(radius_mm**2 - (z - 0.95 * radius_mm) ** 2, 4.0))
        speed_mm_s = min(fastest_mm_s, around * round_mm / least_layer_s)
        for wall in range(walls):
            # Outlines are printed slower than what lies behind them.
            _ring(pen, round_mm - wall * line.apart_mm, speed_mm_s if wall else speed_mm_s * 0.6)
    return pen.text()


def _ring(pen: _Pen, radius: float, speed_mm_s: float) -> None:
    """Draw a circle, in two arcs."""
    pen.travel(100.0 + radius, 100.0)
    pen.speed(speed_mm_s)
    pen.arc(100.0 - radius, 100.0, (100.0, 100.0), math.pi)
    pen.arc(100.0 + radius, 100.0, (100.0, 100.0), math.pi)


def workshop_files() -> dict[str, str]:
    """Return the sliced files of the worked example by name."""
    style = Style(arcs=True, xy_places=3, e_places=5)
    line = SlicedLine(0.5, 0.2, "rounded", 0.92)
    return {
        "globe-old.gcode": globe(line, style, radius_mm=45.0, limit_mm3_s=10.0),
        "globe-new.gcode": globe(line, style, radius_mm=45.0, limit_mm3_s=12.0),
    }
