"""``metier cable steps``: what e-steps the printer carries, against what the logbook knows."""

import argparse

from metier.cable.talking import read_steps, same_steps, store_steps
from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.entries import record_steps
from metier.logbook.inforce import steps_in_force
from metier.logbook.machines import Printer
from metier.show.command import proposed
from metier.show.sheet import Sheet
from metier.trials.cabled import Cabled, cabled, steps_differ
from metier.trials.job import show_next
from metier.trials.on_bench import on_bench
from metier.words.parser import Answer, existing_logbook
from metier.words.values import read_value, refuse_unusual


def steps(options: argparse.Namespace) -> Answer:
    """Run ``metier cable steps``."""
    with existing_logbook(options.logbook) as book:
        spoken_to = cabled(book, options)
        if options.value is None and not options.advised:
            return _read(book, spoken_to)
        printer = spoken_to.printer
        if printer is None:
            raise Refusal("whose e-steps are these? name it with --printer, so that it is recorded")
        wanted = _wanted(book, options, printer)
        wanted = round(wanted, printer.decimals)
        with spoken_to.linked() as link:
            before = read_steps(link)
            store_steps(link, wanted, printer.decimals)
        return _stored(book, printer, before, wanted)


def _wanted(book: Logbook, options: argparse.Namespace, printer: Printer) -> float:
    if options.advised:
        if options.value is not None:
            raise Refusal("give a value or --advised, not both")
        now = on_bench(book).stands("esteps")
        on = on_bench(book).bench.printer
        if now.status != "advised" or now.value is None or on is None or on.id != printer.id:
            raise Refusal(f"no e-steps are advised for {printer.name} and still to be set")
        return now.value
    value = read_value("esteps", options.value)
    if not options.anyway:
        refuse_unusual("esteps", value)
    return value


def _read(book: Logbook, spoken_to: Cabled) -> Answer:
    with spoken_to.linked() as link:
        carries = read_steps(link)
    printer = spoken_to.printer
    known = steps_in_force(book, printer) if printer else None
    decimals = printer.decimals if printer else 2
    shown = f"{carries:.{decimals}f}"
    sheet = Sheet(f"E-steps of {spoken_to.name}: {shown} steps/mm")
    if printer is None:
        sheet.remark(
            "No printer in the logbook is meant, so there is nothing to hold them against."
        )
    elif known is None:
        sheet.remark("The logbook does not know any yet.")
        sheet.next("say so:", proposed("printer", "found", printer.name, "--steps", shown))
    elif same_steps(carries, known):
        sheet.remark("That is what the logbook has in force.")
    else:
        before = f"{known:.{decimals}f}"
        sheet.row("logbook", before, "in force")
        text = steps_differ(printer, carries, known)
        sheet.remark(f"{text[0].upper()}{text[1:]}.")
        sheet.next(f"to have {before} back:", proposed("cable", "steps", before))
        sheet.lines(f"  or, where {shown} is meant:")
        words = ("esteps", shown, "--printer", printer.name)
        sheet.lines(f"  {proposed('entered', *words)}")
    same = known is not None and same_steps(carries, known)
    payload = {"printer": spoken_to.name, "carries": carries, "logbook": known, "same": same}
    return Answer(payload, sheet.text())


def _stored(book: Logbook, printer: Printer, before: float, wanted: float) -> Answer:
    with book.transaction() as moment:
        record_steps(book, moment, printer, wanted)
    shown = f"{wanted:.{printer.decimals}f}"
    sheet = Sheet(f"E-steps of {printer.name}: {shown} steps/mm, set and stored")
    sheet.row("before", f"{before:.{printer.decimals}f}", "as the printer had it")
    sheet.row("read back", shown, "after it was stored; recorded as entered")
    here = on_bench(book)
    if here.setup and here.setup.printer.id == printer.id:
        show_next(sheet, here)
    payload = {"printer": printer.name, "before": before, "carries": wanted, "recorded": True}
    return Answer(payload, sheet.text())
