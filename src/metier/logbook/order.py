"""The order of facts: that of their moments, in which two copies are one."""

import sqlite3
from collections.abc import Sequence
from itertools import pairwise

from metier.logbook.document import REFERRING_FIELDS, TABLES


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
