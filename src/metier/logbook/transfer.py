"""A logbook as one JSON document: out of it, into another, merged without doubling.

Facts are known by the uid of their moment, which is the same in every copy; printers, nozzles,
spools and instruments by name. In the document, a reference to a moment is its uid, one to a
printer its name.
"""

import json
import sqlite3
from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any, NamedTuple

from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.check import unknown_words

FORMAT = "metier-logbook"
VERSION = 1


class _Table(NamedTuple):
    """A table, what it is called in the document, the columns that refer to others, those that
    hold JSON, and its natural key."""

    name: str
    title: str
    references: dict[str, str]
    json_columns: tuple[str, ...] = ()
    key: tuple[str, ...] = ("name",)
    numbered: bool = True


_TABLES = (
    _Table("printer", "printers", {"added": "moment"}),
    _Table("nozzle", "nozzles", {"printer": "printer", "worn": "moment", "added": "moment"}),
    _Table("spool", "spools", {"added": "moment"}),
    _Table("instrument", "instruments", {"zeroed": "moment", "added": "moment"}),
    _Table(
        "change",
        "changes",
        {"moment": "moment", "printer": "printer", "nozzle": "nozzle"},
        ("affects",),
        ("moment",),
        numbered=False,
    ),
    _Table(
        "trial",
        "trials",
        {
            "printer": "printer",
            "nozzle": "nozzle",
            "spool": "spool",
            "planned": "moment",
            "measured": "moment",
            "withdrawn": "moment",
        },
        ("settings", "findings"),
        ("planned",),
    ),
    _Table(
        "reading",
        "readings",
        {"trial": "trial", "amended": "moment"},
        key=("trial", "position", "version"),
        numbered=False,
    ),
    _Table("outcome", "outcomes", {"trial": "trial"}, key=("trial", "kind"), numbered=False),
    _Table(
        "entry",
        "entries",
        {"moment": "moment", "printer": "printer", "nozzle": "nozzle", "spool": "spool"},
        key=("moment", "kind"),
        numbered=False,
    ),
    _Table(
        "bench", "bench", {"printer": "printer", "nozzle": "nozzle", "spool": "spool"}, key=("id",)
    ),
)


class Imported(NamedTuple):
    """How much an import brought: new facts, new trials, and trials that got another number."""

    facts: int
    trials: int
    renumbered: dict[int, int]


def exported(book: Logbook) -> dict[str, Any]:
    """Return all that a logbook holds."""
    moments = book.connection.execute("SELECT uid, at FROM moment ORDER BY id").fetchall()
    names = _names(book)
    document: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "moments": [{"uid": uid, "at": at} for uid, at in moments],
    }
    for table in _TABLES:
        order = "id" if table.numbered else ", ".join(table.key)
        cursor = book.connection.execute(f"SELECT * FROM {table.name} ORDER BY {order}")
        columns = [column[0] for column in cursor.description]
        rows = []
        for values in cursor:
            row = dict(zip(columns, values, strict=True))
            for column, target in table.references.items():
                if row[column] is not None:
                    row[column] = names[target][row[column]]
            for column in table.json_columns:
                row[column] = row[column] and json.loads(row[column])
            if table.numbered and table.name != "trial":
                del row["id"]
            rows.append(row)
        document[table.title] = rows
    return document


def import_into(
    book: Logbook, document: Any, unreadable: Callable[[Logbook], Sequence[str]]
) -> Imported:
    """Bring in what a logbook lacks; what both have stays once.

    A trial that went on in the other copy (measured, amended, withdrawn there) is taken from it.
    ``unreadable`` names what the kinds of trials cannot read of the logbook as it would be.

    Raises:
        Refusal: not such a document, or one that does not hold together; nothing is changed then.
    """
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise Refusal("that is no exported Metier logbook")
    if document.get("version") != VERSION:
        raise Refusal(
            f"that logbook is of version {document.get('version')!r:.20}, this Metier knows "
            f"{VERSION}: update Metier"
        )
    refuse_half = Refusal("that exported logbook is damaged: nothing was imported")
    try:
        with book.transaction(marked=False):
            imported = _merge(book, document)
            for problem in (*unknown_words(book), *unreadable(book)):
                raise Refusal(f"that exported logbook cannot be read ({problem}): nothing imported")
            return imported
    except (KeyError, TypeError, AttributeError, ValueError, OverflowError) as error:
        if isinstance(error, Refusal):
            raise
        raise refuse_half from error
    except sqlite3.IntegrityError as error:
        raise refuse_half from error


def _merge(book: Logbook, document: dict[str, Any]) -> Imported:
    book.connection.execute("PRAGMA defer_foreign_keys = ON")
    known = [row[0] for row in book.connection.execute("SELECT uid FROM moment ORDER BY id")]
    theirs = [(str(moment["uid"]), str(moment["at"])) for moment in document["moments"]]
    new = {uid for uid, _ in theirs} - set(known)
    book.connection.executemany(
        "INSERT INTO moment (uid, at) VALUES (?, ?)", [one for one in theirs if one[0] in new]
    )
    renumbered: dict[int, int] = {}
    trials = 0
    amended = {row["trial"] for row in document["readings"] if row["amended"] in new}
    for table in _TABLES:
        ids = _ids(book, renumbered)
        for row in document[table.title]:
            went_on = _went_on(table, row, new) or (table.name == "trial" and row["id"] in amended)
            fresh = _bring(book, table, dict(row), ids, went_on, renumbered)
            trials += fresh and table.name == "trial"
    _put_in_order(book, _merged_order(book, known, [uid for uid, _ in theirs]))
    return Imported(len(new), trials, {old: now for old, now in renumbered.items() if old != now})


def _went_on(table: _Table, row: dict[str, Any], new: set[str]) -> bool:
    """Tell whether something happened to a row that this logbook does not know of."""
    return any(
        row[column] in new for column, target in table.references.items() if target == "moment"
    )


def _bring(
    book: Logbook,
    table: _Table,
    row: dict[str, Any],
    ids: dict[str, dict[Any, int]],
    went_on: bool,
    renumbered: dict[int, int],
) -> bool:
    """Insert a row, or update the one there is if it went on; tells whether it is a new one."""
    for column, target in table.references.items():
        if row[column] is not None:
            row[column] = ids[target][_key(row[column])]
    for column in table.json_columns:
        row[column] = None if row[column] is None else json.dumps(row[column])
    where = " AND ".join(f"{column} IS ?" for column in table.key)
    key = [1 if column == "id" else row[column] for column in table.key]
    there = book.connection.execute(f"SELECT * FROM {table.name} WHERE {where}", key).fetchone()
    if table.name == "bench":
        row["id"] = 1
    if there is not None:
        if table.name == "trial":
            renumbered[row["id"]] = there[0]
            del row["id"]
        if went_on and table.name in ("trial", "nozzle", "instrument", "reading"):
            _update(book, table, row, where, key)
            if table.name == "trial":
                book.connection.execute("DELETE FROM outcome WHERE trial = ?", (there[0],))
        return False
    if table.name == "trial":
        _number(book, row, renumbered)
    marks = ", ".join("?" for _ in row)
    book.connection.execute(
        f"INSERT INTO {table.name} ({_columns(row)}) VALUES ({marks})", list(row.values())
    )
    return True


def _columns(row: dict[str, Any]) -> str:
    for column in row:
        if not column.isidentifier():
            raise ValueError(f"no column {column!r}")
    return ", ".join(row)


def _update(
    book: Logbook, table: _Table, row: dict[str, Any], where: str, key: Sequence[Any]
) -> None:
    _columns(row)
    settings = ", ".join(f"{column} = ?" for column in row)
    book.connection.execute(
        f"UPDATE {table.name} SET {settings} WHERE {where}", [*row.values(), *key]
    )


def _number(book: Logbook, row: dict[str, Any], renumbered: dict[int, int]) -> None:
    """Keep a trial's number if it is free here, else take the next."""
    number = row["id"]
    taken = book.connection.execute("SELECT 1 FROM trial WHERE id = ?", (number,)).fetchone()
    if taken:
        row["id"] = book.connection.execute("SELECT max(id) + 1 FROM trial").fetchone()[0]
    renumbered[number] = row["id"]


def _names(book: Logbook) -> dict[str, dict[int, Any]]:
    """Return what the rows of each table are called in a document."""
    found: dict[str, dict[int, Any]] = {
        name: dict(book.connection.execute(f"SELECT id, name FROM {name}").fetchall())
        for name in ("printer", "nozzle", "spool")
    }
    found["moment"] = dict(book.connection.execute("SELECT id, uid FROM moment").fetchall())
    found["trial"] = {row[0]: row[0] for row in book.connection.execute("SELECT id FROM trial")}
    return found


def _ids(book: Logbook, renumbered: dict[int, int]) -> dict[str, dict[Any, int]]:
    """Return the ids here of what a document names."""
    found = {
        table: {_key(name): number for number, name in names.items()}
        for table, names in _names(book).items()
    }
    found["trial"] = dict(renumbered)
    return found


def _key(name: Any) -> Any:
    """Names that differ by case alone are the same."""
    return name.lower() if isinstance(name, str) else name


def _merged_order(book: Logbook, known: Sequence[str], theirs: Sequence[str]) -> list[str]:
    """Return all moments in one order: as each copy had them, and else by the clock."""
    at = dict(book.connection.execute("SELECT uid, at FROM moment").fetchall())
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
        elif not ours or ours[0] in in_theirs or at[other[0]] < at[ours[0]]:
            order[right.pop()] = None
        else:
            order[left.pop()] = None
    return list(order)


def _put_in_order(book: Logbook, order: Sequence[str]) -> None:
    """Renumber the moments so that their ids follow ``order``."""
    ids = dict(book.connection.execute("SELECT uid, id FROM moment").fetchall())
    if all(ids[before] < ids[after] for before, after in pairwise(order)):
        return
    book.connection.execute("CREATE TEMP TABLE place (old INTEGER PRIMARY KEY, new INTEGER)")
    book.connection.executemany(
        "INSERT INTO place VALUES (?, ?)", [(ids[uid], n) for n, uid in enumerate(order, 1)]
    )
    columns = [("moment", "id")]
    for table in _TABLES:
        columns += [
            (table.name, column) for column, to in table.references.items() if to == "moment"
        ]
    for table_name, column in columns:
        # Through negative numbers, so that no two rows meet on the way.
        book.connection.execute(
            f"UPDATE {table_name} SET {column} = -(SELECT new FROM place WHERE old = {column})"
            f" WHERE {column} IS NOT NULL"
        )
    for table_name, column in columns:
        book.connection.execute(f"UPDATE {table_name} SET {column} = -{column} WHERE {column} < 0")
    book.connection.execute("DROP TABLE place")
