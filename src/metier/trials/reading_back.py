"""Whether the trials of a logbook can be read and judged by their kinds: for check and import."""

import json
from collections.abc import Iterator
from contextlib import suppress

from metier.bar import Progress, no_bar
from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.failure import LogbookFailure
from metier.logbook.touched import latest_touched, measured_trials
from metier.logbook.trials import Trial, readings, trials
from metier.trials.judging import Judged, judged_again, keep_judged
from metier.trials.registry import kept_named

_ALL = 10**9


def unreadable_trials(book: Logbook) -> list[str]:
    """Return what is wrong with trials that their kind cannot read; empty when all can be."""
    return [problem for trial in trials(book, _ALL) for problem in _unreadable(trial)]


def _unreadable(trial: Trial) -> Iterator[str]:
    try:
        kept = kept_named(trial.test)
        kept.form(trial.settings).read(trial.settings)
        if trial.findings:
            kept.csv_rows(trial)
    except (LogbookFailure, Refusal) as error:
        yield f"trial {trial.number}: {error}"


def judge_touched(book: Logbook, touched: set[int], progress: Progress = no_bar) -> list[str]:
    """Judge trials anew that an import brought or changed, and those after them on their printer.

    Returns what is wrong with the first that cannot be judged. Trials kept in an older form keep
    the verdict of their day.
    """
    numbers = latest_touched(book, touched)
    for done, trial in enumerate(measured_trials(book, numbers)):
        progress(done, len(numbers))
        try:
            problems = list(_unreadable(trial))
            if problems:
                return problems
            judged = _judged_otherwise(book, trial)
            if judged:
                keep_judged(book, trial.number, judged)
        except (LogbookFailure, Refusal) as error:
            return [f"trial {trial.number}: {error}"]
    return []


def judge_after(book: Logbook, number: int) -> list[int]:
    """Judge trials anew that a trial bears on, now that it is another one than it was.

    Returns those that say something else than before; one that cannot be judged stays as it is.
    """
    return _judge_anew(book, latest_touched(book, {number}) - {number})


def judge_mended(book: Logbook, numbers: set[int]) -> list[int]:
    """Judge trials anew that were mended, and those that they bear on; as `judge_after`."""
    return _judge_anew(book, latest_touched(book, numbers))


def _judge_anew(book: Logbook, numbers: set[int]) -> list[int]:
    changed = []
    for trial in measured_trials(book, numbers):
        with suppress(LogbookFailure, Refusal):
            judged = _judged_otherwise(book, trial)
            if judged:
                keep_judged(book, trial.number, judged)
                changed.append(trial.number)
    return changed


def differing_trials(book: Logbook) -> list[int]:
    """Return the trials that would be judged otherwise today, by what has been learnt since, and
    those that could not be judged at all."""
    numbers = {trial.number for trial in trials(book, _ALL) if trial.findings}
    found = []
    for trial in measured_trials(book, numbers):
        try:
            differs = _judged_otherwise(book, trial) is not None
        except (LogbookFailure, Refusal):
            differs = True
        if differs:
            found.append(trial.number)
    return found


def _judged_otherwise(book: Logbook, trial: Trial) -> Judged | None:
    """Return what a trial says today where that is not what it says in the logbook.

    None for one that is kept in an older form: it was judged by an older edition.

    Raises:
        Refusal, LogbookFailure: it cannot be judged.
    """
    judged = judged_again(book, trial, readings(book, trial.number))
    current = kept_named(trial.test).form(trial.settings).is_current(trial.settings)
    now = json.loads(json.dumps(judged.payload))
    # What a newer Metier says beside it does not make it say something else.
    same = {name: now.get(name) for name in trial.findings or ()} == trial.findings
    return judged if current and not same else None
