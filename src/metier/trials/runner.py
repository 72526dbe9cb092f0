"""The pipeline of every trial: bench, settings, plan or readings, judgement, record, sheet."""

from argparse import Namespace
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from typing import TYPE_CHECKING, Any

from metier.core.errors import BadInput, Slip
from metier.core.looks import contradicted, looks_in
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.recording import made_of, plan_trial, record_trial
from metier.logbook.trials import Reading, Trial, open_plan, open_plans, trial
from metier.packages import LINES, NotInstalled, require
from metier.show.figures import proposed
from metier.show.sheet import Sheet
from metier.trials.dated import bench_at, past_moment, refuse_before_plan, told_late
from metier.trials.kind import Kind, Settled, WantedLine, judge
from metier.trials.on_bench import (
    ONLY_ASKED,
    OnBench,
    bench_phrase,
    needed_setup,
    not_recorded,
    on_bench,
)
from metier.trials.preferred import keep_given, take_preferred
from metier.trials.registry import kind_named
from metier.trials.slips import odd_zero_mm, typed_twice, without_slip
from metier.trials.stations import show_next
from metier.trials.table import Plan
from metier.trials.witness import add_witnesses, keep_note, with_looks, witnessed, write_last
from metier.words.arguments import option, trial_number
from metier.words.missing import complete, may_answer, may_ask
from metier.words.parser import (
    Answer,
    Parser,
    add_entry_options,
    add_plot_options,
    command_parser,
    existing_logbook,
    piped_or_typed,
)

if TYPE_CHECKING:
    from metier.words.entry import Entry
    from metier.words.missing import Asked
    from metier.words.typed_line import Lines

# The options of every kind that belong to the job; the last is of printed ones.
_PLANS, _BEFORE_PLANS = ("plan", "trial", "part"), 4
AnyKind = Kind[Any, Any, Any]


def parser(name: str) -> Parser:
    """Return the parser of the command that measures a kind of trial."""
    kind = kind_named(name)
    parser = command_parser(kind.name, kind.description, kind.example)
    kind.add_options(parser)
    parser.bare = kind.bare
    job = kind.job.split()
    job[_BEFORE_PLANS:_BEFORE_PLANS] = _PLANS[: 2 + kind.printed]
    parser.job = tuple(f"--{flag}" for flag in job)
    if kind.draws:
        add_plot_options(parser, "draw it")
    group = parser.add_argument_group("a trial printed now and measured later")
    option(group, "--plan", "record the settings; prints a number for the part")
    if kind.printed:
        option(group, "--part FILE", "with --plan: write its part, too (3mf, stl, gcode)")
    else:
        parser.set_defaults(part=None)
    option(group, "--trial N", "measure the trial planned under N", trial_number)
    if kind.asks:
        add_entry_options(parser)
    more = parser.add_argument_group("what is kept, and what is not")
    if kind.preferences:
        flags = ", ".join(f"--{preference.replace('_', '-')}" for preference in kind.preferences)
        option(more, "--keep", f"prefer from now on what is given of {flags}")
    else:
        parser.set_defaults(keep=False)
    option(parser, "--why", "the long form: where the ± comes from, and all else that is known")
    add_witnesses(more, kind)
    # Places of a part are told with --at.
    flag = "--when" if "--at" in parser._option_string_actions else "--at"
    option(more, f"{flag} DATE", "when it was measured, if not now", past_moment, dest="told_at")
    option(more, "--what-if N", "answer without recording: the readings given, or those of trial "
           "N (the newest)", trial_number, nargs="?", const=0)  # fmt: skip
    return parser


def run(name: str, options: Namespace) -> Answer:
    """Plan or measure a trial, and record it where there is a bench to record it on."""
    kind = kind_named(name).way(options)
    given = kind.given(options)
    with existing_logbook(options.logbook) as book:
        if kind.draws and options.plot:
            from metier.words.parser import check_plot_path

            check_plot_path(options.plot, options.force)
        if options.part:
            _check_part(options)
        if not options.plan:
            require(kind.needs)
        answer = kind.instead(options, book)
        if answer:
            return answer
        if options.what_if is not None and not given:
            from metier.trials.again import what_if

            return what_if(kind, options, book)
        if not given and not options.plan and not (kind.asks and _comes_in(options)):
            bench, plan = _bench_of(kind, options, book)
            waiting = _waiting(kind, bench) if plan is None else []
            hints = [kind.kept.measuring(each.number, each.settings) for each in waiting[:1]]
            raise BadInput("; what is planned: ".join([kind.lacks(plan), *hints]))
        if not given and not options.plan and not options.trial and may_ask(options.json):
            options.trial = _offered_plan(kind, book)
        bench, plan = _bench_of(kind, options, book)
        bench = bench._replace(told_late=bool(options.told_at))
        preferred = [] if plan else take_preferred(kind, options, bench)
        # Lines of a pipe are readings, where none are given otherwise.
        asks = may_ask(options.json)
        asks = asks or ((given or options.plan) and may_answer(options.json))
        settled = complete(options, partial(kind.settle, options, bench, plan), asks)
        settled = settled._replace(remarks=(*settled.remarks, *preferred))
        own_photo = hasattr(settled.settings, "photo")
        settled = settled._replace(remarks=witnessed(settled.remarks, options, own_photo))
        if options.what_if is not None:
            settled = settled._replace(recorded=False)
        if options.plan:
            return _planned(kind, bench, settled, options)
        if given:
            taken = kind.readings(options, settled, bench)
            while True:
                try:
                    return _measured(kind, bench, settled, taken, options, None)
                except Slip as slip:
                    taken = without_slip(slip, taken, options)
        return typed_in(kind, bench, settled, options, kind.asked(settled, bench))


def typed_in(
    kind: AnyKind, bench: OnBench, settled: Settled[Any], options: Namespace, asked: "Asked"
) -> Answer:
    """Have readings typed one by one or piped in, and record the trial they are of."""
    # Rare where a cable or a file does it, and slow to load.
    from metier.logbook.drafts import DraftFor
    from metier.words.entry import Entry

    kept = kind.form.keep(settled.settings, ())
    # A roll may be printed hotter meanwhile: its readings are its own all the same.
    chosen = bench_phrase(bench.setup._replace(temperature_c=None)) if bench.setup else "no bench"
    meant = DraftFor(kind.name, chosen, options.trial, kept)
    with (
        _calipers(options) as lines,
        Entry(options, asked, meant, partial(made_of, bench.book), lines) as entry,
    ):
        settled, taken = kind.taken_in(settled, *entry.taken())
        settled = settled._replace(remarks=with_looks(settled.remarks, entry.looks()))
        return _measured(kind, bench, settled, taken, options, entry)


def _comes_in(options: Namespace) -> bool:
    return options.from_port is not None or piped_or_typed()


@contextmanager
def _calipers(options: Namespace) -> "Iterator[Lines | None]":
    """Yield the lines that calipers on a port send, as if they were typed."""
    if options.from_port is None:
        yield None
        return
    from metier.cable.port import CalipersPort

    with CalipersPort(options.from_port, options.from_baud) as port:
        yield port.lines


def _bench_of(kind: AnyKind, options: Namespace, book: Logbook) -> tuple[OnBench, Plan[Any] | None]:
    """Return the bench a trial belongs to: the planned one's, or else the current one."""
    bench = bench_at(book, options.told_at) if options.told_at else on_bench(book)
    if options.plan and options.told_at:
        raise BadInput("--at says when it was measured: with --plan nothing was yet")
    if options.plan and options.trial:
        raise BadInput("--plan makes a new trial, --trial measures a planned one: give one of them")
    if options.plan:
        needed_setup(bench.chosen)
    if options.trial is None:
        return bench, None
    plan = open_plan(book, options.trial, kind.name)
    planned = kind_named(kind.name).way_of(plan.settings)
    if planned is not kind and kind.kept.measured_with(plan.settings):
        command = kind.kept.measuring(plan.number, plan.settings)
        raise BadInput(f"trial {plan.number} is measured another way: {command}")
    bench = bench.moved_to(setup_of(book, plan.number))
    if planned is not kind:
        return bench, None
    return bench, Plan(plan.number, kind.form.of(book, plan), plan.conditions)


def _check_part(options: Namespace) -> None:
    """Refuse a part that could not be written, before anything is planned."""
    from metier.trials.on_bench import part_ending

    if not options.plan:
        raise BadInput("--part goes with --plan; of a trial that is planned: metier part N FILE")
    part_ending(options.part, options.force)


def _planned(kind: AnyKind, bench: OnBench, settled: Settled[Any], options: Namespace) -> Answer:
    """Record a plan and say what to pen on the part and what to set; or write the part, too."""
    ready = needed_setup(bench.chosen)
    payload: dict[str, object] = {}
    if options.part:
        from metier.trials.part_files import plan_with_part

        made = plan_with_part(kind, bench, settled, options.part, options.force)
        plan, settled = made.plan, made.settled
    else:
        kept = kind.form.keep(settled.settings, settled.remarks)
        number = plan_trial(bench.book, ready, kind.name, kept, settled.conditions)
        plan = Plan(number, settled.settings, settled.conditions)
    number = plan.number
    sheet = Sheet(f"Planned: {kind.name}, {bench_phrase(ready)}, trial {number}")
    for label, value in kind.recipe(settled, bench):
        if not options.part or label not in kind.told_by_part:
            sheet.note(value, label)
    if options.part:
        payload["part"] = made.write(sheet, bench, options.part)
        if ready.printer.port and options.part.endswith(".gcode"):
            sheet.next("print it:", proposed("cable", "print", options.part))
    else:
        payload["takes"] = _takes(kind, plan, bench, sheet)
        sheet.act("pen", str(number), "on the part, so that it is not mixed up")
    kept = kind.form.keep(settled.settings, settled.remarks)
    sheet.next("once it can be measured:", kind.kept.measuring(number, kept))
    payload = {
        "trial": number,
        "state": "planned",
        "settings": kept,
        "conditions": settled.conditions._asdict(),
        **kind.planned(settled, bench),
        **payload,
    }
    return Answer(payload, sheet.text())


def _takes(
    kind: AnyKind, plan: Plan[Any], bench: OnBench, sheet: Sheet
) -> dict[str, object] | None:
    """Write, and return for programs, what the part of a plan would take to print; nothing where
    Metier draws none."""
    if not kind.printed:
        return None
    from metier.trials.on_bench import GCODE

    try:
        require(LINES)
        from metier.trials.part_files import facts_of, takes_row

        facts = facts_of(kind.part(kind.as_part(plan, bench, GCODE), bench, WantedLine()), bench)
    except (BadInput, NotInstalled):
        return None
    sheet.gap()
    takes_row(sheet, facts)
    return {"time_s": facts.time_s, "filament_mm": facts.filament_mm, "grams": facts.grams}


def _measured(
    kind: AnyKind,
    bench: OnBench,
    settled: Settled[Any],
    taken: Sequence[Reading],
    options: Namespace,
    entry: "Entry | None",
) -> Answer:
    if may_ask(options.json):
        settled = kind.asked_last(settled, taken, bench, options)
    number, anew = None, list[str]()
    if bench.setup and settled.recorded:
        # Judged with the lock held: what another process records meanwhile comes before or after.
        with bench.book.transaction() as moment:
            if options.keep:
                kept = keep_given(kind, options, bench, moment)
                settled = settled._replace(remarks=(*settled.remarks, *kept))
            twice = typed_twice(kind, bench, settled, taken)
            settled = settled._replace(remarks=(*settled.remarks, *twice))
            made = judge(kind, bench, settled, taken)._replace(number=options.trial)
            number = record_trial(
                bench.book,
                bench.setup,
                kind.name,
                settings=kind.form.keep(settled.settings, settled.remarks),
                conditions=settled.conditions,
                readings=taken,
                findings=made.payload,
                verdict=made.verdict.name,
                outcomes=made.outcomes,
                planned=options.trial,
                draft=entry.draft if entry else None,
            )
            keep_note(bench.book, number, options.note)
            anew = kind.learn(made, bench)
            if options.told_at:
                from metier.trials.judging import judged_again

                if options.trial:
                    refuse_before_plan(bench.book, number, options.told_at)
                told_late(bench.book, moment, options.told_at)
                made = judged_again(bench.book, trial(bench.book, number), taken)
        bench.book.recorded = f"trial {number} is recorded"
    else:
        made = judge(kind, bench, settled, taken)
    if entry:
        entry.recorded()
    made = made._replace(number=number)
    title = kind.title if options.what_if is None else f"What if, {kind.title.lower()}"
    if bench.setup:
        title += f": {bench_phrase(bench.setup)}" + (f", trial {number}" if number else "")
    if kind.draws and options.plot:
        kind.draw(options.plot, title, made)
    sheet = Sheet(title, options.why)
    kind.sheet(made, sheet)
    if kind.draws and options.plot:
        sheet.note(f"written to {options.plot}", "picture")
    write_last(sheet, kind, bench, number)
    odd = contradicted(kind.name, made.verdict.name, looks_in(settled.remarks))
    if odd:
        sheet.note(odd, "looks")
    zero_mm = odd_zero_mm(settled) if made.verdict.name == "recheck" else 0.0
    if zero_mm:
        text = f"{zero_mm:+.2f} mm was taken off every reading: close the jaws and look at it first"
        sheet.note(text, "zero")
    if anew:
        sheet.note(f"judged anew by what is known now: trials {', '.join(anew)}", "anew")
    if number and not sheet.has_next:
        show_next(sheet, bench)
    if options.what_if is not None:
        sheet.gap()
        sheet.lines(ONLY_ASKED)
    elif bench.setup is None:
        sheet.gap()
        sheet.lines(*not_recorded(bench.chosen))
    seen = looks_in(settled.remarks)
    looks = {"looks": seen, "contradicted": odd} if seen else {}
    return Answer({"trial": number, **made.payload, **looks}, sheet.text())


def _offered_plan(kind: AnyKind, book: Logbook) -> int | None:
    """Offer the plan that waits, where its test is called without anything."""
    from metier.words.question import said_yes

    for plan in _waiting(kind, on_bench(book)):
        if said_yes(f"Trial {plan.number} is planned: is it that one?"):
            return plan.number
    return None


def _waiting(kind: AnyKind, bench: OnBench) -> list[Trial]:
    """Return the trials of a kind that are planned on a bench."""
    plans = open_plans(bench.book, bench.setup) if bench.setup else []
    return [plan for plan in plans if plan.test == kind.name]
