"""``metier entered``: what was really typed into printer or slicer."""

import argparse
from collections.abc import Sequence
from itertools import zip_longest

from metier.core.measure.thresholds import same
from metier.core.refusal import Refusal
from metier.core.standing import Standing
from metier.core.values import VALUES, typed_values, value_named
from metier.formats.quantity import read_flow, read_positive, read_signed_length_mm
from metier.logbook.entries import record_entry
from metier.show.figures import with_u95
from metier.show.sheet import Sheet
from metier.show.values import value_text
from metier.trials.kind import Expected
from metier.trials.on_bench import OnBench, bench_phrase, needed_setup, on_bench
from metier.trials.registry import kind_named
from metier.words.parser import Answer, Parser, command_parser, existing_logbook


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "entered",
        "Say what you really typed into printer or slicer: that is what later trials reckon from.",
        "  metier entered flow 92\n"
        "  metier entered hole 0.12 contour -0.07\n"
        "  metier entered --advised     everything that was advised, as advised",
    )
    names = ", ".join(typed_values())
    parser.add_argument(
        "pairs", nargs="*", metavar="KIND VALUE", help=f"one value or several: {names}"
    )
    parser.add_argument(
        "--advised", action="store_true", help="all that is advised and not yet typed in"
    )
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier entered``."""
    if options.advised == bool(options.pairs):
        raise Refusal("give a kind and a value (metier entered flow 92), or --advised alone")
    given = _given(options.pairs)
    with existing_logbook(options.logbook) as book:
        here = on_bench(book)
        ready = needed_setup(here.bench)
        # What is advised is looked up with the lock held: another process may be recording.
        with book.transaction() as moment:
            before = {name: here.stands(name) for name in typed_values()}
            values = given or {
                name: now.value
                for name, now in before.items()
                if now.status == "advised" and now.value is not None
            }
            if not values:
                raise Refusal("nothing is advised and still to be typed in")
            for name, value in values.items():
                record_entry(book, ready, name, value, moment)
        sheet = Sheet(f"Entered: {bench_phrase(ready)}")
        for name, value in values.items():
            remark = _remark(here, name, value, before[name])
            sheet.row(VALUES[name].called, here.worded(name, value), remark)
        ahead = {name: _expected(here, name, value) for name, value in values.items()}
        for one in (one for each in ahead.values() for one in each):
            text = f"{one.what} should come to {with_u95(one.value, one.u95)} {one.unit}"
            sheet.note(text, "forecast")
        if "esteps" in values:
            sheet.gap()
            sheet.lines("Stored too? M500 at the printer's console, or it is lost at power-off.")
        entered = [
            {
                "kind": name,
                "value": VALUES[name].seen(value),
                "unit": VALUES[name].unit,
                "status": here.stands(name).status,
                "forecast": [one._asdict() for one in ahead[name]],
            }
            for name, value in values.items()
        ]
        return Answer({"entered": entered}, sheet.text())


def _expected(here: OnBench, name: str, value: float) -> list[Expected]:
    return kind_named(VALUES[name].measured_by).expected(here, name, value)


def _given(words: Sequence[str]) -> dict[str, float]:
    """Return the values that these words name, each with its number behind it.

    Raises:
        Refusal: no such value, one without its number, or one named twice.
    """
    names = typed_values()
    given: dict[str, float] = {}
    for name, text in zip_longest(words[::2], words[1::2]):
        if name not in names:
            raise Refusal(f"there is no value '{name[:40]}' to type in: {', '.join(names)}")
        if text is None:
            raise Refusal(f"which {name}? give the value: metier entered {name} VALUE")
        if name in given:
            raise Refusal(f"{name} is given twice")
        given[name] = read_value(name, text)
    return given


def read_value(name: str, text: str) -> float:
    """Read a value as it is typed on screen, in the unit of calculation.

    Raises:
        Refusal: no such value.
    """
    row = value_named(name)
    if row.unit == "%":
        return read_flow(text, name)
    if row.signed:
        value = read_signed_length_mm(text, name)
        if row.largest is not None and abs(value) > row.largest:
            raise Refusal(f"{name}: {text} mm per side is no compensation: a few tenths at most")
        return value
    return read_positive(text, name, (row.unit,))


def _remark(here: OnBench, name: str, value: float, before: Standing) -> str:
    if before.value is None:
        return "the first known"
    if same(before.value, value):
        return "as advised" if before.status == "advised" else "as before"
    return f"{before.status} was {value_text(name, before.value, here.writing)}"
