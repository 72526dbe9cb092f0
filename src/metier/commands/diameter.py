"""``metier diameter``: the strand against what the slicer reckons with."""

import argparse
from collections.abc import Sequence
from typing import Any

from metier.commands.on_bench import OnBench, bench_phrase, figures_of, not_recorded
from metier.commands.options import (
    Answer,
    Parser,
    add_entry_options,
    command_parser,
    existing_logbook,
    length,
    piped_or_typed,
    strand,
)
from metier.commands.planning import (
    add_plan_options,
    instrument_name,
    measured,
    planned,
    planned_bench,
)
from metier.core.diameter import DiameterFinding, judge_diameter
from metier.core.readings import Instrument
from metier.core.refusal import Refusal
from metier.logbook.trials import Conditions, Reading
from metier.show.figures import with_u95
from metier.show.sheet import Sheet


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "diameter",
        "Compare the strand's diameter with the one the slicer reckons with. Measure at several "
        "places a hand apart, at each twice at right angles.",
        "  metier diameter --read 1.74/1.72 1.73/1.71 1.74/1.73 --slicer 1.75",
    )
    parser.add_argument(
        "--read", nargs="+", action="extend", type=strand, metavar="D1/D2",
        help="a place, once or twice at right angles",
    )  # fmt: skip
    parser.add_argument("--slicer", type=length, metavar="MM", help="the slicer's diameter")
    parser.add_argument(
        "--instrument", metavar="NAME", help="calipers, micrometer or your own (calipers)"
    )
    add_plan_options(parser)
    add_entry_options(parser)
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier diameter``."""
    if options.plan and options.read:
        raise Refusal("--plan is for a strand that is not measured yet: leave the readings out")
    if not options.plan and not options.read and not piped_or_typed():
        raise Refusal("no readings: give --read 1.74/1.72 …, or type them in")
    with existing_logbook(options) as book:
        here, plan = planned_bench(book, options, "diameter")
        slicer_mm = options.slicer or (plan and plan.settings["slicer_mm"])
        if slicer_mm is None and here.setup:
            slicer_mm = here.setup.spool.diameter_mm
        if slicer_mm is None:
            raise Refusal("--slicer is needed: the diameter the slicer reckons with, in mm")
        instrument = figures_of(book, instrument_name(options, plan), "strand")
        conditions = Conditions(instrument=instrument_name(options, plan))
        settings = {"slicer_mm": slicer_mm, "instrument_mm": list(instrument)}
        if options.plan:
            return planned(here, "diameter", settings, conditions, _recipe(here))
        entry = None
        if options.read:
            readings = [
                Reading(f"place {place}", one.value_mm, one.text)
                for place, pair in enumerate(options.read, 1)
                for one in pair
            ]
        else:
            from metier.commands.asking import ask_strand

            entry = ask_strand(options, slicer_mm, instrument)
            readings = entry.readings()
        finding = find(settings, readings)
        payload = payload_of(finding)
        number = measured(here, "diameter", settings, conditions, readings, payload, [], plan)
        if entry:
            entry.recorded()
        return Answer({"trial": number, **payload}, _sheet(here, finding, number, len(readings)))


def find(settings: dict[str, Any], readings: Sequence[Reading]) -> DiameterFinding:
    """Return the finding of a trial from what the logbook keeps of it.

    Raises:
        Refusal: no readings, or impossible ones.
    """
    places: dict[str, list[float]] = {}
    for one in readings:
        places.setdefault(one.side, []).append(one.value_mm)
    instrument = Instrument(*settings["instrument_mm"])
    return judge_diameter(list(places.values()), settings["slicer_mm"], instrument)


def payload_of(finding: DiameterFinding) -> dict[str, Any]:
    """Return a finding as JSON and the logbook have it."""
    return {
        "diameter_mm": finding.diameter.value,
        "diameter_u95_mm": finding.diameter.u95,
        "slicer_mm": finding.slicer_mm,
        "out_of_round_mm": finding.out_of_round_mm,
        "uneven_mm": finding.uneven_mm,
        "flow_factor": finding.flow_factor,
        "flow_factor_u95": finding.flow_factor_u95,
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
        "remedies": list(finding.verdict.remedies),
        "notes": list(finding.notes),
    }


def _recipe(here: OnBench) -> list[tuple[str, str]]:
    spool = here.setup.spool.name if here.setup else ""
    return [("cut", f"a metre of {spool}"), ("measure", "at five places, twice at right angles")]


def _sheet(here: OnBench, finding: DiameterFinding, number: int | None, readings: int) -> str:
    found = finding.diameter
    title = f"Diameter: {bench_phrase(here.setup)}, trial {number}" if here.setup else "Diameter"
    sheet = Sheet(title)
    many = f"{readings} reading{'s' if readings > 1 else ''}"
    sheet.row("diameter", f"{with_u95(found.value, found.u95)} mm", many)
    sheet.row("slicer", f"{finding.slicer_mm:g} mm", "what it reckons with")
    if finding.out_of_round_mm is not None:
        text = f"{finding.out_of_round_mm:.3f} mm"
        sheet.row("not round", text, "beyond what mere noise would give")
    sheet.row("uneven", f"{finding.uneven_mm:.3f} mm", "between the places")
    factor = with_u95(finding.flow_factor, finding.flow_factor_u95)
    sheet.row("flow x", factor, "were the slicer left as it is")
    sheet.judged(finding.verdict, finding.notes)
    if finding.verdict.name == "correct":
        value = f"{found.value:.2f} mm"
        sheet.act("type", value, "the filament's diameter, in the slicer; leave flow as it is")
    elif finding.verdict.name == "keep":
        sheet.act("leave", f"{finding.slicer_mm:g} mm", "nothing to type")
    if number is None:
        sheet.gap()
        sheet.lines(*not_recorded(here.bench))
    return sheet.text()
