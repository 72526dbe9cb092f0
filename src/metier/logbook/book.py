"""Opening a logbook, and the one way to write to it."""

import json
import os
import sqlite3
import stat
import time
from collections.abc import Iterator
from contextlib import ExitStack, closing, contextmanager
from datetime import UTC, datetime
from typing import Any, Self, TypeVar

from metier.core.refusal import Refusal
from metier.logbook.failure import LogbookFailure, damaged, explained
from metier.logbook.schema import APPLICATION_ID, MIGRATIONS, VERSION

# Twenty processes that record at once wait for each other; a program that hangs is given up on.
LOCK_TIMEOUT_S = 10.0
NOTHING_RECORDED = "nothing was recorded"

T = TypeVar("T")


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

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        try:
            failure = error if isinstance(error, LogbookFailure) else None
            if isinstance(error, sqlite3.Error):
                failure = explained(error, self.path, self.connection)
            if _no_text(error):
                failure = damaged(self.path, "some of its text is none any more")
            if failure is not None and (failure is not error or self.recorded):
                # What failed may have been a look at what is recorded by now.
                said = str(failure).replace(NOTHING_RECORDED, self.recorded or NOTHING_RECORDED)
                raise LogbookFailure(said) from error
            if error is not None:
                error.add_note(self.recorded or NOTHING_RECORDED)
        finally:
            self.connection.close()

    def row(self, query: str, key: int) -> tuple[Any, ...]:
        """Return the row that the logbook itself refers to by ``key``.

        Raises:
            LogbookFailure: it is not there, so the file is damaged.
        """
        found = self.connection.execute(query, (key,)).fetchone()
        if found is None:
            raise damaged(self.path, "something it refers to is missing")
        return tuple(found)

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
        with _all_or_nothing(self.connection):
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
        """Record that something happened now; returns its place in the order of facts."""
        at = datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
        row = self.connection.execute("INSERT INTO moment (at) VALUES (?) RETURNING id", (at,))
        return int(row.fetchone()[0])


def decoded(book: Logbook, text: str, form: type[T]) -> T:
    """Return the JSON that a column holds, an object or a list.

    Raises:
        LogbookFailure: it is none, so the file is damaged.
    """
    found = plain(book, text)
    if not isinstance(found, form):
        raise damaged(book.path, "some of it is other JSON than it should be")
    return found


def plain(book: Logbook, text: str) -> Any:
    """Return the JSON that a column holds, whatever it is.

    Raises:
        LogbookFailure: it is none, so the file is damaged.
    """
    try:
        return json.loads(text)
    except ValueError as error:
        raise damaged(book.path, "some of it is no JSON any more") from error


def open_existing(path: str) -> Logbook:
    """Open a logbook, or an empty one in memory where there is none yet.

    Raises:
        LogbookFailure: not a logbook, damaged, unreadable, or from a newer program.
    """
    with _explained(path, "opened"), ExitStack() as on_failure:
        if not _there(path):
            connection = on_failure.enter_context(closing(_connect(":memory:")))
            _migrate(connection, path)
        else:
            mode = "rw" if _writable(path) else "ro"
            connection = on_failure.enter_context(closing(_connect(path, mode)))
            try:
                version = _version(connection, path)
            except sqlite3.OperationalError:
                if _writable(path) and _writable_folder(path):
                    raise
                # In a folder that cannot be written SQLite cannot keep its own side files.
                connection.close()
                _refuse_unseen(path)
                connection = on_failure.enter_context(closing(_connect(path, "ro", True)))
                version = _version(connection, path)
            if version < VERSION and not (_writable(path) and _writable_folder(path)):
                # An older logbook that may not be changed is brought up to date in memory.
                file, connection = (
                    connection,
                    on_failure.enter_context(closing(_connect(":memory:"))),
                )
                file.backup(connection)
                file.close()
            if version < VERSION:
                _migrate(connection, path)
        on_failure.pop_all()
    return Logbook(path, connection)


def open_or_make(path: str, make_folder: bool = False) -> Logbook:
    """Open a logbook, making it where there is none yet, and its folder if told to.

    Raises:
        Refusal: the folder does not exist, or ``path`` is one.
        LogbookFailure: as `open_existing`; or the file cannot be written.
    """
    folder = os.path.dirname(os.path.abspath(path))
    with _explained(path, "made"), ExitStack() as on_failure:
        if make_folder:
            os.makedirs(folder, exist_ok=True)
        if not os.path.isdir(folder):
            if os.path.lexists(folder):
                os.stat(folder)
                raise NotADirectoryError(20, "Not a directory", folder)
            raise Refusal(f"there is no folder {folder} to keep a logbook in: make it first")
        _there(path)
        refuse_read_only(path)
        connection = on_failure.enter_context(closing(_connect(path, "rwc")))
        if _version(connection, path) < VERSION:
            _migrate(connection, path)
            _keep_write_ahead(connection)
        on_failure.pop_all()
    return Logbook(path, connection)


def _no_text(error: BaseException | None) -> bool:
    """Tell whether bytes of the file, or a time in it, are damaged: files of others are read with
    their own refusals."""
    moment = isinstance(error, ValueError) and "isoformat" in str(error)
    return isinstance(error, UnicodeDecodeError) or moment


@contextmanager
def _explained(path: str, done: str) -> Iterator[None]:
    """Turn what SQLite and the system report into one line for the user."""
    try:
        yield
    except sqlite3.Error as error:
        failure = explained(error, path)
        if failure is None:
            raise
        raise failure from error
    except UnicodeDecodeError as error:
        raise damaged(path, "some of its text is none any more") from error
    except OSError as error:
        raise LogbookFailure(f"logbook {path} cannot be {done}: {error.strerror}") from error


def refuse_read_only(path: str) -> None:
    """Refuse a file that nobody may write, even where this user could all the same.

    Raises:
        LogbookFailure: the file carries no write permission.
    """
    if os.path.exists(path) and not _writable(path):
        raise LogbookFailure(f"logbook {path} is read-only: nothing was recorded")
    if os.path.exists(path) and not _writable_folder(path):
        raise LogbookFailure(f"the folder of logbook {path} cannot be written: {NOTHING_RECORDED}")


def _there(path: str) -> bool:
    """Tell whether there is a logbook; only «no such file» and an empty one mean none yet.

    Raises:
        Refusal: a folder, or no regular file.
        OSError: it cannot be looked at.
    """
    try:
        found = os.stat(path)
    except FileNotFoundError:
        return False
    if stat.S_ISDIR(found.st_mode):
        raise Refusal(f"logbook {path} is a folder: name a file in it")
    if not stat.S_ISREG(found.st_mode):
        raise Refusal(f"logbook {path} is no regular file: name another")
    return found.st_size > 0


def _writable_folder(path: str) -> bool:
    return os.access(os.path.dirname(os.path.abspath(path)), os.W_OK)


def _refuse_unseen(path: str) -> None:
    """Refuse to read a logbook whose last trials stand where they cannot be read.

    Raises:
        LogbookFailure: they stand in the file beside it.
    """
    beside = f"{path}-wal"
    if os.path.exists(beside) and os.path.getsize(beside):
        raise LogbookFailure(
            f"the last trials of logbook {path} stand in {beside}, and its folder cannot be "
            "written: copy both to another folder"
        )


def _writable(path: str) -> bool:
    return bool(os.stat(path).st_mode & 0o222) and os.access(path, os.W_OK)


def _connect(path: str, mode: str = "", immutable: bool = False) -> sqlite3.Connection:
    if mode:
        path = f"file:{_quoted(os.path.abspath(path))}?mode={mode}"
        path += "&immutable=1" if immutable else ""
    connection = sqlite3.connect(path, uri=bool(mode), timeout=LOCK_TIMEOUT_S, isolation_level=None)
    connection.execute("PRAGMA foreign_keys = ON")
    return connection


def _quoted(path: str) -> str:
    """Quote a path for an SQLite URI, as its documentation asks (sqlite.org/uri.html)."""
    return path.replace("%", "%25").replace("?", "%3f").replace("#", "%23")


def _version(connection: sqlite3.Connection, path: str) -> int:
    application = connection.execute("PRAGMA application_id").fetchone()[0]
    version = int(connection.execute("PRAGMA user_version").fetchone()[0])
    if (application, version) == (APPLICATION_ID, VERSION):
        return version
    # In one transaction, or another process might make the logbook between two looks at it.
    alone = not connection.in_transaction
    if alone:
        connection.execute("BEGIN")
    try:
        tables = connection.execute("SELECT count(*) FROM sqlite_schema").fetchone()[0]
        application = connection.execute("PRAGMA application_id").fetchone()[0]
        version = int(connection.execute("PRAGMA user_version").fetchone()[0])
    finally:
        if alone and connection.in_transaction:
            connection.execute("ROLLBACK")
    if application != APPLICATION_ID and (application or version or tables):
        raise LogbookFailure(f"{path} is not a Metier logbook: nothing was written to it")
    if version > VERSION:
        raise LogbookFailure(
            f"logbook {path} comes from a newer Metier (version {version}, this one knows "
            f"{VERSION}): nothing was written to it; update Metier"
        )
    return version


@contextmanager
def _all_or_nothing(connection: sqlite3.Connection) -> Iterator[None]:
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


def _migrate(connection: sqlite3.Connection, path: str) -> None:
    """Bring the tables up to date, once, whoever else is at it too."""
    with _all_or_nothing(connection):
        for version in range(_version(connection, path), VERSION):
            for statement in _statements(MIGRATIONS[version]):
                connection.execute(statement)
        connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
        connection.execute(f"PRAGMA user_version = {VERSION}")


def _statements(script: str) -> Iterator[str]:
    """Split a script, since executescript would commit the transaction it runs in."""
    statement = ""
    for line in script.splitlines(keepends=True):
        statement += line
        if sqlite3.complete_statement(statement):
            yield statement
            statement = ""


def _keep_write_ahead(connection: sqlite3.Connection) -> None:
    """Switch to write-ahead logging; SQLite does not wait by itself while others read."""
    give_up = time.monotonic() + LOCK_TIMEOUT_S
    while True:
        try:
            connection.execute("PRAGMA journal_mode = WAL")
            return
        except sqlite3.OperationalError:
            if time.monotonic() > give_up:
                raise
            time.sleep(0.02)
