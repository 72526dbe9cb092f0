"""``metier spool``: rolls of filament."""

from argparse import Namespace

from metier.commands.machine import YES_NO, Machines, Property, add_properties, mended_rows
from metier.core.errors import BadInput
from metier.core.values import VALUES, typed_values
from metier.logbook.book import Logbook, Plain
from metier.logbook.check import trials_of_spool
from metier.logbook.edits import edit
from metier.logbook.items import add, by_id, listed, named
from metier.logbook.machines import Printer, Spool
from metier.show.figures import numbers_text, proposed, short_date, with_u95
from metier.show.sheet import Sheet
from metier.trials.diameter.kept import measured_diameter
from metier.trials.judging import judge_mended
from metier.trials.on_bench import bed_c_of, on_bench
from metier.trials.weigh.kept import weighed_strand
from metier.words.arguments import celsius, length, needed, option, percent, positive, small_text
from metier.words.parser import Actions, Answer, existing_logbook, logbook_to_write

# What is told of a roll for parts that are written ready to print; no trial hangs on it.
_GROUP = "for printing parts"
_COLD = "the bed's, in °C; 0 leaves it cold"
_PRINTING = (
    Property("bed_c", "--bed-temperature C", celsius, _COLD, group=_GROUP),
    Property("fan_percent", "--fan PERCENT", percent, "the part's fan (by material)", group=_GROUP),
    Property("hottest_c", "--hottest C", celsius, "the nozzle's at most, in °C", group=_GROUP),
)
_DENSITY = Property(
    "density_g_cm3", "--density G/CM3", positive, "the maker's, in g/cm³ (by material)"
)
_NO_TRIALS = {"note", *(row.column for row in _PRINTING)}


class Spools(Machines[Spool]):
    """Rolls of filament."""

    table, record, example = "spool", Spool, "fern-1"
    description = "Rolls of filament, one entry a roll."
    header, texts = ("spool", "material", "maker", "colour", "batch", ""), (0, 1, 2, 3, 4)
    none_yet = "No spools yet: metier spool add fern-1 --material PLA"
    set_what = "mend what is known of a roll; its trials are judged anew by it"
    set_example = "fern-1 --material PLA --note 'dried for six hours'"
    properties = (
        Property("material", "--material TEXT"),
        Property("maker", "--maker TEXT", label="maker"),
        Property("colour", "--colour TEXT", label="colour"),
        Property("batch", "--batch TEXT", label="batch"),
        Property("diameter_mm", "--diameter MM", length, "the nominal one"),
        Property("foaming", "--foaming", YES_NO),
        Property("flexible", "--flexible", YES_NO),
        _DENSITY,
        *_PRINTING,
    )

    def add_actions(self, actions: Actions) -> None:
        example = "  metier spool add fern-1 --material PLA --maker Saltmarsh --colour green"
        new = actions.add("add", "add a roll of filament", example)
        needed(new, "name NAME", "what to call the roll")
        needed(new, "--material TEXT", "PLA, PETG, …", small_text)
        for name in ("maker", "colour", "batch"):
            option(new, f"--{name} TEXT", read=small_text)
        option(new, "--diameter MM", "the nominal one (1.75)", length, default=1.75)
        option(new, "--foaming", "it foams: far lower flows are fine")
        option(new, "--flexible", "calipers squeeze it")
        add_properties(new, (_DENSITY, *_PRINTING))
        self.add_list(actions)
        self.add_set(actions)
        self.add_common(actions)
        self.add_named(actions, "show", "show one roll", "fern-1")
        what = "note that a roll was dried: what its prints showed before is doubtful"
        dried = self.add_named(actions, "dried", what, "fern-1 --hours 6 --temperature 45")
        option(dried, "--hours H", "for how long", positive)
        option(dried, "--temperature C", "at what heat, in °C", celsius)

    def given(self, options: Namespace) -> dict[str, Plain]:
        if options.fan is not None and not 0 <= options.fan <= 100:
            raise BadInput(f"--fan: {options.fan:g} is no part of a fan: from 0 to 100 percent")
        told = {row.column: row.given(options) for row in self.properties}
        for name in ("foaming", "flexible"):
            if told[name] in YES_NO:
                told[name] = int(told[name] == "yes")
        return told | {"note": getattr(options, "note", None)}

    def rows(self, book: Logbook, sheet: Sheet, machine: Spool) -> None:
        sheet.row("material", machine.material, _nature(machine))
        super().rows(book, sheet, machine)
        sheet.row("diameter", f"{machine.diameter_mm:g} mm", "nominal")
        if machine.density_g_cm3 is not None:
            sheet.row("density", f"{machine.density_g_cm3:g} g/cm³", "the maker's")
        if machine.bed_c is None:
            usual_c, hint = bed_c_of(machine), "metier spool set --bed-temperature tells it"
            known = "not known" if usual_c is None else f"{usual_c:g} °C"
            of = "" if usual_c is None else f"usual for {machine.material}; "
            sheet.row("bed", known, f"{of}{hint}")
        else:
            sheet.row("bed", f"{machine.bed_c:g} °C" if machine.bed_c else "cold")
        if machine.fan_percent is not None:
            sheet.row("fan", f"{machine.fan_percent:g} %")
        if machine.dried_how:
            sheet.row("dried", machine.dried_how)
        if machine.hottest_c is not None:
            sheet.row("hottest", f"{machine.hottest_c:g} °C", "it is not printed hotter")

    def cells(self, book: Logbook, machine: Spool) -> tuple[str, ...]:
        told = (machine.material, machine.maker or "", machine.colour or "", machine.batch or "")
        return machine.name, *told, _nature(machine)

    def told(self, book: Logbook, machine: Spool) -> dict[str, object]:
        told = machine._asdict()
        return {name: value for name, value in told.items() if name not in ("id", "dried")}

    def do_dried(self, options: Namespace) -> Answer:
        """Note that a roll was dried."""
        hours, heat_c = options.hours, options.temperature
        told = [f"{hours:g} h"] if hours else []
        told += [f"at {heat_c:g} °C"] if heat_c else []
        how = " ".join(told) or "for how long is not told"
        with existing_logbook(options.logbook) as book:
            spool = named(book, Spool, options.name)
            with book.transaction() as moment:
                edit(book, moment, "spool", spool.id, {"dried": moment, "dried_how": how})
            spool = named(book, Spool, options.name)
            sheet = self.sheet(book, f"Noted: {spool.name} was dried", spool)
            sheet.row("doubtful", "heat, flow, limit, hole, contour", "what prints of it showed")
            return self.answer(book, spool, sheet)

    def do_add(self, options: Namespace) -> Answer:
        """Add a roll."""
        told = {name: value for name, value in self.given(options).items() if value is not None}
        with logbook_to_write(options.logbook) as book:
            with book.transaction() as moment:
                spool = add(book, moment, Spool, options.name, **told)
            sheet = self.sheet(book, f"Added spool {spool.name}", spool)
            printer = on_bench(book).chosen.printer or next(iter(listed(book, Printer)), None)
            words = ("--printer", printer.name) if printer else ()
            sheet.next(
                "put it on the bench, with the nozzle temperature it prints at:",
                proposed("bench", *words, "--spool", spool.name),
            )
            return self.answer(book, spool, sheet)

    def do_set(self, options: Namespace) -> Answer:
        """Mend what is known of a roll, and judge its trials by it."""
        with existing_logbook(options.logbook) as book:
            spool = named(book, Spool, options.name)
            with book.transaction():
                bears = set(self.mend(book, spool.id, self.given(options))) - _NO_TRIALS
                anew = judge_mended(book, trials_of_spool(book, spool)) if bears else []
            spool = by_id(book, Spool, spool.id)
            sheet = self.sheet(book, f"Changed spool {spool.name}", spool)
            if anew:
                sheet.note(f"judged anew: trials {numbers_text(anew)}", "anew")
            return self.answer(book, spool, sheet, judged_anew=anew)

    def do_show(self, options: Namespace) -> Answer:
        """Show a roll, what was measured of it, and its values on the bench as it is."""
        with existing_logbook(options.logbook) as book:
            spool = named(book, Spool, options.name)
            sheet = Sheet(f"Spool {spool.name}")
            self.rows(book, sheet, spool)
            _measured_rows(book, sheet, spool)
            mended_rows(book, sheet, "spool", spool.id, spool.note)
            bench, values = on_bench(book), {}
            if bench.setup:
                ready = bench.setup
                bench = bench._replace(setup=ready._replace(spool=spool))
                for name in typed_values():
                    if "spool" not in VALUES[name].scope:
                        continue
                    now = bench.stands(name)
                    values[name] = now.status
                    if now.value is not None:
                        own = "carried" if now.status == "carried" else "its own"
                        since = short_date(now.since) if now.since else ""
                        text = bench.worded(name, now.value)
                        sheet.row(VALUES[name].called, text, f"{own}, {since}: {now.why}")
                sheet.remark(f"Values as they stand on {ready.printer.name}, {ready.nozzle.name}.")
            return Answer({"spool": {**self.told(book, spool), "statuses": values}}, sheet.text())


def _nature(spool: Spool) -> str:
    told = (("foaming", spool.foaming), ("flexible", spool.flexible), ("out of use", spool.retired))
    return ", ".join(word for word, so in told if so)


def _measured_rows(book: Logbook, sheet: Sheet, spool: Spool) -> None:
    """Write what was measured of its strand."""
    strand, weighed = measured_diameter(book, spool), weighed_strand(book, spool)
    if strand:
        trial, measured = strand
        value = f"{with_u95(measured.diameter_mm, measured.diameter_u95_mm)} mm"
        sheet.row("measured", value, f"trial {trial.number}")
    if weighed:
        value = with_u95(weighed.g_per_m, weighed.u95_g_per_m)
        sheet.row("weighs", f"{value} g/m", f"trial {weighed.trial}")


_SPOOLS = Spools()
parser, run = _SPOOLS.parser, _SPOOLS.run
