"""Whatever is written: whole or not at all, and never over a logbook."""

import os
import stat
import sys
from collections.abc import Iterable
from contextlib import suppress
from typing import IO

from metier.core.errors import BadInput

# What SQLite and Metier keep beside a logbook begins with its name and one of these.
_BESIDE = ("-wal", "-shm", "-journal", ".")
# Every file that SQLite keeps begins so (sqlite.org/fileformat.html, 1.3.1).
_SQLITE = b"SQLite format 3\0"
_spared: set[str] = set()


def spare(path: str) -> None:
    """Name a logbook: neither it nor what lies beside it is ever written over."""
    _spared.add(os.path.abspath(path))


def as_file_name(text: str) -> str:
    """Return a name as that of a file, whatever letters it has.

    >>> as_file_name("sea green/1")
    'sea-green-1'
    """
    return "".join(letter if letter.isalnum() or letter in "._-" else "-" for letter in text)


def check_target(path: str, *, overwrite: bool, over_copy: bool = False) -> None:
    """Refuse a file that may not be written, before there is anything to write.

    With ``over_copy`` it may be a logbook that is known to hold nothing of its own.

    Raises:
        BadInput: it is a logbook, whatever its name, or beside one; a link, a folder or no regular
            file; or it is there already and ``overwrite`` is not set.
        OSError: there is no such folder, or it cannot be looked into.
    """
    folder = os.path.dirname(os.path.abspath(path))
    if not os.path.isdir(folder):
        raise FileNotFoundError(2, "cannot be written: there is no such folder", path)
    _refuse_logbook(path)
    for kept in filter(is_logbook, _stems(path)):
        raise BadInput(f"{path} belongs to the logbook {kept}: choose another name")
    try:
        mode = os.lstat(path).st_mode
    except FileNotFoundError:
        return
    except (OSError, ValueError) as error:
        raise _unwritable(path, error) from None
    if stat.S_ISLNK(mode):
        raise BadInput(f"{path} is a link to {os.path.realpath(path)}: name that file itself")
    if stat.S_ISDIR(mode):
        raise BadInput(f"{path} is a folder: name a file in it")
    if not stat.S_ISREG(mode):
        raise BadInput(f"{path} is no regular file: name another")
    if not overwrite:
        raise BadInput(f"{path} exists: choose another name, or --force to write over it")
    if is_logbook(path) and not over_copy:
        raise BadInput(f"{path} holds a logbook: choose another name; nothing is written over it")


def is_logbook(path: str) -> bool:
    """Tell whether a file is one that SQLite keeps, by what is in it."""
    with suppress(OSError):
        # A pipe would be waited for.
        if stat.S_ISREG(os.stat(path).st_mode):
            with open(path, "rb") as file:
                return file.read(len(_SQLITE)) == _SQLITE
    return False


def _stems(path: str) -> list[str]:
    """Return the files that SQLite may keep this one beside."""
    return [path.removesuffix(end) for end in _BESIDE[:-1] if path.endswith(end)]


def write_whole(
    path: str, content: str | bytes | Iterable[str], *, overwrite: bool, over_copy: bool = False
) -> None:
    """Write a file in one step: readers see the old one or the new one, never a half.

    It keeps the mode of the one it replaces. What a killed write of the same file left behind is
    swept away.

    Raises:
        BadInput: see `check_target`.
        OSError: it cannot be written.
    """
    check_target(path, overwrite=overwrite, over_copy=over_copy)
    _sweep(path)
    part = None
    try:
        mode = stat.S_IMODE(os.stat(path).st_mode) if os.path.exists(path) else 0o666 & ~_umask()
        part, file = _part(path)
        with file:
            for piece in [content] if isinstance(content, str | bytes) else content:
                file.write(piece.encode() if isinstance(piece, str) else piece)
            file.flush()
            os.fsync(file.fileno())
            os.chmod(part, mode)
            if sys.platform == "win32":
                # What is open has no other name there.
                file.close()
            os.replace(part, path)
    except OSError as error:
        raise _unwritable(path, error) from None
    finally:
        # Gone already where all went well; whatever interrupted it, nothing is left behind.
        if part:
            with suppress(OSError):
                os.unlink(part)


_PART = ".part"


def _beginning(path: str) -> str:
    """Return how the names begin of what is being written for a file."""
    folder, name = os.path.split(os.path.abspath(path))
    return os.path.join(folder, f".{name[:60]}.")


def _part(path: str) -> tuple[str, IO[bytes]]:
    """Make the file that becomes another one when it is whole, held by this process."""
    while True:
        part = f"{_beginning(path)}{os.urandom(6).hex()}{_PART}"
        number = os.open(part, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
        file = open(number, "wb")  # noqa: SIM115 (handed on)
        if try_lock(file) and os.path.exists(part):
            return part, file
        # Taken for one left behind by a process that swept just then.
        file.close()


def _sweep(path: str) -> None:
    """Delete what writes of this file left behind that were killed: nobody holds it any more."""
    folder, start = os.path.split(_beginning(path))
    with suppress(OSError):
        for name in os.listdir(folder):
            left = os.path.join(folder, name)
            if not (name.startswith(start) and name.endswith(_PART)):
                continue
            with suppress(OSError), open(left, "rb") as file:
                if try_lock(file):
                    os.unlink(left)


def _refuse_logbook(path: str) -> None:
    """Refuse a logbook and what lies beside it, whatever name or link it is reached by."""
    whole_path = os.path.abspath(path)
    for logbook in _spared:
        for form in (whole_path, os.path.realpath(path)):
            for kept in (logbook, os.path.realpath(logbook)):
                beside = form.removeprefix(kept)
                if beside != form and (not beside or beside.startswith(_BESIDE)):
                    raise BadInput(f"{path} is the logbook, or belongs to it: choose another name")
        for name in (logbook, *(logbook + end for end in _BESIDE[:-1])):
            with suppress(OSError):
                if os.path.samefile(path, name):
                    raise BadInput(f"{path} is the logbook, or belongs to it: choose another name")


def _unwritable(path: str, error: Exception) -> OSError:
    if isinstance(error, OSError):
        return OSError(error.errno, f"cannot be written: {error.strerror}", path)
    return OSError(22, f"cannot be written: {error}", path)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def state_folder() -> str:
    """Return where a program keeps such files (XDG Base Directory Specification, 0.8); no
    absolute path where there is no home."""
    if not sys.platform.startswith("linux"):
        import platformdirs

        return platformdirs.user_state_dir("metier", appauthor=False)
    folder = os.environ.get("XDG_STATE_HOME", "")
    if not os.path.isabs(folder):
        folder = os.path.expanduser("~/.local/state")
    return os.path.join(folder, "metier")


if sys.platform == "win32":
    import msvcrt

    # Beyond any draft's end, so that what is locked there can still be read.
    _FAR = 1 << 30

    def try_lock(file: IO[bytes]) -> bool:
        """Hold an open file; tells whether that could be done at once."""
        file.seek(_FAR)
        try:
            msvcrt.locking(file.fileno(), msvcrt.LK_NBLCK, 1)
        except OSError:
            return False
        return True
else:
    import fcntl

    def try_lock(file: IO[bytes]) -> bool:
        """Hold an open file; tells whether that could be done at once.

        Where the file system knows no locks, it counts as held by nobody else.
        """
        try:
            fcntl.flock(file.fileno(), fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            return False
        except OSError:
            return True
        return True
