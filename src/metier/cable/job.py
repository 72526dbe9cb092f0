"""A file to be printed: its commands, how long each takes about, and the height they are at."""

import math
import re
from typing import NamedTuple

from metier.core.refusal import Refusal

_WORD = re.compile(r"([A-Z])\s*(-?\d+\.?\d*|-?\.\d+)")
# What no line of G-code is as long as.
_LONGEST = 90


class JobLine(NamedTuple):
    """A command, the seconds that all up to it take at the speeds of the file, and the height
    printed up to."""

    command: str
    until_s: float
    height_mm: float


def job_of(path: str) -> list[JobLine]:
    """Read a file of G-code; comments and empty lines are left out.

    Raises:
        Refusal: it cannot be read, is no G-code, or prints nothing.
    """
    try:
        with open(path, encoding="utf-8", errors="surrogateescape") as file:
            texts = file.read().splitlines()
    except OSError as error:
        raise Refusal(f"cannot read {path}: {error.strerror or error}") from None
    pace = _Pace()
    found = []
    for number, text in enumerate(texts, 1):
        command = re.sub(r"\([^)]*\)", "", text.partition(";")[0]).strip()
        if not command:
            continue
        command = command.encode("ascii", "replace").decode()
        if command.upper().startswith("M117"):
            # Words for the display, as many as a line holds.
            command = command[:_LONGEST]
        if len(command) > _LONGEST or command[0] not in "GMTgmt":
            raise Refusal(f"{path} is no G-code to print: line {number} is «{command[:40]}»")
        found.append(pace.after(command))
    if not found or not pace.fed:
        raise Refusal(f"{path} prints nothing: is it the right file?")
    return found


class _Pace:
    """Goes through a file and keeps the time."""

    def __init__(self) -> None:
        self.at = {"X": 0.0, "Y": 0.0, "Z": 0.0, "E": 0.0}
        self.absolute = self.absolute_e = True
        self.feed_mm_s = 20.0
        self.time_s = 0.0
        self.height_mm = 0.0
        self.fed = False

    def after(self, command: str) -> JobLine:
        words = [(letter, float(number)) for letter, number in _WORD.findall(command.upper())]
        code = f"{words[0][0]}{words[0][1]:g}" if words else ""
        if code in ("G0", "G1", "G2", "G3"):
            self._move(dict(words[1:]))
        elif code == "G92":
            self.at.update({axis: value for axis, value in words[1:] if axis in self.at})
        elif code in ("G90", "G91"):
            self.absolute = self.absolute_e = code == "G90"
        elif code in ("M82", "M83"):
            self.absolute_e = code == "M82"
        return JobLine(command, self.time_s, self.height_mm)

    def _move(self, words: dict[str, float]) -> None:
        if words.get("F"):
            self.feed_mm_s = words["F"] / 60
        before = dict(self.at)
        for axis in self.at:
            if axis in words:
                absolute = self.absolute_e if axis == "E" else self.absolute
                self.at[axis] = words[axis] + (0 if absolute else before[axis])
        way_mm = math.dist([before[a] for a in "XYZ"], [self.at[a] for a in "XYZ"])
        fed_mm = self.at["E"] - before["E"]
        self.time_s += (way_mm or abs(fed_mm)) / max(self.feed_mm_s, 0.01)
        if fed_mm > 0 and way_mm:
            self.fed, self.height_mm = True, self.at["Z"]
