"""``metier reading``: mend a typo in a recorded trial; the old reading stays visible."""

import argparse
from collections.abc import Sequence
from typing import Any

from metier.commands import diameter, esteps, flow_record, volumetric_record
from metier.commands.flow_record import Reckoning
from metier.commands.options import (
    Actions,
    Answer,
    Parser,
    existing_logbook,
    reading_or_zero,
    trial_number,
)
from metier.core.refusal import Refusal
from metier.core.verdicts import VerdictName
from metier.logbook.book import Logbook
from metier.logbook.recording import amend_reading
from metier.logbook.trials import Outcome, Reading, Trial, latest_on, readings, setup_of, trial
from metier.show.sheet import Sheet


def _from_feed(settings: dict[str, Any], taken: Sequence[Reading]) -> dict[str, Any]:
    from metier.commands import volumetric_feed

    return volumetric_feed.find(settings, taken)


def _from_strength(settings: dict[str, Any], taken: Sequence[Reading]) -> dict[str, Any]:
    from metier.commands import volumetric_strength

    return volumetric_strength.find(settings, taken)


_LIMIT_WAYS = {
    "ramp": volumetric_record.find,
    "feed": _from_feed,
    "strength": _from_strength,
}


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier reading", "Readings of recorded trials.")
    amend = Actions(top).add(
        "amend",
        "put another value in the place of a mistyped reading; the answer follows",
        "  metier reading amend 3 2 0.54\n  the second reading of trial 3",
    )
    amend.add_argument("trial", type=trial_number, metavar="TRIAL")
    amend.add_argument("position", type=trial_number, metavar="N", help="which reading, from 1")
    amend.add_argument("value", type=reading_or_zero, metavar="VALUE")
    return top


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier reading``."""
    with existing_logbook(options) as book:
        found = trial(book, options.trial)
        if found.state != "measured":
            raise Refusal(f"trial {found.number} is {found.state}: it has no readings that count")
        taken = readings(book, found.number)
        if options.position > len(taken):
            raise Refusal(f"trial {found.number} has {len(taken)} readings, none numbered higher")
        old = taken[options.position - 1]
        new = Reading(old.side, options.value.value_mm, options.value.text)
        taken[options.position - 1] = new
        findings, verdict, outcomes = _judged(book, found, taken)
        amend_reading(
            book,
            found.number,
            options.position,
            new,
            findings=findings,
            verdict=verdict,
            outcomes=outcomes,
        )
        sheet = Sheet(f"Amended: trial {found.number}, {found.test}")
        sheet.row(f"reading {options.position}", new.typed, f"was {old.typed}")
        sheet.row("verdict", verdict, f"was {found.verdict}")
        sheet.next("the whole trial:", f"metier history {found.number}")
        payload = {"trial": found.number, "position": options.position, "was": old.typed}
        return Answer({**payload, "typed": new.typed, **findings}, sheet.text())


def _judged(
    book: Logbook, found: Trial, taken: Sequence[Reading]
) -> tuple[dict[str, Any], VerdictName, list[Outcome]]:
    """Return what a trial says with these readings, reckoned as it was when measured."""
    ready = setup_of(book, found.number)
    if found.test == "flow":
        reckoning = Reckoning.of(found.settings)
        earlier = latest_on(book, ready, "flow", 5, before=found.number)
        speed_mm_s = found.conditions.speed_mm_s
        like = [one for one in earlier if reckoning.comparable(one, speed_mm_s, ready)]
        finding = reckoning.judge(taken, like, ready.spool)
        payload = flow_record.payload_of(finding, reckoning.cube, finding.notes)
        return payload, finding.verdict.name, [flow_record.outcome_of(finding)]
    if found.test == "esteps":
        steps = esteps.find(found.settings, taken, ready.printer.decimals)
        return esteps.payload_of(steps, steps.notes), steps.verdict.name, [esteps.outcome_of(steps)]
    if found.test == "volumetric":
        payload = _LIMIT_WAYS[found.settings["way"]](found.settings, taken)
        outcome = volumetric_record.outcome_of(payload)
        return payload, payload["verdict"], [outcome]
    if found.test == "xy":
        from metier.commands import xy_record

        payload = xy_record.find(found.settings, taken)
        return payload, payload["verdict"], xy_record.outcomes_of(payload)
    if found.test == "fit":
        from metier.commands import fit_record

        payload = fit_record.find(found.settings, taken)
        return payload, payload["verdict"], []
    strand = diameter.find(found.settings, taken)
    return diameter.payload_of(strand), strand.verdict.name, []
