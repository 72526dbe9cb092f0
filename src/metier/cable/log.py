"""What went over the cable, line by line with its time, in a file of its own."""

import os
import tempfile
from contextlib import suppress
from datetime import datetime
from typing import TextIO

from metier.failure import Failure
from metier.state_folder import state_folder

_NAME, _OLD = "cable.log", "cable-before.log"
# A print is some megabytes; what is older is of no use any more.
_LARGEST = 20_000_000


class CableLog:
    """A log that is open; ``path`` is where it lies."""

    def __init__(self, given: str | None) -> None:
        self.path, self._file = _own() if given is None else (given, _open(given))

    def note(self, sign: str, text: str) -> None:
        """Write down a line: > sent, < received, ! what befell the line."""
        moment = datetime.now().isoformat(sep=" ", timespec="milliseconds")
        # A full disk must not stop a print.
        with suppress(OSError):
            self._file.write(f"{moment} {sign} {text}\n")
            self._file.flush()

    def close(self) -> None:
        """Close it."""
        with suppress(OSError):
            self._file.close()


def _open(path: str) -> TextIO:
    try:
        return open(path, "a", encoding="utf-8", errors="backslashreplace")
    except (OSError, ValueError) as error:
        why = error.strerror if isinstance(error, OSError) else error
        raise Failure(f"--log: {path} cannot be written: {why}") from None


def own_log() -> str:
    """Return where the log lies when nobody says."""
    folder = state_folder()
    return os.path.join(folder if os.path.isabs(folder) else tempfile.gettempdir(), _NAME)


def _own() -> tuple[str, TextIO]:
    """Open the log in the user's state folder, else among the temporary files."""
    for path in (own_log(), os.path.join(tempfile.gettempdir(), _NAME)):
        folder = os.path.dirname(path)
        with suppress(OSError):
            os.makedirs(folder, exist_ok=True)
            if os.path.exists(path) and os.path.getsize(path) > _LARGEST:
                os.replace(path, os.path.join(folder, _OLD))
            return path, open(path, "a", encoding="utf-8", errors="backslashreplace")
    raise Failure("there is no folder to keep the cable's log in: name a file with --log")
