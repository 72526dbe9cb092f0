"""The bench that a trial is made on, by names or as it is, and what is known and printed there."""

import argparse
import os
from argparse import Namespace
from datetime import datetime
from typing import Any, NamedTuple

from metier import clock
from metier.clock import stored_time
from metier.core.errors import BadInput
from metier.core.measure.instruments import Use
from metier.core.measure.readings import Instrument
from metier.core.measure.thresholds import same
from metier.core.standing import UNSET, Standing
from metier.core.values import VALUES
from metier.logbook.bench import Bench, Setup, current_bench, setup
from metier.logbook.book import Logbook
from metier.logbook.inforce import standing
from metier.logbook.instruments import any_instrument
from metier.logbook.items import by_id, listed, named
from metier.logbook.machines import Nozzle, Printer, Spool, fitted_nozzle
from metier.logbook.trials import Conditions
from metier.packages import LINES, SOLIDS, require
from metier.show.figures import Writing, short_date, with_unit
from metier.show.sheet import wrapped
from metier.whole_file import check_target
from metier.words.arguments import option, read_value
from metier.words.doubt import Doubt, doubt_of
from metier.words.missing import Missing, Want

ONLY_ASKED = "Not recorded: that was a question."
# A settled value moves with the machine.
_OLD_DAYS = 90
# What stands firmly enough to hold a typed value against.
_FIRM = ("verified", "entered", "advised")
# Where nobody knows what the printer carries.
HOW_TO_READ_STEPS = (
    "M92 at the printer's console shows them, and so do many menus; where neither does, type any "
    "in (M92 E400, then M500) and measure from there"
)


class Known(NamedTuple):
    """A setting or value that is known: what it is, where from, and what is to be said of it."""

    value: Any
    source: str = ""
    notes: tuple[str, ...] = ()


class OnBench(NamedTuple):
    """The bench that a test runs on; ``setup`` is None while nothing can be recorded.

    ``told_late`` tells that what is measured is of another day: what is in force now says nothing
    of what was set then.
    """

    book: Logbook
    chosen: Bench
    setup: Setup | None
    told_late: bool = False

    @property
    def writing(self) -> Writing:
        """How values are written for this bench."""
        decimals = self.chosen.printer.decimals if self.chosen.printer else 2
        return Writing(decimals, self.chosen.flow_step_percent, self.chosen.show_flow)

    @property
    def slicer_mm(self) -> float | None:
        """The filament diameter that the slicer reckons with: said or tried, else the nominal."""
        if self.setup is None:
            return None
        return self.stands("diameter").in_force or self.setup.spool.diameter_mm

    @property
    def now(self) -> datetime:
        """This moment."""
        return clock.now()

    @property
    def today(self) -> str:
        """This day, with its year."""
        return short_date(self.now.isoformat(), with_year=True)

    def days_since(self, at: str) -> int:
        """Return how many days ago a moment was."""
        return (self.now - stored_time(at)).days

    def old(self, at: str | None) -> bool:
        """Tell whether a value was settled so long ago that machine and roll may have moved."""
        return at is not None and self.days_since(at) > _OLD_DAYS

    def moved_to(self, ready: Setup) -> "OnBench":
        """Return the bench with other things on it: those that a trial was made with."""
        return self._replace(chosen=self.chosen._replace(**ready._asdict()), setup=ready)

    def stands(self, name: str) -> Standing:
        """Return how a value stands here."""
        if self.setup is None:
            return UNSET
        standing_now = standing(self.book, self.setup, name)
        if not standing_now.lent:
            return standing_now
        from metier.trials.registry import kept_named

        return kept_named(VALUES[name].measured_by).lent(self, standing_now)

    def in_use(
        self, name: str, given: float | None, option: str, planned: float | None = None
    ) -> Known:
        """Return the value a test ran at: given, else as planned, else the one in force.

        Raises:
            Missing: neither is known; names the option.
        """
        if planned is not None and (given is None or same(given, planned)):
            return Known(planned, "as planned", ())
        if given is not None:
            return self._given(name, given, planned)
        now = self.stands(name)
        if self.told_late:
            raise self._unknown(name, option, UNSET, " on that day")
        if now.in_force is None:
            why = "" if self.setup else "; nothing is on the bench to take it from"
            if now.value is not None:
                why = f"; {self.worded(name, now.value)} is carried ({now.why})"
            raise self._unknown(name, option, now, why)
        return self._in_force(name, now, now.in_force, option)

    def doubt(self, name: str, value: float, *, typed_in: bool = False) -> Doubt | None:
        """Return what is odd about a value beside the one in force, if anything is; one that is
        ``typed_in`` is held against what was advised, too. The flow of foaming filament goes
        anywhere."""
        if self.setup is not None and self.setup.spool.foaming and VALUES[name].of_speed:
            return None
        now = self.stands(name)
        stands = now.value if typed_in and now.status == "advised" else now.in_force
        return doubt_of(name, value, stands if now.status in _FIRM else None)

    def _unknown(self, name: str, option: str, now: Standing, why: str) -> Missing:
        """Return the want of a value, with the carried one on offer."""
        offer = ""
        if now.value is not None:
            offer = f"Done at {self.worded(name, now.value)}, as carried?"
        return Missing(
            Want(
                option,
                f"the {VALUES[name].called} this was done at",
                lambda text: read_value(name, text),
                option.lstrip("-").replace("-", "_"),
                why,
                now.value,
                offer,
            )
        )

    def _given(self, name: str, given: float, planned: float | None) -> Known:
        """Return a value that was given, and say where plan or logbook knew another."""
        called, text = VALUES[name].called, self.worded(name, given)
        if planned is not None:
            before = f"planned at {called} {self.worded(name, planned)}"
            return Known(given, "given", (f"{before}; you gave {text}, which is used",))
        known = self.stands(name).in_force
        if known is None or same(known, given):
            return Known(given, "given", ())
        before = f"the logbook had {called} {self.worded(name, known)} in force"
        note = f"{before}; you gave {text}, which is used and now counts as in force"
        return Known(given, "given", (note,))

    def _in_force(self, name: str, now: Standing, known: float, option: str) -> Known:
        """Return the value in force, and say where another was advised since."""
        since = now.since and short_date(now.since)
        source = f"{now.status} {since}"
        if now.status in ("carried", "doubtful"):
            source = f"{now.status}: {now.why}"
        if now.value is None or same(now.value, known):
            return Known(known, source, ())
        other = self.worded(name, now.value)
        note = (
            f"{VALUES[name].called} {other} is {now.status} since {since} but not said to be typed "
            f"in, so {self.worded(name, known)} is taken: if it was done at {other}, "
            f"metier undo and give {option}"
        )
        return Known(known, "in force", (note,))

    def worded(self, name: str, value: float) -> str:
        """Return a value as this bench writes it, with its unit."""
        return with_unit(name, value, self.writing)


def instrument_name(options: Namespace, planned: Conditions | None) -> str:
    """Return the instrument given, else the one planned for, else calipers."""
    return options.instrument or (planned and planned.instrument) or "calipers"


def figures_of(book: Logbook, name: str, use: Use, zero_mm: float | None = None) -> Instrument:
    """Return what an instrument can tell, the workshop's own or one of a kind as it comes.

    Raises:
        BadInput: unknown, or not made for this use.
    """
    figures = any_instrument(book, name).figures(use)
    return figures if zero_mm is None else figures._replace(zero_mm=zero_mm)


def on_bench(book: Logbook) -> OnBench:
    """Return the bench of a logbook."""
    bench = current_bench(book)
    return OnBench(book, bench, setup(bench))


def needed_setup(bench: Bench) -> Setup:
    """Return the bench, complete.

    Raises:
        BadInput: not all chosen yet.
    """
    ready = setup(bench)
    if ready is None:
        raise BadInput(f"no bench to work on: {how_to_start(bench)}")
    return ready


def how_to_start(bench: Bench) -> str:
    """Return what is still to be done before trials are recorded."""
    if bench.printer is None and bench.spool is None:
        return "start with metier setup, which asks for printer, roll and temperature"
    things = (("printer", bench.printer), ("nozzle", bench.nozzle), ("spool", bench.spool))
    lacking = " and ".join(name for name, there in things if there is None)
    return f"choose the {lacking} with metier bench; metier next has the command"


def not_recorded(bench: Bench) -> list[str]:
    """Return the closing lines of a test that was not recorded."""
    return wrapped(f"To keep a logbook, {how_to_start(bench)}.", "Not recorded. ", "  ")


def bench_phrase(ready: Setup) -> str:
    """Return «fern-1 on heron (nozzle heron-0.5, 210 °C)»."""
    heat = "" if ready.temperature_c is None else f", {ready.temperature_c:g} °C"
    return f"{ready.spool.name} on {ready.printer.name} (nozzle {ready.nozzle.name}{heat})"


def bench_object(bench: Bench | Setup) -> dict[str, object]:
    """Return the bench for JSON and profile; null where nothing was chosen."""
    printer, nozzle, spool = bench.printer, bench.nozzle, bench.spool
    return {
        "printer": printer and printer.name,
        "nozzle": nozzle and nozzle.name,
        "bore_mm": nozzle and nozzle.bore_mm,
        "hot_end": nozzle and nozzle.hot_end,
        "spool": spool and spool.name,
        "material": spool and spool.material,
        "maker": spool and spool.maker,
        "colour": spool and spool.colour,
        "temperature_c": bench.temperature_c,
    }


HOTTEST_C = 500.0


class Names(NamedTuple):
    """What a bench is chosen by; None keeps what is on it."""

    printer: str | None = None
    nozzle: str | None = None
    spool: str | None = None
    temperature_c: float | None = None


def add_elsewhere_options(parser: argparse.ArgumentParser) -> None:
    """Add what looks at another bench without changing the current one."""
    group = parser.add_argument_group("for another bench than the current one")
    option(group, "--printer PRINTER", "on this printer")
    option(group, "--nozzle NOZZLE", "with this nozzle of it")
    option(group, "--spool SPOOL", "of this roll")


def on_bench_of(book: Logbook, options: Namespace, then: OnBench | None = None) -> OnBench:
    """Return the bench that a command looks at: the current one or that of ``then``, but for
    what is given.

    Raises:
        BadInput: an unknown name; things that do not go together.
    """
    names = Names(options.printer, options.nozzle, options.spool)
    bench = then.chosen if then else current_bench(book)
    if any(names):
        bench = chosen(book, bench, names)
    return OnBench(book, bench, setup(bench))


def chosen(book: Logbook, bench: Bench, names: Names) -> Bench:
    """Return a bench with other things on it, by their names.

    A roll brings the temperature it was last printed at.

    Raises:
        BadInput: an unknown name; a nozzle of another printer; several to choose from.
    """
    if names.temperature_c is not None and names.temperature_c > HOTTEST_C:
        hot = f"{names.temperature_c:g} °C is hotter than any nozzle here ({HOTTEST_C:g})"
        raise BadInput(f"--temperature: {hot}")
    if names.nozzle is not None:
        nozzle = named(book, Nozzle, names.nozzle)
        owner = by_id(book, Printer, nozzle.printer)
        asked = named(book, Printer, names.printer) if names.printer else bench.printer
        if asked is not None and asked != owner:
            raise BadInput(f"nozzle {nozzle.name} belongs to {owner.name}, not to {asked.name}")
        bench = bench._replace(printer=owner, nozzle=nozzle)
    elif names.printer is not None:
        printer = named(book, Printer, names.printer)
        if bench.printer is None or bench.printer.id != printer.id or bench.nozzle is None:
            bench = bench._replace(printer=printer, nozzle=_only_nozzle(book, printer))
    if names.spool is not None:
        bench = _with_spool(bench, named(book, Spool, names.spool))
    if names.temperature_c is not None:
        bench = bench._replace(temperature_c=names.temperature_c)
    return bench


def _with_spool(bench: Bench, spool: Spool) -> Bench:
    other = bench.spool is None or bench.spool.id != spool.id
    if other and spool.temperature_c is not None:
        return bench._replace(spool=spool, temperature_c=spool.temperature_c)
    if bench.spool is not None and bench.spool.material != spool.material:
        return bench._replace(spool=spool, temperature_c=None)
    return bench._replace(spool=spool)


def _only_nozzle(book: Logbook, printer: Printer) -> Nozzle:
    fitted = fitted_nozzle(book, printer)
    if fitted is None:
        own = ", ".join(nozzle.name for nozzle in listed(book, Nozzle, printer=printer.id))
        raise BadInput(f"{printer.name} has several nozzles ({own}): say which with --nozzle")
    return fitted


GCODE = ".gcode"
MESHES = (".3mf", ".stl")
TABLE = ".csv"
ENDINGS = (*MESHES, GCODE, TABLE)


def part_ending(path: str, force: bool) -> str:
    """Return the ending of a part's file, after looking whether it may be written.

    Raises:
        BadInput: another ending, or see `check_target`.
        OSError: no such folder.
        NotInstalled: what draws parts is not there.
    """
    ending = os.path.splitext(path)[1].lower()
    if ending not in ENDINGS:
        raise BadInput(f"{path} must end in {', '.join(ENDINGS)}: that says what a part becomes")
    check_target(path, overwrite=force)
    require(SOLIDS if ending in MESHES else LINES)
    return ending


def bed_c_of(spool: Spool) -> float | None:
    """Return what the bed is heated to for a roll: as told, else what is usual for its material."""
    from metier.core.materials import material_of

    return material_of(spool.material).bed_c if spool.bed_c is None else spool.bed_c


def ready_to_print(bench: "OnBench") -> bool:
    """Tell whether all is known that G-code for this bench needs."""
    ready = bench.setup
    if ready is None or ready.temperature_c is None or bed_c_of(ready.spool) is None:
        return False
    return ready.printer.bed_x_mm is not None


def next_part(bench: "OnBench", name: str, ending: str) -> tuple[str, str]:
    """Return the words that write a part with a plan, named after the trial that it will be."""
    row = bench.book.connection.execute("SELECT coalesce(max(id), 0) + 1 FROM trial").fetchone()
    return "--part", f"{name}-{row[0]}{ending}"
