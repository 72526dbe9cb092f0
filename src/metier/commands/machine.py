"""What printers, nozzles, spools and instruments have in common: renamed, out of use, mended."""

import argparse
from collections.abc import Callable, Mapping

from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.edits import Plain, Subject, edit, edits_of
from metier.logbook.names import Table, named_item, new_name
from metier.show.figures import short_date
from metier.show.sheet import Sheet
from metier.trials.facts import edit_words
from metier.words.arguments import small_text
from metier.words.parser import Actions, Answer, Parser, existing_logbook

# Columns that are called otherwise on the command line.
_OPTIONS = {
    "bed_c": "--bed-temperature",
    "fan_percent": "--fan",
    "hottest_c": "--hottest",
    "hottest_bed_c": "--hottest-bed",
    "steps_in": "--steps-in",
    "hot_end": "--hot-end",
    "bed_z_mm": "--bed",
    "head_round_mm": "--head-room",
    "head_above_mm": "--head-room",
}


def add_listing(actions: Actions, table: Table) -> None:
    """Add ``list``, which leaves out what is out of use."""
    listing = actions.add("list", f"list the {table}s", f"  metier {table} list")
    listing.add_argument("--all", action="store_true", help="those out of use, too")


def add_common_actions(actions: Actions, table: Table, example: str) -> None:
    """Add ``rename`` and ``retire``."""
    rename = actions.add(
        "rename", f"give it another name: metier {table} rename {example}-1 {example}-2",
        f"  metier {table} rename {example}-1 {example}-2",
    )  # fmt: skip
    rename.add_argument("name", metavar="NAME")
    rename.add_argument("new", metavar="NEW")
    retire = actions.add(
        "retire",
        "take it out of the lists; nothing of it is deleted",
        f"  metier {table} retire {example}-1",
    )
    retire.add_argument("name", metavar="NAME")
    retire.add_argument("--back", action="store_true", help="take it up again")


def add_note(parser: Parser) -> None:
    """Add a note, kept with the machine."""
    parser.add_argument("--note", type=small_text, metavar="TEXT", help="a word to keep with it")


def run_action(
    options: argparse.Namespace,
    table: Table,
    own: Mapping[str, Callable[[argparse.Namespace], Answer]],
) -> Answer:
    """Run an action: one of the command's own, or one that all machines have."""
    if options.action in own:
        return own[options.action](options)
    return {"rename": _rename, "retire": _retire}[options.action](options, table)


def _rename(options: argparse.Namespace, table: Table) -> Answer:
    """Give a machine another name; its trials and values stay its own."""
    with existing_logbook(options.logbook) as book:
        item, name = named_item(book.connection, table, options.name)
        with book.transaction() as moment:
            other_case = options.new.strip().lower() == name.lower()
            new = options.new.strip() if other_case else new_name(
                book.connection, table, options.new
            )  # fmt: skip
            edit(book, moment, table, item, {"name": new})
        return Answer({table: new, "was": name}, f"Renamed {table} {name}: it is {new} now.")


def _retire(options: argparse.Namespace, table: Table) -> Answer:
    """Take a machine out of use, or up again."""
    with existing_logbook(options.logbook) as book:
        item, name = named_item(book.connection, table, options.name)
        with book.transaction() as moment:
            retired = 0 if options.back else 1
            if not edit(book, moment, table, item, {"retired": retired}):
                raise Refusal(f"{table} {name} is {'in' if options.back else 'out of'} use already")
            if retired:
                _off_the_bench(book, moment, table, item)
        said = "in use again" if options.back else "out of use: its trials stay, lists leave it out"
        return Answer({table: name, "retired": bool(retired)}, f"{table.title()} {name} is {said}.")


def _off_the_bench(book: Logbook, moment: int, table: Subject, item: int) -> None:
    if table == "instrument":
        return
    row = book.connection.execute(f"SELECT 1 FROM bench WHERE {table} = ?", (item,)).fetchone()
    if row:
        fields: dict[str, Plain] = {table: None}
        if table == "printer":
            fields["nozzle"] = None
        edit(book, moment, "bench", 1, fields)


def mend(book: Logbook, table: Table, item: int, given: Mapping[str, Plain]) -> list[str]:
    """Put in what is given; returns the columns that are other ones now.

    Raises:
        Refusal: nothing is given.
    """
    fields = {name: value for name, value in given.items() if value is not None}
    if not fields:
        options = ", ".join(_OPTIONS.get(name, f"--{name.removesuffix('_mm')}") for name in given)
        raise Refusal(f"nothing to set: give {options}")
    with book.transaction() as moment:
        return edit(book, moment, table, item, fields)


def mended_rows(book: Logbook, sheet: Sheet, table: Subject, item: int, note: str | None) -> None:
    """Write a machine's note, and what it was before it was mended."""
    if note:
        sheet.note(note)
    for one in edits_of(book, table, item):
        words = edit_words(book, one)
        told_first = one.was == "null"
        if words and not told_first and one.field not in ("note", "zero_mm"):
            sheet.note(f"{words}, {short_date(one.at)}", "mended")
