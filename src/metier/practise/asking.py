"""What somebody who practises is asked: Enter takes what the stand-in measures."""

import sys
from collections.abc import Sequence

from metier.show.outside import clean
from metier.show.sheet import wrapped


def watched() -> bool:
    """Tell whether somebody sits there who may answer; else all goes on by itself."""
    return all(one is not None and one.isatty() for one in (sys.stdin, sys.stdout))


def say(text: str) -> None:
    """Say something, in lines of the usual width."""
    print("\n" + clean("\n".join(wrapped(text, "", ""))), flush=True)


def readings(question: str, measured: Sequence[str]) -> list[str]:
    """Ask for readings, offering those that were measured; typed ones are parted by blanks."""
    shown = " ".join(measured)
    print(
        clean("\n".join(wrapped(f"{question}: the stand-in shows {shown}", "", "  "))), flush=True
    )
    if not watched():
        return list(measured)
    typed = input("Enter takes that, or type your own, parted by blanks > ").split()
    return typed or list(measured)


def go_on() -> None:
    """Wait for Enter where somebody watches."""
    if watched():
        input("Enter goes on > ")
