"""The guard: it knows what each heater was told and what it shows, and when one has to go off.

It reckons with what it is told and with the moments it is told it at; what to do about a fault is
for whoever holds the line.
"""

import re
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache, reduce
from operator import xor
from typing import NamedTuple

from metier.cable.port import HeaterFault
from metier.cable.replies import Shown, shown_in

_COMMAND = re.compile(r"(?<![A-Z])(?=[GM]\s*\d)")


_HEAD = re.compile(r"([GMT])\s*(\d{1,5})(?:\.\d+)?")


_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")


_AROUND = re.compile(r"^\s*N\s*\d+\s*|\*\s*\d+\s*$|\([^)]*\)")


# What stands behind these is text or the name of a file.
_WITH_TEXT = (23, 28, 30, 32, 98, 117, 118)


# No coordinate, temperature or length is larger; more digits are none.
_LARGEST = 1e6


class Command(NamedTuple):
    """A command such as G1 or M104, and its words by letter."""

    letter: str
    number: int
    words: Mapping[str, float]

    @property
    def code(self) -> str:
        """What people call it."""
        return f"{self.letter}{self.number}"


# A line is looked at from several sides on its way out.
@lru_cache(maxsize=16)
def commands_of(line: str) -> tuple[Command, ...]:
    """Return the commands of a line, in whatever way it is written: a number in front and a
    checksum behind, comments, small letters, no blanks, several at once.

    >>> for command in commands_of("N7 m104s210 G1X1.5*33"):
    ...     print(command.code, command.words)
    M104 {'S': 210.0}
    G1 {'X': 1.5}
    """
    text = line.partition(";")[0].upper()
    while (bare := _AROUND.sub("", text)) != text:
        text = bare
    commands: list[Command] = []
    for part in _COMMAND.split(text):
        head = _HEAD.match(part.strip())
        if not head:
            continue
        letter, number = head[1], int(head[2])
        rest = part.strip()[head.end() :]
        text_behind = letter == "M" and number in _WITH_TEXT
        words = (
            {} if text_behind else {name: _bounded(value) for name, value in _WORD.findall(rest)}
        )
        commands.append(Command(letter, number, words))
        if text_behind:
            break
    return tuple(commands)


def _bounded(text: str) -> float:
    return max(-_LARGEST, min(_LARGEST, float(text[:400])))


def numbered(number: int, command: str) -> str:
    """Return a command as a line with its number and its checksum: all its bytes by exclusive or.

    >>> numbered(1, "M105")
    'N1 M105*38'
    """
    body = f"N{number} {command}"
    return f"{body}*{reduce(xor, body.encode('ascii', 'replace'), 0)}"


# So far above what it was told, or above the least it fell to since, a heater climbs by itself.
_CLIMBS_C = 15.0
# What a heater that is off may be warmed to by the others.
_WARMED_C = 70.0
# A heater that is told its very highest swings a little about it.
_SWINGS_C = 5.0
# So far below what it was told a heater has to gain; how much, and in what time.
_GAINS_C = 2.0
# What a sensor can show.
_SENSED_C = (-40.0, 600.0)
# What is reported without being asked for, or asked for every few seconds, does not stay away.
_UNSEEN_S = 30.0
_NAMES = {"B": "bed", "C": "chamber", "T": "nozzle"}
# What sets the heat of which heater; of the nozzle, where none is named.
_SETS = {104: "T", 109: "T", 140: "B", 190: "B", 141: "C", 191: "C"}
# What begins a tuning, which heats; what sets the heats of a tool by its table.
_TUNES, _TABLES = "M303", ("G10", "M568")


class Most(NamedTuple):
    """How hot nozzle, bed and chamber may get."""

    nozzle_c: float = 300.0
    bed_c: float = 130.0
    chamber_c: float = 100.0

    def of(self, heater: str) -> float:
        """Return that of a heater by its letter."""
        return {"B": self.bed_c, "C": self.chamber_c}.get(heater[0], self.nozzle_c)


# For what is meant whatever was said.
ANY_HEAT = Most(_SENSED_C[1], _SENSED_C[1], _SENSED_C[1])


class _Slow(NamedTuple):
    """How far below its target a heater has to gain, and within which time."""

    below_c: float
    within_s: float


_SLOW = {"B": _Slow(10.0, 120.0), "C": _Slow(10.0, 900.0), "T": _Slow(8.0, 40.0)}


@dataclass
class _Heater:
    """One heater: what it was told, what it shows; since then the lowest it showed, and the least
    that it was meant to come down to."""

    target_c: float = 0.0
    # What it was sent last, whatever a report from before that still says.
    sent_c: float = 0.0
    now_c: float | None = None
    least_c: float | None = None
    lowest_c: float | None = None
    # What it showed, moment by moment, as long as it is far below its target.
    climbing: deque[tuple[float, float]] = field(default_factory=deque)

    def aim(self, target_c: float) -> None:
        """Take another target."""
        if target_c != self.target_c:
            self.target_c, self.least_c, self.lowest_c = target_c, None, None
            self.climbing.clear()


class Guard:
    """What is known of a printer's heaters, of which none may do what a heater should not."""

    def __init__(self, most: Most | None = None) -> None:
        self.most = most or Most()
        # Once the heaters are being switched off, nothing keeps from that.
        self.ending = False
        # What stays on when all is well: it was meant.
        self.keeps = False
        self.ever_on = False
        self._heaters: dict[str, _Heater] = {}
        self._tool = 0
        # Whether a board reports its heat unasked.
        self._reports = False
        self._seen_s = 0.0
        # Whether its targets were read off the board since the last one was sent.
        self._read_back = False

    # What it is told.

    def sent(self, line: str, now_s: float) -> None:
        """Take note of a line on its way to the printer."""
        for command in commands_of(line):
            if command.letter == "T":
                self._tool = command.number
            if command.code == "M155" and not command.words.get("S"):
                self._reports = False
            heater, target_c = self.target_of(command)
            if heater and target_c is not None:
                self._heater(heater).aim(max(0.0, target_c))
                self._heater(heater).sent_c = target_c
                self._read_back, self._seen_s = False, now_s
                self.ever_on = self.ever_on or target_c > 0

    def target_of(self, command: Command) -> tuple[str, float | None]:
        """Return which heater a command is for, and what it is to reach; no name for another."""
        heater = _SETS.get(command.number, "") if command.letter == "M" else ""
        if not heater:
            return "", None
        target_c = command.words.get("S", command.words.get("R"))
        if heater != "T":
            return heater, target_c
        return f"T{int(command.words.get('T', self._tool))}", target_c

    def heats_to(self, command: Command) -> tuple[str, float]:
        """Return which heater a command may heat and how far, whatever it is for: what it is told
        to reach, to tune for, or to keep at standby; no name for what heats nothing."""
        heater, target_c = self.target_of(command)
        words = command.words
        hottest_c = max(words.get("S", 0.0), words.get("R", 0.0))
        if command.code == _TUNES:
            # The bed is heater -1, and the chamber -2.
            tool = int(words.get("E", words.get("H", 0.0)))
            return {-1: "B", -2: "C"}.get(tool, f"T{max(tool, 0)}"), hottest_c
        if command.code in _TABLES and "P" in words:
            return f"T{int(max(words['P'], 0.0))}", hottest_c
        return heater, target_c or 0.0

    def would_heat(self, line: str) -> bool:
        """Tell whether a line would switch a heater on."""
        return any(self.heats_to(command)[1] > 0 for command in commands_of(line))

    def came(self, text: str, now_s: float, *, unasked: bool) -> None:
        """Take note of a line from the printer, which may report its heat.

        Raises:
            HeaterFault: a heater does what it should not.
        """
        seen = shown_in(text)
        if seen:
            self._seen_s, self._reports = now_s, self._reports or unasked
        for shown in seen:
            self._take(shown, now_s)

    def look(self, now_s: float, *, polled: bool) -> None:
        """Look at the clock; ``polled`` tells that the heat was asked for just now.

        Raises:
            HeaterFault: a heater is on, and what it shows is not reported any more.
        """
        due = polled or self._reports
        if due and self.on and not self.ending and now_s - self._seen_s > _UNSEEN_S:
            raise HeaterFault(
                f"the printer has not said for {_UNSEEN_S:.0f} s how hot its {self._called()} is"
            )

    # What it knows.

    @property
    def on(self) -> bool:
        """Whether a heater is on, as far as is known."""
        return any(heater.target_c > 0 for heater in self._known.values())

    @property
    def _known(self) -> dict[str, _Heater]:
        """The heaters that there are: a chamber that the printer never reports is none."""
        return {
            name: heater
            for name, heater in self._heaters.items()
            if name != "C" or heater.now_c is not None
        }

    @property
    def left_on(self) -> bool:
        """Whether what was sent last to some heater leaves it on."""
        return any(heater.sent_c > 0 for heater in self._known.values())

    @property
    def is_off(self) -> bool:
        """Whether the printer itself said that all of them are off."""
        return self._read_back and not self.on and any(name[0] == "T" for name in self._heaters)

    def on_in_words(self) -> str:
        """Return what is on, for people.

        >>> guard = Guard()
        >>> guard.sent("M104 S210", 0); guard.sent("M140 S60", 0); guard.on_in_words()
        'its nozzle stays on at 210 °C and its bed at 60 °C'
        """
        words = [
            f"its {called_heater(name)} {{}}at {heater.target_c:g} °C"
            for name, heater in self._known.items()
            if heater.target_c > 0
        ]
        return " and ".join(words).replace("{}", "stays on ", 1).replace("{}", "")

    @property
    def nozzle(self) -> str:
        """The nozzle in use, as it is known here."""
        return f"T{self._tool}"

    def now_c(self, heater: str) -> float | None:
        """Return what a heater shows; None where it was never reported."""
        known = self._heaters.get(heater)
        return known.now_c if known else None

    def must_be_off(self) -> None:
        """Let nothing stay on, and its being off be read back."""
        self.keeps, self.ever_on, self._read_back = False, True, False

    def off_commands(self) -> list[str]:
        """Return what switches every heater off that this printer is known to have."""
        tools = {int(name[1:]) for name in self._heaters if name[0] == "T"} - {self._tool}
        chamber = ["M141 S0"] if "C" in self._heaters else []
        return ["M104 S0", *(f"M104 T{tool} S0" for tool in sorted(tools)), "M140 S0", *chamber]

    # How it judges.

    def _take(self, shown: Shown, now_s: float) -> None:
        name = self.nozzle if shown.heater == "T" else shown.heater
        heater = self._heater(name)
        if shown.target_c is not None:
            heater.aim(max(0.0, shown.target_c))
            self._read_back = True
            self.ever_on = self.ever_on or heater.target_c > 0
        heater.now_c = shown.now_c
        floor_c = max(shown.now_c, heater.target_c)
        heater.least_c = floor_c if heater.least_c is None else min(heater.least_c, floor_c)
        lowest_c = heater.lowest_c
        heater.lowest_c = shown.now_c if lowest_c is None else min(lowest_c, shown.now_c)
        if not self.ending:
            self._judge(name, heater, now_s)

    def _judge(self, name: str, heater: _Heater, now_s: float) -> None:
        now_c, target_c = heater.now_c, heater.target_c
        assert now_c is not None
        assert heater.least_c is not None
        assert heater.lowest_c is not None
        called, most_c = called_heater(name), self.most.of(name[0])
        if target_c > 0 and not _SENSED_C[0] <= now_c <= _SENSED_C[1]:
            raise HeaterFault(f"the {called} shows {now_c:g} °C: look at its sensor")
        least_c = heater.least_c if target_c > 0 else max(heater.least_c, _WARMED_C)
        if now_c > least_c + _CLIMBS_C + 1e-9:
            told = f"its {target_c:g}" if target_c > 0 else "where it was, though it is off"
            raise HeaterFault(
                f"the {called} climbs to {now_c:.0f} °C, over {told}: if it goes on, switch the "
                "printer off"
            )
        swings_c = _SWINGS_C if most_c - _SWINGS_C < target_c <= most_c else 0.0
        # What only cools down from hotter is on its way.
        if now_c > most_c + swings_c + 1e-9 and now_c > heater.lowest_c + _GAINS_C:
            raise HeaterFault(f"the {called} shows {now_c:.0f} °C and may have {most_c:g}")
        slow = _SLOW[name[0]]
        if target_c - now_c <= slow.below_c:
            heater.climbing.clear()
            return
        heater.climbing.append((now_s, now_c))
        while len(heater.climbing) > 1 and now_s - heater.climbing[1][0] >= slow.within_s:
            heater.climbing.popleft()
        then_s, then_c = heater.climbing[0]
        if now_s - then_s >= slow.within_s and now_c - then_c < _GAINS_C:
            raise HeaterFault(
                f"the {called} stays at {now_c:.0f} °C and is to reach {target_c:g}: look at its "
                "wires, its sensor and its fan"
            )

    def _heater(self, name: str) -> _Heater:
        return self._heaters.setdefault(name, _Heater())

    def _called(self) -> str:
        return next(
            called_heater(name) for name, heater in self._known.items() if heater.target_c > 0
        )


def called_heater(name: str) -> str:
    """Return what people call a heater.

    >>> called_heater("T0"), called_heater("T1"), called_heater("B")
    ('nozzle', 'nozzle 1', 'bed')
    """
    return re.sub(" 0$", "", f"{_NAMES[name[0]]} {name[1:]}").strip()
