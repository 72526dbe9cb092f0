"""What was really typed into printer or slicer."""

from metier.core.dependence import TRAITS, ValueKind
from metier.logbook.bench import Setup
from metier.logbook.book import Logbook
from metier.logbook.machines import Printer


def record_steps(book: Logbook, moment: int, printer: Printer, steps_per_mm: float) -> None:
    """Record the e-steps a printer carries, known before any bench is chosen."""
    book.connection.execute(
        "INSERT INTO entry (moment, kind, value, printer) VALUES (?, 'esteps', ?, ?)",
        (moment, steps_per_mm, printer.id),
    )


def record_entry(book: Logbook, setup: Setup, kind: ValueKind, value: float, moment: int) -> None:
    """Record that ``value`` (in the unit of calculation) was typed in for this bench."""
    if kind == "esteps":
        record_steps(book, moment, setup.printer, value)
        return
    assert TRAITS[kind].per_nozzle_and_spool
    book.connection.execute(
        "INSERT INTO entry (moment, kind, value, printer, nozzle, spool, temperature_c)"
        " VALUES (?, ?, ?, ?, ?, ?, ?)",
        (
            moment,
            kind,
            value,
            setup.printer.id,
            setup.nozzle.id,
            setup.spool.id,
            setup.temperature_c if kind == "limit" else None,
        ),
    )
