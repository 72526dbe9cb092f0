"""The folder of the demo, and its commands as processes."""

import os
import shlex
import subprocess
import sys
from collections.abc import Sequence
from importlib.resources import files
from typing import NamedTuple

from metier.demo.script import DATA, LOGBOOK, PARTS, PROFILE
from metier.demo.slicing import workshop_files
from metier.show.sheet import colour_wanted, columns

SLICED = ("globe-old.gcode", "globe-new.gcode")
_OWN_FILES = (LOGBOOK, f"{LOGBOOK}-wal", f"{LOGBOOK}-shm", PROFILE, *DATA, *PARTS, *SLICED)


def prepare(folder: str, shown: str) -> None:
    """Make the folder ready; ``shown`` is what the user called it.

    Raises:
        OSError: it cannot be written.
    """
    try:
        os.makedirs(folder, exist_ok=True)
        left = [name for name in _OWN_FILES if os.path.exists(os.path.join(folder, name))]
        if left:
            aside = _aside(folder)
            os.mkdir(aside)
            for name in left:
                os.rename(os.path.join(folder, name), os.path.join(aside, name))
        for name in DATA:
            with open(os.path.join(folder, name), "xb") as file:
                file.write(files("metier.demo").joinpath(name).read_bytes())
        for name, text in workshop_files().items():
            with open(os.path.join(folder, name), "x", encoding="ascii") as file_of_moves:
                file_of_moves.write(text)
    except OSError as error:
        raise OSError(error.errno, f"cannot be written in: {error.strerror}", shown) from None


def _aside(folder: str) -> str:
    number = 1
    while os.path.exists(os.path.join(folder, f"earlier-{number}")):
        number += 1
    return os.path.join(folder, f"earlier-{number}")


class Shell(NamedTuple):
    """Where commands run, and on which logbook."""

    folder: str
    logbook: str

    @property
    def environment(self) -> dict[str, str]:
        """What the commands find around them."""
        return {**os.environ, "METIER_LOGBOOK": os.path.join(self.folder, self.logbook)}

    def run(
        self, words: Sequence[str], *, taken: bool = True
    ) -> subprocess.CompletedProcess[bytes]:
        """Run a command; what it says on standard output is taken, as wide as it would be here, and
        nobody is asked anything then."""
        return subprocess.run(
            program(words),
            cwd=self.folder,
            env={**self.environment, "COLUMNS": str(columns())},
            stdin=subprocess.DEVNULL if taken else None,
            stdout=subprocess.PIPE if taken else None,
            check=False,
        )


def program(words: Sequence[str]) -> list[str]:
    """Return how a command is started as a process."""
    # -P: a file in the folder must not pass for a module.
    return [sys.executable, "-P", "-m", "metier", *words]


def show_command(*commands: Sequence[str], note: str = "") -> None:
    """Show a command as it is typed; several are a pipe."""
    command = " | ".join(shlex.join(["metier", *words]) for words in commands)
    shown = f"\033[1m$ {command}\033[0m" if colour_wanted() else f"$ {command}"
    print(f"\n{shown}{note}", flush=True)
