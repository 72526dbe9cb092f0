"""The column of a plan of temperature steps, and what is said of a step."""

import argparse
import math
from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.heat import ASPECTS, STEP_MM, WORDS, Step
from metier.core.measure.thresholds import exceeds
from metier.formats import quantity
from metier.logbook.trials import Reading
from metier.trials.heat.kept import HeatSettings
from metier.trials.kind import Settled, WantedLine
from metier.trials.limit.settings import KeptLine
from metier.trials.on_bench import OnBench, needed_setup
from metier.trials.printing import part_line, part_speed

_EVERY_C, _STEPS_UP, _STEPS_DOWN = 5.0, 2, 4
_FEWEST, _MOST = 2, 12
_COOLEST_C = 150.0
_STEP_HEIGHTS_MM = (5.0, 20.0)


def planned_steps(options: Namespace, bench: OnBench, set_c: float | None) -> Settled[HeatSettings]:
    """Return the steps to print: given, else about the bench's temperature.

    Raises:
        BadInput: none is known to go about, too few, too many, or hotter than roll or printer take.
    """
    ready = needed_setup(bench.chosen)
    every = options.every or _EVERY_C
    if set_c is None and (options.from_c is None or options.to_c is None):
        raise BadInput("--from and --to are needed: no temperature is known to go about")
    hottest = options.from_c if options.from_c else (set_c or 0.0) + _STEPS_UP * every
    coolest = options.to_c if options.to_c else (set_c or 0.0) - _STEPS_DOWN * every
    hottest, coolest = max(hottest, coolest), min(hottest, coolest)
    remarks = []
    for name, most in ((ready.spool.name, ready.spool.hottest_c),
                       (ready.printer.name, ready.printer.hottest_c)):  # fmt: skip
        if most is not None and exceeds(hottest, most):
            if options.from_c:
                raise BadInput(f"{hottest:g} °C are too hot for {name}, which takes {most:g}")
            hottest = most
            remarks.append(f"steps begin at {most:g} °C, which is what {name} takes")
    if exceeds(_COOLEST_C, coolest):
        raise BadInput(f"{coolest:g} °C melt nothing: {_COOLEST_C:g} at least")
    count = math.floor((hottest - coolest) / every + 1e-9) + 1
    if not _FEWEST <= count <= _MOST:
        raise BadInput(
            f"{count} steps from {hottest:g} to {coolest:g} °C, {every:g} apart: {_FEWEST} to "
            f"{_MOST} are printed"
        )
    step_mm = options.step_height or STEP_MM
    if not _STEP_HEIGHTS_MM[0] <= step_mm <= _STEP_HEIGHTS_MM[1]:
        low, high = _STEP_HEIGHTS_MM
        raise BadInput(f"--step-height: {step_mm:g} mm: from {low:g} to {high:g}")
    line = part_line(bench, WantedLine(options.width, options.layer))
    heats = tuple(hottest - every * step for step in range(count))
    settings = HeatSettings(
        heats,
        set_c,
        (ready.nozzle.name,),
        KeptLine.of(line),
        part_speed(bench, line, options.speed),
        step_mm,
    )
    return Settled(settings, remarks=tuple(remarks))


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
        BadInput: too many, or one that is none of them.
    """
    words = [word.lower() for word in text.replace("/", " ").replace(",", " ").split()]
    if not words or len(words) > len(ASPECTS):
        raise BadInput(f"{text[:40]!r}: {_order()}")
    for word, aspect in zip(words, ASPECTS, strict=False):
        if word != SKIPPED and word not in WORDS[aspect]:
            raise BadInput(f"{word[:20]!r} is no word for {aspect}: {', '.join(WORDS[aspect])}")
    return tuple(words + [SKIPPED] * (len(ASPECTS) - len(words)))


def said_of_step(text: str) -> SaidOfStep:
    """Read a step on the command line, as «220=few/even/straight/holds», or «0.4@220=…»."""
    heat_text, is_there, words = text.partition("=")
    nozzle, at, heat = heat_text.rpartition("@")
    try:
        if not is_there:
            raise BadInput(f"{text[:40]!r} is no step: write 220=few/even/straight/holds")
        temperature_c = quantity.read_celsius(heat, "step")
        return SaidOfStep(temperature_c, read_words(words), nozzle.strip() or None if at else None)
    except BadInput as refusal:
        raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None


def readings_of(said: Sequence[SaidOfStep], nozzle: str) -> list[Reading]:
    """Return what was said as it is kept, a reading a word: its value is the word's rank."""
    return [
        Reading(side_of(step.temperature_c, aspect, step.nozzle or nozzle), float(rank), word)
        for step in said
        for aspect, word in zip(ASPECTS, step.words, strict=True)
        if word != SKIPPED
        for rank in (WORDS[aspect].index(word),)
    ]


def side_of(temperature_c: float, aspect: str, nozzle: str) -> str:
    """Return what a reading is of."""
    return f"{temperature_c:g} °C, {aspect}{_OF if nozzle else ''}{nozzle}"


def steps_of(readings: Sequence[Reading], nozzle: str) -> list[Step]:
    """Return the steps of one nozzle, of those readings that are of it."""
    by_heat: dict[float, dict[str, int]] = {}
    for reading in readings:
        place, _, of = reading.side.partition(_OF)
        if of == nozzle:
            heat, _, aspect = place.partition(" °C, ")
            by_heat.setdefault(float(heat), {})[aspect] = int(reading.value)
    return [
        Step(heat, tuple(ranks.get(aspect) for aspect in ASPECTS))
        for heat, ranks in by_heat.items()
    ]


def _order() -> str:
    listed = "; ".join(f"{aspect} {', '.join(words)}" for aspect, words in WORDS.items())
    return f"a word each, in this order ({SKIPPED} for none): {listed}"
