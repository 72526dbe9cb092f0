"""G-code as Metier writes it: absolute moves, relative E, millimetres, in the words that hobby
firmware shares."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.job.laid import BACK_MM_S, NEAR_MM, TRAVEL_MM_S
from metier.core.line.runs import Extent, Layer, Point, Run
from metier.core.refusal import Refusal

# The line that primes the nozzle along the front edge of the bed: how far from the edges, how
# long at most, its dose and its speed. Nothing is printed in front of it.
_PRIMED_MM, _LONGEST_MM, _PRIME_MM2, _PRIME_MM_S = 5.0, 100.0, 0.4, 15.0
KEEP_FREE_MM = 9.0
# The fan begins with the third layer, so that the first ones stick.
_FAN_LAYER = 2


class Bed(NamedTuple):
    """A bed by its size, and whether 0, 0 is its front left corner or its middle."""

    wide_mm: float
    deep_mm: float
    origin: str

    @property
    def middle(self) -> Point:
        """Where its middle lies, in the printer's coordinates."""
        return (0.0, 0.0) if self.origin == "centre" else (self.wide_mm / 2, self.deep_mm / 2)


class Machine(NamedTuple):
    """What belongs to a printer and a roll, and not to a part. ``start`` and ``end`` are G-code
    of the user's own, where there is some; ``steps`` the e-steps as a command has them, for a
    printer that forgets them."""

    bed: Bed
    nozzle_c: float
    bed_c: float
    filament_mm: float
    fan_percent: float = 0.0
    accel_mm_s2: float | None = None
    retract_mm: float = 1.0
    start: str | None = None
    end: str | None = None
    steps: str | None = None


def shift_on(bed: Bed, extent: Extent, *, primed: bool) -> Point:
    """Return how far a part moves to lie in the middle of a bed.

    Raises:
        Refusal: it is larger than the bed.
    """
    free_mm = KEEP_FREE_MM if primed else 0.0
    wide_mm, deep_mm = extent.size_mm
    if wide_mm > bed.wide_mm + 1e-9 or deep_mm > bed.deep_mm - free_mm + 1e-9:
        room = f"{bed.wide_mm:g} x {bed.deep_mm:g} mm"
        kept = f", of which {free_mm:g} in front are kept for priming" if primed else ""
        raise Refusal(
            f"the part is {wide_mm:.0f} x {deep_mm:.0f} mm, and the bed {room}{kept}: it is too "
            "large; a smaller one, or metier printer set --bed"
        )
    x, y = bed.middle
    return (
        round(x - (extent.low_x + extent.high_x) / 2, 2),
        round(y + free_mm / 2 - (extent.low_y + extent.high_y) / 2, 2),
    )


def gcode_of(
    layers: Sequence[Layer], machine: Machine, shift: Point, comments: Sequence[str]
) -> str:
    """Return layers as a file that is ready to print; ``comments`` stand at its head."""
    # Heated at once to what the first layer is printed at.
    machine = machine._replace(nozzle_c=layers[0].nozzle_c or machine.nozzle_c)
    pen = _Pen(machine, shift)
    pen.out += [f"; {text}" for text in comments]
    pen.begin(layers[0].top_mm)
    for number, layer in enumerate(layers):
        pen.layer(number, layer)
    pen.finish(layers[-1].top_mm)
    return "\n".join([*pen.out, ""])


class _Pen:
    """Writes moves; ``at`` is where it is on the part, None before it is anywhere."""

    def __init__(self, machine: Machine, shift: Point) -> None:
        self.machine, self.shift = machine, shift
        self.out: list[str] = []
        self.at: Point | None = None
        self.written: dict[Run, str] = {}
        self.drawn_back = False
        self.nozzle_c = machine.nozzle_c
        self.filament_mm2 = math.pi * machine.filament_mm**2 / 4

    def begin(self, first_mm: float) -> None:
        machine = self.machine
        if machine.start is None:
            self.out += [
                f"M140 S{machine.bed_c:g} ; heat the bed",
                f"M104 S{machine.nozzle_c:g} ; and the nozzle",
                "G28 ; home",
            ]
        else:
            heat = {"{nozzle}": f"{machine.nozzle_c:g}", "{bed}": f"{machine.bed_c:g}"}
            text = machine.start
            for word, value in heat.items():
                text = text.replace(word, value)
            self.out += text.splitlines()
        self.out += [
            f"M190 S{machine.bed_c:g} ; wait for the bed",
            f"M109 S{machine.nozzle_c:g} ; and for the nozzle",
            "G21 ; millimetres",
            "G90 ; absolute places",
            "M83 ; what is fed is relative",
            "G92 E0",
        ]
        if machine.steps:
            self.out.append(f"M92 E{machine.steps} ; e-steps, which the printer does not keep")
        if machine.accel_mm_s2:
            self.out.append(f"M204 S{machine.accel_mm_s2:g} ; acceleration")
        if machine.start is None:
            self._prime(first_mm)

    def _prime(self, height_mm: float) -> None:
        """Lay a line along the front edge of the bed, as high as the first layer."""
        bed = self.machine.bed
        left = bed.middle[0] - bed.wide_mm / 2 + _PRIMED_MM
        front = bed.middle[1] - bed.deep_mm / 2 + _PRIMED_MM
        length_mm = min(_LONGEST_MM, bed.wide_mm - 2 * _PRIMED_MM)
        fed_mm = length_mm * _PRIME_MM2 / self.filament_mm2
        self.out += [
            "; prime the nozzle",
            f"G0 X{_text(left)} Y{_text(front)} F{_text(60 * TRAVEL_MM_S)}",
            f"G1 Z{_text(height_mm)} F600",
            f"G1 X{_text(left + length_mm)} E{_text(fed_mm)} F{_text(60 * _PRIME_MM_S)}",
        ]
        self._draw_back()

    def layer(self, number: int, layer: Layer) -> None:
        self.out.append(f"; layer {number + 1}")
        if number == _FAN_LAYER and self.machine.fan_percent:
            self.out.append(f"M106 S{round(255 * self.machine.fan_percent / 100)}")
        self.out.append(f"G1 Z{_text(layer.top_mm)} F600")
        if layer.nozzle_c is not None and layer.nozzle_c != self.nozzle_c:
            # It goes on printing meanwhile: a nozzle that waits on a part oozes onto it.
            self.out.append(f"M104 S{layer.nozzle_c:g} ; from here on")
            self.nozzle_c = layer.nozzle_c
        for run in layer.runs:
            self._travel(run.points[0])
            # The same line lies in many layers.
            if run not in self.written:
                self.written[run] = self._lines(run)
            self.out.append(self.written[run])
            self.at = run.points[-1]

    def _lines(self, run: Run) -> str:
        """Return the moves of a run, from where it begins."""
        per_mm = run.area_mm2 / self.filament_mm2
        feed = f" F{_text(60 * run.speed_mm_s)}"
        before, moves = self._placed(run.points[0]), []
        for point in run.points[1:]:
            here = self._placed(point)
            fed = math.dist(before, here) * per_mm
            moves.append(f"G1 X{_text(here[0])} Y{_text(here[1])} E{_text(fed, 8)}{feed}")
            before, feed = here, ""
        return "\n".join(moves)

    def _placed(self, point: Point) -> Point:
        """Return a point as the file has it: what is fed for a line is reckoned from that."""
        return round(point[0] + self.shift[0], 6), round(point[1] + self.shift[1], 6)

    def _travel(self, point: Point) -> None:
        far = self.at is None or math.dist(self.at, point) > NEAR_MM
        if self.at is None or math.dist(self.at, point) > 1e-6:
            if far and not self.drawn_back:
                self._draw_back()
            here = self._placed(point)
            travel = f"F{_text(60 * TRAVEL_MM_S)}"
            self.out.append(f"G0 X{_text(here[0])} Y{_text(here[1])} {travel}")
        if self.drawn_back:
            self._feed(self.machine.retract_mm)
            self.drawn_back = False

    def _draw_back(self) -> None:
        if self.machine.retract_mm:
            self._feed(-self.machine.retract_mm)
            self.drawn_back = True

    def _feed(self, fed_mm: float) -> None:
        self.out.append(f"G1 E{_text(fed_mm)} F{_text(60 * BACK_MM_S)}")

    def finish(self, top_mm: float) -> None:
        machine = self.machine
        self.out.append("; end")
        if not self.drawn_back:
            self._draw_back()
        if machine.end is not None:
            self.out += machine.end.splitlines()
            return
        bed = machine.bed
        left = bed.middle[0] - bed.wide_mm / 2 + _PRIMED_MM
        back = bed.middle[1] + bed.deep_mm / 2 - _PRIMED_MM
        self.out += [
            f"G1 Z{_text(top_mm + 2)} F600",
            f"G0 X{_text(left)} Y{_text(back)} F{_text(60 * TRAVEL_MM_S)}",
            "M104 S0 ; off",
            "M140 S0",
            "M107",
            "M84",
        ]


def _text(value: float, places: int = 6) -> str:
    return f"{value:.{places}f}".rstrip("0").rstrip(".") if value else "0"
