"""A line of G-code taken apart as a board takes it: its commands and their words."""

import re
from collections.abc import Mapping
from functools import lru_cache, reduce
from operator import xor
from typing import NamedTuple

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
    found: list[Command] = []
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
        found.append(Command(letter, number, words))
        if text_behind:
            break
    return tuple(found)


def _bounded(text: str) -> float:
    return max(-_LARGEST, min(_LARGEST, float(text[:400])))


def numbered(number: int, command: str) -> str:
    """Return a command as a line with its number and its checksum: all its bytes by exclusive or.

    >>> numbered(1, "M105")
    'N1 M105*38'
    """
    body = f"N{number} {command}"
    return f"{body}*{reduce(xor, body.encode('ascii', 'replace'), 0)}"
