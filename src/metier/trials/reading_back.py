"""Whether the trials of a logbook can be read and judged by their kinds: for check and import."""

import json
from collections.abc import Callable, Iterable, Iterator

from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.failure import LogbookFailure
from metier.logbook.recording import judge_anew
from metier.logbook.trials import Trial, latest_touched, measured_trials, readings, trials
from metier.trials.registry import kept_named

Progress = Callable[[int, int], None]
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


def judge_touched(
    book: Logbook, touched: set[int], progress: Progress = lambda _done, _all: None
) -> list[str]:
    """Judge trials anew that an import brought or changed, and those after them on their bench.

    Returns what is wrong with those that cannot be judged. Trials kept in an older form keep the
    verdict of their day.
    """
    numbers = latest_touched(book, touched)
    problems = []
    for done, trial in enumerate(measured_trials(book, numbers)):
        progress(done, len(numbers))
        problems += list(_unreadable(trial))
        if problems:
            break
        problems += list(_judged(book, trial, keep=True))
    return problems


def judge_after(book: Logbook, number: int) -> list[int]:
    """Judge trials anew that a trial bears on, now that it is another one than it was.

    Returns those that say something else than before; one that cannot be judged stays as it is.
    """
    changed = []
    for trial in measured_trials(book, latest_touched(book, {number}) - {number}):
        before = trial.findings
        list(_judged(book, trial, keep=True))
        (after,) = book.row("SELECT findings FROM trial WHERE id = ?", trial.number)
        if json.loads(after) != before:
            changed.append(trial.number)
    return changed


def differing_trials(book: Logbook, progress: Progress = lambda _done, _all: None) -> list[int]:
    """Return the trials that would be judged otherwise today, by what has been learnt since.

    Those kept in an older form are passed over.
    """
    numbers = {trial.number for trial in trials(book, _ALL) if trial.findings}
    found = []
    for done, trial in enumerate(measured_trials(book, numbers)):
        progress(done, len(numbers))
        if any(_judged(book, trial, keep=False)):
            found.append(trial.number)
    return found


def _judged(book: Logbook, trial: Trial, *, keep: bool) -> Iterable[str]:
    """Judge a trial anew: what is wrong with it, or, where it is not kept, whether it differs."""
    from metier.trials.runner import judged_again

    form = kept_named(trial.test).form(trial.settings)
    current = form.is_current(trial.settings)
    try:
        judged = judged_again(book, trial, readings(book, trial.number))
    except (LogbookFailure, Refusal, ValueError, TypeError, KeyError, ArithmeticError) as error:
        yield f"trial {trial.number}: {error}"
        return
    same = json.loads(json.dumps(judged.payload)) == trial.findings
    if same or not current:
        return
    if not keep:
        yield "differs"
        return
    judge_anew(
        book,
        trial.number,
        findings=judged.payload,
        verdict=judged.verdict,
        outcomes=judged.outcomes,
    )
