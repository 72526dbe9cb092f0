"""``metier printer set``: what is known of a printer changes, the line model among it."""

import argparse
from collections.abc import Callable
from typing import TYPE_CHECKING

from metier.commands.printer import ASK, printer_object, printer_rows, told_properties
from metier.commands.printing import printing_of, write_own_gcode
from metier.core.line.bead import LineModel, told_model
from metier.core.refusal import Refusal
from metier.formats.quantity import read_length_mm, read_positive
from metier.logbook.book import Logbook
from metier.logbook.edits import Plain
from metier.logbook.entries import record_steps
from metier.logbook.machines import Printer, printer_named, set_printer
from metier.show.sheet import Sheet, wrapped
from metier.trials.esteps.kept import HOW_TO_READ_STEPS
from metier.words.parser import Answer, existing_logbook, piped_or_typed

if TYPE_CHECKING:
    from metier.trials.flow.opened import JudgedAnew


def set_properties(options: argparse.Namespace) -> Answer:
    """Run ``metier printer set``."""
    if options.steps == ASK:
        options.steps = _asked_steps(options)
    if options.preview:
        return _set(options, _told_model(options))
    return _ask(options) if options.line_model == ASK else _set(options, options.line_model)


def _set(options: argparse.Namespace, model: LineModel | None) -> Answer:
    given: dict[str, Plain] = {
        "decimals": options.decimals,
        "line_model": model,
        "note": options.note,
        **told_properties(options),
        **printing_of(options),
    }
    if options.steps is None and all(value is None for value in given.values()):
        raise Refusal(
            "nothing to set: give --steps, --decimals, --line-model, --preview, --full-steps, "
            "--microsteps, --note, or for printing --bed, --accel, --start and the like"
        )
    with existing_logbook(options.logbook) as book:
        printer = printer_named(book, options.name)
        with book.transaction() as moment:
            printer = set_printer(book, moment, printer, given)
            if options.steps is not None:
                record_steps(book, moment, printer, options.steps)
            judged = _judge_open(book, printer) if model else []
        sheet = Sheet(f"Changed printer {printer.name}")
        printer_rows(book, sheet, printer)
        if options.start or options.end:
            write_own_gcode(book, sheet, printer)
        for one in judged:
            sheet.row("trial", str(one.number), f"judged anew: {one.verdict}")
        if judged:
            sheet.next("what that means for flow:", "metier next")
        anew = [one._asdict() for one in judged]
        return Answer({"printer": printer_object(book, printer), "judged_anew": anew}, sheet.text())


def _asked_steps(options: argparse.Namespace) -> float:
    """Ask for the e-steps that the printer carries.

    Raises:
        Refusal: no such printer, nobody to ask, or nothing that can be read.
    """
    from metier.words.question import ask

    if not piped_or_typed():
        raise Refusal(
            f"--steps: the number; it is asked for at a terminal only: {HOW_TO_READ_STEPS}"
        )
    with existing_logbook(options.logbook) as book:
        printer_named(book, options.name)
    question = "\n".join(wrapped(f"{HOW_TO_READ_STEPS}. Steps/mm", "E-steps now: ", ""))
    return ask(question, lambda text: read_positive(text, "steps", ("steps/mm",)))


def _ask(options: argparse.Namespace) -> Answer:
    """Ask for the line model, and for the line where it is not given."""
    from metier.words.line_model import ask_line_model
    from metier.words.question import ask

    if not piped_or_typed():
        raise Refusal("--line-model: rounded or rectangular; it is asked for at a terminal only")
    with existing_logbook(options.logbook) as book:
        known = printer_object(book, printer_named(book, options.name))
    width_mm = options.width or ask("Line width set in the slicer, mm", _length_of("width"))
    layer_mm = options.layer or ask("Layer height, mm", _length_of("layer height"))
    model = ask_line_model(width_mm, layer_mm)
    if model is not None:
        return _set(options, model)
    sheet = Sheet(f"The line model of {options.name} stays open")
    sheet.remark("Flow has two answers meanwhile. The sliced file of a cube tells the dose, too:")
    sheet.lines("  metier flow --sliced FILE")
    return Answer({"printer": known, "judged_anew": []}, sheet.text())


def _length_of(what: str) -> Callable[[str], float]:
    return lambda text: read_length_mm(text, what)


def _judge_open(book: Logbook, printer: Printer) -> "list[JudgedAnew]":
    """Judge the trials that were open for want of a line model."""
    from metier.trials.flow.opened import judge_open

    return judge_open(book, printer)


def _told_model(options: argparse.Namespace) -> LineModel:
    """Return the line model that two numbers off the slicer's preview tell."""
    if options.line_model:
        raise Refusal("--preview tells the line model: leave --line-model out")
    width_mm, layer_mm, ratio = options.width, options.layer, options.flow
    if width_mm is None or layer_mm is None or ratio is None:
        raise Refusal("--preview needs --width, --layer and --flow: how that wall is sliced")
    flow_mm3_s, speed_mm_s = options.preview
    return told_model(flow_mm3_s / speed_mm_s, width_mm, layer_mm, ratio)
