"""What is mended, what it was before, and who mended it when.

An edit is of one column of one row. Of several edits of the same column the last one counts that
was not taken back; where all were, what stood before the first.
"""

import json
from collections.abc import Mapping
from typing import Literal, NamedTuple

from metier.logbook.book import Logbook, Plain, scalar

Subject = Literal["printer", "nozzle", "spool", "instrument", "trial", "reading", "moment", "bench"]

# A moment that was put at another day by what happened in it was told late: no mending.
TOLD_LATE = "subject = 'moment' AND item = moment AND undone IS NULL"


class Edit(NamedTuple):
    """One column of one row as it was and as it is from then on, both as JSON."""

    moment: int
    at: str
    subject: Subject
    item: int
    field: str
    was: str
    now: str


_EDIT = (
    "SELECT edit.moment, moment.at, subject, item, field, was, now FROM edit"
    " JOIN moment ON moment.id = edit.moment"
)


def edit(
    book: Logbook, moment: int, subject: Subject, item: int, fields: Mapping[str, Plain]
) -> list[str]:
    """Put other values into columns of a row; returns those that are other ones than before."""
    changed = []
    for field, now in fields.items():
        (was,) = book.row(f"SELECT {field} FROM {subject} WHERE id = ?", item)
        if was == now:
            continue
        note_edit(book, moment, subject, item, field, was, now)
        put(book, subject, item, field, now)
        changed.append(field)
    return changed


def note_edit(
    book: Logbook, moment: int, subject: Subject, item: int, field: str, was: Plain, now: Plain
) -> None:
    """Note that something is another than it was; of two in one moment the first «was» stays."""
    book.connection.execute(
        "INSERT INTO edit (moment, subject, item, field, was, now) VALUES (?, ?, ?, ?, ?, ?)"
        " ON CONFLICT (moment, subject, item, field) DO UPDATE SET now = excluded.now",
        (moment, subject, item, field, json.dumps(was), json.dumps(now)),
    )


def put(book: Logbook, subject: Subject, item: int, field: str, value: Plain) -> None:
    """Put a value into a column, and wherever it is kept by its name."""
    if (subject, field) == ("instrument", "name"):
        (before,) = book.row("SELECT name FROM instrument WHERE id = ?", item)
        book.connection.execute(
            "UPDATE trial SET instrument = ? WHERE instrument = ?", (value, before)
        )
    book.connection.execute(f"UPDATE {subject} SET {field} = ? WHERE id = ?", (value, item))


def edits_of(book: Logbook, subject: Subject, item: int) -> list[Edit]:
    """Return what was mended of a row and stands, oldest first."""
    rows = book.connection.execute(
        f"{_EDIT} WHERE subject = ? AND item = ? AND undone IS NULL ORDER BY edit.moment, field",
        (subject, item),
    )
    return [Edit(*row) for row in rows]


def edits_at(book: Logbook, moment: int) -> list[Edit]:
    """Return what was mended in one moment and stands."""
    rows = book.connection.execute(
        f"{_EDIT} WHERE edit.moment = ? AND undone IS NULL AND NOT ({TOLD_LATE})"
        " ORDER BY subject, item, field",
        (moment,),
    )
    return [Edit(*row) for row in rows]


def take_back(book: Logbook, moment: int, edit: Edit) -> None:
    """Take an edit back; whatever was edited of the same column since stays as it is."""
    book.connection.execute(
        "UPDATE edit SET undone = ? WHERE moment = ? AND subject = ? AND item = ? AND field = ?",
        (moment, edit.moment, edit.subject, edit.item, edit.field),
    )
    if edit.subject != "reading":
        put(book, edit.subject, edit.item, edit.field, standing_value(book, edit))


def standing_value(book: Logbook, edit: Edit) -> Plain:
    """Return the value of the column that an edit is of, after all edits of it."""
    rows = book.connection.execute(
        "SELECT was, now, undone FROM edit WHERE subject = ? AND item = ? AND field = ?"
        " ORDER BY moment",
        (edit.subject, edit.item, edit.field),
    ).fetchall()
    live = [now for _, now, undone in rows if undone is None]
    return scalar(book, live[-1] if live else rows[0][0])
