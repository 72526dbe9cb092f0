"""A fault in Metier itself: its traceback goes to a file, one line goes to the person."""

import os
import sys
import tempfile

from metier.whole_file import state_folder


def report(error: BaseException, command: str) -> str:
    """Write down what happened and return the line for the user.

    Whether anything was recorded, and how a printer's heaters are left, is told by the notes on the
    error.
    """
    import traceback

    words = "".join(traceback.format_exception(error))
    what = f"{type(error).__name__}: {error}".replace("\n", " ")[:120]
    known = "; ".join(getattr(error, "__notes__", ())) or "nothing was recorded"
    where = _write(f"metier {command}\nPython {sys.version}\n\n{words}")
    kept = f"what happened is in {where}" if where else "it could not be written to a file"
    return f"fault in Metier ({what}); {known}; {kept}"


def _write(text: str) -> str | None:
    """Write a report into the user's state folder, else among the temporary files."""
    for folder in (state_folder(), tempfile.gettempdir()):
        if not os.path.isabs(folder):
            # There is no home to expand.
            continue
        try:
            os.makedirs(folder, exist_ok=True)
            number, path = tempfile.mkstemp(".txt", "fault-", folder)
            with open(number, "w", encoding="utf-8", errors="backslashreplace") as file:
                file.write(text)
            return path
        except OSError:
            continue
    return None
