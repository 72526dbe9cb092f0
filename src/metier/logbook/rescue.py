"""What can be read of a damaged logbook, copied into a new one; and what could not.

Pages that SQLite refuses are passed by, from both ends of a table. Text that is none any more is
left empty where a row can do without it. What refers to what is lost is lost with it, but for
moments: these get the time of the one before. Trials whose findings are lost are judged anew.
"""

import json
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from typing import Any, NamedTuple

from metier.logbook.book import Logbook
from metier.logbook.location import explained
from metier.logbook.opening import open_or_make, opened_as_it_is

_NO_TIME = "2000-01-01T00:00:00Z"
# What a column holds, where its name does not say it; and tables that tell nobody anything.
_PLAIN = {"at": "time", "findings": "finding"}
_UNTOLD = {"outcome", "fate", "skip", "shown"}
_JSON = {"settings", "findings", "affects", "was", "now"}
Judge = Callable[[Logbook, int], bool]


class Rescued(NamedTuple):
    """How many rows of each table were copied, what was lost of each, and trials judged anew."""

    copied: dict[str, int]
    lost: dict[str, list[str]]
    judged: list[int]


def rescue(path: str, into: str, judge: Judge) -> Rescued:
    """Copy what can be read of a logbook into a new one.

    ``judge`` judges a trial anew by its readings; tells whether that could be done.

    Raises:
        LogbookFailure: nothing can be read of it at all.
    """
    with closing(opened_as_it_is(path)) as source, open_or_make(into) as book:
        source.text_factory = bytes
        return _Rescue(source, book, path).run(judge)


class _Rescue:
    """One rescue on its way."""

    def __init__(self, source: sqlite3.Connection, book: Logbook, path: str) -> None:
        self._source, self._book, self._path = source, book, path
        self._target = book.connection
        self._lost: dict[str, list[str]] = {}
        self._unjudged: set[int] = set()

    def run(self, judge: Judge) -> Rescued:
        tables = _tables(self._target)
        with self._book.transaction(marked=False):
            self._target.execute("PRAGMA defer_foreign_keys = ON")
            for table in tables:
                for row in self._rows(table):
                    self._copy(table, row)
            self._fill_moments(tables)
            # What refers to a table stands behind it, so that one pass is enough.
            for table in tables:
                self._drop_orphans(table)
        judged = []
        for number in sorted(self._unjudged):
            if judge(self._book, number):
                judged.append(number)
            else:
                self._note("trial", f"{number}: neither its finding nor another by its readings")
        copied = {
            table: self._target.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
            for table in tables
        }
        return Rescued(copied, self._lost, judged)

    def _note(self, table: str, what: str) -> None:
        self._lost.setdefault(table, []).append(what)

    def _rows(self, table: str) -> Iterator[dict[str, Any]]:
        """Yield the rows of a table from its beginning, then from its end up to a damaged page."""
        try:
            described = self._source.execute(f"PRAGMA table_info({table})").fetchall()
            columns = [row[1].decode() for row in described]
            key = [row[1].decode() for row in described if row[5]]
        except sqlite3.Error as error:
            failure = explained(error, self._path)
            raise failure or error from error
        seen = set()
        for order in ("ASC", "DESC"):
            keys = ", ".join(f"{column} {order}" for column in key)
            try:
                cursor = self._source.execute(f"SELECT * FROM {table} ORDER BY {keys}")
                for values in cursor:
                    row = dict(zip(columns, values, strict=True))
                    place = tuple(row[column] for column in key)
                    if place not in seen:
                        seen.add(place)
                        yield row
                return
            except sqlite3.Error as error:
                if order == "DESC":
                    self._note(table, f"some rows: {error}")

    def _copy(self, table: str, row: dict[str, Any]) -> None:
        cells = {column: self._cell(table, column, value) for column, value in row.items()}
        if table == "moment" and not _is_time(cells["at"]):
            cells["at"] = None
        unread = [column for column, cell in cells.items() if cell is None and row[column]]
        if table == "moment" and cells["at"] is None:
            cells["at"] = self._time_before(cells["id"])
        if table == "trial" and cells["measured"] and not (cells["findings"] and cells["verdict"]):
            cells.update(findings="{}", verdict="unclear")
            self._unjudged.add(cells["id"])
        if table == "reading" and cells["typed"] is None:
            cells["typed"] = f"{cells['value']}"
        kept = {column: value for column, value in cells.items() if value is not None}
        try:
            self._target.execute(
                f"INSERT INTO {table} ({', '.join(kept)}) VALUES ({', '.join('?' * len(kept))})",
                list(kept.values()),
            )
        except (sqlite3.Error, OverflowError) as error:
            cannot = f"its {unread[0]} cannot be read" if unread else f"it cannot be kept ({error})"
            self._note(table, f"{_named(row)}: {cannot}")
            return
        for column in unread:
            self._note(table, f"{_named(row)}: its {_PLAIN.get(column, column)}, the rest is there")

    def _cell(self, table: str, column: str, value: Any) -> Any:
        """Return a cell as it is kept; nothing where it cannot be read."""
        if not isinstance(value, bytes):
            return value
        try:
            text = value.decode()
            if column in _JSON or (table, column) == ("preference", "value"):
                json.loads(text)
            return text
        except (UnicodeDecodeError, ValueError, RecursionError):
            return None

    def _time_before(self, moment: int) -> str:
        row = self._target.execute(
            "SELECT at FROM moment WHERE id < ? ORDER BY id DESC LIMIT 1", (moment,)
        ).fetchone()
        return str(row[0]) if row else _NO_TIME

    def _fill_moments(self, tables: list[str]) -> None:
        """Make the moments that something happened at and that cannot be read any more."""
        for table in tables:
            for _, _, parent, column, *_ in _references(self._target, table):
                if parent != "moment":
                    continue
                rows = self._target.execute(
                    f"SELECT DISTINCT {column} FROM {table} WHERE {column} NOT IN"
                    " (SELECT id FROM moment) ORDER BY 1"
                ).fetchall()
                for (moment,) in rows:
                    self._target.execute(
                        "INSERT INTO moment (id, at) VALUES (?, ?)",
                        (moment, self._time_before(moment)),
                    )
                    self._note("moment", f"{moment}: its time")

    def _drop_orphans(self, table: str) -> None:
        """Drop what refers to rows that are lost."""
        for _, _, parent, column, to, *_ in _references(self._target, table):
            where = f"{column} IS NOT NULL AND {column} NOT IN (SELECT {to or 'id'} FROM {parent})"
            cursor = self._target.execute(f"SELECT * FROM {table} WHERE {where}")
            names = [described[0] for described in cursor.description]
            for values in cursor.fetchall():
                row = dict(zip(names, values, strict=True))
                if table not in _UNTOLD:
                    self._note(table, f"{_named(row)}: its {parent} is lost")
            self._target.execute(f"DELETE FROM {table} WHERE {where}")


def _tables(connection: sqlite3.Connection) -> list[str]:
    """Return the tables of a logbook, each behind those it refers to."""
    rows = connection.execute(
        "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%'"
        " ORDER BY name <> 'moment', rowid"
    )
    return [row[0] for row in rows]


def _references(connection: sqlite3.Connection, table: str) -> list[tuple[Any, ...]]:
    return connection.execute(f"PRAGMA foreign_key_list({table})").fetchall()


def _is_time(at: object) -> bool:
    return isinstance(at, str) and at[4:5] == "-" and at.endswith("Z") and len(at) == 20


def _named(row: dict[str, Any]) -> str:
    """Return what tells a row from others: its name or number, and what was typed."""
    told = ("id", "name", "trial", "typed", "kind", "value")
    words = [row[column] for column in told if column in row]
    return " ".join(
        word.decode(errors="replace") if isinstance(word, bytes) else f"{word}"
        for word in words
        if word is not None
    )
