"""Whether every trial of a logbook can be read by its kind: for check and import."""

from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.failure import LogbookFailure
from metier.logbook.trials import trials
from metier.trials.registry import kind_named

_ALL = 10**9


def unreadable_trials(book: Logbook) -> list[str]:
    """Return what is wrong with trials that their kind cannot read; empty when all can be."""
    found = []
    for trial in trials(book, _ALL):
        try:
            kind = kind_named(trial.test).way_of(trial.settings)
            kind.read_settings(trial.settings)
            if trial.findings:
                kind.csv_rows(trial)
        except (LogbookFailure, Refusal) as error:
            found.append(f"trial {trial.number}: {error}")
    return found
