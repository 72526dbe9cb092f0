"""Whatever writes a file: never over a logbook, never a half, never through a link."""

import os
import socket
import sqlite3
import stat
from contextlib import closing

import pytest

from metier.logbook.drafts import Draft, DraftFor, DraftReading
from metier.whole_file import try_lock
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
    assert not list(shop.folder.glob(".*.part"))


def _another_logbook(shop, path):
    shop.json(f"spool add moss-1 --material PLA --logbook {path.name}")


def _a_database_of_others(_, path):
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("CREATE TABLE song (name)")


def _a_copy_that_went_on(shop, path):
    shop.json(f"logbook backup {path.name}")
    shop.json(f"spool add moss-1 --material PLA --logbook {path.name}")


@pytest.mark.parametrize("kept", [_another_logbook, _a_database_of_others, _a_copy_that_went_on])
@pytest.mark.parametrize("line", WRITERS)
def test_no_logbook_is_written_over_whatever_it_is_called(shop, line, kept):
    path = shop.folder / f"it{WRITERS[line]}"
    kept(shop, shop.folder / "kept.sqlite")
    (shop.folder / "kept.sqlite").rename(path)
    before = path.read_bytes()
    assert "holds a logbook" in shop.refuses(f"{line} {path.name} --force")
    assert path.read_bytes() == before
    if line.startswith("logbook"):
        assert "belongs to the logbook" in shop.refuses(f"{line} {path.name}-wal --force")


def test_a_backup_is_written_over_an_older_one_of_the_same_logbook(shop):
    shop.json("logbook backup copy.sqlite")
    shop.json(FLOW)
    assert shop.json("logbook backup copy.sqlite --force")["trials"] == 3
    assert "holds a logbook" in shop.refuses("logbook export copy.sqlite --force")
    assert len(shop.json("history --logbook copy.sqlite")["trials"]) == 3


@pytest.mark.parametrize("line", ["export", "backup"])
def test_of_a_logbook_that_is_not_there_nothing_is_written(shop, line):
    (shop.folder / "a.db").write_text("mine")
    said = shop.refuses(f"logbook {line} a.db --force --logbook typo.db")
    assert "there is no logbook typo.db" in said
    assert (shop.folder / "a.db").read_text() == "mine"


def test_what_a_killed_write_left_is_swept_by_the_next_and_what_is_being_written_is_not(shop):
    left, held, other = (
        shop.folder / name for name in (".it.json.01.part", ".it.json.02.part", ".at.json.03.part")
    )
    for path in (left, held, other):
        path.write_text("half")
    with held.open("rb") as file:
        assert try_lock(file)
        shop.json("logbook export it.json")
    assert not left.exists()
    assert held.exists()
    assert other.exists()


def test_a_logbook_and_what_is_typed_into_it_are_its_owners_alone(shop):
    draft = Draft(str(shop.logbook), DraftFor("flow", "heron", None, {}), False)
    draft.add(DraftReading("front", "0.51"))
    draft.close()
    kept = [shop.logbook, *shop.folder.glob("*.flow-readings.*")]
    assert [stat.S_IMODE(path.stat().st_mode) for path in kept] == [0o600, 0o600]


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
