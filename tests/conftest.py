"""The program, run as a user runs it, in a folder that is thrown away.

Commands run in this process by `main`, which is quick and lets a fault fail the test with its
traceback. `Bench.process` runs the program, for what only a process of its own shows.
"""

import io
import json
import os
import re
import shlex
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, redirect_stderr, redirect_stdout
from datetime import UTC, datetime
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple
from unittest import mock

import pytest
from hypothesis import settings

from metier.cli import main
from tests import moment
from tests.moment import program

# How long an example takes says more of the machine than of the program.
settings.register_profile("metier", deadline=None)
settings.load_profile("metier")

# The suite takes minutes; METIER_LONG=80 takes the hours that a release is worth.
LONG = int(os.environ.get("METIER_LONG", "1"))


def not_quick(*cases: object) -> list[object]:
    """Return cases of a test that are slow, where the others are not."""
    return [
        pytest.param(*(case if isinstance(case, tuple) else (case,)), marks=pytest.mark.slow)
        for case in cases
    ]


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add where in time and on earth the tests are run."""
    group = parser.getgroup("metier", "the day and the zone that the tests are at")
    group.addoption("--day", help="a local day and time, such as '2028-02-29 12:00'")
    group.addoption("--zone", default="UTC", help="such as Pacific/Kiritimati (UTC)")


def pytest_configure(config: pytest.Config) -> None:
    """Put the program's clock and zone where the tests are at."""
    moment.set_zone(config.getoption("--zone"))
    day = config.getoption("--day")
    moment.go_to(datetime.fromisoformat(day).astimezone(UTC) if day else moment.FIRST)


# After so long a process hangs, however busy the machine is.
HANGS_S = 600

# The installed program, at no other moment than the machine's.
METIER = str(Path(sys.executable).parent / "metier")

# Where the tests run in the background, a shell has Ctrl-C ignored, and so would every program that
# is started here.
signal.signal(signal.SIGINT, signal.default_int_handler)


class Ran(NamedTuple):
    """What a run of the program gave back."""

    status: int
    out: str
    err: str

    @property
    def json(self) -> Any:
        return json.loads(self.out)


@contextmanager
def forked_child() -> Iterator[None]:
    """End a forked child with what it does here: a failure in it starts no second run of tests."""
    try:
        yield
    finally:
        os._exit(127)


_OWN = re.compile("METIER|TZ$")


class Bench:
    """Runs ``metier`` in a folder of its own, with a logbook of its own."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.logbook = folder / "logbook.sqlite"
        self.environment = {
            # The zone is that of the moment.
            **{name: value for name, value in os.environ.items() if not _OWN.match(name)},
            "METIER_LOGBOOK": str(self.logbook),
            "HOME": str(folder),
            "XDG_DATA_HOME": str(folder / "data"),
            "XDG_STATE_HOME": str(folder / "state"),
            "COLUMNS": "80",
            # A fault of the program is raised, so that a test cannot pass over it.
            "METIER_DEBUG": "1",
        }

    def __call__(self, line: str, *words: str, typed: str | None = None, **environment: str) -> Ran:
        """Run a command line in this process; ``typed`` is what comes through a pipe."""
        out, err = (io.TextIOWrapper(io.BytesIO(), "utf-8", write_through=True) for _ in "oe")
        with (
            self._at_home(environment),
            redirect_stdout(out),
            redirect_stderr(err),
            _standard_input(typed),
        ):
            status = main([*shlex.split(line), *words])
        texts = [stream.buffer.getvalue().decode() for stream in (out, err)]
        return Ran(status, *texts)

    @contextmanager
    def _at_home(self, environment: dict[str, str]) -> Iterator[None]:
        wanted = {"TZ": os.environ.get("TZ"), **self.environment, **environment}
        # Patched by name: to patch the whole of it takes as long as a command.
        names = [
            name for name in {*os.environ, *wanted} if os.environ.get(name) != wanted.get(name)
        ]
        were = {name: os.environ.get(name) for name in names}
        before = os.getcwd()
        os.chdir(self.folder)
        try:
            _set({name: wanted.get(name) for name in names})
            yield
        finally:
            _set(were)
            os.chdir(before)

    def process(self, line: str, *words: str, typed: str | None = None, **environment: str) -> Ran:
        """Run the program in a process of its own."""
        finished = subprocess.run(
            program(*shlex.split(line), *words),
            cwd=self.folder,
            env={**self.environment, "METIER_DEBUG": "", **environment},
            stdin=subprocess.DEVNULL if typed is None else None,
            input=typed,
            capture_output=True,
            text=True,
            encoding="utf-8",
            timeout=HANGS_S,
        )
        assert "Traceback" not in finished.stderr
        return Ran(finished.returncode, finished.stdout, finished.stderr)

    @contextmanager
    def tables(self) -> Iterator[sqlite3.Connection]:
        """Look into the logbook's file, or put something else into it."""
        with closing(sqlite3.connect(self.logbook)) as connection, connection:
            yield connection

    def started(self, line: str, *words: str) -> "subprocess.Popen[str]":
        """Start the program, its streams all pipes; whoever starts it ends it."""
        return subprocess.Popen(
            program(*shlex.split(line), *words),
            cwd=self.folder,
            env={**self.environment, "METIER_DEBUG": ""},
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            encoding="utf-8",
        )

    def json(self, line: str, *words: str) -> Any:
        """Run a command that must work and return its object, the only thing it prints."""
        ran = self(line, *words, "--json")
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


def _set(values: dict[str, str | None]) -> None:
    for name, value in values.items():
        if value is None:
            os.environ.pop(name, None)
        else:
            os.environ[name] = value
    if "TZ" in values:
        time.tzset()


@contextmanager
def _standard_input(typed: str | None) -> Iterator[None]:
    """Let standard input be a pipe with this text in it, or one that nobody types into."""
    if typed is None:
        with open(os.devnull) as silent, mock.patch.object(sys, "stdin", silent):
            yield
        return
    reading, writing = os.pipe()
    with open(writing, "w", encoding="utf-8") as pipe:
        pipe.write(typed)
    with open(reading, encoding="utf-8") as pipe, mock.patch.object(sys, "stdin", pipe):
        yield


@pytest.fixture
def first_day() -> Iterator[None]:
    """What days of 2026 are told on one of that year."""
    with moment.at(moment.FIRST):
        yield


@pytest.fixture
def metier(tmp_path: Path) -> Bench:
    """The program with no logbook yet."""
    return Bench(tmp_path)


SetUp = Callable[[Bench], None]


@pytest.fixture(scope="session")
def built(tmp_path_factory: pytest.TempPathFactory) -> Callable[[Bench, SetUp], Bench]:
    """What sets a bench up: built once for all tests, each of which begins with a copy of it."""

    @cache
    def folder(set_up: SetUp) -> Path:
        made = tmp_path_factory.mktemp(set_up.__name__)
        set_up(Bench(made))
        return made

    def begin(bench: Bench, set_up: SetUp) -> Bench:
        shutil.copytree(folder(set_up), bench.folder, dirs_exist_ok=True)
        return bench

    return begin


def set_up_untold(bench: Bench) -> None:
    """Put printer heron and spool fern-1 on the bench; how its slicer doses a line nobody knows."""
    bench.json("printer add heron --nozzle 0.5 --steps 412")
    bench.json("spool add fern-1 --material PLA --maker Saltmarsh --colour green")
    bench.json("bench --printer heron --spool fern-1 --temperature 210")


def set_up_heron(bench: Bench) -> None:
    """Put printer heron and spool fern-1 on the bench; a preview showed how its slicer doses."""
    set_up_untold(bench)
    bench.json("printer set heron --preview 3.656637@40 --width 0.5 --layer 0.2 --flow 100")


@pytest.fixture
def untold(metier: Bench, built: Callable[[Bench, SetUp], Bench]) -> Bench:
    """The same, but for what its slicer does."""
    return built(metier, set_up_untold)


@pytest.fixture
def heron(metier: Bench, built: Callable[[Bench, SetUp], Bench]) -> Bench:
    """The program with printer heron and spool fern-1 on the bench."""
    return built(metier, set_up_heron)


class Standin:
    """A stand-in printer that runs in a process of its own; ``port`` is where it listens."""

    def __init__(self, metier: Bench, *words: str) -> None:
        self._process = metier.started("standin start --json", *words)
        assert self._process.stdout is not None
        self.port = json.loads(self._process.stdout.readline())["port"]

    def stop(self) -> None:
        """Stop it, which pulls the cable, too."""
        self._process.terminate()
        self._process.communicate(timeout=HANGS_S)


@pytest.fixture
def standin(heron: Bench) -> Iterator[Callable[..., Standin]]:
    """What starts a stand-in on the cable of heron."""
    running = []

    def start(*words: str) -> Standin:
        given = ["--seed", "7", "--fast", "3000"]
        running.append(Standin(heron, *given[: 2 if "--fast" in words else 4], *words))
        heron.json(f"cable set heron --port {running[-1].port}")
        return running[-1]

    yield start
    for one in running:
        one.stop()
