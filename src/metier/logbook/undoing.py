"""What is taken back, whatever it was: the last thing done, or a trial."""

from typing import NamedTuple

from metier.core.measure.instruments import KINDS
from metier.logbook.book import Logbook, Plain
from metier.logbook.check import latest_touched, put_at
from metier.logbook.edits import (
    TOLD_LATE,
    Edit,
    edits_at,
    note_edit,
    put,
    standing_value,
    take_back,
)
from metier.logbook.items import MACHINES, Table, free_name
from metier.logbook.recording import amend_reading, plan_again, reading_before, withdraw

# Rows that a thing done leaves behind, by the moment it happened at, as long as they stand.
_STANDING = {
    "measured trials": "SELECT measured AS m FROM trial WHERE state = 'measured'",
    "plans": "SELECT planned FROM trial WHERE state = 'planned'",
    "entries": "SELECT moment FROM entry WHERE withdrawn IS NULL",
    "changes": "SELECT moment FROM change WHERE withdrawn IS NULL",
    "preferences": "SELECT moment FROM preference WHERE withdrawn IS NULL",
    # What was told of a machine as it was added stands and falls with that.
    "edits": (
        f"SELECT moment FROM edit WHERE undone IS NULL AND NOT ({TOLD_LATE})"
        " AND NOT EXISTS (SELECT 1 FROM ("
        "SELECT 'printer' AS subject, id, added FROM printer"
        " UNION ALL SELECT 'nozzle', id, added FROM nozzle"
        " UNION ALL SELECT 'spool', id, added FROM spool"
        " UNION ALL SELECT 'instrument', id, added FROM instrument) AS machine"
        " WHERE machine.subject = edit.subject AND machine.id = item AND added = edit.moment)"
    ),
    "printers": "SELECT added FROM printer WHERE retired = 0",
    "nozzles": "SELECT added FROM nozzle WHERE retired = 0",
    "spools": "SELECT added FROM spool WHERE retired = 0",
    "instruments": "SELECT added FROM instrument WHERE retired = 0",
}


class TakenBack(NamedTuple):
    """What was taken back: the trials that were withdrawn, those that are other ones now, and those
    whose plan waits again, with the number of what was measured."""

    withdrawn: list[int]
    mended: list[int]
    waiting: dict[int, int]


def last_done(book: Logbook) -> int | None:
    """Return the moment of the newest thing that stands; None where there is nothing.

    What was told late lies at the day it is of, and is as new as its telling.
    """
    rows = book.connection.execute(
        f"WITH standing (m) AS ({' UNION ALL '.join(_STANDING.values())}),"
        f" late AS (SELECT moment, json_extract(was, '$') AS told FROM edit WHERE {TOLD_LATE})"
        " SELECT id, at, uid FROM moment WHERE id = (SELECT max(m) FROM standing"
        " WHERE m NOT IN (SELECT moment FROM late))"
        " UNION SELECT id, told, uid FROM moment JOIN late ON late.moment = id"
        " WHERE id IN (SELECT m FROM standing)"
    )
    newest = max(rows, key=lambda row: row[1:], default=None)
    return None if newest is None else int(newest[0])


def take_back_moment(book: Logbook, done: int) -> TakenBack:
    """Take back all that was done in one moment; to be called with the lock held.

    Trials are withdrawn, entries and changes marked, what was mended is as it was before. A
    machine that was added is out of use, and its name free again.
    """
    with book.transaction() as moment:
        mended = set()
        edits = list(edits_at(book, done))
        for edit in edits:
            take_back(book, moment, edit)
            if edit.subject == "reading":
                _as_before(book, edit)
            if edit.subject in ("reading", "trial"):
                mended.add(edit.item)
            if edit.subject == "moment":
                mended |= latest_touched(book, _of_moment(book, edit.item))
        numbers = _trials_of(book, done)
        for number in numbers:
            withdraw(book, number)
        again = {number: plan_again(book, number) for number in numbers}
        kept = [now or number for number, now in again.items()]
        for table in ("entry", "change", "preference"):
            book.connection.execute(
                f"UPDATE {table} SET withdrawn = ? WHERE moment = ? AND withdrawn IS NULL",
                (moment, done),
            )
        for table in MACHINES:
            for (item,) in book.connection.execute(
                f"SELECT id FROM {table} WHERE added = ? AND retired = 0", (done,)
            ).fetchall():
                _out_of_sight(book, done, table, item)
                if table != "instrument":
                    book.connection.execute(
                        f"UPDATE bench SET {table} = NULL WHERE {table} = ?", (item,)
                    )
        # The order of moments is another one from here on.
        for edit in edits:
            if edit.subject == "moment":
                put_at(book.connection, edit.item, str(standing_value(book, edit)))
    waiting = {number: now for number, now in again.items() if now}
    return TakenBack(kept, sorted(mended - {*numbers, *kept}), waiting)


def _out_of_sight(book: Logbook, added: int, table: Table, item: int) -> None:
    """Take a machine out of use and free its name: a fact of the moment it was added at.

    Calipers and the like go by their kind, whether they were added or not.
    """
    (name,) = book.row(f"SELECT name FROM {table} WHERE id = ?", item)
    edits: list[tuple[str, Plain, Plain]] = [("retired", 0, 1)]
    if table != "instrument" or name not in KINDS:
        edits.append(("name", name, free_name(book.connection, table, f"{name} taken back")))
    for field, was, now in edits:
        note_edit(book, added, table, item, field, was, now)
        put(book, table, item, field, now)


def _as_before(book: Logbook, edit: Edit) -> None:
    """Put the reading back that stood before; that is no new thing to take back."""
    position = int(edit.field)
    amend_reading(book, edit.item, position, reading_before(book, edit.item, position))
    with book.transaction() as moment:
        book.connection.execute(
            "UPDATE edit SET undone = ? WHERE moment = ? AND subject = 'reading' AND item = ?",
            (moment, moment, edit.item),
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
