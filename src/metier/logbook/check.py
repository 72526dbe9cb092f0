"""Whether all is whole, in which order facts came, and what bears on what."""

import sqlite3
from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING

from metier.core.measure.instruments import KINDS
from metier.core.values import VALUES, WHATS
from metier.logbook.book import Logbook
from metier.logbook.document import REFERRING_FIELDS, TABLES
from metier.logbook.trials import Trial, trial

if TYPE_CHECKING:
    from collections.abc import Iterator

    from metier.logbook.machines import Spool


_MUST_BE_EMPTY = {
    "a time that is none": (
        "SELECT id FROM moment WHERE datetime(at) IS NULL OR at NOT GLOB '????-??-??T??:??:??Z'"
    ),
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
    trouble: list[str] = []
    try:
        checks = book.connection.execute("PRAGMA integrity_check(10)").fetchall()
        trouble += [str(row[0]) for row in checks if row[0] != "ok"]
        broken = book.connection.execute("PRAGMA foreign_key_check").fetchall()
        trouble += [f"a {row[0]} refers to a missing {row[2]}" for row in broken]
        for what, query in _MUST_BE_EMPTY.items():
            trouble += [f"{what} ({row[0]})" for row in book.connection.execute(query)]
        trouble += unknown_words(book)
    except sqlite3.DatabaseError as error:
        trouble.append(str(error))
    return trouble


def merged_order(at: dict[str, str], known: Sequence[str], theirs: Sequence[str]) -> list[str]:
    """Return all moments in one order: as each copy had them, and else by the clock.

    ``at`` has the time of each by its uid.
    """
    in_known, in_theirs = set(known), set(theirs)
    order: dict[str, None] = {}
    left, right = list(known)[::-1], list(theirs)[::-1]
    while left or right:
        ours, other = left[-1:], right[-1:]
        if ours and ours[0] in order:
            left.pop()
        elif other and other[0] in order:
            right.pop()
        elif not other or (ours and other[0] in in_known):
            order[left.pop()] = None
        elif not ours or ours[0] in in_theirs or (at[other[0]], other[0]) < (at[ours[0]], ours[0]):
            order[right.pop()] = None
        else:
            order[left.pop()] = None
    return list(order)


def put_in_order(connection: sqlite3.Connection, order: Sequence[str]) -> None:
    """Renumber the moments so that their ids follow ``order``."""
    ids = dict(connection.execute("SELECT uid, id FROM moment").fetchall())
    if all(ids[before] < ids[after] for before, after in pairwise(order)):
        return
    connection.execute("CREATE TEMP TABLE place (old INTEGER PRIMARY KEY, new INTEGER)")
    connection.executemany(
        "INSERT INTO place VALUES (?, ?)", [(ids[uid], n) for n, uid in enumerate(order, 1)]
    )
    columns = [("moment", "id")]
    for table in TABLES:
        columns += [
            (table.name, column) for column, to in table.references.items() if to == "moment"
        ]
    for table_name, column in columns:
        # Through negative numbers, so that no two rows meet on the way.
        connection.execute(
            f"UPDATE {table_name} SET {column} = -(SELECT new FROM place WHERE old = {column})"
            f" WHERE {column} IS NOT NULL"
        )
    for table_name, column in columns:
        connection.execute(f"UPDATE {table_name} SET {column} = -{column} WHERE {column} < 0")
    _order_edits(connection)
    connection.execute("DROP TABLE place")


def _order_edits(connection: sqlite3.Connection) -> None:
    """Renumber the moments that edits are of, or put into a column."""
    connection.execute(
        "UPDATE edit SET item = -(SELECT new FROM place WHERE old = item) WHERE subject = 'moment'"
    )
    connection.execute("UPDATE edit SET item = -item WHERE subject = 'moment'")
    for (subject, field), target in REFERRING_FIELDS.items():
        if target == "moment":
            for side in ("was", "now"):
                connection.execute(
                    f"UPDATE edit SET {side} = (SELECT CAST(new AS TEXT) FROM place"
                    f" WHERE old = CAST({side} AS INTEGER))"
                    f" WHERE subject = ? AND field = ? AND {side} <> 'null'",
                    (subject, field),
                )


def put_at(connection: sqlite3.Connection, moment: int, at: str) -> None:
    """Give a moment another time and its place by that, before the first that is later."""
    (uid,) = connection.execute("SELECT uid FROM moment WHERE id = ?", (moment,)).fetchone()
    connection.execute("UPDATE moment SET at = ? WHERE id = ?", (at, moment))
    others = connection.execute(
        "SELECT uid, at FROM moment WHERE id <> ? ORDER BY id", (moment,)
    ).fetchall()
    place = next((n for n, (_, other) in enumerate(others) if other > at), len(others))
    order = [other for other, _ in others]
    order.insert(place, uid)
    connection.execute("PRAGMA defer_foreign_keys = ON")
    put_in_order(connection, order)


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
    numbers = set(touched)
    for printer, moment in first.items():
        rows = book.connection.execute(
            "SELECT id FROM trial WHERE printer = ? AND measured >= ?", (printer, moment)
        )
        numbers |= {row[0] for row in rows}
    return numbers


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
