"""What readings say, as it is kept: the one judgement for measuring, mending and asking what if."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from metier.core.refusal import Refusal
from metier.core.verdicts import VerdictName
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.recording import amend_reading, judge_anew
from metier.logbook.trials import Outcome, Reading, Trial, placed_readings
from metier.trials.kind import Kind, Settled
from metier.trials.on_bench import on_bench
from metier.trials.registry import kind_named

AnyKind = Kind[Any, Any, Any]


class Judged(NamedTuple):
    """A finding, and what of it is kept."""

    finding: Any
    notes: tuple[str, ...]
    payload: dict[str, object]
    verdict: VerdictName
    outcomes: list[Outcome]


def judge(
    kind: AnyKind, settled: Settled[Any], taken: Sequence[Reading], context: object
) -> Judged:
    """Return what readings say, as it is kept: the same whenever they are judged."""
    finding = kind.judge(settled.settings, taken, context)
    notes = (*settled.remarks, *finding.notes)
    verdict = finding.verdict
    payload = {
        **kind.payload(settled.settings, finding),
        "verdict": verdict.name,
        "reason": verdict.reason,
        "remedies": list(verdict.remedies),
        "notes": list(notes),
    }
    outcomes = kind.outcomes(settled.settings, finding)
    return Judged(finding, notes, payload, verdict.name, outcomes)


def judged_again(book: Logbook, trial: Trial, taken: Sequence[Reading]) -> Judged:
    """Return what a recorded trial says with these readings, by what was known when it was made.

    Raises:
        Refusal: readings that cannot be.
        LogbookFailure: its settings cannot be read.
    """
    kind = kind_named(trial.test).way_of(trial.settings)
    settings = kind.form.of(book, trial)
    here = on_bench(book).moved_to(setup_of(book, trial.number))
    context = kind.context(here, settings, trial.conditions, trial.number)
    # What was said of its settings when it was recorded.
    remarks = tuple(trial.settings.get("remarks", ()))
    return judge(kind, Settled(settings, trial.conditions, remarks), taken, context)


def keep_judged(book: Logbook, number: int, judged: Judged) -> None:
    """Put what a trial says now in the place of what it said; its readings stay as they are."""
    judge_anew(
        book, number, findings=judged.payload, verdict=judged.verdict, outcomes=judged.outcomes
    )


def _with_reading(placed: dict[int, Reading], position: int, new: Reading) -> list[Reading]:
    """Return the readings once one of them is another, or dropped.

    Raises:
        Refusal: none is left.
    """
    after = dict(sorted({**placed, position: new}.items()))
    taken = [reading for reading in after.values() if reading.typed]
    if not taken:
        raise Refusal("a trial needs a reading: undo it instead")
    return taken


def amend(book: Logbook, found: Trial, position: int, new: Reading) -> Judged:
    """Put another reading in the place of one and judge the trial with it.

    Raises:
        Refusal: it cannot be, or it was the last and is dropped.
    """
    with book.transaction():
        taken = _with_reading(placed_readings(book, found.number), position, new)
        judged = judged_again(book, found, taken)
        amend_reading(book, found.number, position, new)
        keep_judged(book, found.number, judged)
    return judged
