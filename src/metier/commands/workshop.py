"""``metier workshop``: an old notebook, or another workshop's, taken in as one file."""

from argparse import Namespace
from collections.abc import Iterator, Mapping

from metier.clock import local_day
from metier.core.errors import BadInput
from metier.core.values import VALUES, typed_values
from metier.formats.quantity import read_celsius, read_length_mm, read_positive
from metier.formats.workshop import TEMPLATE, WorkshopRow, read_workshop, workshop_text
from metier.logbook.bench import EMPTY, setup
from metier.logbook.book import Logbook, Plain
from metier.logbook.items import add, listed, named
from metier.logbook.machines import Nozzle, Printer, Spool
from metier.logbook.recording import record_entry, record_steps
from metier.show.figures import numbers_text
from metier.show.sheet import Sheet
from metier.trials.dated import past_moment, put_back
from metier.trials.on_bench import Names, chosen
from metier.whole_file import check_target, write_whole
from metier.words.arguments import add_anyway, option, read_value
from metier.words.doubt import doubt_of, meant
from metier.words.parser import Actions, Answer, Parser, existing_logbook, logbook_to_write

_HOW = ("typed in", "read off")


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier workshop", "An old notebook, or another workshop's, as one file.")
    actions = Actions(top)
    made = actions.add("template", "print a file to fill in", "  metier workshop template our.toml")
    option(made, "file FILE.toml", "where; else it is printed", nargs="?")
    option(made, "--force", "write over a file that exists")
    brought = actions.add(
        "import",
        "take in printers, nozzles, rolls and values with their dates: all of it, or nothing",
        "  metier workshop import our.toml\n  metier workshop import notebook.csv",
    )
    option(brought, "file FILE", "TOML, or a table with a column «what»")
    add_anyway(brought)
    written = actions.add("export", "write what the workshop has in that form",
                          "  metier workshop export our.toml")  # fmt: skip
    option(written, "file FILE.toml", "where; else it is printed", nargs="?")
    option(written, "--force", "write over a file that exists")
    return top


def run(options: Namespace) -> Answer:
    """Run ``metier workshop``."""
    if options.action == "import":
        return _import(options)
    if options.file:
        check_target(options.file, overwrite=options.force)
    text = TEMPLATE
    if options.action == "export":
        with existing_logbook(options.logbook) as book:
            text = workshop_text(_told(book))
    if not options.file:
        return Answer({"toml": text}, text.rstrip("\n"))
    write_whole(options.file, text, overwrite=options.force)
    return Answer({"file": options.file}, f"Written to {options.file}")


def _import(options: Namespace) -> Answer:
    rows = read_workshop(options.file)
    counts = {"printer": 0, "nozzle": 0, "spool": 0, "value": 0}
    with logbook_to_write(options.logbook) as book:
        with book.transaction() as moment:
            dated: list[tuple[int, str]] = []
            for row in rows:
                try:
                    if row.what == "value":
                        told = _value(book, row, options)
                        dated += [told] if told else []
                        counts[row.what] += told is not None
                    else:
                        counts[row.what] += _ADDED[row.what](book, moment, row)
                except BadInput as refusal:
                    raise BadInput(f"{row.where}: {refusal}; nothing was taken in") from None
            anew = put_back(book, dated)
        sheet = Sheet(f"Taken in: {options.file}")
        for what, count in counts.items():
            if count:
                sheet.row(f"{what}s", str(count), "new" if what != "value" else "with their dates")
        if anew:
            sheet.note(f"judged anew by that: trials {numbers_text(anew)}", "anew")
        sheet.next("what is in use now:", "metier bench --printer NAME --spool NAME")
        return Answer({"taken": counts, "judged_anew": anew}, sheet.text())


def _printer(book: Logbook, moment: int, row: WorkshopRow) -> int:
    name = row.cells["name"]
    if name.lower() in _names(book, Printer):
        return 0
    bore_mm = read_length_mm(row.cells["nozzle_mm"], "nozzle_mm")
    printer = add(book, moment, Printer, name, decimals=2)
    nozzle = f"{printer.name}-{bore_mm:g}"
    add(book, moment, Nozzle, nozzle, printer=printer.id, bore_mm=bore_mm)
    steps = row.get("steps")
    if steps:
        record_steps(book, moment, printer, read_positive(steps, "steps", ("steps/mm",)))
    return 1


def _nozzle(book: Logbook, moment: int, row: WorkshopRow) -> int:
    if row.cells["name"].lower() in _names(book, Nozzle):
        return 0
    printer = named(book, Printer, row.cells["printer"])
    bore_mm = read_length_mm(row.cells["bore_mm"], "bore_mm")
    add(book, moment, Nozzle, row.cells["name"], printer=printer.id, bore_mm=bore_mm)
    return 1


def _spool(book: Logbook, moment: int, row: WorkshopRow) -> int:
    if row.cells["name"].lower() in _names(book, Spool):
        return 0
    told: dict[str, Plain] = {
        key: row.get(key) for key in ("material", "maker", "colour", "batch") if row.get(key)
    }
    diameter = row.get("diameter_mm")
    told["diameter_mm"] = read_length_mm(diameter, "diameter_mm") if diameter else 1.75
    for key in ("foaming", "flexible"):
        told[key] = int((row.get(key) or "").lower() in ("true", "yes", "1"))
    add(book, moment, Spool, row.cells["name"], **told)
    return 1


_ADDED = {"printer": _printer, "nozzle": _nozzle, "spool": _spool}


def _names(book: Logbook, record: type[Printer] | type[Nozzle] | type[Spool]) -> set[str]:
    return {known.name.lower() for known in listed(book, record, retired=True)}


def _known(book: Logbook, kind: str, value: float, printer: Printer, at: str) -> bool:
    """Tell whether that value was taken in with that day before."""
    rows = book.connection.execute(
        "SELECT 1 FROM entry JOIN moment ON moment.id = entry.moment WHERE kind = ? AND value = ?"
        " AND printer = ? AND moment.at = ? AND withdrawn IS NULL",
        (kind, value, printer.id, at),
    )
    return rows.fetchone() is not None


def _value(book: Logbook, row: WorkshopRow, options: Namespace) -> tuple[int, str] | None:
    """Record a value at a moment of its own; return that, and the day it is of; None where it was
    taken in before."""
    kind, how = row.cells["kind"].lower(), row.get("how") or _HOW[0]
    if kind not in typed_values():
        raise BadInput(f"there is no value '{kind[:20]}': {', '.join(typed_values())}")
    of_printer_alone = "spool" not in VALUES[kind].scope
    if how not in _HOW or (how == _HOW[1] and not of_printer_alone):
        raise BadInput(f"how '{how[:20]}': typed in, or read off for e-steps")
    try:
        at = past_moment(row.cells["date"])
    except Exception as error:
        raise BadInput(str(error)) from None
    value = read_value(kind, row.cells["value"])
    value = meant(value, doubt_of(kind, value, None), options)
    heat = row.get("temperature_c")
    heat_c = read_celsius(heat, "temperature_c") if heat else None
    printer = named(book, Printer, row.cells["printer"])
    if _known(book, kind, value, printer, at):
        return None
    if of_printer_alone:
        moment = book.moment()
        record_steps(book, moment, printer, value, read_off=how == _HOW[1])
        return moment, at
    names = Names(printer.name, row.get("nozzle"), row.get("spool"), heat_c)
    ready = setup(chosen(book, EMPTY, names))
    if ready is None:
        raise BadInput(f"{kind} belongs to a roll on a printer: name its spool")
    if heat_c is None and "temperature_c" in VALUES[kind].scope:
        raise BadInput(f"{kind} holds for its temperature: give temperature_c")
    moment = book.moment()
    record_entry(book, ready._replace(temperature_c=heat_c), kind, value, moment)
    return moment, at


def _told(book: Logbook) -> Iterator[tuple[str, Mapping[str, object]]]:
    """Yield what the workshop has, and what was typed in, oldest first."""
    own = set()
    for printer in listed(book, Printer):
        nozzles = listed(book, Nozzle, printer=printer.id)
        if nozzles:
            own.add(nozzles[0].id)
            yield "printer", {"name": printer.name, "nozzle_mm": nozzles[0].bore_mm}
    for printer in listed(book, Printer):
        for nozzle in listed(book, Nozzle, printer=printer.id):
            if nozzle.id not in own or nozzle.name != f"{printer.name}-{nozzle.bore_mm:g}":
                told = {"name": nozzle.name, "printer": printer.name, "bore_mm": nozzle.bore_mm}
                yield "nozzle", told
    for spool in listed(book, Spool):
        natures = {"foaming": spool.foaming or None, "flexible": spool.flexible or None}
        yield "spool", {**spool._asdict(), **{key: each and True for key, each in natures.items()}}
    rows = book.connection.execute(
        "SELECT kind, value, printer.name, nozzle.name, spool.name, entry.temperature_c, moment.at,"
        " read_off FROM entry JOIN moment ON moment.id = entry.moment"
        " JOIN printer ON printer.id = entry.printer"
        " LEFT JOIN nozzle ON nozzle.id = entry.nozzle LEFT JOIN spool ON spool.id = entry.spool"
        " WHERE entry.withdrawn IS NULL ORDER BY entry.moment"
    )
    for kind, value, printer_name, nozzle_name, spool_name, heat_c, at, read_off in rows:
        yield (
            "value",
            {
                "kind": kind,
                "value": VALUES[kind].seen(value),
                "printer": printer_name,
                "nozzle": nozzle_name,
                "spool": spool_name,
                "temperature_c": heat_c,
                "date": local_day(at),
                "how": _HOW[read_off],
            },
        )
