"""What readings say, as it is kept: the one judgement for measuring, mending, import and check."""

import json
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import suppress
from typing import Any

from metier.bar import Progress, no_bar
from metier.core.errors import BadInput
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook, decoded
from metier.logbook.check import latest_touched, measured_trials
from metier.logbook.location import Damaged, LogbookFailure
from metier.logbook.plain import alike
from metier.logbook.recording import amend_reading, judge_anew, withdraw
from metier.logbook.trials import Reading, Trial, placed_readings, readings, trial
from metier.trials.kind import Measured, Settled, judge
from metier.trials.on_bench import on_bench
from metier.trials.registry import kept_named, kind_named

AnyMeasured = Measured[Any, Any, Any]


def judged_again(book: Logbook, trial: Trial, taken: Sequence[Reading]) -> AnyMeasured:
    """Return what a recorded trial says with these readings, by what was known when it was made.

    Raises:
        BadInput: readings that cannot be.
        LogbookFailure: its settings cannot be read.
    """
    kind = kind_named(trial.test).way_of(trial.settings)
    settings = kind.form.of(book, trial)
    bench = on_bench(book).moved_to(setup_of(book, trial.number))
    # What was said of its settings when it was recorded.
    remarks = tuple(trial.settings.get("remarks", ()))
    return judge(kind, bench, Settled(settings, trial.conditions, remarks), taken, trial.number)


def keep_judged(book: Logbook, number: int, judged: AnyMeasured) -> None:
    """Put what a trial says now in the place of what it said; its readings stay as they are."""
    judge_anew(
        book, number, findings=judged.payload, verdict=judged.verdict.name, outcomes=judged.outcomes
    )


def _with_reading(placed: dict[int, Reading], position: int, new: Reading) -> list[Reading]:
    """Return the readings once one of them is another, or dropped.

    Raises:
        BadInput: none is left.
    """
    after = dict(sorted({**placed, position: new}.items()))
    taken = [reading for reading in after.values() if reading.typed]
    if not taken:
        raise BadInput("a trial needs a reading: undo it instead")
    return taken


def amend(book: Logbook, trial: Trial, position: int, new: Reading) -> AnyMeasured:
    """Put another reading in the place of one and judge the trial with it.

    Raises:
        BadInput: it cannot be, or it was the last and is dropped.
    """
    with book.transaction():
        taken = _with_reading(placed_readings(book, trial.number), position, new)
        judged = judged_again(book, trial, taken)
        amend_reading(book, trial.number, position, new)
        keep_judged(book, trial.number, judged)
    return judged


def unreadable_trials(book: Logbook) -> list[str]:
    """Return what is wrong with trials that their kind cannot read; empty when all can be."""
    numbers = book.connection.execute("SELECT id FROM trial ORDER BY id DESC").fetchall()
    return [problem for (number,) in numbers for problem in _wrong_with(book, number)]


def _wrong_with(book: Logbook, number: int) -> list[str]:
    """Return what is wrong with a trial, should even its text be none any more."""
    try:
        problems = list(_unreadable(trial(book, number)))
        readings(book, number)
    except Damaged as error:
        return [error.how]
    except sqlite3.Error:
        return [f"trial {number}: some of its text cannot be read"]
    return problems


def _unreadable(recorded: Trial) -> Iterator[str]:
    try:
        kept = kept_named(recorded.test)
        kept.form(recorded.settings).read(recorded.settings)
        if recorded.findings:
            kept.csv_rows(recorded)
    except (LogbookFailure, BadInput) as error:
        yield f"trial {recorded.number}: {error}"


def judge_brought(
    book: Logbook, brought: set[int], anew: bool, progress: Progress = no_bar
) -> list[str]:
    """Judge all trials ``anew`` where told to; else look whether those that an import brought, as
    another Metier wrote them, are of settings that this one knows.

    Returns what is wrong with the first that cannot be read or judged. Trials kept in an older
    form keep the verdict of their day.
    """
    if not anew:
        return _unknown_settings(book, brought)
    rows = book.connection.execute(
        "SELECT id FROM trial WHERE measured IS NOT NULL ORDER BY measured"
    ).fetchall()
    for done, (number,) in enumerate(rows):
        progress(done, len(rows))
        try:
            measured = trial(book, number)
            problems = list(_unreadable(measured))
            if problems:
                return problems
            judged = _judged_otherwise(book, measured)
            if judged:
                keep_judged(book, number, judged)
        except (LogbookFailure, BadInput) as error:
            return [f"trial {number}: {error}"]
    return []


def _unknown_settings(book: Logbook, numbers: set[int]) -> list[str]:
    for number, test, text in book.connection.execute("SELECT id, test, settings FROM trial"):
        if number in numbers:
            try:
                settings = decoded(book, text, dict)
                kept_named(test).form(settings).read(settings)
            except (LogbookFailure, BadInput) as error:
                return [f"trial {number}: {error}"]
    return []


def judge_by_readings(book: Logbook, number: int) -> bool:
    """Judge a trial whose finding is lost by its readings; tells whether that could be done. What
    cannot be is withdrawn."""
    try:
        keep_judged(book, number, judged_again(book, trial(book, number), readings(book, number)))
    except (LogbookFailure, BadInput):
        with suppress(BadInput):
            withdraw(book, number)
        return False
    return True


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
    for measured in measured_trials(book, numbers):
        with suppress(LogbookFailure, BadInput):
            judged = _judged_otherwise(book, measured)
            if judged:
                keep_judged(book, measured.number, judged)
                changed.append(measured.number)
    return changed


def differing_trials(book: Logbook, newest: int) -> list[int]:
    """Return those of the ``newest`` trials that would be judged otherwise today, by what has been
    learnt since, and those that could not be judged at all."""
    numbers = book.connection.execute(
        "SELECT id FROM trial WHERE findings IS NOT NULL AND measured IS NOT NULL"
        " ORDER BY measured DESC LIMIT ?",
        (newest,),
    ).fetchall()
    differing = []
    for measured in measured_trials(book, {number for (number,) in numbers}):
        try:
            differs = _judged_otherwise(book, measured) is not None
        except (LogbookFailure, BadInput):
            differs = True
        if differs:
            differing.append(measured.number)
    return differing


def _judged_otherwise(book: Logbook, trial: Trial) -> AnyMeasured | None:
    """Return what a trial says today where that is not what it says in the logbook.

    None for one that is kept in an older form: it was judged by an older edition.

    Raises:
        BadInput, LogbookFailure: it cannot be judged.
    """
    judged = judged_again(book, trial, readings(book, trial.number))
    current = kept_named(trial.test).form(trial.settings).is_current(trial.settings)
    now = json.loads(json.dumps(judged.payload))
    return judged if current and not alike(trial.findings or {}, now) else None
