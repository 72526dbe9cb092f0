"""The log of the line: beside its logbook, for its user alone, and of a bounded size."""

import os

import pytest

from metier.cable import log
from metier.cable.log import CableLog, given_log, log_beside, own_log
from metier.core.errors import BadInput

HEAD = "# what Metier sent (>) and received (<) over a printer's cable\n"


def test_it_is_gone_on_with_and_for_its_user_alone(tmp_path):
    path = tmp_path / "x.log"
    for text in ("M105", "M104 S0 ±"):
        written = given_log(str(path))
        written.note(">", text)
        written.close()
    lines = path.read_text().splitlines(keepends=True)
    assert lines[0] == HEAD
    assert [line.split(" > ")[1] for line in lines[1:]] == ["M105\n", "M104 S0 ±\n"]
    assert path.stat().st_mode & 0o777 == 0o600


def test_within_one_run_it_stays_bounded(tmp_path, monkeypatch):
    monkeypatch.setattr(log, "_LARGEST", 2000)
    path = tmp_path / "x.log"
    written = CableLog(str(path))
    for number in range(200):
        written.note("<", f"line {number:03d}")
    written.close()
    before = tmp_path / "x.log.before"
    assert {one.name for one in tmp_path.iterdir()} == {"x.log", "x.log.before"}
    assert all(one.stat().st_size <= 2000 for one in (path, before))
    # Nothing is lost between the two.
    kept = [int(line.split()[-1]) for line in (before.read_text() + path.read_text()).splitlines()
            if "line" in line]  # fmt: skip
    assert kept == list(range(kept[0], 200))
    # What lies where the old one would go and is none of ours is left alone.
    before.write_text("mine")
    written = CableLog(str(path))
    for number in range(200):
        written.note("<", f"line {number:03d}")
    written.close()
    assert before.read_text() == "mine"
    assert path.stat().st_size <= 2000


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda path: path.write_text("diary"), "is there and no log of a cable"),
        (lambda path: path.symlink_to(path.with_name("other")), "is a link to"),
        (lambda path: path.mkdir(), "is a folder"),
        (os.mkfifo, "is no regular file"),
    ],
)
def test_nothing_else_is_appended_to(tmp_path, make, said):
    path = tmp_path / "x.log"
    make(path)
    with pytest.raises(BadInput, match=said):
        given_log(str(path))
    assert not (tmp_path / "other").exists()


def test_it_lies_beside_its_logbook(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    book = tmp_path / "book.sqlite"
    assert log_beside(str(book)) == str(tmp_path / "state/metier/cable.log")
    book.touch()
    assert log_beside(str(book)) == f"{book}.cable.log"
    written = own_log(str(book))
    written.close()
    assert (tmp_path / "book.sqlite.cable.log").read_text() == HEAD
