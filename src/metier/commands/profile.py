"""``metier profile``: every value for the bench, how sure it is, and what to type."""

import argparse
from typing import Any

from metier.commands.on_bench import OnBench, bench_object, bench_phrase, needed_setup, on_bench
from metier.commands.options import Answer, Parser, command_parser, existing_logbook
from metier.commands.stations import stations
from metier.core.dependence import KINDS, TRAITS, TYPED_KINDS, ValueKind
from metier.core.next_step import next_step
from metier.core.refusal import Refusal
from metier.core.standing import Standing
from metier.logbook.bench import Setup
from metier.show.figures import short_date
from metier.show.sheet import Sheet, wrapped
from metier.show.values import NAMES, on_screen, u95_text, unit_text, value_text

_PLACES = {
    "printer": "In the printer, stored (M500):",
    "slicer": "In the slicer, settings of the filament:",
}


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "profile",
        "Show every value for the bench: what to type where, how sure it is, since when and why.",
        "  metier profile --card                 the slip to hold at printer and slicer\n"
        "  metier profile --write fern-1.toml    the same for programs, as TOML",
    )
    parser.add_argument("--write", metavar="FILE.toml", help="write the profile to a file")
    parser.add_argument("--force", action="store_true", help="write over a file that exists")
    parser.add_argument("--card", action="store_true", help="the slip: what to type where")
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier profile``."""
    if options.force and not options.write:
        raise Refusal("--force goes with --write FILE.toml")
    if options.card and options.write:
        raise Refusal("--card is for the eye, --write for a file: give one of them")
    with existing_logbook(options) as book:
        here = on_bench(book)
        ready = needed_setup(here.bench)
        values = {kind: here.stands(kind) for kind in KINDS}
        text = _card(here, ready, values) if options.card else _sheet(here, ready, values)
    payload = {
        "bench": bench_object(here.bench),
        "values": {kind: _object(kind, now) for kind, now in values.items()},
    }
    if options.write:
        from metier.formats.profile_toml import write_profile

        write_profile(options.write, payload, overwrite=options.force)
        text = f"Wrote the profile of {bench_phrase(ready)} to {options.write}"
        return Answer({**payload, "written": options.write}, text)
    return Answer(payload, text)


def _object(kind: ValueKind, now: Standing) -> dict[str, Any]:
    def shown(value: float | None) -> float | None:
        return None if value is None else on_screen(kind, value)

    return {
        "value": shown(now.value),
        "u95": shown(now.u95),
        "unit": TRAITS[kind].unit,
        "status": now.status,
        "in_force": shown(now.in_force),
        "since": now.since,
        "trials": now.trials,
        "why": now.why,
    }


def _written(here: OnBench, kind: ValueKind, value: float) -> str:
    return f"{value_text(kind, value, here.writing)} {unit_text(kind)}".strip()


def _with_u95(here: OnBench, kind: ValueKind, value: float, u95: float | None) -> str:
    parts = (value_text(kind, value, here.writing), u95_text(kind, u95), unit_text(kind))
    return " ".join(part for part in parts if part)


def _sheet(here: OnBench, ready: Setup, values: dict[ValueKind, Standing]) -> str:
    sheet = Sheet(f"Profile: {bench_phrase(ready)}")
    shown = {
        kind: _with_u95(here, kind, now.value, now.u95)
        for kind, now in values.items()
        if now.value is not None
    }
    width = max([1, *(len(text) for text in shown.values())])
    for kind, now in values.items():
        since = f"{short_date(now.since)}: " if now.since else ""
        in_force = ""
        if now.status == "advised" and now.in_force is not None:
            in_force = f"; in force is {_written(here, kind, now.in_force)}"
        lead = f"  {NAMES[kind].short:<8}  {shown.get(kind, '-'):<{width}}  {now.status:<8}  "
        sheet.lines(*wrapped(f"{since}{now.why}{in_force}", lead, " " * len(lead)))
    step = next_step(stations(here, ready))
    what = step.why if step.step == "done" else f"{step.step}: {step.why}"
    sheet.next(f"{what}:", step.command)
    return sheet.text()


def _card(here: OnBench, ready: Setup, values: dict[ValueKind, Standing]) -> str:
    printer, nozzle, spool, heat = ready
    known = {
        kind: (_written(here, kind, now.value), u95_text(kind, now.u95), now)
        for kind in TYPED_KINDS
        if (now := values[kind]).value is not None
    }
    width = max([10, *(len(value) for value, _, _ in known.values())])
    filament = " ".join(part for part in (spool.maker, spool.material, spool.colour) if part)
    heated = "" if heat is None else f" at {heat:g} °C"
    rows = [f"{spool.name} ({filament})", f"{printer.name}, nozzle {nozzle.name}{heated}", ""]
    for place, heading in _PLACES.items():
        rows.append(heading)
        for kind in TYPED_KINDS:
            if NAMES[kind].place == place:
                value, u95, now = known.get(kind, ("", "", values[kind]))
                status = "not known" if now.status == "unset" else now.status
                rows.append(
                    f"  {NAMES[kind].short:<8} {value or '_' * width:>{width}}  {u95:<8} {status}"
                )
                rows.append(f"  {'':<8} {NAMES[kind].also}")
        rows.append("")
    rows.append("± is what calipers can tell, 95 times in 100")
    inside = max(len(row) for row in rows)
    edge = f"+{'-' * (inside + 2)}+"
    return "\n".join([edge, *(f"| {row:<{inside}} |" for row in rows), edge])
