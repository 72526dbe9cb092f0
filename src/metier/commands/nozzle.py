"""``metier nozzle``: nozzles by name, with the hot end each sits in."""

import argparse

from metier.commands.machine import (
    add_common_actions,
    add_listing,
    add_note,
    mend,
    mended_rows,
    run_action,
)
from metier.core.refusal import Refusal
from metier.core.values import upset_by
from metier.logbook.book import Logbook
from metier.logbook.machines import (
    Nozzle,
    add_nozzle,
    mark_worn,
    nozzle_by_id,
    nozzle_named,
    nozzles,
    printer_by_id,
    printer_named,
    record_change,
)
from metier.show.command import proposed
from metier.show.sheet import Sheet, listing
from metier.words.arguments import length, small_text
from metier.words.parser import Actions, Answer, Parser, existing_logbook, logbook_to_write


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier nozzle", "Nozzles: bore, material, and the hot end each sits in.")
    actions = Actions(top)
    add = actions.add(
        "add",
        "add a nozzle to a printer",
        "  metier nozzle add heron-0.8 --printer heron --bore 0.8 --material brass",
    )
    add.add_needed("name", metavar="NAME", help="what to call the nozzle")
    add.add_needed("--printer", metavar="PRINTER", help="the printer it is for")
    add.add_needed("--bore", type=length, metavar="MM", help="its bore, in mm")
    add.add_argument("--material", type=small_text, metavar="TEXT")
    add.add_argument("--hot-end", type=small_text, metavar="TEXT")
    add_listing(actions, "nozzle")
    change = actions.add(
        "set", "mend what is known of a nozzle", "  metier nozzle set heron-0.5 --material brass"
    )
    change.add_argument("name", metavar="NAME")
    change.add_argument("--bore", type=length, metavar="MM")
    change.add_argument("--material", type=small_text, metavar="TEXT")
    change.add_argument("--hot-end", type=small_text, metavar="TEXT")
    add_note(change)
    add_common_actions(actions, "nozzle", "heron")
    for name, description in (
        ("show", "show one nozzle"),
        ("worn", "note that a nozzle is worn: what was measured with it becomes doubtful"),
    ):
        one = actions.add(name, description, f"  metier nozzle {name} heron-0.5")
        one.add_argument("name", metavar="NAME")
    return top


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier nozzle``."""
    return run_action(
        options, "nozzle", {"add": _add, "list": _list, "show": _show, "worn": _worn, "set": _set}
    )


def _add(options: argparse.Namespace) -> Answer:
    with logbook_to_write(options.logbook) as book:
        printer = printer_named(book, options.printer)
        with book.transaction() as moment:
            nozzle = add_nozzle(
                book, moment, printer, options.name, options.bore, options.material, options.hot_end
            )
        sheet = _sheet(book, f"Added nozzle {nozzle.name}", nozzle)
        sheet.next(
            "once it is in the printer:",
            proposed(
                "printer", "changed", printer.name, "--what", "nozzle", "--fitted", nozzle.name
            ),
        )
        return Answer({"nozzle": _object(book, nozzle)}, sheet.text())


def _list(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        found = nozzles(book, retired=options.all)
        rows = [
            (
                n.name,
                printer_by_id(book, n.printer).name,
                f"{n.bore_mm:g} mm",
                n.material or "",
                n.hot_end or "",
                ", ".join(word for word, so in (("worn", n.worn), ("out of use", n.retired)) if so),
            )
            for n in found
        ]
        header = ("nozzle", "printer", "bore", "material", "hot end", "")
        text = listing(header, rows, (0, 1, 3, 4)) or "No nozzles yet: add a printer first."
        return Answer({"nozzles": [_object(book, nozzle) for nozzle in found]}, text)


def _show(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        nozzle = nozzle_named(book, options.name)
        sheet = _sheet(book, f"Nozzle {nozzle.name}", nozzle)
        return Answer({"nozzle": _object(book, nozzle)}, sheet.text())


def _set(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        nozzle = nozzle_named(book, options.name)
        given = {
            "bore_mm": options.bore,
            "material": options.material,
            "hot_end": options.hot_end,
            "note": options.note,
        }
        mend(book, "nozzle", nozzle.id, given)
        nozzle = nozzle_by_id(book, nozzle.id)
        sheet = _sheet(book, f"Changed nozzle {nozzle.name}", nozzle)
        return Answer({"nozzle": _object(book, nozzle)}, sheet.text())


def _worn(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        nozzle = nozzle_named(book, options.name)
        if nozzle.worn:
            raise Refusal(f"nozzle {nozzle.name} is noted as worn already")
        printer = printer_by_id(book, nozzle.printer)
        with book.transaction() as moment:
            mark_worn(book, moment, nozzle)
            note = f"nozzle {nozzle.name} worn"
            record_change(book, moment, printer, "other", upset_by("nozzle"), nozzle, note)
        nozzle = nozzle_named(book, options.name)
        sheet = _sheet(book, f"Noted: nozzle {nozzle.name} is worn", nozzle)
        sheet.row("doubtful", "flow, limit, hole, contour", "all that was measured with it")
        return Answer({"nozzle": _object(book, nozzle)}, sheet.text())


def _sheet(book: Logbook, title: str, nozzle: Nozzle) -> Sheet:
    sheet = Sheet(title)
    sheet.row("printer", printer_by_id(book, nozzle.printer).name)
    sheet.row("bore", f"{nozzle.bore_mm:g} mm", "worn" if nozzle.worn else "")
    for label, text in (("material", nozzle.material), ("hot end", nozzle.hot_end)):
        if text:
            sheet.row(label, text)
    mended_rows(book, sheet, "nozzle", nozzle.id, nozzle.note)
    return sheet


def _object(book: Logbook, nozzle: Nozzle) -> dict[str, object]:
    return {
        "name": nozzle.name,
        "printer": printer_by_id(book, nozzle.printer).name,
        "bore_mm": nozzle.bore_mm,
        "material": nozzle.material,
        "hot_end": nozzle.hot_end,
        "worn": nozzle.worn is not None,
        "retired": bool(nozzle.retired),
        "note": nozzle.note,
    }
