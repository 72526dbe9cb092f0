"""What is needed and not given: asked for at a terminal, else all of it named in one line."""

import argparse
from collections.abc import Callable
from typing import Any, TypeVar

from metier.core.refusal import Refusal

T = TypeVar("T")


class Missing(Refusal):
    """An option that is needed: what it means, how an answer is read, and one that would do.

    ``offered`` is a value that is likely right, ``offer`` the words to offer it in.
    """

    def __init__(
        self,
        option: str,
        meaning: str,
        read: Callable[[str], Any],
        example: object,
        *,
        dest: str = "",
        offered: object = None,
        offer: str = "",
        hint: str = "",
    ) -> None:
        super().__init__(f"{option} is needed: {meaning}{hint}")
        self.option, self.meaning, self.read, self.example = option, meaning, read, example
        self.dest = dest or option.lstrip("-").replace("-", "_")
        self.offered, self.offer, self.hint = offered, offer, hint


def complete(options: argparse.Namespace, settle: Callable[[], T], may_ask: bool) -> T:
    """Settle with what is given, asking for what is needed beside it.

    Raises:
        Refusal: something is needed and nobody can be asked; names all of it.
    """
    while True:
        try:
            return settle()
        except Missing as missing:
            if not may_ask:
                raise _all_of(options, missing, settle) from None
            setattr(options, missing.dest, answer_to(missing))


def answer_to(missing: Missing) -> Any:
    """Ask for one thing that is needed.

    Raises:
        Refusal: nothing was typed.
    """
    from metier.words.question import ask, said_yes

    if missing.offered is not None and said_yes(missing.offer):
        return missing.offered
    words = f"{missing.meaning[:1].upper()}{missing.meaning[1:]}"
    return ask(words, missing.read)


def needed(found: list[Missing]) -> Refusal:
    """Return one refusal for all that is needed."""
    if len(found) == 1:
        return found[0]
    options = [one.option for one in found]
    named = f"{', '.join(options[:-1])} and {options[-1]}"
    meanings = "; ".join(f"{one.option}: {one.meaning}" for one in found)
    hints = "".join(one.hint for one in found)
    return Refusal(f"{named} are needed ({meanings}){hints}")


def _all_of(options: argparse.Namespace, first: Missing, settle: Callable[[], object]) -> Refusal:
    """Find what else is needed, by going on as if what is missing had been given."""
    found = [first]
    while len(found) < 10:
        setattr(options, found[-1].dest, found[-1].example)
        try:
            settle()
        except Missing as missing:
            found.append(missing)
        except Refusal:
            break
        else:
            break
    return needed(found)
