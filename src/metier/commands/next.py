"""``metier next``: the one thing to do now, or where to look first for a symptom."""

import argparse

from metier.core.next_step import SYMPTOMS, Symptom, causes_of
from metier.logbook.bench import Bench
from metier.logbook.machines import printers
from metier.logbook.spools import spools
from metier.logbook.trials import Trial, open_plans
from metier.show.command import proposed
from metier.show.sheet import Sheet
from metier.trials.job import NextStep, command_of, next_due, stations
from metier.trials.on_bench import OnBench, bench_phrase, how_to_start, on_bench
from metier.words.parser import Answer, Parser, command_parser, existing_logbook


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "next",
        "Name the one thing to do now on this bench, and why; or, with --seen, what to check for "
        "a symptom, first check first.",
        "  metier next\n  metier next --seen gaps",
    )
    parser.add_argument(
        "--seen",
        choices=SYMPTOMS,
        metavar="SYMPTOM",
        help=f"what is wrong with a print: {', '.join(SYMPTOMS)}",
    )
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier next``."""
    with existing_logbook(options.logbook) as book:
        here = on_bench(book)
        ready = here.setup
        if ready is None:
            step = _set_up(here.bench, bool(printers(book)), bool(spools(book)))
            return Answer(step._asdict(), _sheet("Next", step).text())
        if options.seen:
            return _checks(options.seen, here)
        plans = open_plans(book, ready)
        step = _measure_plan(plans) if plans else next_due(here)
        sheet = _sheet(f"Next: {bench_phrase(ready)}", step)
        if plans:
            listed = ", ".join(f"{plan.number} ({plan.test})" for plan in plans)
            sheet.remark(f"Planned and not measured yet: {listed}.")
        return Answer({**step._asdict(), "planned": [plan.number for plan in plans]}, sheet.text())


def _checks(symptom: Symptom, here: OnBench) -> Answer:
    """Answer what to check for a symptom, first check first."""
    phrase = bench_phrase(here.setup) if here.setup else ""
    sheet = Sheet(f"Seen: {symptom}, {phrase}")
    causes = causes_of(symptom, stations(here))
    if not causes:
        sheet.remark("Nothing that Metier measures yet explains it.")
        nothing = dict.fromkeys(("step", "why", "command"))
        return Answer({**nothing, "checks": []}, sheet.text())
    checks = []
    for number, cause in enumerate(causes, 1):
        sheet.note(f"{cause.cause} ({cause.status}: {cause.why})", f"{number} {cause.step}")
        check = cause._asdict()
        check["command"] = command_of(check.pop("measured_by"), here)
        checks.append(check)
    first = checks[0]
    sheet.next("check the first:", first["command"])
    payload = {"step": first["step"], "why": first["cause"], "command": first["command"]}
    return Answer({**payload, "checks": checks}, sheet.text())


def _measure_plan(plans: list[Trial]) -> NextStep:
    first = plans[-1]
    why = f"trial {first.number} is planned: its number is penned on the part"
    return NextStep("measure", why, proposed(first.test, "--trial", str(first.number)))


def _set_up(bench: Bench, any_printer: bool, any_spool: bool) -> NextStep:
    if not any_printer:
        command = "metier printer add NAME --nozzle BORE --steps STEPS"
        return NextStep("printer", "no printer is known yet", command)
    if not any_spool:
        return NextStep("spool", "no spool is known yet", "metier spool add NAME --material PLA")
    return NextStep(
        "bench", how_to_start(bench), "metier bench --printer P --spool S --temperature C"
    )


def _sheet(title: str, step: NextStep) -> Sheet:
    sheet = Sheet(title)
    sheet.note(step.step, "do")
    sheet.note(step.why, "why")
    sheet.note(step.command, "command")
    return sheet
