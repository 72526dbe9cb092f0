"""The last thing that was done, whatever it was, and taking it back."""

from typing import NamedTuple

from metier.logbook.book import Logbook
from metier.logbook.edits import Edit, edits_at, put, take_back
from metier.logbook.names import Table, free_name
from metier.logbook.recording import amend_reading, reading_before, withdraw

# Rows that a thing done leaves behind, by the moment it happened at, as long as they stand.
_STANDING = {
    "measured trials": "SELECT measured AS m FROM trial WHERE state = 'measured'",
    "plans": "SELECT planned FROM trial WHERE state = 'planned'",
    "entries": "SELECT moment FROM entry WHERE withdrawn IS NULL",
    "changes": "SELECT moment FROM change WHERE withdrawn IS NULL",
    "preferences": "SELECT moment FROM preference WHERE withdrawn IS NULL",
    "edits": "SELECT moment FROM edit WHERE undone IS NULL",
    "printers": "SELECT added FROM printer WHERE retired = 0",
    "nozzles": "SELECT added FROM nozzle WHERE retired = 0",
    "spools": "SELECT added FROM spool WHERE retired = 0",
    "instruments": "SELECT added FROM instrument WHERE retired = 0",
}
_MACHINES: tuple[Table, ...] = ("nozzle", "spool", "instrument", "printer")


class TakenBack(NamedTuple):
    """What was taken back: the trials that were withdrawn, and those that are other ones now."""

    withdrawn: list[int]
    mended: list[int]


def last_done(book: Logbook) -> int | None:
    """Return the moment of the newest thing that stands; None where there is nothing."""
    (moment,) = book.connection.execute(
        f"SELECT max(m) FROM ({' UNION ALL '.join(_STANDING.values())})"
    ).fetchone()
    return None if moment is None else int(moment)


def take_back_moment(book: Logbook, done: int) -> TakenBack:
    """Take back all that was done in one moment; to be called with the lock held.

    Trials are withdrawn, entries and changes marked, what was mended is as it was before. A
    machine that was added is out of use, and its name free again.
    """
    with book.transaction() as moment:
        mended = set()
        for one in edits_at(book, done):
            take_back(book, moment, one)
            if one.subject == "reading":
                _as_before(book, one)
            if one.subject in ("reading", "trial"):
                mended.add(one.item)
            if one.subject == "moment":
                mended |= _of_moment(book, one.item)
        numbers = _trials_of(book, done)
        for number in numbers:
            withdraw(book, number)
        for table in ("entry", "change", "preference"):
            book.connection.execute(
                f"UPDATE {table} SET withdrawn = ? WHERE moment = ? AND withdrawn IS NULL",
                (moment, done),
            )
        for table in _MACHINES:
            for (item,) in book.connection.execute(
                f"SELECT id FROM {table} WHERE added = ? AND retired = 0", (done,)
            ).fetchall():
                _out_of_sight(book, table, item)
                if table != "instrument":
                    book.connection.execute(
                        f"UPDATE bench SET {table} = NULL WHERE {table} = ?", (item,)
                    )
    return TakenBack(numbers, sorted(mended - set(numbers)))


def _out_of_sight(book: Logbook, table: Table, item: int) -> None:
    (name,) = book.row(f"SELECT name FROM {table} WHERE id = ?", item)
    put(book, table, item, "name", free_name(book.connection, table, f"{name} taken back"))
    put(book, table, item, "retired", 1)


def _as_before(book: Logbook, one: Edit) -> None:
    """Put the reading back that stood before; that is no new thing to take back."""
    position = int(one.field)
    amend_reading(book, one.item, position, reading_before(book, one.item, position))
    with book.transaction() as moment:
        book.connection.execute(
            "UPDATE edit SET undone = ? WHERE moment = ? AND subject = 'reading' AND item = ?",
            (moment, moment, one.item),
        )


def _trials_of(book: Logbook, done: int) -> list[int]:
    rows = book.connection.execute(
        "SELECT id FROM trial WHERE (state = 'measured' AND measured = ?)"
        " OR (state = 'planned' AND planned = ?) ORDER BY id",
        (done, done),
    )
    return [row[0] for row in rows]


def _of_moment(book: Logbook, moment: int) -> set[int]:
    rows = book.connection.execute("SELECT id FROM trial WHERE measured = ?", (moment,))
    return {row[0] for row in rows}
