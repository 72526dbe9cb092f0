"""Opening a logbook: where it is, of which version, brought up to date."""

import os
import sqlite3
import stat
import time
from collections.abc import Iterator
from contextlib import ExitStack, closing, contextmanager, suppress

from metier.core.errors import BadInput
from metier.logbook.book import Logbook, all_or_nothing, refuse_read_only, writable, writable_folder
from metier.logbook.location import LogbookFailure, damaged, explained
from metier.logbook.schema import APPLICATION_ID, MIGRATIONS, VERSION
from metier.whole_file import is_logbook

# Twenty processes that record at once wait for each other; a program that hangs is given up on.
LOCK_TIMEOUT_S = 10.0


def open_existing(path: str, *, to_read: bool = False) -> Logbook:
    """Open a logbook, or an empty one in memory where there is none yet.

    One that is only ``to_read`` stays of the version that it is.

    Raises:
        LogbookFailure: not a logbook, damaged, unreadable, or from a newer program.
    """
    with _explained(path, "opened"), ExitStack() as on_failure:
        if not _there(path):
            connection = on_failure.enter_context(closing(_connect(":memory:")))
            _migrate(connection, path)
        else:
            mode = "rw" if writable(path) else "ro"
            connection = on_failure.enter_context(closing(_connect(path, mode)))
            try:
                version = _version(connection, path)
            except sqlite3.OperationalError:
                if writable(path) and writable_folder(path):
                    raise
                # In a folder that cannot be written SQLite cannot keep its own side files.
                connection.close()
                _refuse_unseen(path)
                connection = on_failure.enter_context(closing(_connect(path, "ro", True)))
                version = _version(connection, path)
            if version < VERSION and (to_read or not (writable(path) and writable_folder(path))):
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
        BadInput: the folder does not exist, or ``path`` is one.
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
            raise BadInput(f"there is no folder {folder} to keep a logbook in: make it first")
        _there(path)
        refuse_read_only(path)
        with suppress(FileExistsError):
            # Its owner's alone; what SQLite keeps beside it takes the same mode.
            os.close(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))
        connection = on_failure.enter_context(closing(_connect(path, "rwc")))
        if _version(connection, path) < VERSION:
            _migrate(connection, path)
            _keep_write_ahead(connection)
        on_failure.pop_all()
    return Logbook(path, connection)


def opened_as_it_is(path: str) -> sqlite3.Connection:
    """Open a logbook to read, of whatever version and however damaged.

    Raises:
        BadInput: there is none.
        LogbookFailure: it is no logbook, or of a newer program.
    """
    with _explained(path, "opened"), ExitStack() as on_failure:
        if not _there(path):
            raise BadInput(f"there is no logbook {path}")
        connection = on_failure.enter_context(closing(_connect(path, "ro")))
        _version(connection, path)
        on_failure.pop_all()
    return connection


def is_older_copy(book: Logbook, path: str) -> bool:
    """Tell whether a file is a copy of a logbook that holds nothing which the logbook does not."""
    if not is_logbook(path):
        return False
    try:
        with closing(_connect(path, "ro")) as copy:
            (application,) = copy.execute("PRAGMA application_id").fetchone()
            theirs = {row[0] for row in copy.execute("SELECT uid FROM moment")}
    except (sqlite3.Error, OSError):
        return False
    ours = {row[0] for row in book.connection.execute("SELECT uid FROM moment")}
    return application == APPLICATION_ID and bool(theirs) and theirs <= ours


@contextmanager
def _explained(path: str, done: str) -> Iterator[None]:
    """Turn what SQLite and the system report into one line for the user."""
    try:
        yield
    except sqlite3.Error as error:
        failure = explained(error, path)
        if failure is None and "constraint failed" in str(error):
            # An older one cannot be brought up to date: some of its rows never could have been.
            failure = damaged(path, str(error))
        if failure is None:
            raise
        raise failure from error
    except UnicodeDecodeError as error:
        raise damaged(path, "some of its text is none any more") from error
    except OSError as error:
        raise LogbookFailure(f"logbook {path} cannot be {done}: {error.strerror}") from error


def _there(path: str) -> bool:
    """Tell whether there is a logbook; only «no such file» and an empty one mean none yet.

    Raises:
        BadInput: a folder, or no regular file.
        OSError: it cannot be looked at.
    """
    try:
        status = os.stat(path)
    except FileNotFoundError:
        return False
    if stat.S_ISDIR(status.st_mode):
        raise BadInput(f"logbook {path} is a folder: name a file in it")
    if not stat.S_ISREG(status.st_mode):
        raise BadInput(f"logbook {path} is no regular file: name another")
    return status.st_size > 0


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


def _connect(path: str, mode: str = "", immutable: bool = False) -> sqlite3.Connection:
    if mode:
        path = f"file:{_quoted(os.path.abspath(path))}?mode={mode}"
        path += "&immutable=1" if immutable else ""
    connection = sqlite3.connect(path, uri=bool(mode), timeout=LOCK_TIMEOUT_S, isolation_level=None)
    try:
        connection.execute("PRAGMA foreign_keys = ON")
    except sqlite3.Error:
        connection.close()
        raise
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
    if version < 0 or (tables and not version):
        raise damaged(path, f"it says it is of version {version}")
    return version


def _migrate(connection: sqlite3.Connection, path: str) -> None:
    """Bring the tables up to date, once, whoever else is at it too."""
    with all_or_nothing(connection):
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
