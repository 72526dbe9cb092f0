"""What a recorded trial would say by another model, aim, band or margin; nothing is recorded."""

from argparse import Namespace
from typing import Any

from metier.core.errors import BadInput
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.trials import latest_on, readings, trial
from metier.show.sheet import Sheet
from metier.trials.judging import judge
from metier.trials.kind import Kind, Measured, Plan
from metier.trials.on_bench import bench_phrase, needed_setup, on_bench
from metier.words.parser import Answer

# Stands for the newest trial, which has a number of its own.
NEWEST = 0
NOT_RECORDED = "Not recorded: that was a question."


def what_if(kind: Kind[Any, Any, Any], options: Namespace, book: Logbook) -> Answer:
    """Judge a recorded trial by other settings, and record nothing.

    Raises:
        BadInput: there is no such trial of this kind.
    """
    here = on_bench(book)
    number = options.what_if
    if number == NEWEST:
        known = latest_on(book, needed_setup(here.bench), kind.name, 1)
        if not known:
            raise BadInput(f"--what-if: no {kind.name} trial is measured on this bench yet")
        number = known[0].number
    found = trial(book, number)
    if found.test != kind.name or found.state != "measured":
        raise BadInput(f"--what-if: trial {number} is {found.test}, {found.state}")
    kind = kind.way_of(found.settings)
    here = here.moved_to(setup_of(book, number))
    plan = Plan(number, kind.form.of(book, found), found.conditions)
    settled = kind.settle(options, here, plan)._replace(recorded=False)
    taken = readings(book, number)
    context = kind.context(here, settled.settings, settled.conditions, number)
    judged = judge(kind, settled, taken, context)
    asked = Measured(here, None, settled, taken, context, judged.finding, judged.notes)
    title = f"What if, {kind.title.lower()}: {bench_phrase(needed_setup(here.bench))}"
    sheet = Sheet(title)
    sheet.note(f"the readings of trial {number}, which said: {found.verdict}", "of")
    kind.sheet(asked, sheet)
    if kind.draws and options.plot:
        kind.draw(options.plot, title, asked)
        sheet.note(f"written to {options.plot}", "picture")
    sheet.gap()
    sheet.lines(NOT_RECORDED)
    return Answer({"trial": None, "of": number, **judged.payload}, sheet.text())
