"""Steps of the job that somebody skipped, until something changes about them."""

from metier.logbook.bench import Setup
from metier.logbook.book import Logbook


def skip_step(book: Logbook, setup: Setup, step: str, stood: str) -> None:
    """Remember that a step is skipped as long as it stands as it does now."""
    with book.transaction(marked=False):
        book.connection.execute(
            "INSERT OR REPLACE INTO skip (printer, nozzle, spool, step, stood)"
            " VALUES (?, ?, ?, ?, ?)",
            (setup.printer.id, setup.nozzle.id, setup.spool.id, step, stood),
        )


def skipped_steps(book: Logbook, setup: Setup) -> dict[str, str]:
    """Return the steps that were skipped on this bench, and how each stood then."""
    rows = book.connection.execute(
        "SELECT step, stood FROM skip WHERE printer = ? AND nozzle = ? AND spool = ?",
        (setup.printer.id, setup.nozzle.id, setup.spool.id),
    )
    return dict(rows.fetchall())
