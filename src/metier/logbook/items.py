"""What the workshop has by name, printers, nozzles, spools and instruments alike: what may be a
name, adding one, finding one, listing them.

A record's fields are the columns of its table, and its class has the table's name.
"""

import re
import sqlite3
from collections.abc import Iterable
from typing import Literal, TypeVar, get_args

from metier.core.errors import BadInput
from metier.logbook.book import Logbook, Plain
from metier.logbook.edits import put

Table = Literal["printer", "nozzle", "spool", "instrument"]
MACHINES: tuple[Table, ...] = get_args(Table)
I = TypeVar("I", bound=tuple[object, ...])  # noqa: E741 (an item)

LONGEST = 60
# What stands in another table than the item's own.
_ELSEWHERE = {"zeroed_at": "(SELECT at FROM moment WHERE moment.id = zeroed)"}


def add(book: Logbook, moment: int, record: type[I], name: str, **told: Plain) -> I:
    """Add an item under a new name, with what is told of it.

    Raises:
        BadInput: a name that cannot be one or is taken.
    """
    table = _table(record)
    fields = {"name": new_name(book.connection, table, name), **told, "added": moment}
    marks = ", ".join("?" * len(fields))
    book.connection.execute(
        f"INSERT INTO {table} ({', '.join(fields)}) VALUES ({marks})", tuple(fields.values())
    )
    return named(book, record, str(fields["name"]))


def listed(
    book: Logbook, record: type[I], *, retired: bool = False, printer: int | None = None
) -> list[I]:
    """Return the items in use by name, fern-2 before fern-10; with ``retired`` all of them, or
    those of a printer."""
    wanted = ["1" if retired else "retired = 0", "1" if printer is None else "printer = ?"]
    values = () if printer is None else (printer,)
    items = found(book, record, f"WHERE {' AND '.join(wanted)}", values)
    return sorted(items, key=lambda item: natural(item.name))  # type: ignore[attr-defined]


def natural(name: str) -> list[tuple[int, str]]:
    """Return what puts names in the order that people count in.

    >>> sorted(["fern-10", "Fern-2", "ash"], key=natural)
    ['ash', 'Fern-2', 'fern-10']
    """
    parts = re.split(r"(\d+)", name.casefold())
    return [(int(part), "") if part.isdecimal() else (-1, part) for part in parts]


def found(book: Logbook, record: type[I], where: str, values: Iterable[object] = ()) -> list[I]:
    """Return the items that a condition of SQL is true of."""
    rows = book.connection.execute(f"{_select(record)} {where}", tuple(values))
    return [_item(record, row) for row in rows]


def named(book: Logbook, record: type[I], name: str) -> I:
    """Return an item.

    Raises:
        BadInput: unknown, naming the nearest.
    """
    items = found(book, record, "WHERE name = ?", (name.strip(),))
    if not items:
        raise refuse_unknown(book.connection, _table(record), name)
    return items[0]


def by_id(book: Logbook, record: type[I], item: int) -> I:
    """Return an item that the logbook itself refers to."""
    return _item(record, book.row(f"{_select(record)} WHERE id = ?", item))


def _table(record: type[I]) -> Table:
    name = record.__name__.lower()
    return next(table for table in MACHINES if table == name)


def _select(record: type[I]) -> str:
    columns = (_ELSEWHERE.get(name, name) for name in record._fields)  # type: ignore[attr-defined]
    return f"SELECT {', '.join(columns)} FROM {_table(record)}"


def _item(record: type[I], row: Iterable[object]) -> I:
    kinds = record.__annotations__.values()
    values = (bool(cell) if kind is bool else cell for kind, cell in zip(kinds, row, strict=True))
    item: I = record._make(values)  # type: ignore[attr-defined]
    return item


def new_name(connection: sqlite3.Connection, table: Table, name: str) -> str:
    """Return ``name`` trimmed, fit to be a new one.

    Raises:
        BadInput: empty, too long, not printable, or taken (whatever the case of its letters).
    """
    trimmed = " ".join(name.split())
    if not trimmed:
        raise BadInput(f"{_a(table)} needs a name: it is empty")
    if len(trimmed) > LONGEST or not trimmed.isprintable():
        raise BadInput(f"{_a(table)}'s name has up to {LONGEST} printable characters")
    if trimmed.startswith("-"):
        raise BadInput(f"{table} name '{trimmed}' starts with a dash and would read as an option")
    taken = connection.execute(
        f"SELECT name, retired FROM {table} WHERE name = ?", (trimmed,)
    ).fetchone()
    if _NUMBERED.search(trimmed):
        raise BadInput(
            f"{table} name '{trimmed}': a number in brackets at its end tells others of one name "
            "apart: choose another name"
        )
    if taken and taken[1]:
        raise BadInput(
            f"there is {_a(table)} '{taken[0]}' out of use: choose another name, or take it up "
            f"again with metier {table} retire {taken[0]} --back"
        )
    if taken:
        raise BadInput(f"there is {_a(table)} '{taken[0]}' already: choose another name")
    return trimmed


def free_name(
    connection: sqlite3.Connection, table: Table, called: str, but: int | None = None
) -> str:
    """Return a name that is free, as SQLite compares names: this one, or it with a number.

    The row ``but`` may have it.
    """
    wanted, number = called, 1
    query = f"SELECT 1 FROM {table} WHERE name = ? AND id IS NOT ?"
    while connection.execute(query, (wanted, but)).fetchone():
        number += 1
        wanted = _numbered(called, number)
    return wanted


def name_by_age(book: Logbook, table: Table) -> None:
    """Let the first that was added of those of one name have it; the others get a number."""
    names = dict(book.connection.execute(f"SELECT id, name FROM {table} ORDER BY added"))
    places: dict[str, int] = {}
    other = {}
    for item, name in names.items():
        bare = _NUMBERED.sub("", name)
        places[bare.casefold()] = place = places.get(bare.casefold(), 0) + 1
        if name != _numbered(bare, place):
            other[item] = _numbered(bare, place)
    # Through names that nothing has, so that no two meet on the way.
    for item in other:
        put(book, table, item, "name", f"\n{item}")
    for item, name in other.items():
        put(book, table, item, "name", name)


# What tells others of one name apart.
_NUMBERED = re.compile(r"(?: \(\d+\))+$")


def _numbered(name: str, place: int) -> str:
    return name if place == 1 else f"{name} ({place})"


def _a(table: Table) -> str:
    return f"an {table}" if table == "instrument" else f"a {table}"


def refuse_unknown(connection: sqlite3.Connection, table: Table, name: str) -> BadInput:
    """Return the refusal of an unknown name, with the nearest known one."""
    rows = connection.execute(f"SELECT name FROM {table} WHERE retired = 0 ORDER BY name")
    known = [str(row[0]) for row in rows]
    if not known:
        return BadInput(f"no {table} '{name}': there is none yet; see metier {table} add --help")
    import difflib

    near = difflib.get_close_matches(name.lower(), [word.lower() for word in known], 1, 0.5)
    if near:
        nearest = next(word for word in known if word.lower() == near[0])
        return BadInput(f"no {table} '{name}': did you mean '{nearest}'?")
    return BadInput(f"no {table} '{name}': known are {', '.join(known[:8])}")
