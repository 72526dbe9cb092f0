"""Questions with an answer of one key."""

import sys
from argparse import ArgumentTypeError
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import NamedTuple, TypeVar

from metier.core.errors import BadInput
from metier.core.line.bead import spacing_mm
from metier.core.values import LINE_MODELS, LineModel
from metier.show.sheet import clean_error, wrapped
from metier.words.typed_line import typed_line

T = TypeVar("T")


class Choice(NamedTuple):
    """One answer: what it stands for, and its words."""

    name: str
    words: str


def choose(question: str, choices: Sequence[Choice]) -> str | None:
    """Ask which of these it is; return its name, None where that cannot be told.

    Raises:
        BadInput: in a pipe, an answer that is none.
    """
    lines = wrapped(question, "", "")
    lines += [f"  {number}  {choice.words}" for number, choice in enumerate(choices, 1)]
    keys = " or ".join(str(number) for number in range(1, len(choices) + 1))
    while True:
        try:
            typed = _asked("\n".join([*lines, f"{keys}, or Enter if you cannot tell > "]))
        except BadInput as refusal:
            _refuse(refusal)
            continue
        if not typed:
            return None
        if typed.isdecimal() and 1 <= int(typed) <= len(choices):
            return choices[int(typed) - 1].name
        _refuse(BadInput(f"{typed[:20]!r} is none of them: type {keys}, or Enter alone"))


def said_yes(question: str) -> bool:
    """Ask a question that Enter answers with yes."""
    return _asked(f"{question} [Y/n] ").lower() not in ("n", "no")


def said_firmly(question: str, meanwhile: Callable[[], None] | None = None) -> bool:
    """Ask a question whose answer moves something: y or n, and no key that was typed before it.

    It is put in a pipe, too, so that whoever writes there knows; what is neither is no there.
    ``meanwhile`` is done every second until the answer comes.
    """
    terminal = sys.stdin.isatty()
    forget_typed_ahead()
    while True:
        print(question, end=" [y/n] " if terminal else " [y/n]\n", file=sys.stderr, flush=True)
        typed = typed_line(meanwhile).strip().lower()
        if typed in ("y", "yes"):
            return True
        if typed in ("n", "no") or not terminal:
            return False


def forget_typed_ahead() -> None:
    """Drop the keys that were typed at a terminal before anything was asked."""
    # Not every system has such terminals.
    with suppress(ImportError, OSError):
        import termios

        if sys.stdin.isatty():
            termios.tcflush(sys.stdin, termios.TCIFLUSH)


def ask(question: str, read: Callable[[str], T]) -> T:
    """Ask for one thing until it can be read.

    Raises:
        BadInput: nothing is typed, or in a pipe what cannot be read.
    """
    while True:
        try:
            typed = _asked(f"{question} > ")
            if not typed:
                raise BadInput(f"{question}: nothing was typed")
            return read(typed)
        except (BadInput, ArgumentTypeError) as refusal:
            _refuse(BadInput(str(refusal)))


def ask_or_leave(question: str, read: Callable[[str], T]) -> T | None:
    """Ask at a terminal for one thing until it can be read; None where Enter leaves it out."""
    while True:
        typed = _asked(f"{question} > ")
        if not typed:
            return None
        try:
            return read(typed)
        except (BadInput, ArgumentTypeError) as refusal:
            _refuse(BadInput(str(refusal)))


def _asked(prompt: str) -> str:
    if sys.stdin.isatty():
        print(prompt, end="", file=sys.stderr, flush=True)
    return typed_line().strip()


def _refuse(refusal: BadInput) -> None:
    """Say what is wrong and let it be asked again; a pipe cannot answer."""
    if not sys.stdin.isatty():
        raise refusal
    print(f"  {clean_error(str(refusal))}", file=sys.stderr, flush=True)


def ask_line_model(width_mm: float, layer_mm: float) -> LineModel | None:
    """Ask which line model a slicer has; None where that cannot be told.

    Raises:
        BadInput: a line that cannot be printed; in a pipe, an answer that is none.
    """
    apart = {model: spacing_mm(width_mm, layer_mm, model) for model in LINE_MODELS}
    chosen = choose(
        f"How far apart does the slicer's preview lay two lines of {width_mm:g} x {layer_mm:g} mm "
        "that touch? That tells how it doses them, and is asked only once.",
        [Choice(model, f"{apart_mm:.3f} mm  ({model})") for model, apart_mm in apart.items()],
    )
    return next((model for model in LINE_MODELS if model == chosen), None)
