"""What a person prefers, said once: for a filament, or for the whole bench."""

import json
from typing import NamedTuple

from metier.logbook.bench import Setup
from metier.logbook.book import Logbook, plain
from metier.logbook.edits import Plain

# One value, or several that belong together.
Preferred = Plain | list[float]


class Preference(NamedTuple):
    """A preferred value, and the roll whose filament it is for; None for all filament."""

    value: Preferred
    spool: str | None


def keep_preference(
    book: Logbook, moment: int, test: str, name: str, value: Preferred, spool: int | None
) -> None:
    """Remember what is preferred from now on."""
    book.connection.execute(
        "INSERT OR REPLACE INTO preference (moment, test, name, spool, value)"
        " VALUES (?, ?, ?, ?, ?)",
        (moment, test, name, spool, json.dumps(value)),
    )


def preferences(book: Logbook, setup: Setup | None, test: str) -> dict[str, Preference]:
    """Return what is preferred for a test on this bench, the last of each name.

    What is for a filament counts for its maker and material, whatever the roll.
    """
    spool = setup and setup.spool
    rows = book.connection.execute(
        "SELECT preference.name, value, spool.name FROM preference"
        " LEFT JOIN spool ON spool.id = preference.spool"
        " WHERE test = ? AND withdrawn IS NULL AND (preference.spool IS NULL OR spool.id = ?"
        " OR (spool.material = ? COLLATE NOCASE AND spool.maker = ? COLLATE NOCASE))"
        " ORDER BY moment",
        (test, spool and spool.id, spool and spool.material, spool and spool.maker),
    )
    return {name: Preference(plain(book, value), of) for name, value, of in rows}
