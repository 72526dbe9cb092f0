"""An open logbook, and the one way to write to it."""

import json
import os
import sqlite3
from collections.abc import Callable, Hashable, Iterator
from contextlib import closing, contextmanager
from typing import Any, Self, TypeVar

from metier import clock
from metier.logbook.location import LogbookFailure, damaged, explained

NOTHING_RECORDED = "nothing was recorded"

T = TypeVar("T")
Plain = str | int | float | None


class Logbook:
    """An open logbook; a context manager that explains what SQLite reports.

    ``recorded`` says what was written to it since it was opened, for whoever has to say so
    should something go wrong afterwards.
    """

    def __init__(self, path: str, connection: sqlite3.Connection) -> None:
        self.path = path
        self.connection = connection
        self.recorded = ""
        self._moment: int | None = None
        self._known: dict[Hashable, Any] = {}
        self._known_at: tuple[int, int] | None = None

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        try:
            failure = error if isinstance(error, LogbookFailure) else None
            if isinstance(error, sqlite3.Error):
                failure = explained(error, self.path, self.connection)
            if no_text(error):
                failure = damaged(self.path, "some of its text is none any more")
            if failure is not None and (failure is not error or self.recorded):
                # What failed may have been a look at what is recorded by now.
                said = str(failure).replace(NOTHING_RECORDED, self.recorded or NOTHING_RECORDED)
                raise LogbookFailure(said) from error
            if error is not None:
                error.add_note(self.recorded or NOTHING_RECORDED)
        finally:
            self.connection.close()

    def row(self, query: str, key: Plain) -> tuple[Any, ...]:
        """Return the row that the logbook itself refers to by ``key``.

        Raises:
            LogbookFailure: it is not there, so the file is damaged.
        """
        cells = self.connection.execute(query, (key,)).fetchone()
        if cells is None:
            raise damaged(self.path, "something it refers to is missing")
        return tuple(cells)

    def known(self, what: Hashable, find: Callable[[], T]) -> T:
        """Return what was found before, as long as nobody has written to the logbook since."""
        (version,) = self.connection.execute("PRAGMA data_version").fetchone()
        stands_at = (version, self.connection.total_changes)
        if stands_at != self._known_at:
            self._known, self._known_at = {}, stands_at
        if what not in self._known:
            self._known[what] = find()
        known: T = self._known[what]
        return known

    @contextmanager
    def transaction(self, marked: bool = True) -> Iterator[int]:
        """Write all or nothing; yields the moment that the facts recorded in it share.

        Without ``marked`` nothing happens at a moment of its own, and 0 is yielded. Inside
        another transaction it is a part of that one.

        Raises:
            LogbookFailure: the file has no write permission.
        """
        refuse_read_only(self.path)
        if self._moment is not None:
            yield self._moment
            return
        with all_or_nothing(self.connection):
            try:
                self._moment = self.moment() if marked else 0
                yield self._moment
            finally:
                self._moment = None
        self.recorded = self.recorded or "what you gave is recorded"

    @contextmanager
    def snapshot(self) -> Iterator[None]:
        """See the logbook as it is at one moment, whatever others write meanwhile."""
        if self.connection.in_transaction:
            yield
            return
        self.connection.execute("BEGIN")
        try:
            yield
        finally:
            if self.connection.in_transaction:
                self.connection.execute("ROLLBACK")

    def copied(self) -> bytes:
        """Return the whole file as it is now, with what still stands in the files beside it.

        Made by SQLite's own backup, which waits for nobody and keeps nobody waiting.
        """
        with closing(sqlite3.connect(":memory:", isolation_level=None)) as copy:
            self.connection.backup(copy)
            # A file of its own has no write-ahead log beside it until it is opened to write.
            return bytes(copy.serialize())

    def moment(self) -> int:
        """Record that something happened now; returns its place in the order of facts.

        Its uid begins with the microsecond, so that what two copies recorded in one second has an
        order that both see.
        """
        now = clock.now()
        uid = f"{int(now.timestamp() * 1e6):013x}{os.urandom(2).hex()[:3]}"
        row = self.connection.execute(
            "INSERT INTO moment (uid, at) VALUES (?, ?) RETURNING id", (uid, clock.stored(now))
        )
        return int(row.fetchone()[0])


def decoded(book: Logbook, text: str, form: type[T], of: str = "some of it") -> T:
    """Return the JSON that a column holds, an object or a list; ``of`` says what it is of.

    Raises:
        LogbookFailure: it is none, so the file is damaged.
    """
    record = plain(book, text, of)
    if not isinstance(record, form):
        raise damaged(book.path, f"{of} is other JSON than it should be")
    return record


def plain(book: Logbook, text: str, of: str = "some of it") -> Any:
    """Return the JSON that a column holds, whatever it is; ``of`` says what it is of.

    Raises:
        LogbookFailure: it is none, so the file is damaged.
    """
    try:
        return json.loads(text)
    except (ValueError, TypeError, RecursionError) as error:
        raise damaged(book.path, f"{of} is no JSON any more") from error


def scalar(book: Logbook, text: str) -> Plain:
    """Return the JSON that a column holds, one value.

    Raises:
        LogbookFailure: it is none, so the file is damaged.
    """
    value: Plain = plain(book, text)
    if isinstance(value, dict | list):
        raise damaged(book.path, "some of it is other JSON than it should be")
    return value


def no_text(error: BaseException | None) -> bool:
    """Tell whether bytes of the file are damaged: files of others are read with their own
    refusals."""
    return isinstance(error, UnicodeDecodeError)


def refuse_read_only(path: str) -> None:
    """Refuse a file that nobody may write, even where this user could all the same.

    Raises:
        LogbookFailure: the file carries no write permission.
    """
    if os.path.exists(path) and not writable(path):
        raise LogbookFailure(f"logbook {path} is read-only: nothing was recorded")
    if os.path.exists(path) and not writable_folder(path):
        raise LogbookFailure(f"the folder of logbook {path} cannot be written: {NOTHING_RECORDED}")


def writable_folder(path: str) -> bool:
    """Tell whether files may be made in the folder of a file."""
    return os.access(os.path.dirname(os.path.abspath(path)), os.W_OK)


def writable(path: str) -> bool:
    """Tell whether a file may be written, by its mode and by this user."""
    return bool(os.stat(path).st_mode & 0o222) and os.access(path, os.W_OK)


@contextmanager
def all_or_nothing(connection: sqlite3.Connection) -> Iterator[None]:
    """Keep what is written within only if its end is reached; being interrupted undoes it too."""
    # What is acknowledged is on the disk, whatever SQLite was built to take for enough.
    connection.execute("PRAGMA synchronous = FULL")
    connection.execute("BEGIN IMMEDIATE")
    whole = False
    try:
        yield
        whole = True
    finally:
        # Some failures have rolled it back already.
        if connection.in_transaction:
            connection.execute("COMMIT" if whole else "ROLLBACK")
