"""Names of printers, nozzles, spools and instruments: what may be one, and finding one by it."""

import sqlite3
from typing import Literal, get_args

from metier.core.refusal import Refusal

Table = Literal["printer", "nozzle", "spool", "instrument"]
MACHINES: tuple[Table, ...] = get_args(Table)

LONGEST = 60


def new_name(connection: sqlite3.Connection, table: Table, name: str) -> str:
    """Return ``name`` trimmed, fit to be a new one.

    Raises:
        Refusal: empty, too long, not printable, or taken (whatever the case of its letters).
    """
    trimmed = " ".join(name.split())
    if not trimmed:
        raise Refusal(f"{_a(table)} needs a name: it is empty")
    if len(trimmed) > LONGEST or not trimmed.isprintable():
        raise Refusal(f"{_a(table)}'s name has up to {LONGEST} printable characters")
    if trimmed.startswith("-"):
        raise Refusal(f"{table} name '{trimmed}' starts with a dash and would read as an option")
    taken = connection.execute(
        f"SELECT name, retired FROM {table} WHERE name = ?", (trimmed,)
    ).fetchone()
    if taken and taken[1]:
        raise Refusal(
            f"there is {_a(table)} '{taken[0]}' out of use: choose another name, or take it up "
            f"again with metier {table} retire {taken[0]} --back"
        )
    if taken:
        raise Refusal(f"there is {_a(table)} '{taken[0]}' already: choose another name")
    return trimmed


def named_item(connection: sqlite3.Connection, table: Table, name: str) -> tuple[int, str]:
    """Return the row of a name, and the name as it is written there.

    Raises:
        Refusal: unknown, naming the nearest.
    """
    row = connection.execute(
        f"SELECT id, name FROM {table} WHERE name = ?", (name.strip(),)
    ).fetchone()
    if row is None:
        raise refuse_unknown(connection, table, name)
    return int(row[0]), str(row[1])


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
        wanted = f"{called} ({number})"
    return wanted


def _a(table: Table) -> str:
    return f"an {table}" if table == "instrument" else f"a {table}"


def refuse_unknown(connection: sqlite3.Connection, table: Table, name: str) -> Refusal:
    """Return the refusal of an unknown name, with the nearest known one."""
    rows = connection.execute(f"SELECT name FROM {table} WHERE retired = 0 ORDER BY name")
    known = [str(row[0]) for row in rows]
    if not known:
        return Refusal(f"no {table} '{name}': there is none yet; see metier {table} add --help")
    import difflib

    near = difflib.get_close_matches(name.lower(), [one.lower() for one in known], 1, 0.5)
    if near:
        nearest = next(one for one in known if one.lower() == near[0])
        return Refusal(f"no {table} '{name}': did you mean '{nearest}'?")
    return Refusal(f"no {table} '{name}': known are {', '.join(known[:8])}")
