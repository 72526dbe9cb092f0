"""The built program, run as a user runs it, in a folder that is thrown away."""

import json
import os
import shlex
import subprocess
import sys
from pathlib import Path
from typing import Any, NamedTuple

import pytest

METIER = str(Path(sys.executable).parent / "metier")


class Ran(NamedTuple):
    """What a run of the program gave back."""

    status: int
    out: str
    err: str

    @property
    def json(self) -> Any:
        return json.loads(self.out)


class Bench:
    """Runs ``metier`` in a folder of its own, with a logbook of its own."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.logbook = folder / "logbook.sqlite"
        self.environment = {
            **{name: value for name, value in os.environ.items() if not name.startswith("METIER")},
            "METIER_LOGBOOK": str(self.logbook),
            "HOME": str(folder),
            "XDG_DATA_HOME": str(folder / "data"),
            "COLUMNS": "80",
        }

    def __call__(self, line: str, *words: str, **environment: str) -> Ran:
        """Run a command line and refuse any traceback, whatever the test asks about."""
        finished = subprocess.run(
            [METIER, *shlex.split(line), *words],
            cwd=self.folder,
            env={**self.environment, **environment},
            stdin=subprocess.DEVNULL,
            capture_output=True,
            text=True,
            encoding="utf-8",
            timeout=60,
        )
        assert "Traceback" not in finished.stderr
        return Ran(finished.returncode, finished.stdout, finished.stderr)

    def json(self, line: str, *words: str) -> Any:
        """Run a command that must work and return its object, the only thing it prints."""
        ran = self(line, "--json", *words)
        assert (ran.status, ran.err) == (0, ""), ran
        return ran.json

    def refuses(self, line: str, *words: str, status: int = 2) -> str:
        """Run a command that must fail; returns its one line."""
        ran = self(line, *words)
        assert ran.status == status, ran
        assert ran.out == ""
        assert ran.err.count("\n") == 1
        assert ran.err.startswith("metier")
        return ran.err


@pytest.fixture
def metier(tmp_path: Path) -> Bench:
    """The program with no logbook yet."""
    return Bench(tmp_path)


@pytest.fixture
def heron(metier: Bench) -> Bench:
    """The program with printer heron and spool fern-1 on the bench."""
    metier.json("printer add heron --nozzle 0.5 --steps 412")
    metier.json("spool add fern-1 --material PLA --maker Saltmarsh --colour green")
    metier.json("bench --printer heron --spool fern-1 --temperature 210")
    return metier
