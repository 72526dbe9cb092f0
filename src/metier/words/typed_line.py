"""One line off a terminal, a pipe or a serial port, whatever bytes come."""

import sys
from collections.abc import Callable
from io import TextIOWrapper, UnsupportedOperation
from typing import TYPE_CHECKING, TextIO

from metier.core.errors import BadInput

if TYPE_CHECKING:
    from queue import SimpleQueue

    Lines = SimpleQueue[str | BaseException]

_NO_TEXT = "that line holds bytes that are no text in this terminal's encoding"
# How often what is done meanwhile is done; and after how long a port that sends no more is taken to
# be done, where nobody sits there to say so.
_MEANWHILE_S, _DONE_S = 1.0, 20
# Who still waits for a line of a stream: whoever asks next takes that one.
_waiting: "dict[TextIO, Lines]" = {}


def typed_line(meanwhile: Callable[[], None] | None = None, lines: "Lines | None" = None) -> str:
    """Return the next line with its end; empty where a pipe has ended.

    ``meanwhile`` is called every second until it comes. What comes first counts: a line typed, or
    one of those ``lines`` that come from somewhere else.

    Raises:
        BadInput: the line holds bytes that are no text; the next one may be read all the same.
        KeyboardInterrupt: the terminal went away.
    """
    if meanwhile is None and lines is None:
        return _read()
    from queue import Empty, SimpleQueue

    taken = lines or _waiting.get(sys.stdin) or SimpleQueue()
    if sys.stdin not in _waiting:
        _wait_for(sys.stdin, taken)
    ended_s = 0
    while True:
        try:
            line = taken.get(timeout=_MEANWHILE_S)
        except Empty:
            if meanwhile:
                meanwhile()
            ended_s += ended_s > 0
            if ended_s > _DONE_S:
                return ""
            continue
        if isinstance(line, BaseException):
            raise line
        if line or lines is None:
            return line
        # The pipe has ended; the others may go on.
        ended_s = 1


def _wait_for(stream: TextIO, taken: "Lines") -> None:
    """Have a line of a stream put among those that are taken, whenever it comes."""
    from threading import Thread

    _waiting[stream] = taken

    def wait() -> None:
        try:
            line: str | BaseException = _read()
        except BaseException as error:
            line = error
        _waiting.pop(stream, None)
        taken.put(line)

    Thread(target=wait, daemon=True).start()


def _read() -> str:
    stdin = sys.stdin
    if isinstance(stdin, TextIOWrapper) and stdin.errors != "surrogateescape":
        try:
            # Some calipers end their lines with a carriage return alone.
            stdin.reconfigure(errors="surrogateescape", newline=None)
        except UnsupportedOperation:
            stdin.reconfigure(errors="surrogateescape")
    try:
        line = stdin.readline()
    except UnicodeError:
        # An encoding of two bytes a letter takes nothing else for text.
        raise BadInput(_NO_TEXT) from None
    if not line and stdin.isatty():
        # Not the empty line that ends an entry.
        raise KeyboardInterrupt
    if any("\udc80" <= letter <= "\udcff" for letter in line):
        raise BadInput(_NO_TEXT)
    return line
