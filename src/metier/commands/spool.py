"""``metier spool``: rolls of filament."""

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
from metier.core.values import VALUES, typed_values
from metier.logbook.edits import Plain, edit
from metier.logbook.machines import printers
from metier.logbook.spools import Spool, add_spool, spool_by_id, spool_named, spools
from metier.logbook.touched import trials_of_spool
from metier.show.command import proposed
from metier.show.figures import numbers_text, short_date, with_u95
from metier.show.sheet import Sheet, listing
from metier.trials.diameter.kept import measured_diameter
from metier.trials.on_bench import on_bench
from metier.trials.reading_back import judge_mended
from metier.trials.weigh.kept import weighed_strand
from metier.words.arguments import celsius, length, percent, small_text
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
    add.add_needed("name", metavar="NAME", help="what to call the roll")
    add.add_needed("--material", type=small_text, metavar="TEXT", help="PLA, PETG, …")
    add.add_argument("--maker", type=small_text, metavar="TEXT")
    add.add_argument("--colour", type=small_text, metavar="TEXT")
    add.add_argument("--batch", type=small_text, metavar="TEXT")
    add.add_argument(
        "--diameter", type=length, default=1.75, metavar="MM", help="the nominal one (1.75)"
    )
    add.add_argument("--foaming", action="store_true", help="it foams: far lower flows are fine")
    add.add_argument("--flexible", action="store_true", help="calipers squeeze it")
    _printing(add)
    add_listing(actions, "spool")
    change = actions.add(
        "set",
        "mend what is known of a roll; its trials are judged anew by it",
        "  metier spool set fern-1 --material PLA --note 'dried for six hours'",
    )
    change.add_argument("name", metavar="NAME")
    for name in ("material", "maker", "colour", "batch"):
        change.add_argument(f"--{name}", type=small_text, metavar="TEXT")
    change.add_argument("--diameter", type=length, metavar="MM", help="the nominal one")
    for name in ("foaming", "flexible"):
        change.add_argument(f"--{name}", choices=("yes", "no"))
    _printing(change)
    add_note(change)
    add_common_actions(actions, "spool", "fern")
    show = actions.add("show", "show one roll", "  metier spool show fern-1")
    show.add_argument("name", metavar="NAME")
    return top


def _printing(parser: argparse.ArgumentParser) -> None:
    """Add what is told of a roll for parts that are written ready to print."""
    group = parser.add_argument_group("for printing parts")
    group.add_argument(
        "--bed-temperature", type=celsius, metavar="C", help="the bed's, in °C; 0 leaves it cold"
    )
    group.add_argument(
        "--fan", type=percent, metavar="PERCENT", help="the part's fan (by material)"
    )
    group.add_argument("--hottest", type=celsius, metavar="C", help="the nozzle's at most, in °C")


def _printed(options: argparse.Namespace) -> dict[str, Plain]:
    if options.fan is not None and not 0 <= options.fan <= 100:
        raise Refusal(f"--fan: {options.fan:g} is no part of a fan: from 0 to 100 percent")
    return {
        "bed_c": options.bed_temperature,
        "fan_percent": options.fan,
        "hottest_c": options.hottest,
    }


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier spool``."""
    return run_action(options, "spool", {"add": _add, "list": _list, "show": _show, "set": _set})


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
            told = {name: value for name, value in _printed(options).items() if value is not None}
            edit(book, moment, "spool", spool.id, told)
            spool = spool_by_id(book, spool.id)
        sheet = _sheet(f"Added spool {spool.name}", spool)
        here = on_bench(book)
        printer = here.bench.printer or next(iter(printers(book)), None)
        words = ("--printer", printer.name) if printer else ()
        sheet.next(
            "put it on the bench, with the nozzle temperature it prints at:",
            proposed("bench", *words, "--spool", spool.name),
        )
        return Answer({"spool": _object(spool)}, sheet.text())


def _list(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        found = spools(book, options.all)
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


def _set(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        spool = spool_named(book, options.name)
        given = {
            "material": options.material,
            "maker": options.maker,
            "colour": options.colour,
            "batch": options.batch,
            "diameter_mm": options.diameter,
            "foaming": options.foaming and int(options.foaming == "yes"),
            "flexible": options.flexible and int(options.flexible == "yes"),
            "note": options.note,
            **_printed(options),
        }
        with book.transaction():
            changed = mend(book, "spool", spool.id, given)
            bears = set(changed) - {"note", *_printed(options)}
            anew = judge_mended(book, trials_of_spool(book, spool)) if bears else []
        spool = spool_by_id(book, spool.id)
        sheet = _sheet(f"Changed spool {spool.name}", spool)
        mended_rows(book, sheet, "spool", spool.id, spool.note)
        if anew:
            sheet.note(f"judged anew: trials {numbers_text(anew)}", "anew")
        return Answer({"spool": _object(spool), "judged_anew": anew}, sheet.text())


def _show(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        spool = spool_named(book, options.name)
        sheet = _sheet(f"Spool {spool.name}", spool)
        strand = measured_diameter(book, spool)
        if strand:
            trial, found = strand
            value = f"{with_u95(found.diameter_mm, found.diameter_u95_mm)} mm"
            sheet.row("measured", value, f"trial {trial.number}")
        weighed = weighed_strand(book, spool)
        if weighed:
            number, strand_g = weighed
            value = with_u95(strand_g.strand_g_per_m, strand_g.strand_u95_g_per_m)
            sheet.row("weighs", f"{value} g/m", f"trial {number}")
        mended_rows(book, sheet, "spool", spool.id, spool.note)
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
    words = (
        ("foaming", spool.foaming),
        ("flexible", spool.flexible),
        ("out of use", spool.retired),
    )
    return ", ".join(word for word, so in words if so)


def _sheet(title: str, spool: Spool) -> Sheet:
    sheet = Sheet(title)
    sheet.row("material", spool.material, _nature(spool))
    for label, text in (("maker", spool.maker), ("colour", spool.colour), ("batch", spool.batch)):
        if text:
            sheet.row(label, text)
    sheet.row("diameter", f"{spool.diameter_mm:g} mm", "nominal")
    if spool.bed_c is None:
        sheet.row("bed", "not known", "for parts ready to print: spool set --bed-temperature 60")
    else:
        sheet.row("bed", f"{spool.bed_c:g} °C" if spool.bed_c else "cold")
    if spool.fan_percent is not None:
        sheet.row("fan", f"{spool.fan_percent:g} %")
    if spool.hottest_c is not None:
        sheet.row("hottest", f"{spool.hottest_c:g} °C", "it is not printed hotter")
    return sheet


def _object(spool: Spool) -> dict[str, object]:
    found = spool._asdict()
    del found["id"]
    return found
