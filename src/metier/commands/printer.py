"""``metier printer``: printers and what was changed on them."""

import argparse

from metier.commands.machine import (
    add_common_actions,
    add_listing,
    add_note,
    mended_rows,
    run_action,
)
from metier.commands.printing import (
    add_printing_options,
    printing_object,
    printing_of,
    printing_rows,
    write_own_gcode,
)
from metier.core.line.bead import LINE_MODELS
from metier.core.values import WHATS, typed_values
from metier.formats.quantity import read_count
from metier.logbook.book import Logbook
from metier.logbook.edits import Plain
from metier.logbook.entries import record_steps
from metier.logbook.inforce import steps_in_force
from metier.logbook.machines import (
    HardwareChange,
    Printer,
    add_nozzle,
    add_printer,
    changes,
    fitted_nozzle,
    nozzle_by_id,
    nozzles,
    printer_named,
    printers,
    set_printer,
)
from metier.show.figures import short_date
from metier.show.sheet import Sheet, listing, wrapped
from metier.trials.esteps.kept import HOW_TO_READ_STEPS
from metier.words.arguments import flow, length, positive, preview, small_text, steps, typed
from metier.words.parser import Actions, Answer, Parser, existing_logbook, logbook_to_write

# What is typed, or meant, for a line model or e-steps that are to be asked for.
ASK = "ask"


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier printer", "Printers, one entry a tool head, and what was swapped on them.")
    actions = Actions(top)
    add = actions.add(
        "add",
        "add a printer with its nozzle and the e-steps it carries now",
        "  metier printer add heron --nozzle 0.5 --steps 412\n"
        "  adds printer heron and nozzle heron-0.5",
    )
    add.add_needed("name", metavar="NAME", help="what to call the printer")
    add.add_needed("--nozzle", type=length, metavar="BORE", help="the bore of its nozzle, in mm")
    _properties(add)
    add_printing_options(add)
    add.add_argument("--steps", type=steps, metavar="S", help="e-steps it carries, steps/mm")
    add.add_argument("--line-model", choices=LINE_MODELS, help="how the slicer doses a line")
    add_listing(actions, "printer")
    show = actions.add("show", "show one printer", "  metier printer show heron")
    show.add_argument("name", metavar="NAME")
    change = actions.add(
        "set",
        "change what is known of a printer",
        "  metier printer set heron --line-model rounded",
    )
    change.add_argument("name", metavar="NAME")
    _properties(change)
    add_printing_options(change)
    change.add_argument(
        "--steps", nargs="?", const=ASK, type=_steps_or_ask, metavar="S",
        help="e-steps it carries, steps/mm; alone, it is asked for",
    )  # fmt: skip
    change.add_argument(
        "--line-model", nargs="?", const=ASK, choices=(*LINE_MODELS, ASK), metavar="MODEL",
        help="how the slicer doses a line: rounded or rectangular; alone, it is asked for",
    )  # fmt: skip
    add_note(change)
    add_common_actions(actions, "printer", "heron")
    told = change.add_argument_group("or the line model told by a wall in the slicer's preview")
    told.add_argument(
        "--preview", type=preview, metavar="Q@V", help="mm³/s at mm/s of that wall, as 3.66@40"
    )
    told.add_argument("--width", type=length, metavar="MM", help="its line width")
    told.add_argument("--layer", type=length, metavar="MM", help="its layer height")
    told.add_argument("--flow", type=flow, metavar="PERCENT", help="the flow it is sliced at")
    found = actions.add(
        "found",
        "say what e-steps the printer's console shows; what was typed in before stays known",
        "  metier printer found heron --steps 93",
    )
    found.add_needed("name", metavar="NAME", help="which printer")
    found.add_needed("--steps", type=steps, metavar="S", help="e-steps as M92 shows them, steps/mm")
    changed = actions.add(
        "changed",
        "note that something on the printer was changed",
        "  metier printer changed heron --what nozzle --fitted heron-0.8\n"
        "  metier printer changed heron --what mainboard --note 'old one burnt'",
    )
    changed.add_needed("name", metavar="NAME", help="which printer")
    changed.add_needed("--what", choices=WHATS, metavar="PART", help=f"what: {', '.join(WHATS)}")
    changed.add_argument("--fitted", metavar="NOZZLE", help="the nozzle now in it")
    changed.add_argument("--note", type=small_text, metavar="TEXT")
    changed.add_argument(
        "--affects",
        nargs="+",
        choices=typed_values(),
        metavar="VALUE",
        help="values that an 'other' change may have touched: " + ", ".join(typed_values()),
    )
    return top


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier printer``."""
    if options.action == "set":
        from metier.commands.printer_set import set_properties

        return set_properties(options)
    if options.action in ("changed", "found"):
        from metier.commands.printer_changed import changed, found

        return (changed if options.action == "changed" else found)(options)
    return run_action(options, "printer", {"add": _add, "list": _list, "show": _show})


def _steps_or_ask(text: str) -> float | str:
    return text if text == ASK else steps(text)


def _properties(parser: Parser) -> None:
    parser.add_argument(
        "--decimals",
        type=lambda text: 0 if text.strip() == "0" else typed(read_count, 6)(text),
        metavar="N",
        help="decimals of e-steps the firmware keeps (2)",
    )
    parser.add_argument("--full-steps", type=positive, metavar="N", help="a motor turn (200, 400)")
    parser.add_argument("--microsteps", type=positive, metavar="N", help="a full step (16, 32)")


def told_properties(options: argparse.Namespace) -> dict[str, Plain]:
    """Return what is given of the motor."""
    return {"full_steps": options.full_steps, "microsteps": options.microsteps}


def _add(options: argparse.Namespace) -> Answer:
    with logbook_to_write(options.logbook) as book:
        with book.transaction() as moment:
            printer = add_printer(
                book, moment, options.name, 2 if options.decimals is None else options.decimals
            )
            given = {"line_model": options.line_model, **told_properties(options)}
            printer = set_printer(book, moment, printer, {**given, **printing_of(options)})
            add_nozzle(book, moment, printer, f"{printer.name}-{options.nozzle:g}", options.nozzle)
            if options.steps is not None:
                record_steps(book, moment, printer, options.steps)
        first = len(printers(book)) == 1
        sheet = Sheet(f"Added printer {printer.name}")
        printer_rows(book, sheet, printer)
        write_own_gcode(book, sheet, printer)
        sheet.gap()
        if options.steps is None:
            sheet.lines(*wrapped(f"Its e-steps are not known yet: {HOW_TO_READ_STEPS}.", "", ""))
        if first:
            sheet.next("a roll of filament:", "metier spool add")
        return Answer({"printer": printer_object(book, printer)}, sheet.text())


def _list(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        found = printers(book, options.all)
        rows = [
            (
                p.name,
                ", ".join(n.name for n in nozzles(book, p)),
                steps_text(book, p) or "not known",
                p.line_model or "not known",
            )
            for p in found
        ]
        text = listing(("printer", "nozzles", "e-steps", "line model"), rows, (0, 1))
        return Answer(
            {"printers": [printer_object(book, printer) for printer in found]},
            text if found else "No printers yet: metier printer add heron --nozzle 0.5 --steps 412",
        )


def _show(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        printer = printer_named(book, options.name)
        sheet = Sheet(f"Printer {printer.name}")
        printer_rows(book, sheet, printer)
        write_own_gcode(book, sheet, printer)
        return Answer({"printer": printer_object(book, printer)}, sheet.text())


def steps_text(book: Logbook, printer: Printer) -> str:
    """Return the e-steps in force, as the firmware writes them; empty where they are not known."""
    found = steps_in_force(book, printer)
    return "" if found is None else f"{found:.{printer.decimals}f}"


def printer_rows(book: Logbook, sheet: Sheet, printer: Printer) -> None:
    """Write what is known of a printer."""
    own = nozzles(book, printer)
    fitted = fitted_nozzle(book, printer)
    sheet.row(
        "e-steps",
        f"{steps_text(book, printer) or 'not known'}",
        "in force" if steps_text(book, printer) else "",
    )
    sheet.row("decimals", str(printer.decimals), "of e-steps, as the firmware keeps them")
    sheet.row(
        "line model",
        printer.line_model or "not known",
        "" if printer.line_model else "flow has two answers meanwhile: printer set --preview",
    )
    printing_rows(sheet, printer)
    if printer.port:
        sheet.row("cable", printer.port, "plugged in there: metier cable steps")
    for nozzle in own:
        remarks = [f"{nozzle.bore_mm:g} mm bore", nozzle.material, nozzle.hot_end]
        remarks += ["fitted" if nozzle == fitted else None, "worn" if nozzle.worn else None]
        sheet.row("nozzle", nozzle.name, ", ".join(remark for remark in remarks if remark))
    for change in changes(book, printer):
        sheet.row("changed", change.what, f"{short_date(change.at)} {change.note or ''}".strip())
    mended_rows(book, sheet, "printer", printer.id, printer.note)


def printer_object(book: Logbook, printer: Printer) -> dict[str, object]:
    """Return what is known of a printer, as JSON has it."""
    fitted = fitted_nozzle(book, printer)
    return {
        "name": printer.name,
        "steps": steps_in_force(book, printer),
        "decimals": printer.decimals,
        "line_model": printer.line_model,
        "full_steps": printer.full_steps,
        "microsteps": printer.microsteps,
        **printing_object(printer),
        "port": printer.port,
        "baud": printer.baud,
        "note": printer.note,
        "retired": bool(printer.retired),
        "fitted": fitted and fitted.name,
        "nozzles": [nozzle.name for nozzle in nozzles(book, printer)],
        "changes": [change_object(book, change) for change in changes(book, printer)],
    }


def change_object(book: Logbook, change: HardwareChange) -> dict[str, object]:
    """Return a hardware change, as JSON has it."""
    return {
        "at": change.at,
        "what": change.what,
        "nozzle": nozzle_by_id(book, change.nozzle).name if change.nozzle else None,
        "affects": list(change.affects),
        "note": change.note,
    }
