"""``metier printer changed`` and ``found``: what was swapped, and what the console shows."""

import argparse

from metier.commands.printer import change_object, steps_text
from metier.core.measure.thresholds import same
from metier.core.refusal import Refusal
from metier.core.values import VALUES, typed_values, upset_by
from metier.logbook.bench import choose_bench, current_bench
from metier.logbook.entries import record_steps
from metier.logbook.inforce import steps_in_force
from metier.logbook.machines import changes, nozzle_named, printer_named, record_change
from metier.show.command import proposed
from metier.show.sheet import Sheet
from metier.trials.job import show_next
from metier.trials.on_bench import on_bench
from metier.words.parser import Answer, existing_logbook


def found(options: argparse.Namespace) -> Answer:
    """Record what a printer was found to carry; what it should carry stays what it was."""
    with existing_logbook(options.logbook) as book:
        printer = printer_named(book, options.name)
        with book.transaction() as moment:
            known = steps_in_force(book, printer)
            record_steps(book, moment, printer, options.steps, read_off=True)
        shown = f"{options.steps:.{printer.decimals}f}"
        sheet = Sheet(f"Found on {printer.name}: {shown} steps/mm")
        if known is None:
            sheet.remark("They are in force now; whether they are right, a measured length tells.")
        elif same(known, options.steps):
            sheet.remark("That is what the logbook has in force: all is well.")
        else:
            before = f"{known:.{printer.decimals}f}"
            sheet.row("logbook", before, "in force until now")
            sheet.remark("The board forgot it, or it was changed by hand.")
            sheet.next(
                f"type {before} back (M92 E{before}, then M500), then say so:",
                proposed("entered", "esteps", before, "--printer", printer.name),
            )
        payload = {"printer": printer.name, "found": options.steps, "logbook": known}
        return Answer(payload, sheet.text())


def changed(options: argparse.Namespace) -> Answer:
    if options.fitted and options.what != "nozzle":
        raise Refusal("--fitted goes with --what nozzle")
    if options.affects and options.what != "other":
        raise Refusal(f"--affects goes with --what other: what a {options.what} touches is known")
    affects = options.affects or upset_by(options.what)
    with existing_logbook(options.logbook) as book:
        printer = printer_named(book, options.name)
        nozzle = nozzle_named(book, options.fitted) if options.fitted else None
        with book.transaction() as moment:
            record_change(book, moment, printer, options.what, affects, nozzle, options.note)
            bench = current_bench(book)
            if nozzle and bench.printer == printer:
                choose_bench(book, moment, bench._replace(nozzle=nozzle))
        sheet = Sheet(f"Noted for {printer.name}: {options.what} changed")
        if nozzle:
            sheet.row(
                "fitted",
                nozzle.name,
                f"{nozzle.bore_mm:g} mm bore; its own values come back, as carried",
            )
        elif affects:
            doubtful = ", ".join(VALUES[name].called for name in affects)
            sheet.row("doubtful", doubtful, "until measured or typed in again")
        else:
            sheet.lines(
                "  No value is marked doubtful. If it may have touched some, note it again with",
                "  --affects and their names: " + ", ".join(typed_values()),
            )
        here = on_bench(book)
        steps_now = steps_text(book, printer)
        if here.setup and here.setup.printer.id == printer.id:
            show_next(sheet, here)
        elif options.what == "mainboard" and steps_now:
            sheet.next(
                f"type the old e-steps back (M92 E{steps_now}, then M500), and say so:",
                proposed("entered", "esteps", steps_now, "--printer", printer.name),
            )
        change = changes(book, printer)[-1]
        return Answer(
            {"printer": printer.name, "change": change_object(book, change)}, sheet.text()
        )
