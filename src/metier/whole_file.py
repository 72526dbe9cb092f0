"""Whatever is written: whole or not at all, and never over a logbook."""

import os
import stat
import sys
from contextlib import suppress

from metier.core.errors import BadInput

# What SQLite and Metier keep beside a logbook begins with its name and one of these.
_BESIDE = ("-wal", "-shm", "-journal", ".")
_spared: set[str] = set()


def spare(path: str) -> None:
    """Name a logbook: neither it nor what lies beside it is ever written over."""
    _spared.add(os.path.abspath(path))


def check_target(path: str, *, overwrite: bool) -> None:
    """Refuse a file that may not be written, before there is anything to write.

    Raises:
        BadInput: it is a logbook, or beside one; a link, a folder or no regular file; or it is
            there already and ``overwrite`` is not set.
        OSError: there is no such folder, or it cannot be looked into.
    """
    folder = os.path.dirname(os.path.abspath(path))
    if not os.path.isdir(folder):
        raise FileNotFoundError(2, "cannot be written: there is no such folder", path)
    _refuse_logbook(path)
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


def write_whole(path: str, content: str | bytes, *, overwrite: bool) -> None:
    """Write a file in one step: readers see the old one or the new one, never a half.

    It keeps the mode of the one it replaces.

    Raises:
        BadInput: see `check_target`.
        OSError: it cannot be written.
    """
    # Too much for a command that only has to name its logbook here.
    import tempfile

    check_target(path, overwrite=overwrite)
    folder = os.path.dirname(os.path.abspath(path))
    part = None
    try:
        mode = stat.S_IMODE(os.stat(path).st_mode) if os.path.exists(path) else 0o666 & ~_umask()
        with tempfile.NamedTemporaryFile("wb", dir=folder, suffix=".part", delete=False) as file:
            part = file.name
            file.write(content.encode() if isinstance(content, str) else content)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(part, mode)
        os.replace(part, path)
    except OSError as error:
        raise _unwritable(path, error) from None
    finally:
        # Gone already where all went well; whatever interrupted it, nothing is left behind.
        if part:
            with suppress(OSError):
                os.unlink(part)


def _refuse_logbook(path: str) -> None:
    """Refuse a logbook and what lies beside it, whatever name or link it is reached by."""
    here = os.path.abspath(path)
    for logbook in _spared:
        for form in (here, os.path.realpath(path)):
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
