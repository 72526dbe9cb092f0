"""What is needed and not given, and how readings are asked for."""

from argparse import Namespace
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple, TypeVar

from metier.core.errors import BadInput
from metier.core.measure.readings import Instrument

T = TypeVar("T")


class Missing(BadInput):
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


def complete(options: Namespace, settle: Callable[[], T], may_ask: bool) -> T:
    """Settle with what is given, asking for what is needed beside it.

    Raises:
        BadInput: something is needed and nobody can be asked; names all of it.
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
        BadInput: nothing was typed.
    """
    from metier.words.question import ask, said_yes

    if missing.offered is not None and said_yes(missing.offer):
        return missing.offered
    words = f"{missing.meaning[:1].upper()}{missing.meaning[1:]}"
    return ask(words, missing.read)


def needed(found: list[Missing]) -> BadInput:
    """Return one refusal for all that is needed."""
    if len(found) == 1:
        return found[0]
    options = [one.option for one in found]
    named = f"{', '.join(options[:-1])} and {options[-1]}"
    meanings = "; ".join(f"{one.option}: {one.meaning}" for one in found)
    hints = "".join(one.hint for one in found)
    return BadInput(f"{named} are needed ({meanings}){hints}")


def _all_of(options: Namespace, first: Missing, settle: Callable[[], object]) -> BadInput:
    """Find what else is needed, by going on as if what is missing had been given."""
    found = [first]
    while len(found) < 10:
        setattr(options, found[-1].dest, found[-1].example)
        try:
            settle()
        except Missing as missing:
            found.append(missing)
        except BadInput:
            break
        else:
            break
    return needed(found)


class Asked(NamedTuple):
    """What is asked for: the test, where each reading belongs, and how to measure here.

    ``places`` are asked round and round; a name ending in ``…`` counts up instead. ``check``
    refuses a reading that cannot be at its place. ``running`` says what they come to so far, by
    default their mean. ``sections`` are gone through one after the other, each until an empty
    line; the name of one stands before its places. Those that are ``optional`` may stay empty.
    ``before`` does what has to be done before a reading can be taken, by its number from 0, and
    tells whether to go on, ``meanwhile`` what has to be done every second until it comes;
    ``enough`` tells of the readings so far that no more are needed.
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

    def place(self, position: int, section: str = "") -> str:
        """Return the name of the place that a section's reading at ``position`` (from 0) is of."""
        name = self.places[position % len(self.places)]
        name = f"{name.removesuffix('…')}{position + 1}" if name.endswith("…") else name
        return f"{section}, {name}" if section else name
