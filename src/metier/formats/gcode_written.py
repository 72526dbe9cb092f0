"""G-code as Metier writes it: absolute moves, relative E, millimetres, in the words that hobby
firmware shares."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.job.moves import BACK_MM_S, TRAVEL_MM_S, Step, steps_of
from metier.core.line.runs import Extent, Layer, Point, Run

# The line that primes the nozzle lies along the front edge of the bed: how far from the edges, how
# long at most, as how many bores wide and how fast. The nozzle is wiped along so much of it.
# Nothing is printed in front of it.
_PRIMED_MM, _LONGEST_MM, _PRIME_BORES, _PRIME_MM_S, _WIPED_MM = 5.0, 100.0, 2.0, 20.0, 5.0
KEEP_FREE_MM = 9.0
# It is kept so far off the bed while it warms up, and off the part when it is done.
_LIFTED_MM = 10.0
_LIFT_F = "F600"


class Bed(NamedTuple):
    """A bed by its size, and whether 0, 0 is its front left corner or its middle; how high it is
    printed on, where that is known."""

    wide_mm: float
    deep_mm: float
    origin: str
    high_mm: float | None = None

    @property
    def middle(self) -> Point:
        """Where its middle lies, in the printer's coordinates."""
        return (0.0, 0.0) if self.origin == "centre" else (self.wide_mm / 2, self.deep_mm / 2)


class Machine(NamedTuple):
    """What belongs to a printer and a roll, and not to a part. It is primed with no more than
    ``prime_mm3_s``. ``start`` and ``end`` are G-code of the user's own, where there is some;
    ``steps`` the e-steps as a command has them, for a printer that forgets them."""

    bed: Bed
    nozzle_c: float
    bed_c: float
    filament_mm: float
    bore_mm: float
    prime_mm3_s: float
    fan_percent: float = 0.0
    accel_mm_s2: float | None = None
    retract_mm: float = 1.0
    start: str | None = None
    end: str | None = None
    steps: str | None = None


def shift_on(bed: Bed, extent: Extent, high_mm: float, *, primed: bool) -> Point:
    """Return how far a part moves to lie in the middle of a bed.

    Raises:
        BadInput: it is larger than the bed, or higher than the printer.
    """
    free_mm = KEEP_FREE_MM if primed else 0.0
    wide_mm, deep_mm = extent.size_mm
    if wide_mm > bed.wide_mm + 1e-9 or deep_mm > bed.deep_mm - free_mm + 1e-9:
        room = f"{bed.wide_mm:g} x {bed.deep_mm:g} mm"
        kept = f", of which {free_mm:g} in front are kept for priming" if primed else ""
        raise BadInput(
            f"the part is {wide_mm:.0f} x {deep_mm:.0f} mm, and the bed {room}{kept}: it is too "
            "large; a smaller one, or metier printer set --bed"
        )
    refuse_height(bed.high_mm, high_mm)
    x, y = bed.middle
    return (
        round(x - (extent.low_x + extent.high_x) / 2, 2),
        round(y + free_mm / 2 - (extent.low_y + extent.high_y) / 2, 2),
    )


def refuse_height(most_mm: float | None, high_mm: float) -> None:
    """Refuse what a printer does not reach, where it is known how high it prints.

    Raises:
        BadInput: higher than that.
    """
    if most_mm is not None and high_mm > most_mm + 1e-9:
        raise BadInput(
            f"the part is {high_mm:.1f} mm high, and the printer prints {most_mm:g}: a lower one, "
            "or metier printer set --bed XxYxZ"
        )


def prime_area_mm2(bore_mm: float, layer_mm: float) -> float:
    """Return the cross-section of the line that primes a nozzle."""
    return _PRIME_BORES * bore_mm * layer_mm


def gcode_of(
    layers: Sequence[Layer], machine: Machine, shift: Point, comments: Sequence[str]
) -> str:
    """Return layers as a file that is ready to print; ``comments`` stand at its head."""
    # Heated at once to what the first layer is printed at.
    machine = machine._replace(nozzle_c=layers[0].nozzle_c or machine.nozzle_c)
    pen = _Pen(machine, shift)
    pen.out += [f"; {text}" for text in comments]
    pen.begin(layers[0].top_mm)
    # The fan begins with the third layer, so that the first ones stick.
    still_mm = layers[1].top_mm if len(layers) > 1 else layers[0].top_mm
    for number, (layer, steps) in enumerate(steps_of(layers, pen.filament_mm2, machine.retract_mm)):
        pen.layer(number, layer, steps, fan=layer.top_mm > still_mm + 1e-9)
    pen.finish(max(layer.top_mm for layer in layers))
    return "\n".join([*pen.out, ""])


class _Pen:
    """Writes moves."""

    def __init__(self, machine: Machine, shift: Point) -> None:
        self.machine, self.shift = machine, shift
        self.out: list[str] = []
        self.at: Point | None = None
        self.written: dict[Run, str] = {}
        self.drawn_back = self.fan = False
        self.nozzle_c = machine.nozzle_c
        self.filament_mm2 = math.pi * machine.filament_mm**2 / 4

    @property
    def _front_left(self) -> Point:
        """Where the nozzle is primed."""
        bed = self.machine.bed
        x, y = bed.middle
        return x - bed.wide_mm / 2 + _PRIMED_MM, y - bed.deep_mm / 2 + _PRIMED_MM

    def begin(self, first_mm: float) -> None:
        machine = self.machine
        self._own_start() if machine.start is not None else self._home()
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

    def _own_start(self) -> None:
        text = self.machine.start or ""
        heat = {"{nozzle}": f"{self.machine.nozzle_c:g}", "{bed}": f"{self.machine.bed_c:g}"}
        for word, value in heat.items():
            text = text.replace(word, value)
        self.out += text.splitlines()

    def _home(self) -> None:
        """Home cold, and wait above the front edge, where what oozes out lies on nothing."""
        left, front = self._front_left
        self.out += [
            "G28 ; home",
            "G21",
            "G90",
            f"G1 Z{_text(_LIFTED_MM)} {_LIFT_F} ; off the bed",
            f"G0 X{_text(left)} Y{_text(front)} {_TRAVEL_F}",
            f"M140 S{self.machine.bed_c:g} ; heat the bed",
            f"M104 S{self.machine.nozzle_c:g} ; and the nozzle",
        ]

    def _prime(self, height_mm: float) -> None:
        """Lay a line along the front edge of the bed, as high as the first layer, and wipe the
        nozzle along its end."""
        left, front = self._front_left
        length_mm = min(_LONGEST_MM, self.machine.bed.wide_mm - 2 * _PRIMED_MM)
        area_mm2 = prime_area_mm2(self.machine.bore_mm, height_mm)
        fed_mm = length_mm * area_mm2 / self.filament_mm2
        speed_mm_s = min(_PRIME_MM_S, self.machine.prime_mm3_s / area_mm2)
        end = left + length_mm
        self.out += [
            "; prime the nozzle",
            f"G0 X{_text(left)} Y{_text(front)} {_TRAVEL_F}",
            f"G1 Z{_text(height_mm)} {_LIFT_F}",
            f"G1 X{_text(end)} E{_text(fed_mm)} F{_text(60 * speed_mm_s)}",
        ]
        self._draw_back()
        self.out.append(f"G0 X{_text(end - _WIPED_MM)} {_TRAVEL_F} ; wipe it")

    def layer(self, number: int, layer: Layer, steps: Sequence[Step], *, fan: bool) -> None:
        self.out.append(f"; layer {number + 1}")
        if fan != self.fan and self.machine.fan_percent:
            self.out.append(f"M106 S{round(255 * self.machine.fan_percent / 100) if fan else 0}")
            self.fan = fan
        if steps[0].over_mm is None:
            self.out.append(f"G1 Z{_text(layer.top_mm)} {_LIFT_F}")
        if layer.nozzle_c is not None and layer.nozzle_c != self.nozzle_c:
            # It goes on printing meanwhile: a nozzle that waits on a part oozes onto it.
            self.out.append(f"M104 S{layer.nozzle_c:g} ; from here on")
            self.nozzle_c = layer.nozzle_c
        for step in steps:
            self._travel(step, layer.top_mm)
            # The same line lies in many layers.
            if step.run not in self.written:
                self.written[step.run] = self._lines(step.run)
            self.out.append(self.written[step.run])
            self.at = step.run.points[-1]

    def _lines(self, run: Run) -> str:
        """Return the moves of a run, from where it begins."""
        per_mm = run.area_mm2 / self.filament_mm2
        feed = f" F{_text(60 * run.speed_mm_s)}"
        before, moves = self._placed(run.points[0]), []
        for point in run.points[1:]:
            place = self._placed(point)
            fed = math.dist(before, place) * per_mm
            moves.append(f"G1 X{_text(place[0])} Y{_text(place[1])} E{_text(fed, 8)}{feed}")
            before, feed = place, ""
        return "\n".join(moves)

    def _placed(self, point: Point) -> Point:
        """Return a point as the file has it: what is fed for a line goes by that."""
        return round(point[0] + self.shift[0], 6), round(point[1] + self.shift[1], 6)

    def _travel(self, step: Step, top_mm: float) -> None:
        begin = step.run.points[0]
        if self.at is None or math.dist(self.at, begin) > 1e-6 or step.over_mm is not None:
            if step.draws_back and not self.drawn_back:
                self._draw_back()
            x, y = self._placed(begin)
            if step.over_mm is not None:
                self.out.append(f"G1 Z{_text(step.over_mm)} {_LIFT_F} ; over what stands")
            self.out.append(f"G0 X{_text(x)} Y{_text(y)} {_TRAVEL_F}")
            if step.over_mm is not None:
                self.out.append(f"G1 Z{_text(top_mm)} {_LIFT_F}")
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
        left, _ = self._front_left
        back = bed.middle[1] + bed.deep_mm / 2 - _PRIMED_MM
        lifted_mm = top_mm + _LIFTED_MM
        if bed.high_mm is not None:
            lifted_mm = max(top_mm, min(lifted_mm, bed.high_mm))
        self.out += [
            f"G1 Z{_text(lifted_mm)} {_LIFT_F}",
            f"G0 X{_text(left)} Y{_text(back)} {_TRAVEL_F} ; out of the way",
            "M104 S0 ; all off",
            "M140 S0",
            "M107",
            "M84",
        ]


def _text(value: float, places: int = 6) -> str:
    return f"{value:.{places}f}".rstrip("0").rstrip(".") if value else "0"


_TRAVEL_F = f"F{_text(60 * TRAVEL_MM_S)}"
