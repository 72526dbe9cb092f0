"""``metier entered``: what was really typed into printer or slicer."""

from argparse import Namespace
from collections.abc import Mapping, Sequence
from itertools import zip_longest

from metier.core.errors import BadInput
from metier.core.measure.thresholds import same
from metier.core.standing import Standing
from metier.core.values import VALUES, typed_values
from metier.logbook.bench import choose_bench, current_bench
from metier.logbook.book import Logbook
from metier.logbook.machines import Printer
from metier.logbook.recording import record_entry, record_steps
from metier.show.figures import numbers_text, short_date, value_text, with_u95
from metier.show.sheet import Sheet
from metier.trials.dated import bench_at, past_moment, told_late
from metier.trials.kind import Expected
from metier.trials.on_bench import (
    OnBench,
    add_elsewhere_options,
    bench_phrase,
    needed_setup,
    on_bench_of,
)
from metier.trials.registry import kind_named
from metier.words.arguments import add_anyway, option, read_value
from metier.words.doubt import meant
from metier.words.parser import Answer, Parser, command_parser, existing_logbook


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "entered",
        "Say what you really typed into printer or slicer: that is what later trials start from.",
        "  metier entered flow 92\n"
        "  metier entered hole 0.12 contour -0.07\n"
        "  metier entered --advised     everything that was advised, as advised",
    )
    names = ", ".join(typed_values())
    option(parser, "pairs KIND VALUE", f"one value or several: {names}", nargs="*")
    option(parser, "--advised", "all that is advised and not yet typed in")
    option(parser, "--at DATE", "when that was, if not now", past_moment)
    add_anyway(parser)
    add_elsewhere_options(parser)
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier entered``."""
    if options.advised == bool(options.pairs):
        raise BadInput("give a kind and a value (metier entered flow 92), or --advised alone")
    given = _given(options.pairs)
    with existing_logbook(options.logbook) as book:
        bench = on_bench_of(book, options, bench_at(book, options.at) if options.at else None)
        # Asked before anything is locked: whoever answers takes a while.
        given = {
            name: meant(value, bench.doubt(name, value, typed_in=True), options)
            for name, value in given.items()
        }
        if bench.setup is None and bench.chosen.printer and set(given) == {"esteps"}:
            return _steps_alone(book, bench.chosen.printer, given["esteps"], options.at)
        ready = needed_setup(bench.chosen)
        # What is advised is looked up with the lock held: another process may be recording.
        with book.transaction() as moment:
            before = {name: bench.stands(name) for name in typed_values()}
            values = given or {
                name: now.value
                for name, now in before.items()
                if now.status == "advised" and now.value is not None
            }
            if not values:
                raise BadInput("nothing is advised and still to be typed in")
            opened = _opened(bench, values)
            for name, value in values.items():
                record_entry(book, ready, name, value, moment, opened.get(name))
                if VALUES[name].is_heat and not options.at and bench.chosen == current_bench(book):
                    choose_bench(book, moment, bench.chosen._replace(temperature_c=value))
            anew = told_late(book, moment, options.at) if options.at else []
        of = f", {short_date(options.at)}" if options.at else ""
        sheet = Sheet(f"Entered: {bench_phrase(ready)}{of}")
        for name, value in values.items():
            remark = _remark(bench, name, value, before[name])
            sheet.row(VALUES[name].called, bench.worded(name, value), remark)
        ahead = {name: _expected(bench, name, value) for name, value in values.items()}
        for wall in (wall for each in ahead.values() for wall in each):
            text = f"{wall.what} should come to {with_u95(wall.value, wall.u95)} {wall.unit}"
            sheet.note(text, "forecast")
        for name, opened_mm in opened.items():
            if opened_mm:
                what = "holes" if name == "hole" else "outlines"
                size = f"{2 * opened_mm:+.2f} mm on the diameter"
                sheet.note(f"{what} are meant to measure {size}, for a fit", "opened")
        if anew:
            sheet.note(f"judged anew by that: trials {numbers_text(anew)}", "anew")
        if not options.at and any(VALUES[name].is_heat for name in values):
            sheet.note("the bench is at that temperature from now on", "bench")
        if "esteps" in values:
            sheet.gap()
            sheet.lines("Stored too? M500 at the printer's console, or it is lost at power-off.")
        entered = [
            {
                "kind": name,
                "value": VALUES[name].seen(value),
                "unit": VALUES[name].unit,
                "status": bench.stands(name).status,
                "forecast": [wall._asdict() for wall in ahead[name]],
            }
            for name, value in values.items()
        ]
        return Answer({"entered": entered}, sheet.text())


def _steps_alone(book: Logbook, printer: Printer, steps_per_mm: float, at: str | None) -> Answer:
    """Record e-steps, which are the printer's alone, where no roll is on the bench."""
    with book.transaction() as moment:
        record_steps(book, moment, printer, steps_per_mm)
        if at:
            told_late(book, moment, at)
    shown = f"{steps_per_mm:.{printer.decimals}f}"
    told = {"kind": "esteps", "value": steps_per_mm, "unit": VALUES["esteps"].unit}
    text = f"Entered: e-steps {shown} on {printer.name}. Stored too? M500, or it is lost."
    return Answer({"entered": [{**told, "status": "entered", "forecast": []}]}, text)


def _expected(bench: OnBench, name: str, value: float) -> list[Expected]:
    return kind_named(VALUES[name].measured_by).expected(bench, name, value)


def _opened(bench: OnBench, values: Mapping[str, float]) -> dict[str, float | None]:
    """Return what of the compensations among these is opened for a fit once they are typed in."""
    compensations = [name for name in ("hole", "contour") if name in values]
    if not compensations:
        return {}
    from metier.trials.fit.given import opened_with

    return {name: opened_with(bench, name, values[name]) for name in compensations}


def _given(words: Sequence[str]) -> dict[str, float]:
    """Return the values that these words name, each with its number behind it.

    Raises:
        BadInput: no such value, one without its number, or one named twice.
    """
    names = typed_values()
    given: dict[str, float] = {}
    for name, text in zip_longest(words[::2], words[1::2]):
        if name not in names:
            raise BadInput(f"there is no value '{name[:40]}' to type in: {', '.join(names)}")
        if text is None:
            raise BadInput(f"which {name}? give the value: metier entered {name} VALUE")
        if name in given:
            raise BadInput(f"{name} is given twice")
        given[name] = read_value(name, text)
    return given


def _remark(bench: OnBench, name: str, value: float, before: Standing) -> str:
    if before.value is None:
        return "the first known"
    if same(before.value, value):
        return "as advised" if before.status == "advised" else "as before"
    if before.status == "advised":
        advised, typed = (value_text(name, each, bench.writing) for each in (before.value, value))
        return f"you typed {typed}; {advised} was advised"
    return f"{before.status} was {value_text(name, before.value, bench.writing)}"
