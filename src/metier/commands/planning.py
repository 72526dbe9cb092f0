"""Trials planned now and measured later: ``--plan`` and ``--trial N`` of every test."""

import argparse
from collections.abc import Sequence
from typing import Any

from metier.commands.on_bench import OnBench, bench_phrase, needed_setup, on_bench
from metier.commands.options import Answer, trial_number
from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.recording import plan_trial, record_trial
from metier.logbook.trials import Conditions, Outcome, Reading, Trial, open_plan, setup_of
from metier.show.sheet import Sheet


def add_plan_options(parser: argparse.ArgumentParser) -> None:
    """Add ``--plan`` and ``--trial``."""
    group = parser.add_argument_group("a trial printed now and measured later")
    group.add_argument(
        "--plan", action="store_true", help="record the settings; prints a number for the part"
    )
    group.add_argument(
        "--trial", type=trial_number, metavar="N", help="measure the trial planned under N"
    )


def planned_bench(
    book: Logbook, options: argparse.Namespace, test: str
) -> tuple[OnBench, Trial | None]:
    """Return the bench a trial belongs to: the planned one's, or else the current one.

    Raises:
        Refusal: no such open plan, or nothing on the bench to plan for.
    """
    here = on_bench(book)
    if options.plan and options.trial:
        raise Refusal("--plan makes a new trial, --trial measures a planned one: give one of them")
    if options.plan:
        needed_setup(here.bench)
    if options.trial is None:
        return here, None
    plan = open_plan(book, options.trial, test)
    setup = setup_of(book, plan.number)
    return here._replace(bench=here.bench._replace(**setup._asdict()), setup=setup), plan


def instrument_name(options: argparse.Namespace, plan: Trial | None) -> str:
    """Return the instrument given, else the one planned for, else calipers."""
    return options.instrument or (plan and plan.conditions.instrument) or "calipers"


def planned(
    here: OnBench,
    test: str,
    settings: dict[str, Any],
    conditions: Conditions,
    recipe: list[tuple[str, str]],
) -> Answer:
    """Record a plan and say what to pen on the part and what to set."""
    ready = needed_setup(here.bench)
    number = plan_trial(here.book, ready, test, settings, conditions)
    sheet = Sheet(f"Planned: {test}, {bench_phrase(ready)}, trial {number}")
    for label, value in recipe:
        sheet.note(value, label)
    sheet.act("pen", str(number), "on the part, so that it is not mixed up")
    sheet.next("once it can be measured:", f"metier {test} --trial {number}")
    payload = {"trial": number, "state": "planned", "settings": settings}
    return Answer({**payload, "conditions": conditions._asdict()}, sheet.text())


def measured(
    here: OnBench,
    test: str,
    settings: dict[str, Any],
    conditions: Conditions,
    readings: Sequence[Reading],
    findings: dict[str, Any],
    outcomes: Sequence[Outcome] = (),
    plan: Trial | None = None,
) -> int | None:
    """Record a trial with its verdict and return its number; None without a bench to record on."""
    if here.setup is None:
        return None
    return record_trial(
        here.book,
        here.setup,
        test,
        settings=settings,
        conditions=conditions,
        readings=readings,
        findings=findings,
        verdict=findings["verdict"],
        outcomes=outcomes,
        planned=plan and plan.number,
    )
