"""``metier spool``: rolls of filament."""

import argparse
from typing import Any

from metier.commands.on_bench import on_bench
from metier.commands.options import (
    Actions,
    Answer,
    Parser,
    existing_logbook,
    length,
    logbook_to_write,
    small_text,
)
from metier.core.dependence import ValueKind
from metier.logbook.machines import printers
from metier.logbook.spools import Spool, add_spool, measured_diameter, spool_named, spools
from metier.show.figures import short_date, with_u95
from metier.show.sheet import Sheet, table
from metier.show.values import NAMES, unit_text, value_text

# What belongs to a roll rather than to the printer.
_OF_A_SPOOL: tuple[ValueKind, ...] = ("flow", "limit", "hole", "contour")


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier spool", "Rolls of filament, one entry a roll.")
    actions = Actions(top)
    add = actions.add(
        "add",
        "add a roll of filament",
        "  metier spool add fern-1 --material PLA --maker Saltmarsh --colour green",
    )
    add.add_argument("name", metavar="NAME")
    add.add_argument(
        "--material", type=small_text, required=True, metavar="TEXT", help="PLA, PETG, …"
    )
    add.add_argument("--maker", type=small_text, metavar="TEXT")
    add.add_argument("--colour", type=small_text, metavar="TEXT")
    add.add_argument("--batch", type=small_text, metavar="TEXT")
    add.add_argument(
        "--diameter", type=length, default=1.75, metavar="MM", help="the nominal one (1.75)"
    )
    add.add_argument("--foaming", action="store_true", help="it foams: far lower flows are fine")
    add.add_argument("--flexible", action="store_true", help="calipers squeeze it")
    actions.add("list", "list the rolls", "  metier spool list")
    show = actions.add("show", "show one roll", "  metier spool show fern-1")
    show.add_argument("name", metavar="NAME")
    return top


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier spool``."""
    return {"add": _add, "list": _list, "show": _show}[options.action](options)


def _add(options: argparse.Namespace) -> Answer:
    with logbook_to_write(options) as book:
        with book.transaction() as moment:
            spool = add_spool(
                book,
                moment,
                options.name,
                options.material,
                maker=options.maker,
                colour=options.colour,
                batch=options.batch,
                diameter_mm=options.diameter,
                foaming=options.foaming,
                flexible=options.flexible,
            )
        sheet = _sheet(f"Added spool {spool.name}", spool)
        known = [printer.name for printer in printers(book)]
        sheet.next(
            "put it on the bench, with the nozzle temperature it prints at:",
            f"metier bench --printer {known[0] if len(known) == 1 else 'PRINTER'}"
            f" --spool {spool.name} --temperature C",
        )
        return Answer({"spool": _object(spool)}, sheet.text())


def _list(options: argparse.Namespace) -> Answer:
    with existing_logbook(options) as book:
        found = spools(book)
        rows = [
            (s.name, s.material, s.maker or "", s.colour or "", s.batch or "", _nature(s))
            for s in found
        ]
        header = ("spool", "material", "maker", "colour", "batch", "")
        text = "\n".join(table(header, rows))
        return Answer(
            {"spools": [_object(spool) for spool in found]},
            text if found else "No spools yet: metier spool add fern-1 --material PLA",
        )


def _show(options: argparse.Namespace) -> Answer:
    with existing_logbook(options) as book:
        spool = spool_named(book, options.name)
        sheet = _sheet(f"Spool {spool.name}", spool)
        strand = measured_diameter(book, spool)
        if strand:
            value = f"{with_u95(strand.diameter_mm, strand.u95_mm)} mm"
            sheet.row("measured", value, f"trial {strand.trial}")
        here = on_bench(book)
        ready = here.setup
        values = {}
        if ready:
            here = here._replace(setup=ready._replace(spool=spool))
            for kind in _OF_A_SPOOL:
                now = here.stands(kind)
                values[kind] = now.status
                if now.value is not None:
                    text = f"{value_text(kind, now.value, here.writing)} {unit_text(kind)}".strip()
                    own = "carried" if now.status == "carried" else "its own"
                    since = short_date(now.since) if now.since else ""
                    sheet.row(NAMES[kind].short, text, f"{own}, {since}: {now.why}")
            sheet.remark(f"Values as they stand on {ready.printer.name}, {ready.nozzle.name}.")
        return Answer({"spool": {**_object(spool), "statuses": values}}, sheet.text())


def _nature(spool: Spool) -> str:
    return ", ".join(
        word for word, so in (("foaming", spool.foaming), ("flexible", spool.flexible)) if so
    )


def _sheet(title: str, spool: Spool) -> Sheet:
    sheet = Sheet(title)
    sheet.row("material", spool.material, _nature(spool))
    for label, text in (("maker", spool.maker), ("colour", spool.colour), ("batch", spool.batch)):
        if text:
            sheet.row(label, text)
    sheet.row("diameter", f"{spool.diameter_mm:g} mm", "nominal")
    return sheet


def _object(spool: Spool) -> dict[str, Any]:
    found = spool._asdict()
    del found["id"]
    return found
