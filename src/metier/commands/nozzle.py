"""``metier nozzle``: nozzles by name, with the hot end each sits in."""

from argparse import Namespace

from metier.commands.machine import Machines, Property
from metier.core.errors import BadInput
from metier.core.values import upset_by
from metier.logbook.book import Logbook
from metier.logbook.edits import edit
from metier.logbook.items import add, by_id, named
from metier.logbook.machines import Nozzle, Printer, record_change
from metier.show.figures import proposed
from metier.show.sheet import Sheet
from metier.words.arguments import bore, needed, option, small_text
from metier.words.parser import Actions, Answer, existing_logbook, logbook_to_write


class Nozzles(Machines[Nozzle]):
    """Nozzles, each of a printer."""

    table, record, example = "nozzle", Nozzle, "heron-0.5"
    description = "Nozzles: bore, material, and the hot end each sits in."
    header, texts = ("nozzle", "printer", "bore", "material", "hot end", ""), (0, 1, 3, 4)
    none_yet = "No nozzles yet: add a printer first."
    set_what, set_example = "mend what is known of a nozzle", "heron-0.5 --material brass"
    properties = (
        Property("bore_mm", "--bore MM", bore),
        Property("material", "--material TEXT", label="material"),
        Property("hot_end", "--hot-end TEXT", label="hot end"),
    )

    def add_actions(self, actions: Actions) -> None:
        example = "  metier nozzle add heron-0.8 --printer heron --bore 0.8 --material brass"
        new = actions.add("add", "add a nozzle to a printer", example)
        needed(new, "name NAME", "what to call the nozzle")
        needed(new, "--printer PRINTER", "the printer it is for")
        needed(new, "--bore MM", "its bore, in mm", bore)
        option(new, "--material TEXT", read=small_text)
        option(new, "--hot-end TEXT", read=small_text)
        self.add_list(actions)
        self.add_set(actions)
        self.add_common(actions)
        self.add_named(actions, "show", "show one nozzle", "heron-0.5")
        what = "note that a nozzle is worn: what was measured with it becomes doubtful"
        self.add_named(actions, "worn", what, "heron-0.5")

    def rows(self, book: Logbook, sheet: Sheet, machine: Nozzle) -> None:
        sheet.row("printer", by_id(book, Printer, machine.printer).name)
        sheet.row("bore", f"{machine.bore_mm:g} mm", "worn" if machine.worn else "")
        super().rows(book, sheet, machine)

    def cells(self, book: Logbook, machine: Nozzle) -> tuple[str, ...]:
        told = (("worn", machine.worn), ("out of use", machine.retired))
        return (
            machine.name,
            by_id(book, Printer, machine.printer).name,
            f"{machine.bore_mm:g} mm",
            machine.material or "",
            machine.hot_end or "",
            ", ".join(word for word, so in told if so),
        )

    def told(self, book: Logbook, machine: Nozzle) -> dict[str, object]:
        told = machine._asdict() | {
            "printer": by_id(book, Printer, machine.printer).name,
            "worn": machine.worn is not None,
            "retired": bool(machine.retired),
        }
        order = ("name", "printer", "bore_mm", "material", "hot_end", "worn", "retired", "note")
        return {name: told[name] for name in order}

    def do_add(self, options: Namespace) -> Answer:
        """Add a nozzle to a printer."""
        with logbook_to_write(options.logbook) as book:
            printer = named(book, Printer, options.printer)
            with book.transaction() as moment:
                nozzle = add(
                    book, moment, Nozzle, options.name, printer=printer.id, bore_mm=options.bore,
                    material=options.material, hot_end=options.hot_end,
                )  # fmt: skip
            sheet = self.sheet(book, f"Added nozzle {nozzle.name}", nozzle)
            words = ("changed", printer.name, "--what", "nozzle", "--fitted", nozzle.name)
            sheet.next("once it is in the printer:", proposed("printer", *words))
            return self.answer(book, nozzle, sheet)

    def do_worn(self, options: Namespace) -> Answer:
        """Note that a nozzle is worn."""
        with existing_logbook(options.logbook) as book:
            nozzle = named(book, Nozzle, options.name)
            if nozzle.worn:
                raise BadInput(f"nozzle {nozzle.name} is noted as worn already")
            printer = by_id(book, Printer, nozzle.printer)
            with book.transaction() as moment:
                edit(book, moment, "nozzle", nozzle.id, {"worn": moment})
                note = f"nozzle {nozzle.name} worn"
                record_change(book, moment, printer, "other", upset_by("nozzle"), nozzle, note)
            nozzle = named(book, Nozzle, options.name)
            sheet = self.sheet(book, f"Noted: nozzle {nozzle.name} is worn", nozzle)
            sheet.row("doubtful", "flow, limit, hole, contour", "all that was measured with it")
            return self.answer(book, nozzle, sheet)


_NOZZLES = Nozzles()
parser, run = _NOZZLES.parser, _NOZZLES.run
