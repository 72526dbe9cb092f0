"""One reading as two copies have it: all its versions, in the order in which they were made."""

import sqlite3
from collections.abc import Iterable
from itertools import pairwise

from metier.logbook.brought import Row

READING = ("trial", "position", "side", "value", "typed", "version", "amended")
INSERT_READING = f"INSERT INTO reading ({', '.join(READING)}) VALUES (?, ?, ?, ?, ?, ?, ?)"


def merge_versions(
    connection: sqlite3.Connection, number: int, position: int, versions: list[Row]
) -> None:
    """Put the versions of a reading, of both copies, in the order in which they were made."""
    (measured,) = connection.execute(
        "SELECT measured FROM trial WHERE id = ?", (number,)
    ).fetchone()
    cursor = connection.execute(
        f"SELECT {', '.join(READING)} FROM reading"
        " WHERE trial = ? AND position = ? ORDER BY version",
        (number, position),
    )
    ours = [dict(zip(READING, values, strict=True)) for values in cursor]
    made = {**_by_making(versions, measured), **_by_making(ours, measured)}
    if len(made) == len(ours):
        return
    connection.execute("DELETE FROM reading WHERE trial = ? AND position = ?", (number, position))
    order = sorted(made)
    for version, (at, following) in enumerate(pairwise([*order, None])):
        assert at is not None
        row = {**made[at], "version": version, "amended": following}
        connection.execute(INSERT_READING, [row[column] for column in READING])


def _by_making(versions: Iterable[Row], measured: int | None) -> dict[int, Row]:
    """Return the versions of a reading by the moment each was made: that of the trial, then that
    of the amendment of the one before."""
    made: dict[int, Row] = {}
    at = measured
    for row in sorted(versions, key=lambda row: row["version"]):
        if at is None:
            raise ValueError("a reading after one that was not amended")
        made[at] = row
        at = row["amended"]
    return made
