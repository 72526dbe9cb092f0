"""``metier history``: the trials so far, or one of them whole."""

import argparse
from typing import Any

from metier.commands.options import (
    Answer,
    Parser,
    command_parser,
    existing_logbook,
    trial_number,
)
from metier.logbook.book import Logbook
from metier.logbook.trials import Reading, Trial, count_trials, readings, trial, trials
from metier.show.figures import short_date, with_u95
from metier.show.sheet import Sheet, table

# Leaves a row of the table within 80 columns.
_LONGEST_NAME = 18


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "history",
        "List the newest trials, or show one whole with every reading.",
        "  metier history --kind flow --limit 5\n  metier history 3",
    )
    parser.add_argument("number", nargs="?", type=trial_number, metavar="N", help="one trial")
    parser.add_argument("--kind", choices=("esteps", "flow"), help="trials of one kind only")
    parser.add_argument("--limit", type=trial_number, default=20, metavar="N", help="how many (20)")
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier history``."""
    with existing_logbook(options) as book:
        if options.number is not None:
            found = trial(book, options.number)
            taken = readings(book, found.number)
            return Answer({"trials": [_object(book, found)]}, _whole(found, taken))
        listed = trials(book, test=options.kind, limit=options.limit)
        count = count_trials(book, options.kind)
        return Answer(
            {"trials": [_object(book, one) for one in listed], "count": count},
            _listed(listed, count) if listed else _none(options.kind),
        )


def _none(kind: str | None) -> str:
    return f"No {kind} trials yet." if kind else "No trials yet: metier alone shows where to begin."


def _listed(listed: list[Trial], count: int) -> str:
    several = len({one.printer for one in listed}) > 1
    rows = []
    for one in listed:
        verdict = one.verdict or "" if one.state == "measured" else one.state
        where = _short(f"{one.spool} on {one.printer}" if several else one.spool)
        rows.append((str(one.number), short_date(one.at), one.test, where, *_summary(one), verdict))
    header = ("trial", "date", "test", "spool", "at", "measured", "off by", "new", "")
    lines = table(header, rows, right=(0,))
    if count > len(listed):
        lines.append(f"{count - len(listed)} older ones: metier history --limit {count}")
    lines.append("metier history N shows one whole.")
    return "\n".join(lines)


def _short(name: str) -> str:
    return name if len(name) <= _LONGEST_NAME else f"{name[: _LONGEST_NAME - 1]}…"


def _summary(one: Trial) -> tuple[str, str, str, str]:
    """Return what the trial ran at, what was measured, how far off, and the new value."""
    found = one.findings or {}
    if one.test == "flow" and found:
        off = found["wall_mm"] - found["target_mm"]
        return (
            f"{found['flow_now_percent']:g} %",
            f"{found['wall_mm']:.3f} mm",
            f"{100 * off / found['target_mm']:+.1f} %",
            f"{found['flow_new_percent']:.1f} %",
        )
    if one.test == "esteps" and found:
        moved, new = found["moved_mm"], found["steps_new"]
        if moved is None:
            return f"{found['steps_now']:g}", "swallowed", "", f"< {found['steps_below']:.1f}"
        off = moved / found["asked_mm"] - 1
        return f"{found['steps_now']:g}", f"{moved:.2f} mm", f"{100 * off:+.2f} %", f"{new:.2f}"
    return "", "", "", ""


def _whole(one: Trial, taken: list[Reading]) -> str:
    state = "" if one.state == "measured" else f", {one.state}"
    sheet = Sheet(f"Trial {one.number}: {one.test}, {short_date(one.at)}{state}")
    heat = "" if one.temperature_c is None else f", {one.temperature_c:g} °C"
    sheet.row("bench", f"{one.spool} on {one.printer} (nozzle {one.nozzle}{heat})")
    for name, value in {**one.settings, **one.conditions._asdict()}.items():
        if value is not None:
            sheet.row(*_labelled(name, value))
    sides: dict[str, list[str]] = {}
    for reading in taken:
        sides.setdefault(reading.side, []).append(reading.typed)
    for side, typed in sides.items():
        sheet.row(side or "readings", "  ".join(typed))
    found = one.findings or {}
    for name, value in found.items():
        if isinstance(value, int | float) and "_u95" not in name and name not in one.settings:
            sheet.row(*_labelled(name, value, found.get(_u95_key(name))))
    if one.verdict and one.findings:
        sheet.verdict(one.verdict, one.findings["reason"])
        for note in [*one.findings["remedies"], *one.findings["notes"]]:
            sheet.note(note)
    return sheet.text()


_UNITS = {"mm_s": "mm/s", "mm": "mm", "percent": "%"}


def _labelled(name: str, value: Any, u95: float | None = None) -> tuple[str, str]:
    """Turn a key such as ``layer_mm`` and its value into a label and a value with its unit."""
    unit = next((unit for ending, unit in _UNITS.items() if name.endswith(f"_{ending}")), "")
    if isinstance(value, list):
        text = " … ".join(f"{one:+g}" for one in value)
    elif isinstance(value, str):
        text = value
    else:
        text = with_u95(value, u95) if u95 else f"{round(value, 4):g}"
    label = name.removesuffix("_mm").removesuffix("_mm_s").removesuffix("_percent")
    return label.replace("_", " "), f"{text} {unit}".strip()


def _u95_key(name: str) -> str:
    """Return where the uncertainty of a finding stands: ``wall_mm`` has ``wall_u95_mm``."""
    for ending in _UNITS:
        if name.endswith(f"_{ending}"):
            return f"{name.removesuffix(f'_{ending}')}_u95_{ending}"
    return f"{name}_u95"


def _object(book: Logbook, one: Trial) -> dict[str, Any]:
    taken = readings(book, one.number)
    return {
        **one._asdict(),
        "conditions": one.conditions._asdict(),
        "readings": [reading._asdict() for reading in taken],
    }
