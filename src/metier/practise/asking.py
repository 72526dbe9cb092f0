"""What somebody who practises is asked: Enter takes what the stand-in measures."""

import sys
from collections.abc import Sequence

from metier.core.refusal import Refusal
from metier.formats.quantity import read_length_mm
from metier.show.outside import clean
from metier.show.sheet import wrapped


def watched() -> bool:
    """Tell whether somebody sits there who may answer; else all goes on by itself."""
    return all(one is not None and one.isatty() for one in (sys.stdin, sys.stdout))


def typed(prompt: str) -> str:
    """Return the next line that is typed.

    Raises:
        KeyboardInterrupt: nobody types any more.
    """
    try:
        return input(prompt)
    except EOFError:
        raise KeyboardInterrupt from None


def say(text: str) -> None:
    """Say something, in lines of the usual width."""
    print("\n" + clean("\n".join(wrapped(text, "", ""))), flush=True)


def _check_lengths(word: str) -> None:
    """Check one length, or two parted by a stroke.

    Raises:
        Refusal: it is none.
    """
    for part in word.split("/"):
        read_length_mm(part, "reading", True)


def readings(question: str, measured: Sequence[str]) -> list[str]:
    """Ask for readings, offering those that were measured; typed ones are parted by blanks."""
    shown = wrapped(f"{question}: the stand-in shows {' '.join(measured)}", "", "  ")
    print(clean("\n".join(shown)), flush=True)
    while watched():
        words = typed("Enter takes that, or type your own, parted by blanks > ").split()
        try:
            for word in words:
                _check_lengths(word)
        except Refusal as refusal:
            print(f"  {clean(str(refusal))}", flush=True)
            continue
        return words or list(measured)
    return list(measured)


def go_on() -> None:
    """Wait for Enter where somebody watches."""
    if watched():
        typed("Enter goes on > ")
