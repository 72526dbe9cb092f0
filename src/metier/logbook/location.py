"""Where the logbook lies, and what can go wrong with it."""

import os
import sqlite3
import sys
from typing import NamedTuple

from metier.core.errors import BadInput, Failure


class Location(NamedTuple):
    """A logbook's path, and whether its folder is Metier's own to make."""

    path: str
    own_folder: bool


def locate(given: str | None) -> Location:
    """Return the logbook ``given``, else ``METIER_LOGBOOK``, else one in the user's data folder.

    On Linux that folder is by the XDG Base Directory Specification, 0.8; platformdirs knows it
    for every system but takes half as long to import as a whole command may.

    Raises:
        BadInput: nobody says, and there is no home folder.
    """
    named = given or os.environ.get("METIER_LOGBOOK")
    if named:
        return Location(named, False)
    if sys.platform.startswith("linux"):
        folder = os.environ.get("XDG_DATA_HOME", "")
        if not os.path.isabs(folder):
            folder = os.path.expanduser("~/.local/share")
        if not os.path.isabs(folder):
            raise BadInput(
                "there is no home folder to keep a logbook in: name a file with --logbook or "
                "METIER_LOGBOOK"
            )
        folder = os.path.join(folder, "metier")
    else:
        import platformdirs

        folder = platformdirs.user_data_dir("metier", appauthor=False)
    return Location(os.path.join(folder, "logbook.sqlite"), True)


class LogbookFailure(Failure):
    """Why the logbook could not be used, and what to do: one line for the user."""


class Damaged(LogbookFailure):
    """A logbook whose contents do not hold together, and ``how``."""

    def __init__(self, path: str, how: str) -> None:
        super().__init__(
            f"logbook {path} is damaged ({how}): nothing was recorded; restore a backup, or copy "
            "what can be read: metier logbook rescue NEW.sqlite"
        )
        self.how = how


def damaged(path: str, how: str) -> LogbookFailure:
    """Return the failure of a logbook whose contents do not hold together."""
    return Damaged(path, how)


def explained(
    error: sqlite3.Error, path: str, connection: sqlite3.Connection | None = None
) -> LogbookFailure | None:
    """Say in one line what an SQLite error means to whoever keeps the logbook.

    None where the file is not to blame: a statement that SQLite does not understand, on tables
    that are as they should be, is a fault of this program.
    """
    text = str(error)
    name = getattr(error, "sqlite_errorname", "")
    if name == "SQLITE_NOTADB" or "not a database" in text:
        return LogbookFailure(f"{path} is not a Metier logbook: nothing was written to it")
    if name.startswith("SQLITE_CORRUPT"):
        return damaged(path, text)
    if "Could not decode" in text:
        return damaged(path, "some of its text cannot be read")
    if name.startswith(("SQLITE_BUSY", "SQLITE_LOCKED")):
        return LogbookFailure(
            f"another program is using logbook {path}: nothing was recorded; "
            "try again when that is done"
        )
    if name.startswith("SQLITE_READONLY"):
        return LogbookFailure(f"logbook {path} is read-only: nothing was recorded")
    if name.startswith("SQLITE_FULL"):
        return LogbookFailure(f"no room left for logbook {path}: nothing was recorded")
    if name.startswith(("SQLITE_IOERR", "SQLITE_CANTOPEN", "SQLITE_PERM", "SQLITE_AUTH")):
        return LogbookFailure(f"logbook {path} cannot be used: {text}; nothing was recorded")
    if connection is not None and _tables_differ(connection):
        return damaged(path, text)
    return None


def _tables_differ(connection: sqlite3.Connection) -> bool:
    """Tell whether the file's tables are other ones than this program makes."""
    from metier.logbook.schema import MIGRATIONS

    def tables(connection: sqlite3.Connection) -> set[tuple[str, str]]:
        rows = connection.execute(
            "SELECT m.name, c.name FROM sqlite_schema AS m JOIN pragma_table_info(m.name) AS c"
            " WHERE m.type = 'table' AND m.name NOT LIKE 'sqlite_%'"
        )
        return set(rows)

    fresh = sqlite3.connect(":memory:")
    try:
        for script in MIGRATIONS:
            fresh.executescript(script)
        return tables(connection) != tables(fresh)
    except sqlite3.Error:
        return True
    finally:
        fresh.close()
