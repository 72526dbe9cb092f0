"""Readings on their way into a trial: kept on disk one by one until the trial is recorded.

A draft is a file beside the logbook, one JSON object a line, so that Ctrl-C, a closed terminal or
a crash loses nothing that was typed. Its name ends in the number of the process that writes it;
a draft whose process is gone is an interrupted one.
"""

import json
import os
import sys
from contextlib import suppress
from typing import NamedTuple


class DraftReading(NamedTuple):
    """One reading as typed, and the side it belongs to."""

    side: str
    typed: str


class Interrupted(NamedTuple):
    """An entry that was never finished: its file and the readings in it."""

    path: str
    readings: list[DraftReading]


class Draft:
    """The draft that this process writes; made at the first reading, gone when discarded."""

    def __init__(self, logbook_path: str, test: str, make_folder: bool) -> None:
        self._prefix = f"{os.path.abspath(logbook_path)}.{test}-readings."
        self._path = f"{self._prefix}{os.getpid()}"
        self._make_folder = make_folder

    def add(self, reading: DraftReading) -> None:
        """Keep one more reading; on disk when this returns."""
        self._write({"side": reading.side, "typed": reading.typed})

    def take_back(self) -> None:
        """Forget the last reading."""
        self._write({"back": True})

    def discard(self) -> None:
        """Drop the draft: the readings are in a trial now."""
        with suppress(OSError):
            os.unlink(self._path)

    def interrupted(self) -> Interrupted | None:
        """Return the newest entry that some process left unfinished."""
        folder, start = os.path.split(self._prefix)
        names = os.listdir(folder) if os.path.isdir(folder) else []
        left = [
            os.path.join(folder, name)
            for name in names
            if name.startswith(start) and not _runs(name.removeprefix(start))
        ]
        for path in sorted(left, key=os.path.getmtime, reverse=True):
            readings = _read(path)
            if readings:
                return Interrupted(path, readings)
        return None

    def take_over(self, found: Interrupted) -> None:
        """Go on with an interrupted entry as this process's own."""
        os.replace(found.path, self._path)

    def _write(self, line: dict[str, object]) -> None:
        if self._make_folder:
            os.makedirs(os.path.dirname(self._path), exist_ok=True)
        with open(self._path, "a", encoding="utf-8") as file:
            file.write(json.dumps(line) + "\n")
            file.flush()
            os.fsync(file.fileno())


def _read(path: str) -> list[DraftReading]:
    readings: list[DraftReading] = []
    with open(path, encoding="utf-8", errors="replace") as file:
        for text in file:
            try:
                line = json.loads(text)
                if line.get("back"):
                    readings[-1:] = []
                else:
                    readings.append(DraftReading(str(line["side"]), str(line["typed"])))
            except (ValueError, KeyError, AttributeError):
                # The line being written when the power went: it was never acknowledged.
                continue
    return readings


def _runs(process: str) -> bool:
    """Tell whether the process that a draft is named for still runs."""
    if not process.isdecimal() or sys.platform == "win32":
        return False
    try:
        os.kill(int(process), 0)
    except (ProcessLookupError, OverflowError):
        return False
    except PermissionError:
        return True
    return True
