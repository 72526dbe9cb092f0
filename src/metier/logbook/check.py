"""Whether a logbook is whole: the file, its references, and that no trial is half there."""

import sqlite3

from metier.core.measure.instruments import KINDS
from metier.core.values import VALUES, WHATS
from metier.logbook.book import Logbook

_MUST_BE_EMPTY = {
    "a measured trial without a finding": (
        "SELECT id FROM trial WHERE state = 'measured' AND findings IS NULL"
    ),
    "a measured trial without readings": (
        "SELECT id FROM trial WHERE state = 'measured' AND NOT EXISTS"
        " (SELECT 1 FROM reading WHERE trial = trial.id)"
        " AND coalesce(json_extract(settings, '$.way'), '') <> 'swallowed'"
    ),
    "a reading replaced by none": (
        "SELECT trial FROM reading AS old WHERE amended IS NOT NULL AND NOT EXISTS"
        " (SELECT 1 FROM reading AS new WHERE new.trial = old.trial"
        " AND new.position = old.position AND new.version = old.version + 1)"
    ),
}


# What the program alone knows the names of.
_KNOWN = {
    "value": ("SELECT kind FROM outcome UNION SELECT kind FROM entry", VALUES),
    "hardware": ("SELECT DISTINCT what FROM change", WHATS),
    "kind of instrument": ("SELECT DISTINCT kind FROM instrument", KINDS),
}


def unknown_words(book: Logbook) -> list[str]:
    """Return the names in a logbook that this program does not know."""
    return [
        f"there is no {what} '{row[0]}'"
        for what, (query, known) in _KNOWN.items()
        for row in book.connection.execute(query)
        if row[0] not in known
    ]


def problems(book: Logbook) -> list[str]:
    """Return what is wrong with the file, in words; empty when it is sound."""
    found: list[str] = []
    try:
        checks = book.connection.execute("PRAGMA integrity_check(10)").fetchall()
        found += [str(row[0]) for row in checks if row[0] != "ok"]
        broken = book.connection.execute("PRAGMA foreign_key_check").fetchall()
        found += [f"a {row[0]} refers to a missing {row[2]}" for row in broken]
        for what, query in _MUST_BE_EMPTY.items():
            found += [f"{what} ({row[0]})" for row in book.connection.execute(query)]
        found += unknown_words(book)
    except sqlite3.DatabaseError as error:
        found.append(str(error))
    return found
