"""What was really typed into printer or slicer."""

from metier.core.values import VALUES
from metier.logbook.bench import Setup
from metier.logbook.book import Logbook
from metier.logbook.inforce import scope_of
from metier.logbook.machines import Printer


def record_steps(
    book: Logbook, moment: int, printer: Printer, steps_per_mm: float, *, read_off: bool = False
) -> None:
    """Record the e-steps a printer carries, known before any bench is chosen.

    ``read_off`` tells that they were read off it, and not typed in.
    """
    book.connection.execute(
        "INSERT INTO entry (moment, kind, value, printer, read_off) VALUES (?, 'esteps', ?, ?, ?)",
        (moment, steps_per_mm, printer.id, read_off),
    )


def record_entry(
    book: Logbook,
    setup: Setup,
    name: str,
    value: float,
    moment: int,
    opened_mm: float | None = None,
) -> None:
    """Record that ``value`` (in the unit of calculation) was typed in for this bench.

    ``opened_mm`` is what of it was opened for a fit, per side.
    """
    belongs_to = VALUES[name].scope
    columns = {column: one for column, one in scope_of(setup).items() if column in belongs_to}
    columns.setdefault("printer", setup.printer.id)
    book.connection.execute(
        f"INSERT INTO entry (moment, kind, value, opened_mm, {', '.join(columns)})"
        f" VALUES (?, ?, ?, ?{', ?' * len(columns)})",
        (moment, name, value, opened_mm, *columns.values()),
    )
