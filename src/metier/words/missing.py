"""What is needed and not given, and how readings are asked for."""

import os
import sys
from argparse import Namespace
from collections.abc import Callable, Sequence
from io import BufferedReader, TextIOWrapper
from typing import Any, NamedTuple, TextIO, TypeVar

from metier.core.errors import BadInput
from metier.core.measure.readings import Instrument

T = TypeVar("T")

# Whoever writes into a pipe may be a moment later than the program.
_PATIENCE_S = 0.2


def may_ask(json: bool) -> bool:
    """Tell whether somebody sits at a terminal to whom a question can be put."""
    streams = (sys.stdin, sys.stderr)
    return not json and all(stream is not None and stream.isatty() for stream in streams)


def may_answer(json: bool) -> bool:
    """Tell whether what is asked would be answered: at a terminal, or by what waits in a pipe.

    To be asked only where no readings are taken from there.
    """
    if may_ask(json):
        return True
    if sys.stdin is None or sys.stdin.closed or sys.stdin.isatty():
        return False
    import select

    try:
        ready, _, _ = select.select([sys.stdin], [], [], _PATIENCE_S)
        # A pipe that has ended is ready, too, and holds nothing; nor does a device such as null.
        return bool(ready) and bool(os.fstat(sys.stdin.fileno()).st_size or _holds(sys.stdin))
    except (OSError, ValueError):
        return False


def _holds(stream: TextIO) -> bool:
    if isinstance(stream, TextIOWrapper) and isinstance(stream.buffer, BufferedReader):
        return bool(stream.buffer.peek(1))
    return False


class Want(NamedTuple):
    """An option that is needed: what it means, how an answer is read, and where that goes.

    ``offered`` is a value that is likely right, ``offer`` the words to offer it in.
    """

    option: str
    meaning: str
    read: Callable[[str], Any]
    dest: str
    hint: str = ""
    offered: object = None
    offer: str = ""


class Missing(BadInput):
    """Options that are needed and not given, all that are known to be."""

    def __init__(self, *wants: Want) -> None:
        *others, last = [want.option for want in wants]
        hints = "".join(want.hint for want in wants)
        text = f"{last} is needed: {wants[-1].meaning}{hints}"
        if others:
            meanings = "; ".join(f"{want.option}: {want.meaning}" for want in wants)
            text = f"{', '.join(others)} and {last} are needed ({meanings}){hints}"
        super().__init__(text)
        self.wants = wants


def missing(option: str, meaning: str, read: Callable[[str], Any], hint: str = "") -> Missing:
    """Return the want of one option."""
    return Missing(Want(option, meaning, read, option.lstrip("-").replace("-", "_"), hint))


def complete(options: Namespace, settle: Callable[[], T], may_ask: bool) -> T:
    """Settle with what is given, asking for what is needed beside it.

    Raises:
        Missing: something is needed and nobody can be asked; names all of it.
    """
    while True:
        try:
            return settle()
        except Missing as lacking:
            if not may_ask:
                raise
            for want in lacking.wants:
                setattr(options, want.dest, answer_to(want))


def answer_to(want: Want) -> Any:
    """Ask for one thing that is needed.

    Raises:
        BadInput: nothing was typed.
    """
    from metier.words.question import ask, said_yes

    if want.offered is not None and said_yes(want.offer):
        return want.offered
    return ask(f"{want.meaning[:1].upper()}{want.meaning[1:]}", want.read)


class Asked(NamedTuple):
    """What is asked for: the test, where each reading belongs, and how to measure here.

    ``places`` are asked round and round; a name ending in ``…`` counts up instead. ``check``
    refuses a reading that cannot be at its place. ``running`` says what they come to so far, by
    default their mean. ``sections`` are gone through one after the other, each until an empty
    line; the name of one stands before its places. Those that are ``optional`` may stay empty.
    ``before`` does what has to be done before a reading can be taken, by its number from 0, and
    tells whether to go on, ``meanwhile`` what has to be done every second until it comes;
    ``enough`` tells of the readings so far that no more are needed, ``elsewhere`` at which
    place a reading belongs that does not fit where it was typed; places may be left out then.
    """

    test: str
    what: str
    places: tuple[str, ...]
    how: str
    instrument: Instrument
    check: Callable[[float, str], None]
    read: Callable[[str], Sequence[float]]
    running: Callable[[list[float]], str] | None = None
    sections: tuple[str, ...] = ("",)
    optional: tuple[str, ...] = ()
    before: Callable[[int], bool] | None = None
    enough: Callable[[list[float]], bool] | None = None
    meanwhile: Callable[[], None] | None = None
    elsewhere: Callable[[float, str], str | None] | None = None

    def place(self, position: int, section: str = "") -> str:
        """Return the name of the place that a section's reading at ``position`` (from 0) is of."""
        name = self.places[position % len(self.places)]
        name = f"{name.removesuffix('…')}{position + 1}" if name.endswith("…") else name
        return f"{section}, {name}" if section else name
