"""A file to be printed, read line by line: its commands, how long each takes about, and the height
they are at. However long it is, no more than a line of it is held."""

import math
import os
import stat
from collections.abc import Iterator, Mapping
from typing import NamedTuple, TextIO

from metier.cable.gcode_line import commands_of
from metier.cable.outgoing import Allowed, Outgoing
from metier.core.refusal import Refusal

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
        Refusal: it cannot be read, is no G-code, prints nothing, or holds what is not ``allowed``.
    """
    survey, prints = Survey(0, 0.0, 0.0), False
    for line in job_lines(path, allowed):
        survey = Survey(survey.lines + 1, line.until_s, line.height_mm)
        prints = line.prints
    if not prints:
        raise Refusal(f"{path} prints nothing: is it the right file?")
    return survey


def job_lines(path: str, allowed: Allowed | None) -> Iterator[JobLine]:
    """Go through the commands of a file; comments and empty lines are left out. Where nothing is
    ``allowed`` in particular, all is.

    Raises:
        Refusal: it cannot be read, or a line is none to send; names it.
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
                raise Refusal(f"{path} is no G-code to print: line {number} is «{command[:40]}»")
            try:
                if outgoing:
                    outgoing.check(command)
                yield pace.after(command, number)
            except Refusal as refusal:
                where = f"{path}, line {number} («{command[:40]}»)"
                raise Refusal(f"{where}: {refusal}; --anyway says it is meant") from None


def _opened(path: str) -> TextIO:
    try:
        # Nothing is waited for that may never come.
        status = os.stat(path)
        if not stat.S_ISREG(status.st_mode):
            what = "a folder" if stat.S_ISDIR(status.st_mode) else "no regular file"
            raise Refusal(f"{path} is {what}: name a file of G-code")
        return open(path, encoding="utf-8", errors="surrogateescape")
    except (OSError, ValueError) as error:
        why = error.strerror if isinstance(error, OSError) else error
        raise Refusal(f"cannot read {path}: {why}") from None


def _texts(file: TextIO, path: str) -> Iterator[str]:
    number = 0
    while True:
        number += 1
        try:
            text = file.readline(_LONGEST_WRITTEN)
        except OSError as error:
            raise Refusal(f"cannot read {path}: {error.strerror}") from None
        if not text:
            return
        if len(text) == _LONGEST_WRITTEN and not text.endswith("\n"):
            raise Refusal(f"{path} is no G-code to print: line {number} is too long for any board")
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
        for one in commands_of(command):
            if one.code in ("G0", "G1", "G2", "G3"):
                self._move(one.words)
            elif one.code == "G92":
                self._at.update({axis: at for axis, at in one.words.items() if axis in self._at})
            elif one.code in ("G90", "G91"):
                self._absolute = self._absolute_e = one.code == "G90"
            elif one.code in ("M82", "M83"):
                self._absolute_e = one.code == "M82"
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
