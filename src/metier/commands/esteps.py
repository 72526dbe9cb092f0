"""``metier esteps``: steps per mm from a marked or cut length of filament."""

import argparse
from collections.abc import Sequence
from typing import Any

from metier.commands.esteps_sheet import esteps_sheet, path_words
from metier.commands.on_bench import OnBench, figures_of
from metier.commands.options import (
    Answer,
    Parser,
    add_entry_options,
    command_parser,
    existing_logbook,
    length,
    piped_or_typed,
    positive,
    reading_or_zero,
    speed,
    steps,
    strand,
)
from metier.commands.planning import (
    add_plan_options,
    instrument_name,
    measured,
    planned,
    planned_bench,
)
from metier.core import esteps
from metier.core.readings import Instrument
from metier.core.refusal import Refusal
from metier.logbook.trials import Conditions, Outcome, Reading, Trial, latest_on_printer


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "esteps",
        "Correct the e-steps (steps per mm of filament) from what really moved. Measure in one "
        "of four ways; several values are several runs.",
        "  metier esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --steps 412\n"
        "  a pen mark 180 mm from the inlet, 150 mm asked for, three runs",
    )
    ways = parser.add_argument_group("what was measured (one of these)")
    ways.add_argument(
        "--left",
        nargs="+",
        action="extend",
        type=reading_or_zero,
        metavar="MM",
        help="pen mark to inlet after feeding; needs --mark",
    )
    ways.add_argument(
        "--cut",
        nargs="+",
        action="extend",
        type=strand,
        metavar="MM",
        help="length cut off at the open cold end; 98.4/98.7 is one strand measured twice",
    )
    ways.add_argument(
        "--short",
        nargs="+",
        action="extend",
        type=reading_or_zero,
        metavar="MM",
        help="mark set at exactly the asked length: how far it stopped short of the inlet",
    )
    ways.add_argument("--swallowed", action="store_true", help="the mark went in; needs --mark")
    parser.add_argument(
        "--asked", type=length, metavar="MM", help="length the printer was told to feed"
    )
    parser.add_argument(
        "--mark", type=length, metavar="MM", help="pen mark to inlet before feeding"
    )
    parser.add_argument("--steps", type=steps, metavar="S", help="e-steps in the printer meanwhile")
    parser.add_argument(
        "--instrument", metavar="NAME", help="calipers, ruler or your own (calipers)"
    )
    parser.add_argument(
        "--through",
        choices=("nozzle", "open"),
        help="fed through the hot nozzle, or from the open cold end",
    )
    parser.add_argument("--feed-rate", type=speed, metavar="MM/S", help="how fast it was fed")
    parser.add_argument(
        "--full-steps", type=positive, metavar="N", help="a motor turn, for firmware that"
    )
    parser.add_argument("--microsteps", type=positive, metavar="N", help="stores mm per motor turn")
    add_plan_options(parser)
    add_entry_options(parser)
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier esteps``."""
    way = _way(options)
    with existing_logbook(options) as book:
        here, plan = planned_bench(book, options, "esteps")
        earlier = latest_on_printer(book, here.setup.printer, "esteps", 5) if here.setup else []
        before = earlier[0] if earlier else None
        planned_steps = plan.settings["steps"] if plan else None
        used = here.in_use("esteps", options.steps, "--steps", planned_steps)
        asked_mm, mark_mm, taken = _lengths(options, way, plan or before)
        conditions = Conditions(
            feed_rate_mm_s=options.feed_rate or (plan and plan.conditions.feed_rate_mm_s),
            through=_through(options, way) or (plan and plan.conditions.through),
            instrument=instrument_name(options, plan),
        )
        settings = {"way": way, "asked_mm": asked_mm, "mark_mm": mark_mm, "steps": used.value}
        if options.plan:
            return planned(here, "esteps", settings, conditions, _recipe(here, settings))
        instrument = figures_of(
            book, instrument_name(options, plan), "cut" if way == "cut" else "mark"
        )
        settings["instrument_mm"] = list(instrument)
        entry = None
        if any(getattr(options, name) for name in _WAYS):
            readings = _readings(options, way)
        else:
            from metier.commands.asking import ask_left

            entry = ask_left(options, mark_mm, asked_mm, instrument)
            readings = entry.readings()
        finding = find(settings, readings, here.writing.decimals)
        notes = (*used.notes, *_condition_notes(conditions, before), *finding.notes)
        payload = payload_of(finding, notes)
        turn = _mm_per_turn(options, here, finding)
        number = measured(
            here, "esteps", settings, conditions, readings, payload, [outcome_of(finding)], plan
        )
        if entry:
            entry.recorded()
        how = _how(conditions, mark_mm, taken)
        like = [
            trial
            for trial in earlier
            if trial.conditions.through == conditions.through and trial.findings
        ]
        text = esteps_sheet(
            here,
            used,
            how,
            instrument_name(options, plan),
            finding,
            notes,
            number,
            turn,
            earlier=like,
        )
        return Answer({"trial": number, **payload, "mm_per_turn": turn}, text)


_WAYS = ("left", "cut", "short", "swallowed")


def _way(options: argparse.Namespace) -> str:
    ways = [way for way in _WAYS if getattr(options, way)]
    if len(ways) > 1:
        raise Refusal(
            f"--{ways[0]} and --{ways[1]} are two ways of measuring: give one trial at a time"
        )
    if options.plan and ways:
        raise Refusal("--plan is for a length that is not measured yet: leave the readings out")
    if not ways and not options.plan and not piped_or_typed():
        raise Refusal("no readings: give --left, --cut, --short or --swallowed, or type them in")
    # A mark, and what is left to it, is what is planned for and asked for.
    way = ways[0] if ways else "left"
    if way in ("cut", "short") and options.mark is not None:
        raise Refusal(f"--mark does not go with --{way}: it belongs to --left and --swallowed")
    if way == "cut" and options.through == "nozzle":
        raise Refusal(
            "--cut is measured at the open cold end: it does not go with --through nozzle"
        )
    return way


def _recipe(here: OnBench, settings: dict[str, Any]) -> list[tuple[str, str]]:
    return [
        ("mark", f"the filament {settings['mark_mm']:g} mm from the inlet"),
        ("feed", f"{settings['asked_mm']:g} mm, slowly"),
        ("e-steps", f"{settings['steps']:.{here.writing.decimals}f} steps/mm in the printer"),
    ]


def _lengths(
    options: argparse.Namespace, way: str, before: Trial | None
) -> tuple[float, float | None, str]:
    """Return asked and mark, and a remark where they came from the trial before."""
    asked_mm, mark_mm, taken = options.asked, options.mark, []
    settings = before.settings if before else {}
    if asked_mm is None and settings.get("asked_mm"):
        asked_mm = settings["asked_mm"]
        taken.append("asked")
    if mark_mm is None and way in ("left", "swallowed") and settings.get("mark_mm"):
        mark_mm = settings["mark_mm"]
        taken.append("mark")
    if asked_mm is None:
        raise Refusal("--asked is needed: the length the printer was told to feed, in mm")
    if mark_mm is None and way in ("left", "swallowed"):
        raise Refusal("--mark is needed: how far from the inlet the pen mark was, in mm")
    if before is None or not taken:
        return asked_mm, mark_mm, ""
    where = "planned" if before.state == "planned" else f"in trial {before.number}"
    return asked_mm, mark_mm, f"{' and '.join(taken)} as {where}"


def find(
    settings: dict[str, Any], readings: Sequence[Reading], decimals: int
) -> esteps.EstepsFinding:
    """Return the finding of a trial from what the logbook keeps of it."""
    way, mark_mm = settings["way"], settings["mark_mm"]
    if way == "swallowed":
        return esteps.swallowed(
            mark_mm=mark_mm, asked_mm=settings["asked_mm"], steps_now=settings["steps"]
        )
    common: dict[str, Any] = {
        "asked_mm": settings["asked_mm"],
        "steps_now": settings["steps"],
        "instrument": Instrument(*settings["instrument_mm"]),
        "decimals": decimals,
    }
    if way == "cut":
        strands: dict[str, list[float]] = {}
        for one in readings:
            strands.setdefault(one.side, []).append(one.value_mm)
        return esteps.from_cut(list(strands.values()), **common)
    runs_mm = [one.value_mm for one in readings]
    if way == "short":
        return esteps.from_gauge(runs_mm, **common)
    return esteps.from_mark(runs_mm, mark_mm=mark_mm, **common)


def _through(options: argparse.Namespace, way: str) -> Any:
    return "open" if way == "cut" else options.through


def _how(conditions: Conditions, mark_mm: float | None, taken: str) -> str:
    parts = [
        f"mark at {mark_mm:g} mm" if mark_mm is not None else "",
        f"through the {path_words(conditions.through)}" if conditions.through else "",
        taken,
    ]
    return ", ".join(part for part in parts if part)


def _condition_notes(conditions: Conditions, before: Trial | None) -> list[str]:
    if conditions.through is None:
        return ["not said how it was fed: --through nozzle (hot, back pressure joins in) or open"]
    if before and before.conditions.through not in (None, conditions.through):
        return [
            f"trial {before.number} was fed through the "
            f"{path_words(before.conditions.through)}, this one through the "
            f"{path_words(conditions.through)}: back pressure differs, the two do not compare"
        ]
    return []


def _mm_per_turn(
    options: argparse.Namespace, here: OnBench, finding: esteps.EstepsFinding
) -> float | None:
    printer = here.bench.printer
    full = options.full_steps or (printer and printer.full_steps)
    micro = options.microsteps or (printer and printer.microsteps)
    if bool(options.full_steps) != bool(options.microsteps) and not (full and micro):
        raise Refusal("--full-steps and --microsteps go together")
    if not (full and micro and finding.steps_to_type):
        return None
    return esteps.mm_per_turn(full, micro, finding.steps_to_type)


def _readings(options: argparse.Namespace, way: str) -> list[Reading]:
    if way == "swallowed":
        return []
    if way == "cut":
        return [
            Reading(f"strand {run}", one.value_mm, one.text)
            for run, piece in enumerate(options.cut, 1)
            for one in piece
        ]
    return [
        Reading(f"run {run}", one.value_mm, one.text)
        for run, one in enumerate(getattr(options, way), 1)
    ]


def payload_of(finding: esteps.EstepsFinding, notes: tuple[str, ...]) -> dict[str, Any]:
    moved, change = finding.moved, finding.change
    return {
        "moved_mm": moved and moved.value,
        "moved_u95_mm": moved and moved.u95,
        "asked_mm": finding.asked_mm,
        "steps_now": finding.steps_now,
        "steps_new": finding.steps_new,
        "steps_new_u95": finding.steps_new_u95,
        "steps_below": finding.steps_below,
        "steps_to_type": finding.steps_to_type,
        "change_percent": None if change is None else 100 * change,
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
        "remedies": list(finding.verdict.remedies),
        "notes": list(notes),
    }


def outcome_of(finding: esteps.EstepsFinding) -> Outcome:
    """Return what a finding says about e-steps, for the logbook to reckon with."""
    return Outcome(
        "esteps", finding.steps_now, finding.steps_new, finding.steps_new_u95, finding.steps_to_type
    )
