"""A file to print, line by line: streamed, cut short."""

import math
import os
import stat
from collections import deque
from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple, TextIO

from metier.cable.guard import commands_of
from metier.cable.link import Link
from metier.cable.outgoing import Allowed, Outgoing
from metier.cable.port import CableFailure
from metier.cable.replies import Heat, Reply, heat_in
from metier.cable.talking import wait_for
from metier.core.errors import BadInput

# What no line of G-code is as long as; and what no line of a file is, its comment included.
_LONGEST, _LONGEST_WRITTEN = 90, 4096


class JobLine(NamedTuple):
    """A command and its line in the file, the seconds that all up to it take at the speeds of the
    file, the height printed up to, and whether anything was printed."""

    command: str
    number: int
    until_s: float
    height_mm: float
    prints: bool


class Survey(NamedTuple):
    """A file as a whole: its commands, the time its moves take, how high it gets."""

    lines: int
    time_s: float
    height_mm: float


def surveyed(path: str, allowed: Allowed | None) -> Survey:
    """Read a file from end to end, before anything of it is sent.

    Raises:
        BadInput: it cannot be read, is no G-code, prints nothing, or holds what is not ``allowed``.
    """
    survey, prints = Survey(0, 0.0, 0.0), False
    for line in job_lines(path, allowed):
        survey = Survey(survey.lines + 1, line.until_s, line.height_mm)
        prints = line.prints
    if not prints:
        raise BadInput(f"{path} prints nothing: is it the right file?")
    return survey


def job_lines(path: str, allowed: Allowed | None) -> Iterator[JobLine]:
    """Go through the commands of a file; comments and empty lines are left out. Where nothing is
    ``allowed`` in particular, all is.

    Raises:
        BadInput: it cannot be read, or a line is none to send; names it.
    """
    pace, outgoing = _Pace(), Outgoing(allowed) if allowed else None
    with _opened(path) as file:
        for number, text in enumerate(_texts(file, path), 1):
            command = _command(text)
            if not command:
                continue
            if command.upper().startswith("M117"):
                # Words for the display, as many as a line holds.
                command = command[:_LONGEST]
            if len(command) > _LONGEST or command[0] not in "GMTgmt":
                raise BadInput(f"{path} is no G-code to print: line {number} is «{command[:40]}»")
            try:
                if outgoing:
                    outgoing.check(command)
                yield pace.after(command, number)
            except BadInput as refusal:
                where = f"{path}, line {number} («{command[:40]}»)"
                raise BadInput(f"{where}: {refusal}; --anyway says it is meant") from None


def _opened(path: str) -> TextIO:
    try:
        # Nothing is waited for that may never come.
        status = os.stat(path)
        if not stat.S_ISREG(status.st_mode):
            what = "a folder" if stat.S_ISDIR(status.st_mode) else "no regular file"
            raise BadInput(f"{path} is {what}: name a file of G-code")
        return open(path, encoding="utf-8", errors="surrogateescape")
    except (OSError, ValueError) as error:
        why = error.strerror if isinstance(error, OSError) else error
        raise BadInput(f"cannot read {path}: {why}") from None


def _texts(file: TextIO, path: str) -> Iterator[str]:
    number = 0
    while True:
        number += 1
        try:
            text = file.readline(_LONGEST_WRITTEN)
        except OSError as error:
            raise BadInput(f"cannot read {path}: {error.strerror}") from None
        if not text:
            return
        if len(text) == _LONGEST_WRITTEN and not text.endswith("\n"):
            raise BadInput(f"{path} is no G-code to print: line {number} is too long for any board")
        yield text


def _command(text: str) -> str:
    bare, _, rest = text.partition(";")[0].partition("(")
    while rest:
        more, _, rest = rest.partition(")")[2].partition("(")
        bare += more
    return bare.strip().encode("ascii", "replace").decode()


class _Pace:
    """Goes through a file and keeps the time."""

    def __init__(self) -> None:
        self._at = {"X": 0.0, "Y": 0.0, "Z": 0.0, "E": 0.0}
        self._absolute = self._absolute_e = True
        self._feed_mm_s = 20.0
        self._time_s = 0.0
        self._height_mm = 0.0
        self._prints = False

    def after(self, command: str, number: int) -> JobLine:
        for line in commands_of(command):
            if line.code in ("G0", "G1", "G2", "G3"):
                self._move(line.words)
            elif line.code == "G92":
                self._at.update({axis: at for axis, at in line.words.items() if axis in self._at})
            elif line.code in ("G90", "G91"):
                self._absolute = self._absolute_e = line.code == "G90"
            elif line.code in ("M82", "M83"):
                self._absolute_e = line.code == "M82"
        return JobLine(command, number, self._time_s, self._height_mm, self._prints)

    def _move(self, words: Mapping[str, float]) -> None:
        if words.get("F"):
            self._feed_mm_s = abs(words["F"]) / 60
        before = dict(self._at)
        for axis in self._at:
            if axis in words:
                absolute = self._absolute_e if axis == "E" else self._absolute
                self._at[axis] = words[axis] + (0 if absolute else before[axis])
        way_mm = math.dist([before[a] for a in "XYZ"], [self._at[a] for a in "XYZ"])
        fed_mm = self._at["E"] - before["E"]
        self._time_s += (way_mm or abs(fed_mm)) / max(self._feed_mm_s, 0.01)
        if fed_mm > 0 and way_mm:
            self._prints, self._height_mm = True, self._at["Z"]


_HEAT_EVERY_S, _TOLD_EVERY_S = 2.0, 0.5
# Moves that a board may still have to do when it takes another; how much slower than at the speeds
# of the file they may be; and how long it may be silent beyond that.
_WAITING, _SLOWER, _SILENT_S = 64, 3.0, 30.0
_MOVES = ("G0", "G1", "G2", "G3")
# Commands that wait for heat on the board, and those that only tell it.
_WAITS = {"M109": "M104", "M190": "M140"}


class Progress(NamedTuple):
    """How far a print is: lines, the seconds that its moves take in all and up to here, heat."""

    done: int
    of: int
    done_s: float
    of_s: float
    height_mm: float
    heat: Heat | None


class Printed(NamedTuple):
    """What was streamed: lines, how many of them again, how long it took, up to which height."""

    lines: int
    again: int
    time_s: float
    height_mm: float


class CutShort(CableFailure):
    """A print that was not finished; says why and how far it came."""


# Told what a printer that asks for a pause says, and the height: returns where printing goes on.
Asked = Callable[[str, float], bool]


class Job:
    """One file on its way to the printer."""

    def __init__(
        self, link: Link, survey: Survey, watch: Callable[[Progress], None], asked: Asked
    ) -> None:
        self._link, self._survey = link, survey
        self._watch, self._asked = watch, asked
        self._heat: Heat | None = None
        self._line = JobLine("", 0, 0.0, 0.0, False)
        self._done = 0
        self._told_s = self._polled_s = link.now_s()
        # When the moves that may still wait their turn would be done, by the speeds of the file.
        self._ends_s: deque[float] = deque([0.0], maxlen=_WAITING)

    def print(self, lines: Iterator[JobLine]) -> Printed:
        """Stream it to its end.

        Raises:
            CutShort: it came to no good end, or the user stopped it.
        """
        begun_s = self._link.now_s()
        self._link.heard, self._link.paused = self._heard, self._paused
        try:
            for line in lines:
                self._send(line)
                self._line, self._done = line, self._done + 1
                if self._link.now_s() - self._polled_s > _HEAT_EVERY_S:
                    self._poll()
                self._tell()
            self._link.ask("M400", silent_s=self._patience_s(self._line))
        except (CableFailure, BadInput) as failure:
            raise CutShort(f"{failure}: {self._stopped_at()}") from None
        except KeyboardInterrupt:
            raise CutShort(f"stopped: {self._stopped_at()}") from None
        took_s = self._link.now_s() - begun_s
        return Printed(self._done, self._link.again, took_s, self._line.height_mm)

    def _stopped_at(self) -> str:
        of = self._survey.lines
        return f"printed up to {self._line.height_mm:g} mm (line {self._done} of {of})"

    def _send(self, line: JobLine) -> None:
        code = next((command.code for command in commands_of(line.command)), "")
        if code in _WAITS and self._wait(line.command, code):
            return
        self._link.ask(line.command, silent_s=self._patience_s(line) if code in _MOVES else None)
        self._ends_s.append(line.until_s)

    def _patience_s(self, line: JobLine) -> float:
        """Return how long a board may be silent that does the moves before this one."""
        return _SLOWER * (line.until_s - self._ends_s[0]) + _SILENT_S

    def _wait(self, text: str, code: str) -> bool:
        """Tell a heater what it is to reach, and wait for it; False where the board has to, since
        it does not say how hot that one is."""
        guard = self._link.guard
        command = commands_of(text)[0]
        heater, target_c = guard.target_of(command)
        self._poll()
        if target_c is None or guard.now_c(heater) is None:
            return False
        told = f"{_WAITS[code]} S{target_c:g}"
        self._link.ask(told if heater in ("B", guard.nozzle) else f"{told} T{heater[1:]}")
        if target_c > 0:
            wait_for(self._link, heater, target_c, self._poll, cools="R" in command.words)
        return True

    def _poll(self) -> None:
        self._heat = heat_in(self._link.ask("M105")) or self._heat
        self._polled_s = self._link.now_s()
        self._tell()

    def _heard(self, reply: Reply) -> None:
        # While it is at work, a printer reports its heat unasked.
        self._heat = heat_in([reply.text]) or self._heat
        self._tell()

    def _paused(self, reply: Reply) -> None:
        if not self._asked(reply.text, self._line.height_mm):
            raise CableFailure(f"the printer asked for a pause («{reply.text[:80]}»)")

    def _tell(self) -> None:
        if self._link.now_s() - self._told_s < _TOLD_EVERY_S and self._done:
            return
        self._told_s = self._link.now_s()
        line, survey = self._line, self._survey
        self._watch(
            Progress(
                self._done, survey.lines, line.until_s, survey.time_s, line.height_mm, self._heat
            )
        )
