"""A planned trial whose part is to be written: what is known of it, and what is kept."""

import json
from typing import Any, NamedTuple

from metier.core.refusal import Refusal
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.edits import edit
from metier.logbook.trials import Trial, trial
from metier.trials.kind import Kind, Plan
from metier.trials.on_bench import OnBench, on_bench
from metier.trials.registry import kind_named


class Planned(NamedTuple):
    """A planned trial by its kind, on the bench that it is for."""

    trial: Trial
    kind: Kind[Any, Any, Any]
    plan: Plan[Any]
    here: OnBench

    @property
    def number(self) -> int:
        """The trial's number."""
        return self.trial.number


def planned_trial(book: Logbook, number: int) -> Planned:
    """Return a planned trial.

    Raises:
        Refusal: there is none of that number, or it is not planned.
    """
    known = trial(book, number)
    if known.state != "planned":
        raise Refusal(
            f"trial {known.number} is {known.state}: a part is of a trial that is planned"
        )
    kind = kind_named(known.test).way_of(known.settings)
    here = on_bench(book).moved_to(setup_of(book, known.number))
    return Planned(
        known, kind, Plan(known.number, kind.form.of(book, known), known.conditions), here
    )


def keep_as_printed(book: Logbook, moment: int, planned: Planned, asked: Plan[Any]) -> None:
    """Keep how a trial is printed now; what the plan said before stays known."""
    if asked == planned.plan:
        return
    kept = planned.kind.form.keep(asked.settings, planned.trial.settings.get("remarks", ()))
    speed_mm_s = asked.conditions.speed_mm_s
    edit(book, moment, "trial", planned.number, {"settings": json.dumps(kept)})
    edit(book, moment, "trial", planned.number, {"speed_mm_s": speed_mm_s})
