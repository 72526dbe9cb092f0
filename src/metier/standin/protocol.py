"""Numbered lines with checksums, as firmware takes them: what is wrong is asked for again."""

from functools import reduce
from typing import NamedTuple

# No print has more lines than have so many digits.
_DIGITS = 9


class Taken(NamedTuple):
    """What became of a line: a command to run, or what is answered in its place."""

    command: str | None
    answer: tuple[str, ...] = ()


class Numbering:
    """Keeps count of the lines that came."""

    def __init__(self) -> None:
        self.last = 0

    def take(self, line: str) -> Taken:
        """Take a line; one without a number is run as it is.

        >>> numbers = Numbering()
        >>> numbers.take("N1 M105*38").command, numbers.take("N3 M105*36").answer[1]
        ('M105', 'Resend: 2')
        """
        text = line.partition(";")[0].strip()
        if not text:
            return Taken(None, ("ok",) if line.strip() else ())
        if not text.startswith("N"):
            if text.startswith("M110"):
                self.last = _named(text, self.last)
            return Taken(text)
        body, star, given = text.partition("*")
        if not star or given.strip() != str(checksum(body)):
            return self._again("checksum mismatch" if star else "no checksum with line number")
        word, _, command = body.partition(" ")
        if not _is_number(word[1:]):
            return self._again("no line number")
        number = int(word[1:])
        if command.strip().startswith("M110"):
            self.last = _named(command, number)
            return Taken("M110")
        if number != self.last + 1:
            return self._again("line number is not last line number + 1")
        self.last = number
        return Taken(command.strip())

    def _again(self, why: str) -> Taken:
        answer = (f"Error:{why}, last line: {self.last}", f"Resend: {self.last + 1}", "ok")
        return Taken(None, answer)


def _named(command: str, number: int) -> int:
    """Return the number that M110 gives to the line before the next."""
    word = command.partition("N")[2].strip()
    return int(word) if _is_number(word) else number


def _is_number(word: str) -> bool:
    return word.isdecimal() and word.isascii() and len(word) <= _DIGITS


def checksum(body: str) -> int:
    """Return the checksum of a line: its bytes, one after the other, by exclusive or."""
    return reduce(lambda done, byte: done ^ byte, body.encode("ascii", "replace"), 0)
