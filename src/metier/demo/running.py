"""Commands run as a user would run them: in processes of their own, shown as they are typed."""

import os
import shlex
import subprocess
import sys
from collections.abc import Sequence
from typing import NamedTuple

from metier.show.sheet import colour_wanted


class Shell(NamedTuple):
    """Where commands run, and on which logbook."""

    folder: str
    logbook: str

    @property
    def environment(self) -> dict[str, str]:
        """What the commands find around them."""
        return {**os.environ, "METIER_LOGBOOK": os.path.join(self.folder, self.logbook)}

    def run(self, words: Sequence[str], *, quiet: bool) -> subprocess.CompletedProcess[bytes]:
        """Run a command; with ``quiet``, its object is what it leaves on standard output."""
        return subprocess.run(
            program([*words, *(["--json"] if quiet else [])]),
            cwd=self.folder,
            env=self.environment,
            stdout=subprocess.PIPE if quiet else None,
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
