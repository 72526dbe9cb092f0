"""A logbook that cannot be read or written: one clear line, nothing written."""

import sqlite3


class LogbookFailure(Exception):
    """Why the logbook could not be used, and what to do: one line for the user."""


def explained(error: sqlite3.Error, path: str) -> LogbookFailure:
    """Say in one line what an SQLite error means to whoever keeps the logbook."""
    text = str(error)
    name = getattr(error, "sqlite_errorname", "")
    if name.startswith("SQLITE_NOTADB") or "not a database" in text:
        return LogbookFailure(f"{path} is not a Metier logbook: nothing was written to it")
    if name.startswith("SQLITE_CORRUPT") or "malformed" in text:
        return LogbookFailure(
            f"logbook {path} is damaged: nothing was recorded; "
            "keep a copy of it and restore a backup"
        )
    if name.startswith(("SQLITE_BUSY", "SQLITE_LOCKED")):
        return LogbookFailure(
            f"logbook {path} is locked by another program: nothing was recorded; "
            "try again when that is done"
        )
    if name.startswith("SQLITE_READONLY"):
        return LogbookFailure(f"logbook {path} is read-only: nothing was recorded")
    if name.startswith("SQLITE_FULL"):
        return LogbookFailure(f"no room left for logbook {path}: nothing was recorded")
    if name.startswith(("SQLITE_CANTOPEN", "SQLITE_IOERR", "SQLITE_PERM")):
        return LogbookFailure(f"logbook {path} cannot be opened: nothing was recorded ({text})")
    if isinstance(error, sqlite3.OperationalError) and text.startswith("no such"):
        return LogbookFailure(
            f"logbook {path} is damaged ({text}): nothing was recorded; restore a backup"
        )
    return LogbookFailure(f"logbook {path}: {text}; nothing was recorded")
