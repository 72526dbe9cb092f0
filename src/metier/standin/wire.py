"""Where the stand-in listens, numbered lines on it, and a bad cable."""

import os
import random
import socket
from contextlib import suppress
from functools import reduce
from typing import Literal, NamedTuple, Protocol, get_args

from metier.core.errors import Failure

_MOST, _NOT_READ_S = 65536, 0.5


class Wire(Protocol):
    """Where a printer is spoken to: ``port`` is what to give as --port."""

    port: str

    def readable(self) -> list[int]:
        """Return what may have something to read."""

    def read(self, ready: list[int]) -> bytes:
        """Return what came."""

    def write(self, data: bytes) -> None:
        """Send, if anybody listens."""

    def close(self) -> None:
        """Pull the cable."""


class Terminal:
    """A pseudo-terminal: a serial line as far as anybody can tell."""

    def __init__(self) -> None:
        try:
            import pty
            import tty
        except ImportError:
            raise Failure("this system has no pseudo-terminals: give --tcp 7125") from None
        self._own, self._others = pty.openpty()
        tty.setraw(self._others)
        os.set_blocking(self._own, False)
        self.port = os.ttyname(self._others)

    def readable(self) -> list[int]:
        return [self._own]

    def read(self, ready: list[int]) -> bytes:
        if self._own not in ready:
            return b""
        try:
            return os.read(self._own, _MOST)
        except OSError:
            return b""

    def write(self, data: bytes) -> None:
        # What nobody reads is lost, as on a serial line.
        with suppress(OSError):
            os.write(self._own, data)

    def close(self) -> None:
        for other in (self._others, self._own):
            os.close(other)


class Tcp:
    """A port on this machine that one program at a time may speak to."""

    def __init__(self, port: int) -> None:
        self._listening = socket.socket()
        self._listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            self._listening.bind(("127.0.0.1", port))
            self._listening.listen()
        except OSError as error:
            self._listening.close()
            raise Failure(f"port {port} cannot be listened on: {error.strerror}") from None
        self.port = f"socket://127.0.0.1:{self._listening.getsockname()[1]}"
        self._spoken: socket.socket | None = None

    def readable(self) -> list[int]:
        both = (self._listening, self._spoken)
        return [stream.fileno() for stream in both if stream is not None]

    def read(self, ready: list[int]) -> bytes:
        if self._listening.fileno() in ready:
            self._accept()
        if self._spoken is None or self._spoken.fileno() not in ready:
            return b""
        try:
            data = self._spoken.recv(_MOST)
        except OSError:
            data = b""
        if not data:
            self._spoken.close()
            self._spoken = None
        return data

    def _accept(self) -> None:
        other, _ = self._listening.accept()
        if self._spoken is None:
            other.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            # Who does not read is not waited for.
            other.settimeout(_NOT_READ_S)
            self._spoken = other
        else:
            # A serial line has one end.
            other.close()

    def write(self, data: bytes) -> None:
        if self._spoken is not None:
            with suppress(OSError):
                self._spoken.sendall(data)

    def close(self) -> None:
        for stream in (self._spoken, self._listening):
            if stream is not None:
                stream.close()


Fault = Literal["drop", "garble", "delay", "reset"]
FAULTS: tuple[Fault, ...] = get_args(Fault)

# How often each happens, in lines; and the longest delay.
_EVERY = {"drop": 150, "garble": 120, "delay": 200}
_LATEST_S = 1.5
# A reset comes once, somewhere between these lines.
_RESET_BETWEEN = (300, 900)


class Passed(NamedTuple):
    """What came through of a line, None for nothing, and how much later."""

    text: bytes | None
    late_s: float = 0.0


class Cable:
    """A cable with these faults; with none of them it is a good one."""

    def __init__(self, faults: tuple[Fault, ...], seed: int) -> None:
        self._faults = faults
        self._luck = random.Random(f"{seed} cable")
        self._lines = 0
        self._reset_at = self._luck.randint(*_RESET_BETWEEN) if "reset" in faults else None

    def passes(self, text: bytes) -> Passed:
        """Let a line through, either way."""
        if not self._faults:
            return Passed(text)
        if self._happens("drop"):
            return Passed(None)
        if self._happens("garble") and text.strip():
            place = self._luck.randrange(len(text.rstrip()))
            letter = bytes([self._luck.randrange(33, 127)])
            text = text[:place] + letter + text[place + 1 :]
        return Passed(text, self._luck.uniform(0.1, _LATEST_S) if self._happens("delay") else 0.0)

    def resets(self) -> bool:
        """Count a line that came to the board; tell whether it resets itself now."""
        self._lines += 1
        return self._lines == self._reset_at

    def _happens(self, fault: Fault) -> bool:
        return fault in self._faults and self._luck.random() < 1 / _EVERY[fault]


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
