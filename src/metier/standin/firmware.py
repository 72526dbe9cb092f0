"""The stand-in's control board: its memory, its heaters, its moves.

Time is whatever the caller says it is: a move may take until later, and is acknowledged then.
"""

import math
from collections import deque
from dataclasses import dataclass, field

from metier.standin.physics import (
    Fed,
    Heater,
    PrintedLine,
    bed_heater,
    nozzle_heater,
    pushed,
    strand_mm2,
)
from metier.standin.truth import Truth

_COLDEST_C = 170.0
# Moves that wait their turn; the next is taken once one of them is done.
_WAITING = 16
_LONGEST_FED_MM = 200.0
# What is fed back after a travel is no length that anybody measures.
_SHORTEST_MEASURED_MM = 5.0
FACTORY_ACCEL = 1000.0
_MOST_LINES, _MOST_FED = 2_000_000, 100_000
_LONGEST_MOVE_S = 600.0
# How long a turn of direction costs, beside its way.
_TURN_S = 0.004


@dataclass
class Memory:
    """What the board keeps: present values, and those stored for the next start."""

    steps: float
    stored_steps: float
    accel_mm_s2: float = FACTORY_ACCEL
    stored_accel_mm_s2: float = FACTORY_ACCEL

    def store(self) -> None:
        """Store what is present."""
        self.stored_steps, self.stored_accel_mm_s2 = self.steps, self.accel_mm_s2

    def restore(self) -> None:
        """Take up what is stored."""
        self.steps, self.accel_mm_s2 = self.stored_steps, self.stored_accel_mm_s2


@dataclass
class Place:
    """Where the head is and how moves are meant."""

    x: float = 0.0
    y: float = 0.0
    z: float = 0.0
    e: float = 0.0
    absolute: bool = True
    absolute_e: bool = True
    feed_mm_s: float = 20.0


@dataclass
class Firmware:
    """A board at work. ``lines`` are what is being printed now, ``fed`` the lengths fed so far,
    ``along_mm`` how much of the roll is used."""

    truth: Truth
    memory: Memory
    now_s: float = 0.0
    along_mm: float = 0.0
    nozzle: Heater = field(default_factory=nozzle_heater)
    bed: Heater = field(default_factory=bed_heater)
    place: Place = field(default_factory=Place)
    fan: int = 0
    lines: list[PrintedLine] = field(default_factory=list)
    # How long all moves took so far, and when the print began by that clock: however slowly lines
    # come, a print takes its own time.
    moving_s: float = 0.0
    begun_s: float = 0.0
    ended: bool = False
    # How often it reports its heat unasked, and after how long without a line it switches its
    # heaters off, in seconds of ours; 0 for never.
    reports_every_s: float = 0.0
    idle_s: float = 0.0
    fed: list[Fed] = field(default_factory=list)
    _ends_s: deque[float] = field(default_factory=deque)
    _feeding: Fed | None = None

    def pass_time_to(self, moment_s: float) -> None:
        """Let the heaters follow until a moment."""
        if moment_s > self.now_s:
            self.nozzle.pass_time(moment_s - self.now_s)
            self.bed.pass_time(moment_s - self.now_s)
            self.now_s = moment_s
        while self._ends_s and self._ends_s[0] <= self.now_s:
            self._ends_s.popleft()

    def power_cut(self) -> None:
        """Lose what was not stored, and all that was being done."""
        self.memory.restore()
        self.place, self.fan, self.reports_every_s, self.idle_s = Place(), 0, 0.0, 0.0
        self.nozzle.target_c = self.bed.target_c = 0.0
        self._ends_s.clear()
        self.close_feed()

    @property
    def idle_at_s(self) -> float:
        """When the last move that waits is done."""
        return self._ends_s[-1] if self._ends_s else self.now_s

    def temperatures(self) -> str:
        """Return the report of both heaters."""
        return (
            f"T:{self.nozzle.shown_c:.2f} /{self.nozzle.target_c:.2f} "
            f"B:{self.bed.shown_c:.2f} /{self.bed.target_c:.2f}"
        )

    def steps_report(self) -> str:
        """Return the steps of all axes."""
        return f"M92 X80.00 Y80.00 Z400.00 E{self.memory.steps:.2f}"

    # Moves.

    def move(self, words: dict[str, float]) -> tuple[list[str], float]:
        """Move, and lay down or feed what is to be fed."""
        place = self.place
        if words.get("F"):
            place.feed_mm_s = abs(words["F"]) / 60
        end = {}
        for axis in "XYZ":
            start = getattr(place, axis.lower())
            given = words.get(axis)
            end[axis] = start if given is None else given if place.absolute else start + given
        asked_mm = words.get("E", 0.0)
        if "E" in words and place.absolute_e:
            asked_mm -= place.e
        said = []
        if asked_mm > _LONGEST_FED_MM:
            said, asked_mm = ["longer than it feeds at once"], 0.0
        elif asked_mm > 0 and self.nozzle.heat_c < _COLDEST_C:
            said, asked_mm = ["too cold to feed"], 0.0
        way_mm = math.dist((place.x, place.y, place.z), (end["X"], end["Y"], end["Z"]))
        flat_mm = math.hypot(end["X"] - place.x, end["Y"] - place.y)
        speed = max(place.feed_mm_s, 0.01)
        time_s = (way_mm or abs(asked_mm)) / speed
        if asked_mm > 0 and flat_mm > 0:
            self._lay(end["X"], end["Y"], end["Z"], asked_mm, speed)
        elif asked_mm > 0 and way_mm == 0:
            self._feed(asked_mm, speed, time_s)
        else:
            self.close_feed()
        place.x, place.y, place.z = end["X"], end["Y"], end["Z"]
        if "E" in words:
            place.e = words["E"] if place.absolute_e else place.e + words["E"]
        time_s = min(time_s, _LONGEST_MOVE_S)
        self.moving_s += time_s + _TURN_S
        self._ends_s.append(self.idle_at_s + time_s + _TURN_S)
        return said, self._ends_s[-_WAITING] if len(self._ends_s) >= _WAITING else self.now_s

    def _lay(self, x_mm: float, y_mm: float, z_mm: float, asked_mm: float, speed: float) -> None:
        place, geared_mm = self.place, self._geared(asked_mm)
        if not self.lines:
            self.begun_s = self.moving_s
        if len(self.lines) >= _MOST_LINES:
            # No print is longer; whoever goes on prints into the air.
            return
        # What a short line is reckoned from is its own place on the roll.
        self.lines.append(
            PrintedLine(
                x0_mm=place.x,
                y0_mm=place.y,
                x1_mm=x_mm,
                y1_mm=y_mm,
                z_mm=z_mm,
                asked_mm=asked_mm,
                geared_mm=geared_mm,
                speed_mm_s=speed,
                accel_mm_s2=self.memory.accel_mm_s2,
                nozzle_c=self.nozzle.heat_c,
                along_mm=self.along_mm,
            )
        )
        self.along_mm += geared_mm

    def _feed(self, asked_mm: float, rate_mm_s: float, time_s: float) -> None:
        """Feed in place: lengths one right behind the other are one."""
        geared_mm = self._geared(asked_mm)
        flow_mm3_s = rate_mm_s * strand_mm2(self.truth.roll, self.along_mm)
        moved_mm = geared_mm * pushed(self.truth, flow_mm3_s, self.nozzle.heat_c)
        before = self._feeding or Fed(0.0, 0.0, rate_mm_s, self.nozzle.heat_c, 0.0)
        self._feeding = before._replace(
            asked_mm=before.asked_mm + asked_mm,
            moved_mm=before.moved_mm + moved_mm,
            time_s=before.time_s + time_s,
        )
        self.along_mm += moved_mm

    def _geared(self, asked_mm: float) -> float:
        return asked_mm * self.memory.steps / self.truth.gear.steps_per_mm

    def close_feed(self) -> None:
        long = self._feeding and self._feeding.asked_mm >= _SHORTEST_MEASURED_MM
        if self._feeding and long and len(self.fed) < _MOST_FED:
            self.fed.append(self._feeding)
        self._feeding = None

    def finish_print(self) -> None:
        """Say that what was printed is done."""
        self.ended = bool(self.lines)
