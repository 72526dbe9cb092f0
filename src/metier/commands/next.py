"""``metier next``: the one thing to do now, or where to look first for a symptom."""

from argparse import Namespace

from metier.core.errors import BadInput
from metier.core.next_step import SYMPTOMS, Symptom
from metier.logbook.bench import skip_step
from metier.logbook.book import Logbook
from metier.logbook.items import listed
from metier.logbook.machines import Printer, Spool
from metier.logbook.trials import open_plans
from metier.show.figures import proposed
from metier.show.sheet import Sheet
from metier.trials.on_bench import (
    OnBench,
    add_elsewhere_options,
    bench_phrase,
    needed_setup,
    on_bench_of,
)
from metier.trials.stations import NextStep, next_due, stations, stood_of, together, zero_station
from metier.words.arguments import option, positive
from metier.words.parser import Answer, Parser, command_parser, existing_logbook


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "next",
        "Name the one thing to do now on this bench, and why; or, with --seen, what to check for "
        "a symptom, first check first.",
        "  metier next\n  metier next --seen gaps\n  metier next --minutes 15\n"
        "  metier next --skip proof      not now; until something changes about it",
    )
    what = parser.add_mutually_exclusive_group()
    option(what, "--seen SYMPTOM", f"what is wrong with a print: {', '.join(SYMPTOMS)}", SYMPTOMS)
    option(what, "--skip STEP", "leave a step out until it stands otherwise")
    option(what, "--minutes N", "what a few minutes are best spent on", positive)
    add_elsewhere_options(parser)
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier next``."""
    with existing_logbook(options.logbook) as book:
        bench = on_bench_of(book, options)
        ready = bench.setup
        if ready is None:
            step = _set_up(book, bench)
            return Answer(step._asdict(), _sheet("Next", step).text())
        if options.seen:
            return _checks(options.seen, bench)
        if options.minutes:
            return _quick(bench, options.minutes)
        if options.skip:
            _skip(bench, options.skip)
        step = next_due(bench)
        plans = open_plans(book, ready)
        sheet = _sheet(f"Next: {bench_phrase(ready)}", step)
        if len(plans) > 1:
            listed = ", ".join(f"{plan.number} ({plan.test})" for plan in plans)
            sheet.remark(f"Planned and not measured yet: {listed}.")
        joined = together(bench, plans) if plans or step.takes else ""
        if joined:
            sheet.remark(joined)
        told = {**step._asdict(), "planned": [plan.number for plan in plans]}
        return Answer({**told, "together": joined or None}, sheet.text())


def _skip(bench: OnBench, step: str) -> None:
    assert bench.setup is not None
    steps = [zero_station(bench), *stations(bench)]
    known = {station.step: station.stood for station in steps}
    plans = open_plans(bench.book, bench.setup)
    if plans:
        known["measure"] = stood_of(plans)
    if step not in known:
        raise BadInput(f"--skip: there is no step '{step[:40]}' here: {', '.join(known)}")
    skip_step(bench.book, bench.setup, step, known[step])


def _checks(symptom: Symptom, bench: OnBench) -> Answer:
    """Answer what to check for a symptom, first check first."""
    from metier.trials.stations import checks, command_for, looked_like

    phrase = bench_phrase(bench.setup) if bench.setup else ""
    sheet = Sheet(f"Seen: {symptom}, {phrase}")
    due = []
    for number, cause in enumerate(checks(symptom, bench), 1):
        quick = f": {cause.hand}: ten seconds" if cause.enter and cause.hand else ""
        stands = f"({cause.status}: {cause.why}{quick})"
        sheet.note(f"{cause.cause} {stands}", f"{number} {cause.step}")
        check = cause._asdict()
        for name in ("measured_by", "enter", "hand"):
            del check[name]
        due.append({**check, "command": command_for(cause, bench)})
    for print_ in looked_like(symptom, bench):
        sheet.note(print_, "seen on")
    first = due[0]
    sheet.next("check the first:", first["command"])
    payload = {"step": first["step"], "why": first["cause"], "command": first["command"]}
    return Answer({**payload, "checks": due}, sheet.text())


def _quick(bench: OnBench, minutes: float) -> Answer:
    """Answer what so many minutes are best spent on."""
    from metier.trials.quick import quick_steps

    ready = needed_setup(bench.chosen)
    steps = quick_steps(bench, minutes)
    sheet = Sheet(f"In {minutes:g} minutes: {bench_phrase(ready)}")
    for step in steps:
        sheet.row(step.step, f"{step.minutes:g} min", step.why)
    if steps:
        sheet.next("begin with:", steps[0].command)
        for step in steps[1:]:
            sheet.otherwise(f"then {step.step}:", step.command)
    else:
        sheet.remark("Nothing that is open takes so little: metier next has the next thing.")
    first = steps[0] if steps else None
    payload = {
        "step": first and first.step,
        "why": first and first.why,
        "command": first and first.command,
        "steps": [step._asdict() for step in steps],
    }
    return Answer(payload, sheet.text())


def _set_up(book: Logbook, bench: OnBench) -> NextStep:
    known, rolls = listed(book, Printer), listed(book, Spool)
    if not known:
        return NextStep("printer", "no printer is known yet", "metier setup")
    if not rolls:
        return NextStep("spool", "no roll of filament is known yet", "metier spool add")
    chosen = bench.chosen
    words = []
    if chosen.printer is None:
        words += ["--printer", max(known, key=lambda printer: printer.id).name]
    if chosen.spool is None:
        words += ["--spool", max(rolls, key=lambda roll: roll.id).name]
    why = "say what is in use: from then on every trial is recorded"
    return NextStep("bench", why, proposed("bench", *words))


def _sheet(title: str, step: NextStep) -> Sheet:
    sheet = Sheet(title)
    sheet.note(step.step, "do")
    sheet.note(step.why, "why")
    if step.hand:
        sheet.note(step.hand, "by hand")
    sheet.note(step.command, "command")
    if step.takes:
        sheet.note(f"{step.takes} to print", "takes")
    return sheet
