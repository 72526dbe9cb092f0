"""A logbook that cannot be read or written: one clear line, nothing written."""

import json


class LogbookFailure(Exception):
    """Why the logbook could not be used, and what to do: one line for the user."""


# What reading a damaged page can end in besides SQLite's own errors: text or JSON that is none.
UNREADABLE = (UnicodeDecodeError, json.JSONDecodeError)


def damaged(path: str, how: str) -> LogbookFailure:
    """Return the failure of a logbook whose contents do not hold together."""
    return LogbookFailure(
        f"logbook {path} is damaged ({how}): nothing was recorded; keep a copy, restore a backup"
    )


def explained(error: Exception, path: str) -> LogbookFailure:
    """Say in one line what an SQLite error means to whoever keeps the logbook."""
    text = str(error)
    name = getattr(error, "sqlite_errorname", "")
    if name.startswith("SQLITE_NOTADB") or "not a database" in text:
        return LogbookFailure(f"{path} is not a Metier logbook: nothing was written to it")
    if name.startswith("SQLITE_CORRUPT") or text.startswith("no such"):
        return damaged(path, text)
    if isinstance(error, UNREADABLE):
        return damaged(path, "it holds text that is none")
    if name.startswith(("SQLITE_BUSY", "SQLITE_LOCKED")):
        return LogbookFailure(
            f"logbook {path} is locked by another program: nothing was recorded; "
            "try again when that is done"
        )
    if name.startswith("SQLITE_READONLY"):
        return LogbookFailure(f"logbook {path} is read-only: nothing was recorded")
    if name.startswith("SQLITE_FULL"):
        return LogbookFailure(f"no room left for logbook {path}: nothing was recorded")
    return LogbookFailure(f"logbook {path} cannot be used: {text}; nothing was recorded")
