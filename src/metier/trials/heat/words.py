"""What is said of a step, as it is typed: «220=few/even/straight/holds»."""

import argparse
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.heat import ASPECTS, WORDS, Step
from metier.core.refusal import Refusal
from metier.formats import quantity
from metier.logbook.trials import Reading

# Stands for what nobody looked at.
SKIPPED = "-"
_OF = ", on "


class SaidOfStep(NamedTuple):
    """A step, the nozzle it was printed with where that is named, and the words about it."""

    temperature_c: float
    words: tuple[str, ...]
    nozzle: str | None = None


def read_words(text: str) -> tuple[str, ...]:
    """Read the words about a step, in the order of `ASPECTS`, each from good to worst.

    Raises:
        Refusal: too many, or one that is none of them.
    """
    words = [one.lower() for one in text.replace("/", " ").replace(",", " ").split()]
    if not words or len(words) > len(ASPECTS):
        raise Refusal(f"{text[:40]!r}: {_order()}")
    for word, aspect in zip(words, ASPECTS, strict=False):
        if word != SKIPPED and word not in WORDS[aspect]:
            raise Refusal(f"{word[:20]!r} is no word for {aspect}: {', '.join(WORDS[aspect])}")
    return tuple(words + [SKIPPED] * (len(ASPECTS) - len(words)))


def said_of_step(text: str) -> SaidOfStep:
    """Read a step on the command line, as «220=few/even/straight/holds», or «0.4@220=…»."""
    heat_text, is_there, words = text.partition("=")
    nozzle, at, heat = heat_text.rpartition("@")
    try:
        if not is_there:
            raise Refusal(f"{text[:40]!r} is no step: write 220=few/even/straight/holds")
        temperature_c = quantity.read_celsius(heat, "step")
        return SaidOfStep(temperature_c, read_words(words), nozzle.strip() or None if at else None)
    except Refusal as refusal:
        raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None


def readings_of(said: Sequence[SaidOfStep], nozzle: str) -> list[Reading]:
    """Return what was said as it is kept, a reading a word: its value is the word's rank."""
    return [
        Reading(side_of(one.temperature_c, aspect, one.nozzle or nozzle), float(rank), word)
        for one in said
        for aspect, word in zip(ASPECTS, one.words, strict=True)
        if word != SKIPPED
        for rank in (WORDS[aspect].index(word),)
    ]


def side_of(temperature_c: float, aspect: str, nozzle: str) -> str:
    """Return what a reading is of."""
    return f"{temperature_c:g} °C, {aspect}{_OF if nozzle else ''}{nozzle}"


def steps_of(readings: Sequence[Reading], nozzle: str) -> list[Step]:
    """Return the steps of one nozzle, of those readings that are of it."""
    found: dict[float, dict[str, int]] = {}
    for one in readings:
        place, _, of = one.side.partition(_OF)
        if of == nozzle:
            heat, _, aspect = place.partition(" °C, ")
            found.setdefault(float(heat), {})[aspect] = int(one.value)
    return [
        Step(heat, tuple(ranks.get(aspect) for aspect in ASPECTS)) for heat, ranks in found.items()
    ]


def _order() -> str:
    listed = "; ".join(f"{aspect} {', '.join(words)}" for aspect, words in WORDS.items())
    return f"a word each, in this order ({SKIPPED} for none): {listed}"
