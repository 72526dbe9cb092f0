"""What went over the cable, line by line with its time, in a file of its own."""

import os
import stat
from contextlib import suppress
from io import FileIO

from metier import clock
from metier.core.errors import BadInput, Failure
from metier.whole_file import check_target, state_folder

# What every such log begins with: nothing else is ever appended to.
_HEAD = b"# what Metier sent (>) and received (<) over a printer's cable\n"
_BEFORE = ".before"
# A print is some megabytes; what is older is of no use any more.
_LARGEST = 20_000_000


class CableLog:
    """A log that is open; ``path`` is where it lies.

    Raises:
        BadInput: there is a file of that name, and it is no log of ours; or it is a link.
        Failure: it cannot be written.
    """

    def __init__(self, path: str) -> None:
        self.path = path
        self._file: FileIO | None = _opened(path)
        self._size = os.fstat(self._file.fileno()).st_size

    def note(self, sign: str, text: str) -> None:
        """Write down a line: > sent, < received, ! what befell the line."""
        moment = clock.now().astimezone().replace(tzinfo=None)
        at = moment.isoformat(sep=" ", timespec="milliseconds")
        line = f"{at} {sign} {text}\n".encode("utf-8", "backslashreplace")
        # A full disk must not stop a print.
        with suppress(OSError):
            if self._size + len(line) > _LARGEST:
                self._begin_another()
            if self._file is not None:
                self._file.write(line)
                self._size += len(line)

    def close(self) -> None:
        """Close it."""
        if self._file is not None:
            with suppress(OSError):
                self._file.close()

    def _begin_another(self) -> None:
        """Put what is full aside, over the one put aside before; with no place for it, end."""
        before = self.path + _BEFORE
        self.close()
        self._file = None
        if os.path.lexists(before) and not _is_ours(before):
            return
        os.replace(self.path, before)
        self._file = _opened(self.path)
        self._size = len(_HEAD)


def given_log(path: str) -> CableLog:
    """Open the log that somebody names, a new one or one of ours to go on with.

    Raises:
        BadInput, Failure: see `CableLog`.
    """
    try:
        check_target(path, overwrite=True)
    except OSError as error:
        raise Failure(f"--log: {path} {error.strerror}") from None
    return CableLog(path)


def log_beside(logbook: str | None) -> str:
    """Return where the log lies when nobody says: beside its logbook, else where a program keeps
    what it notes for itself.

    Raises:
        Failure: there is neither.
    """
    if logbook and os.path.isfile(logbook):
        return f"{os.path.abspath(logbook)}.cable.log"
    folder = state_folder()
    if not os.path.isabs(folder):
        raise Failure("there is no folder to keep the cable's log in: name a file with --log")
    return os.path.join(folder, "cable.log")


def own_log(logbook: str | None) -> CableLog:
    """Open that log.

    Raises:
        Failure: it cannot be written.
    """
    path = log_beside(logbook)
    try:
        os.makedirs(os.path.dirname(path), exist_ok=True)
    except OSError as error:
        raise Failure(f"the cable's log cannot be kept: {path}: {error.strerror}") from None
    return CableLog(path)


def _opened(path: str) -> FileIO:
    # For this user alone, through no link, and waiting for nobody at the other end of a pipe.
    flags = os.O_RDWR | os.O_CREAT | os.O_APPEND
    for name in ("O_NOFOLLOW", "O_NONBLOCK", "O_CLOEXEC", "O_BINARY"):
        flags |= getattr(os, name, 0)
    try:
        file = FileIO(os.open(path, flags, 0o600), "r+")
    except (OSError, ValueError) as error:
        why = error.strerror if isinstance(error, OSError) else error
        raise Failure(
            f"the cable's log cannot be written: {path}: {why}; name another with --log"
        ) from None
    if not _begins(file):
        file.close()
        raise BadInput(f"{path} is there and no log of a cable: name another file with --log")
    with suppress(OSError, AttributeError):
        os.fchmod(file.fileno(), 0o600)
    return file


def _begins(file: FileIO) -> bool:
    """Write the head of an empty file; tell whether a file begins with it."""
    status = os.fstat(file.fileno())
    if not stat.S_ISREG(status.st_mode):
        return False
    if status.st_size == 0:
        file.write(_HEAD)
        return True
    file.seek(0)
    return file.read(len(_HEAD)) == _HEAD


def _is_ours(path: str) -> bool:
    try:
        with open(path, "rb") as file:
            return not os.path.islink(path) and file.read(len(_HEAD)) == _HEAD
    except OSError:
        return False
