"""What is known of a printer, and what parts need of it."""

from argparse import Namespace
from collections.abc import Callable

from metier.commands.machine import Machines
from metier.commands.printing import write_own_gcode
from metier.core.errors import BadInput
from metier.core.line.bead import told_model
from metier.core.values import LineModel
from metier.formats.quantity import read_length_mm, read_positive
from metier.logbook.items import named
from metier.logbook.machines import Printer, set_printer
from metier.logbook.recording import record_steps
from metier.show.sheet import Sheet, wrapped
from metier.trials.on_bench import HOW_TO_READ_STEPS
from metier.words.parser import Answer, existing_logbook, piped_or_typed

# What is typed, or meant, for a line model or e-steps that are to be asked for.
ASK = "ask"


def set_properties(printers: Machines[Printer], options: Namespace) -> Answer:
    """Run ``metier printer set``."""
    if options.steps == ASK:
        options.steps = _asked_steps(options)
    if options.preview:
        return _set(printers, options, _told_model(options), shown=True)
    if options.line_model == ASK:
        return _ask(printers, options)
    return _set(printers, options, options.line_model)


def _set(
    printers: Machines[Printer], options: Namespace, model: LineModel | None, shown: bool = False
) -> Answer:
    given = {**printers.given(options), "line_model": model}
    if options.steps is None and all(value is None for value in given.values()):
        raise BadInput(
            "nothing to set: give --steps, --decimals, --line-model, --preview, --full-steps, "
            "--microsteps, --note, or for printing --bed, --accel, --start and the like"
        )
    from metier.trials.flow.afterwards import judge_open

    with existing_logbook(options.logbook) as book:
        printer = named(book, Printer, options.name)
        if model and (shown or model != printer.line_model):
            given["line_model_shown"] = int(shown)
        with book.transaction() as moment:
            printer = set_printer(book, moment, printer, given)
            if options.steps is not None:
                record_steps(book, moment, printer, options.steps)
            judged = judge_open(book, printer) if model else []
        sheet = printers.sheet(book, f"Changed printer {printer.name}", printer)
        if options.start or options.end:
            write_own_gcode(book, sheet, printer)
        for opened in judged:
            sheet.row("trial", str(opened.number), f"judged anew: {opened.verdict}")
        if judged:
            sheet.next("what that means for flow:", "metier next")
        anew = [opened._asdict() for opened in judged]
        return printers.answer(book, printer, sheet, judged_anew=anew)


def _asked_steps(options: Namespace) -> float:
    """Ask for the e-steps that the printer carries.

    Raises:
        BadInput: no such printer, nobody to ask, or nothing that can be read.
    """
    from metier.words.question import ask

    if not piped_or_typed():
        raise BadInput(
            f"--steps: the number; it is asked for at a terminal only: {HOW_TO_READ_STEPS}"
        )
    with existing_logbook(options.logbook) as book:
        named(book, Printer, options.name)
    question = "\n".join(wrapped(f"{HOW_TO_READ_STEPS}. Steps/mm", "E-steps now: ", ""))
    return ask(question, lambda text: read_positive(text, "steps", ("steps/mm",)))


def _ask(printers: Machines[Printer], options: Namespace) -> Answer:
    """Ask for the line model, and for the line where it is not given."""
    from metier.words.question import ask, ask_line_model

    if not piped_or_typed():
        raise BadInput("--line-model: rounded or rectangular; it is asked for at a terminal only")
    with existing_logbook(options.logbook) as book:
        known = printers.told(book, named(book, Printer, options.name))
    width_mm = options.width or ask("Line width set in the slicer, mm", _length_of("width"))
    layer_mm = options.layer or ask("Layer height, mm", _length_of("layer height"))
    model = ask_line_model(width_mm, layer_mm)
    if model is not None:
        return _set(printers, options, model)
    sheet = Sheet(f"The line model of {options.name} stays open")
    sheet.remark("Both count meanwhile, in the ± of flow. The sliced file of a cube tells, too:")
    sheet.lines("  metier flow --sliced FILE")
    return Answer({"printer": known, "judged_anew": []}, sheet.text())


def _length_of(what: str) -> Callable[[str], float]:
    return lambda text: read_length_mm(text, what)


def _told_model(options: Namespace) -> LineModel:
    """Return the line model that two numbers off the slicer's preview tell."""
    if options.line_model:
        raise BadInput("--preview tells the line model: leave --line-model out")
    width_mm, layer_mm, ratio = options.width, options.layer, options.flow
    if width_mm is None or layer_mm is None or ratio is None:
        raise BadInput("--preview needs --width, --layer and --flow: how that wall is sliced")
    flow_mm3_s, speed_mm_s, _ = options.preview
    return told_model(flow_mm3_s / speed_mm_s, width_mm, layer_mm, ratio)
