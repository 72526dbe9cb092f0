"""``metier esteps``: steps per mm from a marked or cut length of filament."""

import argparse
from typing import Any

from metier.commands.esteps_sheet import esteps_sheet, path_words
from metier.commands.on_bench import OnBench, on_bench
from metier.commands.options import (
    Answer,
    Parser,
    Typed,
    command_parser,
    existing_logbook,
    length,
    positive,
    reading_or_zero,
    speed,
    steps,
    strand,
)
from metier.core import esteps
from metier.core.instruments import figures
from metier.core.refusal import Refusal
from metier.logbook.trials import (
    Conditions,
    Outcome,
    Reading,
    Trial,
    latest_on_printer,
    record_trial,
)


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
        "--instrument", choices=("calipers", "ruler"), default="calipers", help="(calipers)"
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
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier esteps``."""
    way = _way(options)
    with existing_logbook(options) as book:
        here = on_bench(book)
        before = latest_on_printer(book, here.setup.printer, "esteps") if here.setup else None
        used = here.in_use("esteps", options.steps, "--steps")
        asked_mm, mark_mm, taken = _lengths(options, way, before)
        finding = _find(options, way, asked_mm, mark_mm, used.value, here.writing.decimals)
        notes = (*used.notes, *_condition_notes(options, way, before), *finding.notes)
        payload = _payload(finding, notes)
        number = None
        if here.setup:
            settings = {"way": way, "asked_mm": asked_mm, "mark_mm": mark_mm, "steps": used.value}
            number = record_trial(
                book,
                here.setup,
                "esteps",
                settings=settings,
                conditions=Conditions(
                    feed_rate_mm_s=options.feed_rate,
                    through=_through(options, way),
                    instrument=options.instrument,
                ),
                readings=_readings(options, way),
                findings=payload,
                verdict=finding.verdict.name,
                outcomes=[
                    Outcome(
                        "esteps",
                        used.value,
                        finding.steps_new,
                        finding.steps_new_u95,
                        finding.steps_to_type,
                    )
                ],
            )
        turn = _mm_per_turn(options, here, finding)
        payload = {"trial": number, **payload, "mm_per_turn": turn}
        return Answer(
            payload,
            esteps_sheet(
                here,
                used,
                _how(options, way, mark_mm, taken),
                options.instrument,
                finding,
                notes,
                number,
                turn,
            ),
        )


def _way(options: argparse.Namespace) -> str:
    ways = [way for way in ("left", "cut", "short", "swallowed") if getattr(options, way)]
    if len(ways) > 1:
        raise Refusal(
            f"--{ways[0]} and --{ways[1]} are two ways of measuring: give one trial at a time"
        )
    if not ways:
        raise Refusal("no readings: give --left, --cut, --short or --swallowed")
    way = ways[0]
    if way in ("cut", "short") and options.mark is not None:
        raise Refusal(f"--mark does not go with --{way}: it belongs to --left and --swallowed")
    if way == "cut" and options.through == "nozzle":
        raise Refusal(
            "--cut is measured at the open cold end: it does not go with --through nozzle"
        )
    return way


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
    remark = f"{' and '.join(taken)} as in trial {before.number}" if taken and before else ""
    return asked_mm, mark_mm, remark


def _find(
    options: argparse.Namespace,
    way: str,
    asked_mm: float,
    mark_mm: float | None,
    steps_now: float,
    decimals: int,
) -> esteps.EstepsFinding:
    if way == "swallowed":
        assert mark_mm is not None
        return esteps.swallowed(mark_mm=mark_mm, asked_mm=asked_mm, steps_now=steps_now)
    common: dict[str, Any] = {
        "asked_mm": asked_mm,
        "steps_now": steps_now,
        "instrument": figures(options.instrument, "cut" if way == "cut" else "mark"),
        "decimals": decimals,
    }
    if way == "cut":
        return esteps.from_cut([[one.value_mm for one in piece] for piece in options.cut], **common)
    values: list[Typed] = getattr(options, way)
    runs_mm = [one.value_mm for one in values]
    if way == "short":
        return esteps.from_gauge(runs_mm, **common)
    assert mark_mm is not None
    return esteps.from_mark(runs_mm, mark_mm=mark_mm, **common)


def _through(options: argparse.Namespace, way: str) -> Any:
    return "open" if way == "cut" else options.through


def _how(options: argparse.Namespace, way: str, mark_mm: float | None, taken: str) -> str:
    through = _through(options, way)
    parts = [
        f"mark at {mark_mm:g} mm" if mark_mm is not None else "",
        f"through the {path_words(through)}" if through else "",
        taken,
    ]
    return ", ".join(part for part in parts if part)


def _condition_notes(options: argparse.Namespace, way: str, before: Trial | None) -> list[str]:
    notes = []
    through = _through(options, way)
    if through is None:
        notes.append(
            "not said how it was fed: --through nozzle (hot, back pressure joins in) or open"
        )
    elif before and before.conditions.through not in (None, through):
        notes.append(
            f"trial {before.number} was fed through the "
            f"{path_words(before.conditions.through)}, this one through the "
            f"{path_words(through)}: back pressure differs, the two do not compare"
        )
    return notes


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


def _payload(finding: esteps.EstepsFinding, notes: tuple[str, ...]) -> dict[str, Any]:
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
