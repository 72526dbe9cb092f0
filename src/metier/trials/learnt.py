"""By how much prints of the same differ, and rolls of one kind, as this bench has learnt it."""

from typing import NamedTuple

from metier.core.flow.repeats import print_scatter
from metier.logbook.trials import latest_on, readings
from metier.trials.flow.earlier import as_trial
from metier.trials.flow.rolls import known_rolls
from metier.trials.flow.settings import FORM
from metier.trials.on_bench import OnBench

_NEWEST = 24


class Learnt(NamedTuple):
    """Scatter from print to print, and from roll to roll (None where none else is known), both 1 u
    and relative, each with what it was learnt from."""

    print_scatter: float
    prints_text: str
    roll_scatter: float | None
    rolls_text: str


def learnt_of(here: OnBench) -> Learnt | None:
    """Return what a bench has learnt; None where there is no bench."""
    if here.setup is None:
        return None
    made = []
    for trial in latest_on(here.book, here.setup, "flow", _NEWEST):
        settings = FORM.of(here.book, trial)
        made.append(
            as_trial(
                trial.number,
                settings,
                readings(here.book, trial.number),
                now=settings,
                accuracy_mm=settings.instrument_mm.accuracy_mm,
                instrument=trial.conditions.instrument,
            )
        )
    alike = {(one.flow, one.width_mm, one.layer_mm) for one in made}
    repeats = len(made) - len(alike)
    text = "what is usual: no print was repeated yet"
    if repeats:
        text = f"what is usual, and {repeats} repeat{'s' if repeats > 1 else ''} here"
    rolls = known_rolls(here, here.setup)
    if rolls is None:
        return Learnt(print_scatter(made), text, None, "")
    return Learnt(print_scatter(made), text, rolls.expected.scatter, rolls.words)
