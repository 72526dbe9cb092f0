"""The pipeline of every trial: bench, settings, plan or readings, judgement, record, sheet."""

import argparse
from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING, Any, NamedTuple

from metier.core.refusal import Refusal
from metier.core.verdicts import VerdictName
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.drafts import DraftFor
from metier.logbook.recording import amend_reading, judge_anew, made_of, plan_trial, record_trial
from metier.logbook.trials import Outcome, Reading, Trial, open_plan, placed_readings, readings
from metier.show.command import proposed
from metier.show.sheet import Sheet
from metier.trials.job import show_next
from metier.trials.kind import Kind, Measured, Plan, Settled
from metier.trials.on_bench import OnBench, bench_phrase, needed_setup, not_recorded, on_bench
from metier.trials.registry import kind_named
from metier.words.arguments import trial_number
from metier.words.missing import complete
from metier.words.parser import (
    Answer,
    Parser,
    add_entry_options,
    add_plot_options,
    command_parser,
    existing_logbook,
    piped_or_typed,
)
from metier.words.question import may_answer, may_ask

if TYPE_CHECKING:
    from metier.words.entry import Entry

AnyKind = Kind[Any, Any, Any]


def parser(name: str) -> Parser:
    """Return the parser of the command that measures a kind of trial."""
    kind = kind_named(name)
    parser = command_parser(kind.name, kind.description, kind.example)
    kind.add_options(parser)
    if kind.draws:
        add_plot_options(parser, "draw it")
    group = parser.add_argument_group("a trial printed now and measured later")
    group.add_argument(
        "--plan", action="store_true", help="record the settings; prints a number for the part"
    )
    group.add_argument(
        "--trial", type=trial_number, metavar="N", help="measure the trial planned under N"
    )
    if kind.asks:
        add_entry_options(parser)
    return parser


def run(name: str, options: argparse.Namespace) -> Answer:
    """Plan or measure a trial, and record it where there is a bench to record it on."""
    kind = kind_named(name).way(options)
    given = kind.given(options)
    with existing_logbook(options.logbook) as book:
        if kind.draws and options.plot:
            from metier.show.plot_path import check_plot_path

            check_plot_path(options.plot, options.force)
        answer = kind.instead(options, book)
        if answer:
            return answer
        if not given and not options.plan and not (kind.asks and piped_or_typed()):
            raise Refusal(kind.lacking)
        here, plan = _bench_of(kind, options, book)
        # Lines of a pipe are readings, where none are given otherwise.
        asks = may_ask(options.json)
        asks = asks or ((given or options.plan) and may_answer(options.json))
        settled = complete(options, partial(kind.settle, options, here, plan), asks)
        if options.plan:
            return _planned(kind, here, settled)
        if given:
            taken = kind.readings(options, settled, here)
            return _measured(kind, here, settled, taken, options, None)
        from metier.words.entry import Entry

        kept = kind.form.keep(settled.settings, ())
        # A roll may be printed hotter meanwhile: its readings are its own all the same.
        bench = bench_phrase(here.setup._replace(temperature_c=None)) if here.setup else "no bench"
        meant = DraftFor(kind.name, bench, options.trial, kept)
        asked = kind.asked(settled, here)
        with Entry(options, asked, meant, partial(made_of, book)) as entry:
            settled, taken = kind.typed(settled, *entry.taken())
            return _measured(kind, here, settled, taken, options, entry)


def _bench_of(
    kind: AnyKind, options: argparse.Namespace, book: Logbook
) -> tuple[OnBench, Plan[Any] | None]:
    """Return the bench a trial belongs to: the planned one's, or else the current one."""
    here = on_bench(book)
    if options.plan and options.trial:
        raise Refusal("--plan makes a new trial, --trial measures a planned one: give one of them")
    if options.plan:
        needed_setup(here.bench)
    if options.trial is None:
        return here, None
    found = open_plan(book, options.trial, kind.name)
    planned = kind_named(kind.name).way_of(found.settings)
    here = here.moved_to(setup_of(book, found.number))
    if planned is not kind:
        return here, None
    return here, Plan(found.number, kind.form.of(book, found), found.conditions)


def _planned(kind: AnyKind, here: OnBench, settled: Settled[Any]) -> Answer:
    """Record a plan and say what to pen on the part and what to set."""
    ready = needed_setup(here.bench)
    kept = kind.form.keep(settled.settings, settled.remarks)
    number = plan_trial(here.book, ready, kind.name, kept, settled.conditions)
    sheet = Sheet(f"Planned: {kind.name}, {bench_phrase(ready)}, trial {number}")
    for label, value in kind.recipe(settled, here):
        sheet.note(value, label)
    sheet.act("pen", str(number), "on the part, so that it is not mixed up")
    sheet.next("once it can be measured:", proposed(kind.name, "--trial", str(number)))
    payload = {
        "trial": number,
        "state": "planned",
        "settings": kept,
        "conditions": settled.conditions._asdict(),
        **kind.planned(settled, here),
    }
    return Answer(payload, sheet.text())


def _measured(
    kind: AnyKind,
    here: OnBench,
    settled: Settled[Any],
    taken: Sequence[Reading],
    options: argparse.Namespace,
    entry: "Entry | None",
) -> Answer:
    number = None
    if here.setup and settled.recorded:
        # Judged with the lock held: what another process records meanwhile comes before or after.
        with here.book.transaction():
            context = kind.context(here, settled.settings, settled.conditions)
            judged = judge(kind, settled, taken, context)
            number = record_trial(
                here.book,
                here.setup,
                kind.name,
                settings=kind.form.keep(settled.settings, settled.remarks),
                conditions=settled.conditions,
                readings=taken,
                findings=judged.payload,
                verdict=judged.verdict,
                outcomes=judged.outcomes,
                planned=options.trial,
                draft=entry.draft if entry else None,
            )
            kind.learn(settled, here)
        here.book.recorded = f"trial {number} is recorded"
    else:
        context = kind.context(here, settled.settings, settled.conditions)
        judged = judge(kind, settled, taken, context)
    if entry:
        entry.recorded()
    trial = Measured(here, number, settled, taken, context, judged.finding, judged.notes)
    title = kind.title
    if here.setup:
        title += f": {bench_phrase(here.setup)}" + (f", trial {number}" if number else "")
    if kind.draws and options.plot:
        kind.draw(options.plot, title, trial)
    sheet = Sheet(title)
    kind.sheet(trial, sheet)
    if number and not sheet.has_next:
        show_next(sheet, here)
    if here.setup is None:
        sheet.gap()
        sheet.lines(*not_recorded(here.bench))
    return Answer({"trial": number, **judged.payload}, sheet.text())


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
    remarks = _remarks(kind, settings, trial, readings(book, trial.number), context)
    return judge(kind, Settled(settings, trial.conditions, remarks), taken, context)


def _remarks(
    kind: AnyKind, settings: Any, trial: Trial, before: Sequence[Reading], context: object
) -> tuple[str, ...]:
    """Return what was said of a trial's settings when it was recorded.

    The first version of settings did not keep that: there it is what the findings have noted
    and its readings do not explain.
    """
    if "version" in trial.settings:
        return tuple(trial.settings.get("remarks", ()))
    explained = kind.judge(settings, before, context).notes
    noted = (trial.findings or {}).get("notes", ())
    return tuple(note for note in noted if note not in explained)


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


def amend(book: Logbook, trial: Trial, position: int, new: Reading) -> Judged:
    """Put another reading in the place of one and judge the trial with it.

    Raises:
        Refusal: it cannot be, or it was the last and is dropped.
    """
    with book.transaction():
        taken = _with_reading(placed_readings(book, trial.number), position, new)
        judged = judged_again(book, trial, taken)
        amend_reading(book, trial.number, position, new)
        keep_judged(book, trial.number, judged)
    return judged
