"""What printers, nozzles, spools and instruments have in common: one table of properties each,
and out of it how they are added, listed, shown, mended, renamed and taken out of use."""

from argparse import Namespace
from collections.abc import Mapping, Sequence
from typing import Any, Generic, NamedTuple, TypeVar

from metier.core.errors import BadInput
from metier.logbook.bench import current_bench
from metier.logbook.book import Logbook, Plain
from metier.logbook.edits import Subject, edit, edits_of
from metier.logbook.items import Table, by_id, listed, named, new_name
from metier.show.figures import short_date
from metier.show.sheet import Sheet, listing
from metier.trials.facts import edit_words
from metier.words.arguments import option, small_text
from metier.words.parser import Actions, Answer, Parser, existing_logbook

M = TypeVar("M", bound=Any)


class Property(NamedTuple):
    """What may be told of a machine: its column, its option with what reads it, the group of its
    help that it is in, and its label on the sheet, where it has a row of its own."""

    column: str
    written: str
    read: Any = small_text
    help: str = ""
    label: str = ""
    group: str = ""

    def given(self, options: Namespace) -> Plain:
        """Return what is given of it; None for nothing."""
        value: Plain = getattr(options, self.written.split()[0].strip("-").replace("-", "_"))
        return value


YES_NO = ("yes", "no")
# What may be done with the one on the bench without naming it.
_OF_BENCH = ("show", "set", "changed", "found", "worn", "dried")
NOTE = Property("note", "--note TEXT", help="a word to keep with it")


class Machines(Generic[M]):
    """The machines of a table, and the command that is about them.

    ``header`` heads the list, whose ``texts`` are columns of names; ``none_yet`` is said instead of
    an empty one. ``example`` is the name that stands in examples. An action of its own is a method
    of its name with ``do_`` before it.
    """

    table: Table
    record: type[M]
    description: str
    example: str
    header: tuple[str, ...]
    texts: tuple[int, ...]
    none_yet: str
    set_what: str
    set_example: str
    properties: Sequence[Property] = ()

    def parser(self) -> Parser:
        """Return the parser of the command."""
        top = Parser(f"metier {self.table}", self.description)
        self.add_actions(Actions(top))
        return top

    def run(self, options: Namespace) -> Answer:
        """Run the command; where no name is given, the bench's is meant."""
        if options.action in _OF_BENCH and options.name is None:
            options.name = self._on_bench(options)
        answer: Answer = getattr(self, f"do_{options.action}")(options)
        return answer

    def add_actions(self, actions: Actions) -> None:
        """Add what can be done with such machines."""
        raise NotImplementedError

    def add_list(self, actions: Actions) -> None:
        """Add ``list``, which leaves out what is out of use."""
        action = actions.add("list", f"list the {self.table}s", f"  metier {self.table} list")
        option(action, "--all", "those out of use, too")

    def add_named(self, actions: Actions, name: str, description: str, example: str) -> Parser:
        """Add an action with one of them."""
        action = actions.add(name, description, f"  metier {self.table} {name} {example}")
        if name in _OF_BENCH:
            option(action, "name NAME", "which one (on the bench)", nargs="?")
        else:
            option(action, "name NAME")
        return action

    def _on_bench(self, options: Namespace) -> str:
        with existing_logbook(options.logbook) as book:
            machine = getattr(current_bench(book), self.table, None)
        if machine is None:
            command = f"metier {self.table} {options.action} NAME"
            raise BadInput(f"which {self.table}? none is on the bench: {command}")
        return str(machine.name)

    def add_set(self, actions: Actions) -> Parser:
        """Add ``set`` with the properties of the table."""
        change = self.add_named(actions, "set", self.set_what, self.set_example)
        add_properties(change, (*self.properties, NOTE))
        return change

    def add_common(self, actions: Actions) -> None:
        """Add ``rename`` and ``retire``."""
        other = f"{self.example} old-{self.example}"
        what = f"give it another name: metier {self.table} rename {other}"
        option(self.add_named(actions, "rename", what, other), "new NEW")
        what = "take it out of the lists; nothing of it is deleted"
        retire = self.add_named(actions, "retire", what, self.example)
        option(retire, "--back", "take it up again")

    # What differs from table to table.

    def rows(self, book: Logbook, sheet: Sheet, machine: M) -> None:
        """Write what is known of one."""
        for row in self.properties:
            value = getattr(machine, row.column)
            if row.label and value:
                sheet.row(row.label, str(value))

    def cells(self, book: Logbook, machine: M) -> tuple[str, ...]:
        """Return one as a row of the list."""
        raise NotImplementedError

    def told(self, book: Logbook, machine: M) -> dict[str, object]:
        """Return one as JSON has it."""
        raise NotImplementedError

    def title(self, machine: M) -> str:
        """Return what it is, and its name."""
        return f"{self.table} {machine.name}"

    # What is done with all of them alike.

    def sheet(self, book: Logbook, title: str, machine: M) -> Sheet:
        """Return one on a sheet, with its note and what it was before it was mended."""
        sheet = Sheet(title)
        self.rows(book, sheet, machine)
        mended_rows(book, sheet, self.table, machine.id, machine.note)
        return sheet

    def answer(self, book: Logbook, machine: M, sheet: Sheet, **more: Any) -> Answer:
        """Return one as the answer of an action."""
        return Answer({self.table: self.told(book, machine), **more}, sheet.text())

    def do_list(self, options: Namespace) -> Answer:
        """List them."""
        with existing_logbook(options.logbook) as book:
            machines = listed(book, self.record, retired=options.all)
            text = listing(
                self.header, [self.cells(book, machine) for machine in machines], self.texts
            )
            objects = [self.told(book, machine) for machine in machines]
            return Answer({f"{self.table}s": objects}, text if machines else self.none_yet)

    def do_show(self, options: Namespace) -> Answer:
        """Show one."""
        with existing_logbook(options.logbook) as book:
            machine = named(book, self.record, options.name)
            title = f"{self.table.title()} {machine.name}"
            return self.answer(book, machine, self.sheet(book, title, machine))

    def do_set(self, options: Namespace) -> Answer:
        """Mend what is known of one."""
        with existing_logbook(options.logbook) as book:
            machine = named(book, self.record, options.name)
            self.mend(book, machine.id, self.given(options))
            machine = by_id(book, self.record, machine.id)
            sheet = self.sheet(book, f"Changed {self.title(machine)}", machine)
            return self.answer(book, machine, sheet)

    def given(self, options: Namespace) -> dict[str, Plain]:
        """Return what is given of the table, by its columns."""
        return {row.column: row.given(options) for row in (*self.properties, NOTE)}

    def mend(self, book: Logbook, item: int, given: Mapping[str, Plain]) -> list[str]:
        """Put in what is given; returns the columns that are other ones now.

        Raises:
            BadInput: nothing is given.
        """
        fields = {name: value for name, value in given.items() if value is not None}
        if not fields:
            options = ", ".join(row.written.split()[0] for row in (*self.properties, NOTE))
            raise BadInput(f"nothing to set: give {options}")
        with book.transaction() as moment:
            return edit(book, moment, self.table, item, fields)

    def do_rename(self, options: Namespace) -> Answer:
        """Give one another name; its trials and values stay its own."""
        with existing_logbook(options.logbook) as book:
            machine = named(book, self.record, options.name)
            with book.transaction() as moment:
                new = options.new.strip()
                if new.lower() != machine.name.lower():
                    new = new_name(book.connection, self.table, new)
                edit(book, moment, self.table, machine.id, {"name": new})
            said = f"Renamed {self.table} {machine.name}: it is {new} now."
            return Answer({self.table: new, "was": machine.name}, said)

    def do_retire(self, options: Namespace) -> Answer:
        """Take one out of use, or up again."""
        with existing_logbook(options.logbook) as book:
            machine, table = named(book, self.record, options.name), self.table
            with book.transaction() as moment:
                retired = 0 if options.back else 1
                if not edit(book, moment, table, machine.id, {"retired": retired}):
                    where = "in" if options.back else "out of"
                    raise BadInput(f"{table} {machine.name} is {where} use already")
                if retired:
                    self._off_the_bench(book, moment, machine.id)
            said = "out of use: its trials stay, lists leave it out"
            said = "in use again" if options.back else said
            payload = {table: machine.name, "retired": bool(retired)}
            return Answer(payload, f"{table.title()} {machine.name} is {said}.")

    def _off_the_bench(self, book: Logbook, moment: int, item: int) -> None:
        if self.table == "instrument":
            return
        on_bench = f"SELECT 1 FROM bench WHERE {self.table} = ?"
        if book.connection.execute(on_bench, (item,)).fetchone():
            fields: dict[str, Plain] = {self.table: None}
            if self.table == "printer":
                fields["nozzle"] = None
            edit(book, moment, "bench", 1, fields)


def add_properties(parser: Parser, rows: Sequence[Property]) -> None:
    """Add what tells properties, in the groups they are in."""
    groups: dict[str, Any] = {"": parser}
    for row in rows:
        if row.group not in groups:
            groups[row.group] = parser.add_argument_group(row.group)
        # Said alone, it is so.
        alone = {"nargs": "?", "const": "yes"} if row.read == YES_NO else {}
        option(groups[row.group], row.written, row.help, row.read, **alone)


def mended_rows(book: Logbook, sheet: Sheet, table: Subject, item: int, note: str | None) -> None:
    """Write a machine's note, and what it was before it was mended."""
    if note:
        sheet.note(note)
    for mending in edits_of(book, table, item):
        words = edit_words(book, mending)
        told_first = mending.was == "null"
        if words and not told_first and mending.field not in ("note", "zero_mm"):
            sheet.note(f"{words}, {short_date(mending.at)}", "mended")
