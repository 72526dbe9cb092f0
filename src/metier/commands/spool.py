"""``metier spool``: rolls of filament."""

import argparse

from metier.core.values import VALUES, typed_values
from metier.logbook.machines import printers
from metier.logbook.spools import Spool, add_spool, spool_named, spools
from metier.show.command import proposed
from metier.show.figures import short_date, with_u95
from metier.show.sheet import Sheet, listing
from metier.trials.diameter.kept import measured_diameter
from metier.trials.on_bench import on_bench
from metier.words.arguments import length, small_text
from metier.words.parser import Actions, Answer, Parser, existing_logbook, logbook_to_write


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
    with logbook_to_write(options.logbook) as book:
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
        printer = known[0] if len(known) == 1 else "PRINTER"
        sheet.next(
            "put it on the bench, with the nozzle temperature it prints at:",
            proposed("bench", "--printer", printer, "--spool", spool.name, "--temperature", "C"),
        )
        return Answer({"spool": _object(spool)}, sheet.text())


def _list(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        found = spools(book)
        rows = [
            (s.name, s.material, s.maker or "", s.colour or "", s.batch or "", _nature(s))
            for s in found
        ]
        header = ("spool", "material", "maker", "colour", "batch", "")
        text = listing(header, rows, (0, 1, 2, 3, 4))
        return Answer(
            {"spools": [_object(spool) for spool in found]},
            text if found else "No spools yet: metier spool add fern-1 --material PLA",
        )


def _show(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        spool = spool_named(book, options.name)
        sheet = _sheet(f"Spool {spool.name}", spool)
        strand = measured_diameter(book, spool)
        if strand:
            trial, found = strand
            value = f"{with_u95(found.diameter_mm, found.diameter_u95_mm)} mm"
            sheet.row("measured", value, f"trial {trial.number}")
        here = on_bench(book)
        ready = here.setup
        values = {}
        if ready:
            here = here._replace(setup=ready._replace(spool=spool))
            of_roll = [name for name in typed_values() if "spool" in VALUES[name].scope]
            for name in of_roll:
                now = here.stands(name)
                values[name] = now.status
                if now.value is not None:
                    own = "carried" if now.status == "carried" else "its own"
                    since = short_date(now.since) if now.since else ""
                    text = here.worded(name, now.value)
                    sheet.row(VALUES[name].called, text, f"{own}, {since}: {now.why}")
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


def _object(spool: Spool) -> dict[str, object]:
    found = spool._asdict()
    del found["id"]
    return found
