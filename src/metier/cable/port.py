"""Lines in and out of a port, calipers on one, and what can go wrong there."""

import os
import re
import stat
import time
from collections.abc import Callable
from contextlib import suppress
from queue import SimpleQueue
from threading import Thread
from typing import Any, Protocol, Self

from metier.core.errors import Failure
from metier.port_name import checked_port


class CableFailure(Failure):
    """What went wrong on the line and what to do: one line for the user."""


class ResetInTheMiddle(CableFailure):
    """The printer began anew: what was not stored is lost, and so is a print."""


class LineLost(CableFailure):
    """The cable was pulled, or whatever is at its other end is gone."""


class TooCold(CableFailure):
    """The nozzle is too cold to feed."""


class HeaterFault(CableFailure):
    """A heater does what none should do."""


class Untold(CableFailure):
    """The printer does not say what it was asked for: it knows no such command."""


# How long a read waits before it looks at the clock again.
_READ_S = 0.05
_WRITE_S = 10.0
# No line of a printer is longer; what goes on is dropped up to its end.
LONGEST_LINE = 4096

Written = Callable[[str, str], None]


class Line(Protocol):
    """What a link speaks over: a port, or whatever stands in for one."""

    name: str
    gibberish: int

    def now_s(self) -> float: ...
    def send(self, line: str) -> None: ...
    def receive(self, patience_s: float) -> str | None: ...
    def close(self) -> None: ...


class Port:
    """An open line; ``noted`` is told of each line, with > for sent and < for received."""

    def __init__(self, name: str, baud: int, noted: Written) -> None:
        self.name = name
        self._noted = noted
        self._rest = b""
        self._overlong = False
        self.gibberish = 0
        self._serial: Any = opened(name, baud)

    def now_s(self) -> float:
        """Return the time by the clock that all waiting here goes by."""
        return time.monotonic()

    def send(self, line: str) -> None:
        """Send a line.

        Raises:
            LineLost: nothing can be sent any more.
        """
        self._noted(">", line)
        try:
            self._serial.write(line.encode("ascii", "replace") + b"\n")
        except (OSError, ValueError) as error:
            raise self._lost(error) from None

    def receive(self, patience_s: float) -> str | None:
        """Return the next line, None if none comes in time.

        Raises:
            LineLost: nothing can come any more.
        """
        until = time.monotonic() + patience_s
        while b"\n" not in self._rest:
            if time.monotonic() > until:
                return None
            try:
                waiting = min(self._serial.in_waiting, LONGEST_LINE)
                self._rest += self._serial.read(max(1, waiting))
            except (OSError, ValueError, TypeError) as error:
                # pyserial trips over a device that goes while it reads.
                raise self._lost(error) from None
            if len(self._rest) > LONGEST_LINE and b"\n" not in self._rest:
                self._overlong, self._rest = True, b""
        line, _, self._rest = self._rest.partition(b"\n")
        if self._overlong:
            # The end of what was too long for a line.
            self._overlong, line = False, b"\xff"
        text = line.decode("ascii", "replace").strip()
        if "\ufffd" in text:
            self.gibberish += 1
        self._noted("<", text)
        return text

    def close(self) -> None:
        """Let go of the line."""
        try:
            self._serial.close()
        except (OSError, ValueError):
            # It is gone already.
            return

    def _lost(self, error: Exception) -> LineLost:
        self._noted("!", str(error))
        return LineLost(f"the line to {self.name} is lost")


def opened(name: str, baud: int) -> Any:
    """Open a line for this program alone.

    Raises:
        BadInput: that is no name of a port.
        CableFailure: it cannot be opened; says why.
    """
    import serial

    checked_port(name)
    try:
        line = serial.serial_for_url(name, baudrate=baud, timeout=_READ_S, do_not_open=True)
        if "://" not in name:
            _refuse_file(name)
            line.exclusive, line.write_timeout = True, _WRITE_S
        line.open()
    except ValueError as error:
        raise CableFailure(f"{name} is no port: {error}") from None
    except OSError as error:
        raise CableFailure(f"{name} {_why(error)}") from None
    if "://" not in name:
        _keep_up(line)
    return line


def _refuse_file(name: str) -> None:
    """Refuse what is there and no device: a file, a folder, a pipe.

    Raises:
        CableFailure: it is that.
    """
    with suppress(OSError, ValueError):
        if os.name == "posix" and not stat.S_ISCHR(os.stat(name).st_mode):
            raise CableFailure(f"{name} is no serial line")


def _keep_up(line: Any) -> None:
    """Leave the line as it is when it is closed: many a board resets when it goes down, and what
    was heated for the next command would be cold by then."""
    try:
        import termios
    except ImportError:
        # Elsewhere it goes as it goes.
        return
    with suppress(OSError, termios.error):
        attributes = termios.tcgetattr(line.fileno())
        attributes[2] &= ~termios.HUPCL
        termios.tcsetattr(line.fileno(), termios.TCSANOW, attributes)


def _why(error: OSError) -> str:
    """Say why a line cannot be opened: SerialException has the system's words in its own."""
    text = str(error)
    for sign, meaning in (
        ("exclusively lock", "is in use by another program: end that one first"),
        ("Permission denied", "may not be opened by you: see that your user may use serial ports"),
        ("No such file", "is not there: is the printer on and plugged in? metier cable ports"),
        ("FileNotFoundError", "is not there: is the printer on and plugged in? metier cable ports"),
        ("refused", "takes no connection: is the printer on?"),
        ("busy", "is in use by another program: end that one first"),
        ("timed out", "does not answer"),
        ("ioctl", "is no serial line"),
    ):
        if sign in text:
            return meaning
    return f"cannot be opened: {text}"


# What most of them speak at, where nobody says otherwise.
BAUD = 9600
_ENDS = re.compile(rb"[\r\n\x03]+")


class CalipersPort:
    """An open port; ``lines`` gets each line that comes there, and what befalls the port.

    Raises:
        CableFailure: it cannot be opened.
    """

    def __init__(self, name: str, baud: int | None) -> None:
        self.name = name
        self.lines: SimpleQueue[str | BaseException] = SimpleQueue()
        self._serial = opened(name, baud or BAUD)
        self._open = True
        self._listening = Thread(target=self._listen, daemon=True)
        self._listening.start()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._open = False
        self._listening.join(1.0)
        try:
            self._serial.close()
        except (OSError, ValueError):
            # It is gone already.
            return

    def _listen(self) -> None:
        rest = b""
        while self._open:
            try:
                came = self._serial.read(max(1, min(self._serial.in_waiting, LONGEST_LINE)))
            except (OSError, ValueError, TypeError):
                self.lines.put(CableFailure(f"the calipers' port {self.name} is lost"))
                return
            # Where no end comes, it is no reading.
            *lines, rest = _ENDS.split((rest + came)[-LONGEST_LINE:])
            for line in lines:
                text = line.decode("latin-1").strip()
                if text:
                    self.lines.put(f"{text}\n")
