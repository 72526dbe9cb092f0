"""Questions with an answer of one key."""

import sys
from argparse import ArgumentTypeError
from collections.abc import Callable, Sequence
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


def said_no(question: str, meanwhile: Callable[[], None]) -> bool:
    """Ask at a terminal a question that Enter answers with no; ``meanwhile`` is done every second
    until the answer comes."""
    print(f"{question} [y/N] ", end="", file=sys.stderr, flush=True)
    return typed_line(meanwhile).strip().lower() not in ("y", "yes")


def said_yes_aloud(question: str, meanwhile: Callable[[], None]) -> bool:
    """Ask a question that Enter answers with yes at a terminal, and in a pipe only a yes.

    It is put there, too, so that whoever writes into the pipe knows. ``meanwhile`` is done every
    second until the answer comes.
    """
    terminal = sys.stdin.isatty()
    print(question, end=" [Y/n] " if terminal else " [y/n]\n", file=sys.stderr, flush=True)
    typed = typed_line(meanwhile).strip().lower()
    return typed not in ("n", "no") if terminal else typed in ("y", "yes")


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
