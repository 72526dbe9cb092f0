"""Trials that others bear on: what is to be judged anew once one of them is another."""

from typing import TYPE_CHECKING

from metier.logbook.book import Logbook
from metier.logbook.trials import Trial, trial

if TYPE_CHECKING:
    from collections.abc import Iterator

    from metier.logbook.spools import Spool


# No moment is so late.
_LAST = 2**62


def latest_touched(book: Logbook, touched: set[int]) -> set[int]:
    """Return these trials and all that were measured after one of them on its printer.

    What was measured before, and on whatever roll, bears on a trial.
    """
    first: dict[int, int] = {}
    for number in touched:
        printer, measured = book.row("SELECT printer, measured FROM trial WHERE id = ?", number)
        if measured is not None:
            first[printer] = min(first.get(printer, _LAST), measured)
    found = set(touched)
    for printer, moment in first.items():
        rows = book.connection.execute(
            "SELECT id FROM trial WHERE printer = ? AND measured >= ?", (printer, moment)
        )
        found |= {row[0] for row in rows}
    return found


def measured_trials(book: Logbook, numbers: set[int]) -> "Iterator[Trial]":
    """Yield those of these trials that were measured, in the order in which they were."""
    rows = book.connection.execute(
        "SELECT id FROM trial WHERE measured IS NOT NULL ORDER BY measured"
    ).fetchall()
    return (trial(book, number) for (number,) in rows if number in numbers)


def trials_of_spool(book: Logbook, spool: "Spool") -> set[int]:
    """Return the numbers of all trials of a roll."""
    rows = book.connection.execute("SELECT id FROM trial WHERE spool = ?", (spool.id,))
    return {row[0] for row in rows}
