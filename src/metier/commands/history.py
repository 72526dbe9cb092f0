"""``metier history``: the trials so far, or one of them whole."""

import argparse
from datetime import UTC, datetime
from typing import Any

from metier.commands.options import (
    Answer,
    Parser,
    command_parser,
    existing_logbook,
    trial_number,
)
from metier.commands.picture import check_picture
from metier.core.refusal import Refusal
from metier.core.verdicts import Verdict
from metier.logbook.book import Logbook
from metier.logbook.machines import printer_named
from metier.logbook.spools import spool_named
from metier.logbook.trials import (
    Trial,
    count_trials,
    readings,
    replaced_readings,
    trial,
    trials,
)
from metier.show.figures import short_date, with_u95
from metier.show.sheet import Sheet, table

_TESTS = ("diameter", "esteps", "flow", "volumetric", "xy", "fit")
_ALL = 10**9
# Leaves a row of the table within 80 columns.
_LONGEST_NAME = 12


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "history",
        "List the newest trials, or show one whole with every reading.",
        "  metier history --kind flow --since 2026-11-01\n  metier history 3",
    )
    parser.add_argument("number", nargs="?", type=trial_number, metavar="N", help="one trial")
    parser.add_argument("--kind", choices=_TESTS, help="trials of one kind only")
    parser.add_argument("--printer", metavar="PRINTER", help="trials on one printer only")
    parser.add_argument("--spool", metavar="SPOOL", help="trials with one roll only")
    parser.add_argument("--since", type=_day, metavar="DATE", help="from that day on, 2026-11-23")
    parser.add_argument("--limit", type=trial_number, metavar="N", help="how many (20; CSV: all)")
    parser.add_argument(
        "--plot", metavar="FILE", help="draw the walls of flow trials: png, svg, pdf"
    )
    parser.add_argument("--csv", action="store_true", help="print comma-separated values")
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier history``."""
    if options.csv and options.json:
        raise Refusal("--csv and --json are two forms: give one of them")
    check_picture(options)
    with existing_logbook(options) as book:
        if options.number is not None:
            found = trial(book, options.number)
            return Answer({"trials": [_object(book, found)]}, _whole(book, found))
        wanted = {
            "test": options.kind,
            "printer": options.printer and printer_named(book, options.printer).name,
            "spool": options.spool and spool_named(book, options.spool).name,
            "since": options.since,
        }
        limit = options.limit or (_ALL if options.csv else 20)
        listed = trials(book, limit, **wanted)
        if options.csv:
            return Answer({}, _csv(listed))
        if options.plot:
            from metier.commands.wall_plot import plot_trials

            measured = [one for one in listed[::-1] if one.state == "measured"]
            plot_trials(options.plot, "Walls of the test cubes", book, measured)
        count = count_trials(book, **wanted)
        payload = {"trials": [_object(book, one) for one in listed], "count": count}
        none = "No trials yet" if not any(wanted.values()) else "No such trials"
        text = _listed(listed, count) if listed else f"{none}: metier alone shows the job in order."
        return Answer(payload, text)


def _day(text: str) -> str:
    """Read a local day as the moment it began, in UTC."""
    try:
        began = datetime.strptime(text.strip(), "%Y-%m-%d").astimezone(UTC)
    except (ValueError, OverflowError):
        raise argparse.ArgumentTypeError(f"{text!r} is no day: write it 2026-11-23") from None
    return began.strftime("%Y-%m-%dT%H:%M:%SZ")


def _csv(listed: list[Trial]) -> str:
    import csv
    import io

    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_HEADER)
    for one in listed:
        found = one.findings or {}
        for name, keys in _COLUMNS[one.test].items():
            head = (one.number, one.at, name, one.state, one.printer, one.nozzle, one.spool)
            values = (found.get(key) for key in keys)
            writer.writerow((*head, one.temperature_c, *values, one.verdict))
    return out.getvalue().rstrip("\n")


_HEADER = (
    *("trial", "at", "test", "state", "printer", "nozzle", "spool", "temperature_c"),
    *("set", "measured", "expected", "new", "to_type", "verdict"),
)
# The findings that stand for set, measured, expected, new and to type; a plate has two of each.
_COLUMNS: dict[str, dict[str, tuple[str, ...]]] = {
    "esteps": {"esteps": ("steps_now", "moved_mm", "asked_mm", "steps_new", "steps_to_type")},
    "flow": {
        "flow": (
            *("flow_now_percent", "wall_mm", "target_mm"),
            *("flow_new_percent", "flow_to_type_percent"),
        )
    },
    "volumetric": {
        "volumetric": (
            *("limit_now_mm3_s", "last_good_mm3_s", "limit_now_mm3_s"),
            *("limit_unrounded_mm3_s", "limit_to_type_mm3_s"),
        )
    },
    "xy": {
        "xy hole": ("hole_set_mm", "hole_per_side_mm", "", "hole_new_mm", "hole_to_type_mm"),
        "xy contour": (
            *("contour_set_mm", "contour_per_side_mm", ""),
            *("contour_new_mm", "contour_to_type_mm"),
        ),
    },
    "fit": {"fit": ("now_mm", "begins_mm", "fits_mm", "open_mm", "hole_to_type_mm")},
    "diameter": {
        "diameter": ("slicer_mm", "diameter_mm", "slicer_mm", "diameter_mm", "diameter_mm")
    },
}


def _listed(listed: list[Trial], count: int) -> str:
    several = len({one.printer for one in listed}) > 1
    rows = []
    for one in listed:
        verdict = one.verdict or "" if one.state == "measured" else one.state
        at, *found = _summary(one)
        # Beside the printer there is no room for what each trial ran at.
        where = (_short(one.spool, 6), _short(one.printer, 7)) if several else (one.spool, at)
        head = (str(one.number), short_date(one.at), one.test, _short(where[0]), where[1])
        rows.append((*head, *found, verdict))
    second = "printer" if several else "at"
    header = ("no.", "date", "test", "spool", second, "measured", "off by", "new", "")
    lines = [line[2:] for line in table(header, rows, right=(0,))]
    if count > len(listed):
        lines.append(f"{count - len(listed)} older ones: metier history --limit {count}")
    lines.append("mm, steps/mm, mm³/s. metier history N shows one whole.")
    return "\n".join(lines)


def _short(name: str, longest: int = _LONGEST_NAME) -> str:
    return name if len(name) <= longest else f"{name[: longest - 1]}…"


def _summary(one: Trial) -> tuple[str, str, str, str]:
    """Return what the trial ran at, what was measured, how far off, and the new value."""
    found = one.findings or {}
    if one.test == "flow" and found:
        off = found["wall_mm"] - found["target_mm"]
        return (
            f"{found['flow_now_percent']:g} %",
            f"{found['wall_mm']:.3f}",
            f"{100 * off / found['target_mm']:+.1f} %",
            f"{found['flow_new_percent']:.1f} %",
        )
    if one.test == "diameter" and found:
        off = found["diameter_mm"] / found["slicer_mm"] - 1
        measured = f"{found['diameter_mm']:.3f}"
        return f"{found['slicer_mm']:g}", measured, f"{100 * off:+.1f} %", measured
    if one.test == "esteps" and found:
        moved, new = found["moved_mm"], found["steps_new"]
        if moved is None:
            return f"{found['steps_now']:g}", "swallowed", "", f"< {found['steps_below']:.1f}"
        off = moved / found["asked_mm"] - 1
        return f"{found['steps_now']:g}", f"{moved:.2f}", f"{100 * off:+.2f} %", f"{new:.2f}"
    if one.test == "volumetric" and found:
        heat = "" if one.temperature_c is None else f"{one.temperature_c:g} °C"
        good, limit = found["last_good_mm3_s"], found["limit_mm3_s"]
        clean = "" if good is None else f"{good:.3g}"
        bound = {"lower": "≥ ", "upper": "< "}.get(found["bound"], "")
        shown = found["limit_below_mm3_s"] if found["bound"] == "upper" else limit
        return heat, clean, "", "" if shown is None else f"{bound}{shown:.3g}"
    if one.test == "xy" and found:
        both = [found["hole_per_side_mm"], found["contour_per_side_mm"]]
        typed = [found["hole_to_type_mm"], found["contour_to_type_mm"]]
        return "", _pair(both), "", _pair(typed)
    if one.test == "fit" and found:
        begins = found["begins_mm"]
        typed = [found["hole_to_type_mm"], found["contour_to_type_mm"]]
        return found["want"], "" if begins is None else f"{begins:.2f}", "", _pair(typed)
    return "", "", "", ""


def _pair(values: list[float | None]) -> str:
    """Return hole and contour beside each other."""
    return "/".join("-" if one is None else f"{one:+.2f}".replace("0.", ".", 1) for one in values)


def _whole(book: Logbook, one: Trial) -> str:
    state = "" if one.state == "measured" else f", {one.state}"
    sheet = Sheet(f"Trial {one.number}: {one.test}, {short_date(one.at)}{state}")
    heat = "" if one.temperature_c is None else f", {one.temperature_c:g} °C"
    sheet.row("bench", f"{one.spool} on {one.printer} (nozzle {one.nozzle}{heat})")
    for name, value in {**one.settings, **one.conditions._asdict()}.items():
        if value is not None and name not in _HIDDEN:
            sheet.row(*_labelled(name, value))
    sides: dict[str, list[str]] = {}
    replaced = replaced_readings(book, one.number)
    for position, reading in enumerate(readings(book, one.number), 1):
        was = f" (was {', '.join(replaced[position])})" if position in replaced else ""
        sides.setdefault(reading.side, []).append(f"{reading.typed}{was}")
    for side, typed in sides.items():
        sheet.row(side or "readings", "  ".join(typed))
    found = one.findings or {}
    for name, value in found.items():
        if (
            isinstance(value, int | float)
            and "_u95" not in name
            and name not in one.settings
            and name not in _HIDDEN
        ):
            sheet.row(*_labelled(name, value, found.get(_u95_key(name))))
    if one.verdict and one.findings:
        verdict = Verdict(one.verdict, found["reason"], tuple(found["remedies"]))
        sheet.judged(verdict, found["notes"])
    return sheet.text()


# Kept to reckon with, not to read.
_HIDDEN = ("instrument_mm", "wall_u_mm", "wall_readings", "set_speeds", "fed", "features", "pairs")
_UNITS = {
    "mm3_s_mm": "mm³/s a mm",
    "mm3_s": "mm³/s",
    "mm_s": "mm/s",
    "mm_s2": "mm/s²",
    "mm2": "mm²",
    "mm": "mm",
    "mpa": "MPa",
    "percent": "%",
}


def _labelled(name: str, value: Any, u95: float | None = None) -> tuple[str, str]:
    """Turn a key such as ``layer_mm`` and its value into a label and a value with its unit."""
    ending = next((ending for ending in _UNITS if name.endswith(f"_{ending}")), "")
    unit = _UNITS.get(ending, "")
    if isinstance(value, list):
        text = " … ".join(f"{one:+g}" for one in value)
    elif isinstance(value, str):
        text = value
    else:
        text = with_u95(value, u95) if u95 else f"{round(value, 4):g}"
    label = name.removesuffix(f"_{ending}") if unit else name
    return label.replace("_", " "), f"{text} {unit}".strip()


def _u95_key(name: str) -> str:
    """Return where the uncertainty of a finding stands: ``wall_mm`` has ``wall_u95_mm``."""
    for ending in _UNITS:
        if name.endswith(f"_{ending}"):
            return f"{name.removesuffix(f'_{ending}')}_u95_{ending}"
    return f"{name}_u95"


def _object(book: Logbook, one: Trial) -> dict[str, Any]:
    replaced = replaced_readings(book, one.number)
    return {
        **one._asdict(),
        "conditions": one.conditions._asdict(),
        "readings": [
            {**reading._asdict(), "was": replaced.get(position, [])}
            for position, reading in enumerate(readings(book, one.number), 1)
        ],
    }
