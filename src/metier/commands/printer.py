"""``metier printer``: printers, one entry a tool head, and what was swapped on them."""

from argparse import Namespace

from metier.commands.machine import Machines, Property, add_properties
from metier.commands.printer_set import ASK, set_properties
from metier.commands.printing import PRINTING, printing_of, printing_rows, write_own_gcode
from metier.core.errors import BadInput
from metier.core.measure.thresholds import same
from metier.core.values import LINE_MODELS, VALUES, WHATS, typed_values, upset_by
from metier.formats.quantity import read_count
from metier.logbook.bench import choose_bench, current_bench
from metier.logbook.book import Logbook, Plain
from metier.logbook.inforce import steps_in_force
from metier.logbook.items import add, by_id, listed, named
from metier.logbook.machines import (
    HardwareChange,
    Nozzle,
    Printer,
    changes,
    fitted_nozzle,
    record_change,
)
from metier.logbook.recording import record_steps
from metier.show.figures import proposed, short_date
from metier.show.sheet import Sheet, wrapped
from metier.trials.on_bench import HOW_TO_READ_STEPS, on_bench
from metier.trials.stations import show_next
from metier.words.arguments import (
    bore,
    flow,
    layer_height,
    line_width,
    needed,
    option,
    option_reader,
    positive,
    preview,
    small_text,
    steps,
)
from metier.words.parser import Actions, Answer, Parser, existing_logbook, logbook_to_write

_MOTOR = (
    Property(
        "decimals",
        "--decimals N",
        lambda text: 0 if text.strip() == "0" else option_reader(read_count, 6)(text),
        "decimals of e-steps the firmware keeps (2)",
    ),
    Property("full_steps", "--full-steps N", positive, "a motor turn (200, 400)"),
    Property("microsteps", "--microsteps N", positive, "a full step (16, 32)"),
)
_KNOWN = ("name", "steps", "decimals", "line_model", "full_steps", "microsteps")
_PRINTED = (
    *("bed_x_mm", "bed_y_mm", "origin", "accel_mm_s2", "hottest_c", "hottest_bed_c", "retract_mm"),
    *("steps_in", "bed_z_mm", "head_round_mm", "head_above_mm", "start_gcode", "end_gcode"),
)


class Printers(Machines[Printer]):
    """Printers, or tool heads of them."""

    table, record, example = "printer", Printer, "heron"
    description = "Printers, one entry a tool head, and what was swapped on them."
    header, texts = ("printer", "nozzles", "e-steps", "line model"), (0, 1)
    none_yet = "No printers yet: metier printer add heron --nozzle 0.5 --steps 412"
    set_what, set_example = "change what is known of a printer", "heron --line-model rounded"
    properties = (*_MOTOR, *PRINTING)

    def add_actions(self, actions: Actions) -> None:
        new = actions.add(
            "add",
            "add a printer with its nozzle and the e-steps it carries now",
            "  metier printer add heron --nozzle 0.5 --steps 412\n"
            "  adds printer heron and nozzle heron-0.5",
        )
        needed(new, "name NAME", "what to call the printer")
        needed(new, "--nozzle BORE", "the bore of its nozzle, in mm", bore)
        add_properties(new, self.properties)
        option(new, "--steps S", "e-steps it carries, steps/mm", steps)
        option(new, "--line-model", "how the slicer doses a line", LINE_MODELS)
        self.add_list(actions)
        self.add_named(actions, "show", "show one printer", "heron")
        self._add_asked(self.add_set(actions))
        self.add_common(actions)
        parser = actions.add(
            "found",
            "say what e-steps the printer's console shows; what was typed in before stays known",
            "  metier printer found heron --steps 93",
        )
        option(parser, "name NAME", "which one (on the bench)", nargs="?")
        needed(parser, "--steps S", "e-steps as M92 shows them, steps/mm", steps)
        changed = actions.add(
            "changed",
            "note that something on the printer was changed",
            "  metier printer changed heron --what nozzle --fitted heron-0.8\n"
            "  metier printer changed heron --what mainboard --note 'old one burnt'",
        )
        option(changed, "name NAME", "which one (on the bench)", nargs="?")
        needed(changed, "--what PART", f"what: {', '.join(WHATS)}", WHATS)
        option(changed, "--fitted NOZZLE", "the nozzle now in it")
        option(changed, "--note TEXT", read=small_text)
        touched = "values that an 'other' change may have touched: " + ", ".join(typed_values())
        option(changed, "--affects VALUE …", touched, typed_values())

    def _add_asked(self, change: Parser) -> None:
        """Add what is asked for at a terminal, too."""
        option(change, "--steps S", "e-steps it carries, steps/mm; alone, it is asked for",
               steps._replace(read=_steps_or_ask), nargs="?", const=ASK)  # fmt: skip
        option(change, "--line-model MODEL", "how the slicer doses a line: rounded or "
               "rectangular; alone, it is asked for", (*LINE_MODELS, ASK), nargs="?",
               const=ASK)  # fmt: skip
        told = change.add_argument_group("or the line model told by a wall in the slicer's preview")
        option(told, "--preview Q@V", "mm³/s at mm/s of that wall, as 3.66@40", preview)
        option(told, "--width MM", "its line width", line_width)
        option(told, "--layer MM", "its layer height", layer_height)
        option(told, "--flow PERCENT", "the flow it is sliced at", flow)

    def given(self, options: Namespace) -> dict[str, Plain]:
        told = {row.column: row.given(options) for row in _MOTOR}
        return {**told, "note": getattr(options, "note", None), **printing_of(options)}

    def rows(self, book: Logbook, sheet: Sheet, machine: Printer) -> None:
        steps_now = steps_text(book, machine)
        sheet.row("e-steps", steps_now or "not known", "in force" if steps_now else "")
        sheet.row("decimals", str(machine.decimals), "of e-steps, as the firmware keeps them")
        two = "" if machine.line_model else "both count meanwhile: printer set --preview tells"
        sheet.row("line model", machine.line_model or "not known", two)
        printing_rows(sheet, machine)
        if machine.port:
            sheet.row("cable", machine.port, "plugged in there: metier cable steps")
        fitted = fitted_nozzle(book, machine)
        for nozzle in listed(book, Nozzle, printer=machine.id):
            remarks = [f"{nozzle.bore_mm:g} mm bore", nozzle.material, nozzle.hot_end]
            remarks += ["fitted" if nozzle == fitted else None, "worn" if nozzle.worn else None]
            sheet.row("nozzle", nozzle.name, ", ".join(remark for remark in remarks if remark))
        for change in changes(book, machine):
            when = f"{short_date(change.at)} {change.note or ''}"
            sheet.row("changed", change.what, when.strip())

    def cells(self, book: Logbook, machine: Printer) -> tuple[str, ...]:
        nozzles = ", ".join(nozzle.name for nozzle in listed(book, Nozzle, printer=machine.id))
        steps_now, model = steps_text(book, machine), machine.line_model
        return machine.name, nozzles, steps_now or "not known", model or "not known"

    def told(self, book: Logbook, machine: Printer) -> dict[str, object]:
        fitted = fitted_nozzle(book, machine)
        told = {**machine._asdict(), "steps": steps_in_force(book, machine)}
        return {
            **{name: told[name] for name in _KNOWN},
            # Empty is the plain start or end, said on purpose.
            **{name: None if told[name] == "" else told[name] for name in _PRINTED},
            **{name: told[name] for name in ("port", "baud", "note")},
            "retired": bool(machine.retired),
            "fitted": fitted and fitted.name,
            "nozzles": [nozzle.name for nozzle in listed(book, Nozzle, printer=machine.id)],
            "changes": [change_object(book, change) for change in changes(book, machine)],
        }

    def do_add(self, options: Namespace) -> Answer:
        """Add a printer and its nozzle."""
        told = {name: value for name, value in self.given(options).items() if value is not None}
        told = {"decimals": 2, "line_model": options.line_model, **told}
        with logbook_to_write(options.logbook) as book:
            with book.transaction() as moment:
                printer = add(book, moment, Printer, options.name, **told)
                nozzle = f"{printer.name}-{options.nozzle:g}"
                add(book, moment, Nozzle, nozzle, printer=printer.id, bore_mm=options.nozzle)
                if options.steps is not None:
                    record_steps(book, moment, printer, options.steps)
            sheet = self.sheet(book, f"Added printer {printer.name}", printer)
            write_own_gcode(book, sheet, printer)
            sheet.gap()
            if options.steps is None:
                lines = wrapped(f"Its e-steps are not known yet: {HOW_TO_READ_STEPS}.", "", "")
                sheet.lines(*lines)
            if len(listed(book, Printer)) == 1:
                sheet.next("a roll of filament:", "metier spool add")
            return self.answer(book, printer, sheet)

    def do_show(self, options: Namespace) -> Answer:
        """Show a printer, and the G-code of the user's own."""
        with existing_logbook(options.logbook) as book:
            printer = named(book, Printer, options.name)
            sheet = self.sheet(book, f"Printer {printer.name}", printer)
            write_own_gcode(book, sheet, printer)
            return self.answer(book, printer, sheet)

    def do_set(self, options: Namespace) -> Answer:
        """Change what is known of a printer."""
        return set_properties(self, options)

    def do_found(self, options: Namespace) -> Answer:
        """Record what a printer was found to carry; what it should carry stays what it was."""
        with existing_logbook(options.logbook) as book:
            printer = named(book, Printer, options.name)
            with book.transaction() as moment:
                known = steps_in_force(book, printer)
                record_steps(book, moment, printer, options.steps, read_off=True)
            shown = f"{options.steps:.{printer.decimals}f}"
            sheet = Sheet(f"Found on {printer.name}: {shown} steps/mm")
            if known is None:
                sheet.remark(
                    "They are in force now; whether they are right, a measured length tells."
                )
            elif same(known, options.steps):
                sheet.remark("That is what the logbook has in force: all is well.")
            else:
                before = f"{known:.{printer.decimals}f}"
                sheet.row("logbook", before, "in force until now")
                sheet.remark("The board forgot it, or it was changed by hand.")
                _type_back(sheet, printer, before, f"type {before} back", "then say so")
            payload = {"printer": printer.name, "found": options.steps, "logbook": known}
            return Answer(payload, sheet.text())

    def do_changed(self, options: Namespace) -> Answer:
        """Note that something was changed, and what hangs on it."""
        what = options.what
        if options.fitted and what != "nozzle":
            raise BadInput("--fitted goes with --what nozzle")
        if options.affects and what != "other":
            raise BadInput(f"--affects goes with --what other: what a {what} touches is known")
        affects = options.affects or upset_by(what)
        with existing_logbook(options.logbook) as book:
            printer = named(book, Printer, options.name)
            nozzle = named(book, Nozzle, options.fitted) if options.fitted else None
            with book.transaction() as moment:
                record_change(book, moment, printer, what, affects, nozzle, options.note)
                chosen = current_bench(book)
                if nozzle and chosen.printer == printer:
                    choose_bench(book, moment, chosen._replace(nozzle=nozzle))
            sheet = Sheet(f"Noted for {printer.name}: {what} changed")
            if nozzle:
                back = f"{nozzle.bore_mm:g} mm bore; its own values come back, as carried"
                sheet.row("fitted", nozzle.name, back)
            elif affects:
                doubtful = ", ".join(VALUES[name].called for name in affects)
                sheet.row("doubtful", doubtful, "until measured or typed in again")
            else:
                names = ", ".join(typed_values())
                what_now = "No value is marked doubtful. If it may have touched some, note it again"
                sheet.remark(f"{what_now} with --affects and their names: {names}")
            bench, steps_now = on_bench(book), steps_text(book, printer)
            if bench.setup and bench.setup.printer.id == printer.id:
                show_next(sheet, bench)
            elif what == "mainboard" and steps_now:
                _type_back(sheet, printer, steps_now, "type the old e-steps back", "and say so")
            change = change_object(book, changes(book, printer)[-1])
            return Answer({"printer": printer.name, "change": change}, sheet.text())


def _type_back(sheet: Sheet, printer: Printer, shown: str, what: str, then: str) -> None:
    """End a sheet with typing e-steps in by hand."""
    command = proposed("entered", "esteps", shown, "--printer", printer.name)
    sheet.next(f"{what} (M92 E{shown}, then M500), {then}:", command)


def _steps_or_ask(text: str) -> float | str:
    return text if text == ASK else steps(text)


def steps_text(book: Logbook, printer: Printer) -> str:
    """Return the e-steps in force, as the firmware writes them; empty where they are not known."""
    known = steps_in_force(book, printer)
    return "" if known is None else f"{known:.{printer.decimals}f}"


def change_object(book: Logbook, change: HardwareChange) -> dict[str, object]:
    """Return a hardware change, as JSON has it."""
    return {
        "at": change.at,
        "what": change.what,
        "nozzle": by_id(book, Nozzle, change.nozzle).name if change.nozzle else None,
        "affects": list(change.affects),
        "note": change.note,
    }


PRINTERS = Printers()
parser, run = PRINTERS.parser, PRINTERS.run
