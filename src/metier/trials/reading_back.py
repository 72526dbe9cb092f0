"""Whether every trial of a logbook can be read by its kind: for check and import."""

from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.failure import LogbookFailure
from metier.logbook.trials import trials
from metier.trials.registry import kept_named

_ALL = 10**9


def unreadable_trials(book: Logbook) -> list[str]:
    """Return what is wrong with trials that their kind cannot read; empty when all can be."""
    found = []
    for trial in trials(book, _ALL):
        try:
            kept = kept_named(trial.test)
            kept.form(trial.settings).read(trial.settings)
            if trial.findings:
                kept.csv_rows(trial)
        except (LogbookFailure, Refusal) as error:
            found.append(f"trial {trial.number}: {error}")
    return found
