"""``metier entered``: what was really typed into printer or slicer."""

import argparse
from typing import Any

from metier.commands.on_bench import bench_phrase, needed_setup, on_bench
from metier.commands.options import Answer, Parser, command_parser, existing_logbook
from metier.core.dependence import TRAITS, TYPED_KINDS, ValueKind
from metier.core.refusal import Refusal
from metier.core.standing import Standing
from metier.core.threshold import same
from metier.formats.quantity import read_flow, read_positive, read_signed_length_mm
from metier.logbook.entries import record_entry
from metier.show.sheet import Sheet
from metier.show.values import NAMES, on_screen, unit_text, value_text

# Beyond this a compensation per side was mistaken for another length.
_WIDEST_COMPENSATION_MM = 2.0


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "entered",
        "Say what you really typed into printer or slicer: that is what later trials reckon from.",
        "  metier entered flow 92\n"
        "  metier entered --advised     everything that was advised, as advised",
    )
    parser.add_argument(
        "kind", nargs="?", choices=TYPED_KINDS, metavar="KIND", help=", ".join(TYPED_KINDS)
    )
    parser.add_argument("value", nargs="?", metavar="VALUE")
    parser.add_argument(
        "--advised", action="store_true", help="all that is advised and not yet typed in"
    )
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier entered``."""
    if options.advised == (options.kind is not None):
        raise Refusal("give a kind and a value (metier entered flow 92), or --advised alone")
    if options.kind is not None and options.value is None:
        raise Refusal(f"which {options.kind}? give the value: metier entered {options.kind} VALUE")
    given = None if options.advised else read_value(options.kind, options.value)
    with existing_logbook(options) as book:
        here = on_bench(book)
        ready = needed_setup(here.bench)
        before = {kind: here.stands(kind) for kind in TYPED_KINDS}
        values = (
            {options.kind: given}
            if given is not None
            else {
                kind: now.value
                for kind, now in before.items()
                if now.status == "advised" and now.value is not None
            }
        )
        if not values:
            raise Refusal("nothing is advised and still to be typed in")
        with book.transaction() as moment:
            for kind, value in values.items():
                record_entry(book, ready, kind, value, moment)
        sheet = Sheet(f"Entered: {bench_phrase(ready)}")
        entered: list[dict[str, Any]] = []
        for kind, value in values.items():
            text = f"{value_text(kind, value, here.writing)} {unit_text(kind)}".strip()
            sheet.row(NAMES[kind].short, text, _remark(kind, value, before[kind], here.writing))
            entered.append(
                {
                    "kind": kind,
                    "value": on_screen(kind, value),
                    "unit": TRAITS[kind].unit,
                    "status": here.stands(kind).status,
                }
            )
        if "esteps" in values:
            sheet.gap()
            sheet.lines("Stored too? M500 at the printer's console, or it is lost at power-off.")
        return Answer({"entered": entered}, sheet.text())


def read_value(kind: ValueKind, text: str) -> float:
    """Read a value as it is typed on screen, in the unit of calculation.

    Raises:
        Refusal: no such value.
    """
    if kind == "flow":
        return read_flow(text, "flow")
    if kind in ("hole", "contour"):
        value = read_signed_length_mm(text, kind)
        if abs(value) > _WIDEST_COMPENSATION_MM:
            raise Refusal(f"{kind}: {text} mm per side is no compensation: a few tenths at most")
        return value
    return read_positive(text, kind, (TRAITS[kind].unit,))


def _remark(kind: ValueKind, value: float, before: Standing, writing: Any) -> str:
    if before.value is None:
        return "the first known"
    if same(before.value, value):
        return "as advised" if before.status == "advised" else "as before"
    return f"{before.status} was {value_text(kind, before.value, writing)}"
