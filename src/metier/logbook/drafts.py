"""Readings on their way into a trial: kept on disk one by one until the trial is recorded.

A draft is a file beside the logbook, one JSON object a line, so that Ctrl-C, a closed terminal or
a crash loses nothing that was typed. Its first line says what the readings are for. It has a
random name and is locked by whoever writes it: one that nobody holds was interrupted. The trial
made of it carries its name, so that what was recorded is never offered again.
"""

import json
import os
import secrets
from collections.abc import Callable
from contextlib import suppress
from typing import IO, Any, NamedTuple

from metier.whole_file import try_lock


class DraftReading(NamedTuple):
    """One reading as typed, and the side it belongs to."""

    side: str
    typed: str


class DraftFor(NamedTuple):
    """What readings are typed for: the test, the bench in words, the plan measured, settings."""

    test: str
    bench: str
    plan: int | None
    settings: dict[str, Any]


class Interrupted(NamedTuple):
    """An entry that was never finished: its name, what it was for, and the readings in it.

    ``meant`` is None where that is not known any more; ``section`` the section that was asked for
    last, from 0, where the last reading does not tell.
    """

    name: str
    meant: DraftFor | None
    readings: list[DraftReading]
    section: int | None = None


class Draft:
    """The draft that this process writes; made at the first reading, gone when discarded.

    ``recorded`` tells of a draft's name whether a trial was made of it.
    """

    def __init__(
        self,
        logbook_path: str,
        meant: DraftFor,
        make_folder: bool,
        recorded: Callable[[str], bool] = lambda _: False,
    ) -> None:
        self._prefix = f"{os.path.abspath(logbook_path)}.{meant.test}-readings."
        self._meant = meant
        self._make_folder = make_folder
        self._recorded = recorded
        self._held: dict[str, IO[bytes]] = {}
        self.name = secrets.token_hex(8)

    def add(self, reading: DraftReading) -> None:
        """Keep one more reading; on disk when this returns."""
        self._write({"side": reading.side, "typed": reading.typed})

    def take_back(self) -> None:
        """Forget the last reading."""
        self._write({"back": True})

    def go_on_at(self, section: int) -> None:
        """Keep that a section is asked for now that the last reading does not belong to."""
        self._write({"section": section})

    def discard(self) -> None:
        """Drop the draft: the readings are in a trial now."""
        self.drop(self.name)

    def interrupted(self) -> list[Interrupted]:
        """Return the entries that some process left unfinished, the newest first; they are held
        from now on, so that no other process offers them too."""
        folder, start = os.path.split(self._prefix)
        names = os.listdir(folder) if os.path.isdir(folder) else []
        left = []
        for name in names:
            short = name.removeprefix(start)
            if name.startswith(start) and short not in self._held and self._hold(short):
                if self._recorded(short):
                    self.drop(short)
                    continue
                written = os.fstat(self._held[short].fileno()).st_mtime
                entry = _read(short, self._held[short])
                if entry.readings:
                    left.append((written, entry))
                elif entry.meant and _lines(self._held[short]) == 1:
                    # It was begun, and nothing was typed.
                    self.drop(short)
        return [draft for _, draft in sorted(left, key=lambda pair: -pair[0])]

    def take_over(self, interrupted: Interrupted) -> None:
        """Go on with an interrupted entry as this process's own."""
        self.name = interrupted.name

    def let_go(self, interrupted: Interrupted) -> None:
        """Leave an interrupted entry as it is, for another process to go on with."""
        self._held.pop(interrupted.name).close()

    def drop(self, name: str) -> None:
        """Delete a draft that is held."""
        with suppress(OSError):
            os.unlink(self._prefix + name)
        if name in self._held:
            self._held.pop(name).close()

    def close(self) -> None:
        """Hold nothing any more: what was not dropped is an interrupted entry from now on."""
        for name in list(self._held):
            self._held.pop(name).close()

    def _hold(self, name: str) -> bool:
        """Open and lock a draft; False where somebody else holds it, or it is no file to read."""
        try:
            file = open(self._prefix + name, "r+b", buffering=0)  # noqa: SIM115 (held on to)
        except OSError:
            return False
        if not try_lock(file):
            file.close()
            return False
        self._held[name] = file
        return True

    def _file(self) -> IO[bytes]:
        """Return the file of this draft, made and locked where there is none yet."""
        if self.name not in self._held:
            folder = os.path.dirname(self._prefix)
            if self._make_folder:
                os.makedirs(folder, exist_ok=True)
            file = _made(self._prefix + self.name)
            while not try_lock(file):
                # Taken for an interrupted one by a process that looked just then.
                file.close()
                self.name = secrets.token_hex(8)
                file = _made(self._prefix + self.name)
            self._held[self.name] = file
            file.write(_line(self._meant._asdict()))
            _sync_folder(folder)
        return self._held[self.name]

    def _write(self, line: dict[str, object]) -> None:
        file = self._file()
        end = file.seek(0, os.SEEK_END)
        if end:
            file.seek(end - 1)
            if file.read(1) != b"\n":
                # A line torn by a crash must not swallow this one.
                file.write(b"\n")
        file.write(_line(line))
        os.fsync(file.fileno())


def _made(path: str) -> IO[bytes]:
    """Make a file that its owner alone may read."""
    return open(path, "x+b", buffering=0, opener=lambda name, how: os.open(name, how, 0o600))


def _lines(file: IO[bytes]) -> int:
    """Return how many lines a draft has, whatever stands in them."""
    file.seek(0)
    return len(file.read().splitlines())


def _line(content: dict[str, Any]) -> bytes:
    return json.dumps(content).encode() + b"\n"


def _sync_folder(folder: str) -> None:
    """Make the name of a new file last as well as what is in it; some systems cannot."""
    with suppress(OSError):
        number = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(number)
        finally:
            os.close(number)


def _read(name: str, file: IO[bytes]) -> Interrupted:
    readings: list[DraftReading] = []
    meant, section = None, None
    file.seek(0)
    for text in file.read().decode("utf-8", "replace").splitlines():
        try:
            line = json.loads(text)
            if "test" in line:
                meant = DraftFor(line["test"], line["bench"], line["plan"], line["settings"])
            elif line.get("back"):
                readings[-1:] = []
            elif "section" in line:
                section = max(0, int(line["section"]))
            else:
                readings.append(DraftReading(str(line["side"]), str(line["typed"])))
                section = None
        except (ValueError, KeyError, AttributeError, TypeError):
            # The line being written when the power went: it was never acknowledged.
            continue
    return Interrupted(name, meant, readings, section)
