"""A recorded trial asked again: what it would say by another model, aim or margin, or as a picture;
nothing is recorded."""

from argparse import Namespace
from typing import Any

from metier.core.errors import BadInput
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.trials import Trial, latest_on, readings, trial
from metier.show.sheet import Sheet
from metier.trials.kind import Kind, Settled, judge
from metier.trials.on_bench import ONLY_ASKED, bench_phrase, needed_setup, on_bench
from metier.trials.registry import kind_named
from metier.trials.table import Plan
from metier.words.parser import Answer


def what_if(kind: Kind[Any, Any, Any], options: Namespace, book: Logbook) -> Answer:
    """Judge a recorded trial by other settings, and record nothing.

    Raises:
        BadInput: there is no such trial of this kind.
    """
    bench = on_bench(book)
    number = options.what_if
    if not number:
        newest = latest_on(book, needed_setup(bench.chosen), kind.name, 1)
        if not newest:
            raise BadInput(f"--what-if: no {kind.name} trial is measured on this bench yet")
        number = newest[0].number
    recorded = trial(book, number)
    if recorded.test != kind.name or recorded.state != "measured":
        raise BadInput(f"--what-if: trial {number} is {recorded.test}, {recorded.state}")
    kind = kind.way_of(recorded.settings)
    bench = bench.moved_to(setup_of(book, number))
    plan = Plan(number, kind.form.of(book, recorded), recorded.conditions)
    settled = kind.settle(options, bench, plan)._replace(recorded=False)
    asked = judge(kind, bench, settled, readings(book, number), number)
    title = f"What if, {kind.title.lower()}: {bench_phrase(needed_setup(bench.chosen))}"
    sheet = Sheet(title, options.why)
    sheet.note(f"the readings of trial {number}, which said: {recorded.verdict}", "of")
    kind.sheet(asked, sheet)
    if kind.draws and options.plot:
        kind.draw(options.plot, title, asked)
        sheet.note(f"written to {options.plot}", "picture")
    sheet.gap()
    sheet.lines(ONLY_ASKED)
    return Answer({"trial": None, "of": number, **asked.payload}, sheet.text())


def draw_recorded(book: Logbook, recorded: Trial, path: str) -> None:
    """Draw a measured trial as it was when it was measured.

    Raises:
        BadInput: its kind has no picture, or it was not measured; the file cannot be written.
    """
    kind, number = kind_named(recorded.test).way_of(recorded.settings), recorded.number
    if not kind.draws:
        raise BadInput(f"--plot: there is no picture of {recorded.test}")
    if recorded.findings is None:
        raise BadInput(f"--plot: trial {number} is {recorded.state}: there is nothing to draw")
    ready = setup_of(book, number)
    settled = Settled(kind.form.of(book, recorded), recorded.conditions)
    made = judge(kind, on_bench(book).moved_to(ready), settled, readings(book, number), number)
    title = f"{kind.title}: {bench_phrase(ready)}, trial {number}"
    kind.draw(path, title, made._replace(number=number))
