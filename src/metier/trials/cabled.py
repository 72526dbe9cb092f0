"""A printer on its cable: which one is meant, where it is plugged in, and what is watched there."""

from argparse import Namespace
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, NamedTuple

from metier.bar import progress_bar
from metier.core.errors import BadInput
from metier.logbook.bench import current_bench
from metier.logbook.book import Logbook
from metier.logbook.inforce import steps_in_force
from metier.logbook.items import listed, named
from metier.logbook.location import locate
from metier.logbook.machines import Printer, StepsIn, set_printer
from metier.logbook.recording import record_steps
from metier.packages import CABLE, require
from metier.show.figures import proposed
from metier.show.sheet import Sheet
from metier.words.arguments import BAUD

if TYPE_CHECKING:
    from metier.cable.guarded import Guarded
    from metier.cable.outgoing import Allowed
    from metier.cable.talking import Watch


# Slow enough for any hot end to keep up.
SLOWLY_MM_S = 1.5


class Cabled(NamedTuple):
    """Which printer it is, None where only its port is known, and where to speak to it.

    ``hottest_c`` is the least of what printer and roll take, ``hottest_bed_c`` what its bed does,
    ``steps_per_mm`` what is in force; None where nobody said.
    """

    printer: Printer | None
    port: str
    baud: int
    log: str | None
    logbook: str
    hottest_c: float | None
    hottest_bed_c: float | None
    steps_per_mm: float | None
    anyway: bool

    @property
    def name(self) -> str:
        """What to call it."""
        return self.printer.name if self.printer else self.port

    @property
    def allowed(self) -> "Allowed | None":
        """What may be sent; None where all is meant."""
        from metier.cable.guard import Most
        from metier.cable.outgoing import Allowed

        most = Most()
        if self.hottest_c is not None:
            most = most._replace(nozzle_c=self.hottest_c)
        if self.hottest_bed_c is not None:
            most = most._replace(bed_c=self.hottest_bed_c)
        return None if self.anyway else Allowed(most, self.steps_per_mm)

    def check(self, command: str) -> None:
        """Refuse a command that is not to be sent.

        Raises:
            BadInput: why.
        """
        from metier.cable.outgoing import Outgoing

        if self.allowed:
            try:
                Outgoing(self.allowed).check(command)
            except BadInput as refusal:
                raise BadInput(f"{refusal}; --anyway says it is meant") from None

    def linked(self, *, urgent: bool = False) -> "Guarded":
        """Return the printer, answering, as a context that leaves no heater on unsaid.

        Raises:
            CableFailure: it does not answer.
        """
        from metier.cable.guard import ANY_HEAT
        from metier.cable.guarded import Cable, Guarded

        most = self.allowed.most if self.allowed else ANY_HEAT
        return Guarded(Cable(self.port, self.baud, most, self.log, self.logbook), urgent=urgent)


def cabled(book: Logbook, options: Namespace) -> Cabled:
    """Return the printer that is meant: named, else the bench's, else the only one.

    Raises:
        BadInput: nobody knows which, or where it is plugged in.
        NotInstalled: what speaks to a port is not there.
    """
    require(CABLE)
    printer = _meant(book, options)
    port = options.port or (printer and printer.port)
    if not port:
        name = printer.name if printer else "NAME"
        raise BadInput(
            "where is the printer plugged in? give --port, or say it once: "
            + proposed("cable", "set", name, "--port", "PORT")
            + " (metier cable ports lists them)"
        )
    on = current_bench(book)
    spool = on.spool if printer and on.printer and on.printer.id == printer.id else None
    limits = [each.hottest_c for each in (printer, spool) if each and each.hottest_c is not None]
    return Cabled(
        printer=printer,
        port=port,
        baud=options.baud or (printer and printer.baud) or BAUD,
        log=options.log,
        logbook=locate(options.logbook).path,
        hottest_c=min(limits, default=None),
        hottest_bed_c=printer.hottest_bed_c if printer else None,
        steps_per_mm=steps_in_force(book, printer) if printer else None,
        anyway=getattr(options, "anyway", False),
    )


def _meant(book: Logbook, options: Namespace) -> Printer | None:
    name = getattr(options, "printer", None)
    if name:
        return named(book, Printer, name)
    on_bench = current_bench(book).printer
    if on_bench:
        return on_bench
    known = listed(book, Printer)
    return known[0] if len(known) == 1 else None


def steps_differ(printer: Printer | None, carries: float, known: float | None) -> str:
    """Return what is to be said where a printer carries other e-steps than the logbook has in
    force; empty where it does not."""
    from metier.cable.talking import same_steps

    if printer is None or known is None or same_steps(known, carries):
        return ""
    shown = f"{carries:.{printer.decimals}f}", f"{known:.{printer.decimals}f}"
    return (
        f"the printer carries {shown[0]}, the logbook has {shown[1]} in force: the board forgot "
        "it, or it was changed by hand"
    )


class Kept(NamedTuple):
    """E-steps that a printer was made to carry, and whether it keeps them for its next start."""

    printer: Printer
    steps_per_mm: float
    in_memory: bool

    def write(self, sheet: Sheet) -> None:
        """Say what a printer without a memory needs."""
        line = f"M92 E{self.steps_per_mm:.{self.printer.decimals}f}"
        sheet.note("the printer stores nothing (M500): switched off, it forgets them")
        sheet.note(
            f"{line} at the start of each file sets them: put it into the slicer's start; in "
            "Metier's own files it stands from now on, behind your own (metier printer set --start)"
        )


def kept_steps(book: Logbook, printer: Printer, steps_per_mm: float, in_memory: bool) -> Kept:
    """Record e-steps that a printer carries now, and whether it keeps them."""
    with book.transaction() as moment:
        record_steps(book, moment, printer, steps_per_mm)
    note_where(book, printer, "memory" if in_memory else "start")
    return Kept(printer, steps_per_mm, in_memory)


def note_where(book: Logbook, printer: Printer, steps_in: StepsIn) -> None:
    """Record where a printer keeps its e-steps, where that is news."""
    if (printer.steps_in or "memory") != steps_in:
        with book.transaction() as moment:
            set_printer(book, moment, printer, {"steps_in": steps_in})


def to_write(sheet: Sheet, printer: Printer, steps_per_mm: float) -> None:
    """Say where e-steps are to be written that stand in a file of the printer's own."""
    shown = f"{steps_per_mm:.{printer.decimals}f}"
    written = f"{shown} steps/mm"
    if printer.full_steps and printer.microsteps:
        turn_mm = printer.full_steps * printer.microsteps / steps_per_mm
        written += f", or {turn_mm:.4f} mm per motor turn"
    sheet.remark(
        f"{printer.name} keeps its e-steps in a file of its own: write {written} there, where the "
        "extruder stands, and restart it."
    )
    sheet.next("then say so:", proposed("entered", "esteps", shown, "--printer", printer.name))


def still_hot(left: str) -> str:
    """Return a line on how a command leaves the heaters; empty where they were off throughout."""
    if not left:
        return ""
    stays = f"{left[0].upper()}{left[1:]}"
    return f"{stays}." if left.endswith("off") else f"{stays}: metier cable off ends that."


@contextmanager
def heating_bar(nozzle_c: float) -> "Iterator[Watch]":
    """Yield what is told of the heat on its way up."""
    with progress_bar("heating") as tell:
        yield lambda now: tell(now.nozzle_c, nozzle_c, f"{now.nozzle_c:.0f} of {nozzle_c:g} °C")
