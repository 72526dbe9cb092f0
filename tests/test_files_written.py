"""Whatever writes a file: never over a logbook, never a half, never through a link."""

import os
import socket
import stat

import pytest

from tests.conftest import not_quick, set_up_heron

# A line that writes to a file, and the name that it has to end with.
FLOW = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.5 --line-model rounded"
WRITERS = {
    "profile --write": ".toml",
    "logbook export": ".json",
    "logbook backup": ".sqlite",
    "history --plot": ".png",
    f"{FLOW} --plot": ".png",
    "sliced cost cube.gcode --plot": ".svg",
    "flow --plan --walls 1 --width 0.5 --layer 0.2 --flow 100 --part": ".stl",
    "part 2": ".3mf",
    "part 2 --plot": ".pdf",
}


def measure_and_plan(bench):
    set_up_heron(bench)
    bench.json("flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --read 1.5 1.51")
    (bench.folder / "cube.gcode").write_text("G90\nM83\nG1 X200 E10 F6000\n")
    bench.json("flow --plan --walls 2 --width 0.5 --layer 0.2")


@pytest.fixture
def shop(metier, built):
    return built(metier, measure_and_plan)


def _link(shop, end):
    target = shop.folder / f"other{end}"
    target.write_text("mine")
    os.symlink(target, shop.folder / f"it{end}")


def _hard_link(shop, end):
    os.link(shop.logbook, shop.folder / f"it{end}")


def _linked_logbook(shop, end):
    os.symlink(shop.logbook, shop.folder / f"it{end}")


def _fifo(shop, end):
    os.mkfifo(shop.folder / f"it{end}")


def _folder(shop, end):
    (shop.folder / f"it{end}").mkdir()


def _socket(shop, end):
    # Its path may be too long for a socket; from inside the folder it is not.
    before = os.getcwd()
    os.chdir(shop.folder)
    with socket.socket(socket.AF_UNIX) as one:
        one.bind(f"it{end}")
    os.chdir(before)


@pytest.mark.parametrize("force", [" --force", *not_quick("")])
@pytest.mark.parametrize(
    "made", [_link, _hard_link, _linked_logbook, _fifo, _folder, _socket], ids=lambda f: f.__name__
)
@pytest.mark.parametrize("line", WRITERS)
def test_nothing_but_a_regular_file_is_written_over(shop, line, made, force):
    end = WRITERS[line]
    made(shop, end)
    shop.refuses(f"{line} it{end}{force}")
    assert shop.json("logbook check")["sound"]
    other = shop.folder / f"other{end}"
    assert not other.exists() or other.read_text() == "mine"
    assert len(shop.json("history")["trials"]) == 2


@pytest.mark.parametrize("beside", ["", "-wal", "-shm", "-journal", ".flow-readings.0123"])
@pytest.mark.parametrize("force", ["", " --force"])
@pytest.mark.parametrize("line", ["profile --write", "logbook export", "logbook backup"])
def test_neither_the_logbook_nor_what_lies_beside_it(shop, line, force, beside):
    before = shop.json("history")
    said = shop.refuses(f"{line} {shop.logbook.name}{beside}{force}")
    assert "is the logbook, or belongs to it" in said
    assert shop.json("history") == before


@pytest.mark.parametrize("line", WRITERS)
def test_what_is_there_is_written_over_only_when_asked_and_keeps_its_mode(shop, line):
    path = shop.folder / f"it{WRITERS[line]}"
    path.write_text("mine")
    path.chmod(0o640)
    assert "--force to write over it" in shop.refuses(f"{line} {path.name}")
    assert path.read_text() == "mine"
    assert shop(f"{line} {path.name} --force").status == 0
    assert path.read_bytes() != b"mine"
    assert stat.S_IMODE(path.stat().st_mode) == 0o640
    assert not list(shop.folder.glob("*.part"))


@pytest.mark.parametrize("line", WRITERS)
def test_a_folder_that_is_not_there_is_a_failure_outside(shop, line):
    ran = shop(f"{line} nowhere/it{WRITERS[line]}")
    assert (ran.status, ran.out, ran.err.count("\n")) == (1, "", 1)
    assert "cannot be written" in ran.err
    assert len(shop.json("history")["trials"]) == 2


def test_a_backup_has_what_still_stands_beside_the_logbook(shop):
    # Somebody reads on, so that the write-ahead log cannot be taken into the file.
    with shop.tables() as reading:
        reading.execute("BEGIN")
        reading.execute("SELECT count(*) FROM trial").fetchone()
        shop.json(FLOW)
        assert (shop.folder / f"{shop.logbook.name}-wal").stat().st_size > 0
        assert shop.json("logbook backup copy.sqlite")["trials"] == 3
        reading.execute("ROLLBACK")
    there = shop.json("history --logbook copy.sqlite")["trials"]
    assert there == shop.json("history")["trials"]
    assert shop.json("logbook check --logbook copy.sqlite")["sound"]
    assert shop.json(f"{FLOW} --logbook copy.sqlite")["trial"] == 4
    assert len(shop.json("history")["trials"]) == 3
