"""Where the logbook lies and where it cannot: one true line each, and read wherever it can be."""

import contextlib
import os
import shutil
import socket
import sys
import tempfile
from pathlib import Path

import pytest

from metier.cli import main
from tests.conftest import forked_child

ADD = "printer add wren --nozzle 0.8"
LINES = ("history", "profile", ADD, "logbook check", "flow --width 0.5 --read 0.5")


def _loop(folder):
    os.symlink(folder / "it", folder / "it")


def _fifo(folder):
    os.mkfifo(folder / "it")


def _socket(folder):
    with socket.socket(socket.AF_UNIX) as one, contextlib.chdir(folder):
        one.bind("it")


def _below_a_file(folder):
    (folder / "it").write_text("")


@pytest.mark.parametrize("line", LINES)
@pytest.mark.parametrize(
    ("made", "name", "status", "said"),
    [
        (_loop, "it", 1, "symbolic links"),
        (_fifo, "it", 2, "no regular file"),
        (_socket, "it", 2, "no regular file"),
        (_below_a_file, "it/logbook.sqlite", 1, "Not a directory"),
        (lambda _: None, "x" * 300, 1, "too long"),
    ],
)
def test_only_no_such_file_means_none_yet(metier, line, made, name, status, said):
    made(metier.folder)
    ran = metier(f"{line} --logbook {name}")
    assert (ran.status, ran.out, ran.err.count("\n")) == (status, "", 1), ran
    assert said in ran.err
    assert "damaged" not in ran.err


@pytest.mark.parametrize("line", ["history", ADD])
def test_without_a_home_it_says_so_and_makes_no_folder(metier, line):
    # A user whom the system knows no home of.
    status, out, err = _as(64_999, metier, line, metier.folder, {"METIER_DEBUG": ""})
    assert (status, out, err.count("\n")) == (2, "", 1)
    assert "there is no home folder" in err
    assert not (metier.folder / "~").exists()


def _as(user, bench, line, folder, environment):
    """Run a command as an unprivileged user, where that can be done; returns status, out, err."""
    if os.getuid() != 0:
        pytest.skip("only root can become somebody else")
    # What is imported late may lie where that user cannot read it.
    bench(line)
    outputs = [tempfile.TemporaryFile() for _ in range(2)]  # noqa: SIM115 (read below)
    child = os.fork()
    if child == 0:
        with forked_child():
            for number, file in enumerate(outputs, 1):
                os.dup2(file.fileno(), number)
            os.chdir(folder)
            os.environ.clear()
            os.environ.update(environment)
            os.setgroups([])
            os.setgid(user)
            os.setuid(user)
            sys.stdin, sys.stdout, sys.stderr = open(os.devnull), open(1, "w"), open(2, "w")  # noqa: SIM115
            os._exit(main(line.split()))
    _, ended = os.waitpid(child, 0)
    texts = []
    for file in outputs:
        file.seek(0)
        texts.append(file.read().decode())
        file.close()
    return os.waitstatus_to_exitcode(ended), *texts


@pytest.fixture
def shared(heron):
    """A logbook in a folder that others reach."""
    heron.json("flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --read 1.5 1.51")
    folder = Path(tempfile.mkdtemp())
    folder.chmod(0o755)
    heron.json(f"logbook backup {folder}/logbook.sqlite")
    (folder / "logbook.sqlite").chmod(0o666)
    yield folder
    shutil.rmtree(folder)


@pytest.fixture
def there(heron, shared):
    def run(line):
        environment = {"METIER_DEBUG": "", "METIER_LOGBOOK": str(shared / "logbook.sqlite")}
        return _as(65_534, heron, line, "/", environment)

    return run


def test_in_a_folder_that_cannot_be_written_it_is_read_all_the_same(there):
    status, out, err = there("history")
    assert (status, err) == (0, ""), err
    assert "flow" in out
    status, out, err = there("entered flow 92")
    assert (status, out, err.count("\n")) == (1, "", 1)
    assert "cannot be written: nothing was recorded" in err


@pytest.mark.parametrize("line", ["history", "entered flow 92", ADD])
def test_a_folder_that_cannot_be_looked_into_is_not_an_empty_logbook(there, shared, line):
    shared.chmod(0o700)
    status, out, err = there(line)
    assert (status, out, err.count("\n")) == (1, "", 1)
    assert "Permission denied" in err
