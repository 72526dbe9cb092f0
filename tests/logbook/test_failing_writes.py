"""Writes and syncs that fail, one by one: what is said equals what is stored."""

import resource
import sqlite3
import subprocess
import threading

import pytest

from tests.conftest import HANGS_S, LONG
from tests.moment import program

FLOW = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --line-model rounded"
LINES = (
    f"{FLOW} --read 0.5 0.51",
    "entered flow 92",
    "spool add fern-2 --material PLA",
    "reading amend 1 1 0.52",
    "undo 1",
    "printer add wren --nozzle 0.8 --steps 400",
    "printer changed heron --what mainboard",
    "bench --temperature 220",
    "instrument zero calipers 0.01",
    "esteps --asked 100 --mark 120 --left 20.4 20.6 20.5",
    "diameter --read 1.75/1.74 1.75/1.76",
    f"{FLOW} --plan",
    f"{FLOW} --plan --part tube.stl --force",
    "volumetric --from 4 --step 0.5 --every 2 --gaps-at 33.5 34 35 --width 0.5 --layer 0.2",
    "xy --hole 4=3.79 10=9.82 --post 4=4.09 10=10.08",
)
FEW = 5
WRONG = (
    (sqlite3.OperationalError, "database or disk is full"),
    (sqlite3.OperationalError, "disk I/O error"),
    (sqlite3.OperationalError, "database is locked"),
    (sqlite3.DatabaseError, "database disk image is malformed"),
)


class Failing(sqlite3.Connection):
    """A connection whose n-th statement fails, as a disk that is full or breaks."""

    left = 10**9
    wrong = WRONG[0]

    def execute(self, *words):
        cls = type(self)
        cls.left -= 1
        if cls.left < 0:
            error, said = cls.wrong
            raise error(said)
        return super().execute(*words)


def stored(bench):
    with bench.tables() as book:
        return [
            book.execute(query).fetchone()[0]
            for query in (
                "SELECT count(*) FROM trial WHERE state = 'measured'",
                "SELECT count(*) FROM entry",
                "SELECT count(*) FROM spool",
                "SELECT count(*) FROM trial WHERE state = 'withdrawn'",
                "SELECT count(*) FROM reading",
                "SELECT count(*) FROM moment",
                "SELECT count(*) FROM trial",
                "SELECT count(*) FROM printer",
                "SELECT count(*) FROM change",
                "SELECT total(temperature_c) FROM bench",
                "SELECT total(zero_mm) FROM instrument",
            )
        ]


@pytest.mark.slow
@pytest.mark.parametrize("wrong", WRONG[:LONG], ids=lambda wrong: wrong[1])
@pytest.mark.parametrize("line", LINES if LONG > 1 else LINES[:FEW])
def test_every_statement_may_fail_and_what_is_said_is_true(heron, monkeypatch, line, wrong):
    Failing.wrong = wrong
    heron.json(f"{FLOW} --read 0.5 0.5")
    connect = sqlite3.connect
    monkeypatch.setattr(
        "metier.logbook.book.sqlite3.connect",
        lambda *words, **more: connect(*words, **{**more, "factory": Failing}),
    )
    tried = 0
    for allowed in range(400):
        before = stored(heron)
        Failing.left = allowed
        ran = heron(line, METIER_DEBUG="")
        Failing.left = 10**9
        after = stored(heron)
        tried += 1
        if ran.status == 0:
            assert after != before
            break
        assert (ran.out, ran.err.count("\n")) == ("", 1), ran
        said = "is recorded" in ran.err or "what you gave" in ran.err
        assert said == (after != before), (allowed, ran.err)
        if after != before:
            break
    assert ran.status == 0 or after != before
    assert tried > 5


def test_an_output_that_is_full_says_what_is_recorded(heron):
    for line in LINES[:FEW]:
        with open("/dev/full", "w") as full:
            ran = subprocess.run(
                program(*line.split()), env={**heron.environment, "METIER_DEBUG": ""},
                stdout=full, stderr=subprocess.PIPE, text=True, check=False,
            )  # fmt: skip
        assert (ran.returncode, ran.stderr.count("\n")) == (1, 1), ran
        assert "recorded" in ran.stderr


@pytest.mark.slow
@pytest.mark.parametrize("part", range(4 * LONG))
@pytest.mark.parametrize("line", LINES if LONG > 1 else LINES[:2])
def test_a_disk_that_fills_up_takes_nothing_and_what_is_said_is_true(heron, line, part):
    """The system itself refuses to write beyond so many bytes, wherever in the file that is."""
    heron.json(f"{FLOW} --read 0.5 0.5")
    whole = sum(one.stat().st_size for one in heron.folder.glob("logbook.sqlite*"))
    most = whole * part // (4 * LONG)
    before = stored(heron)
    ran = subprocess.run(
        program(*line.split()), env={**heron.environment, "METIER_DEBUG": ""},
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (most, most)),
        capture_output=True, text=True, check=False, timeout=HANGS_S,
    )  # fmt: skip
    assert "Traceback" not in ran.stderr
    after = stored(heron)
    if ran.returncode == 0:
        assert after != before
    else:
        assert (ran.returncode, ran.stdout, ran.stderr.count("\n")) == (1, "", 1), ran
        said = "is recorded" in ran.stderr or "what you gave" in ran.stderr
        assert said == (after != before), ran
    # What was there before is there still, and can be written to again.
    assert heron.json("logbook check")["sound"]
    heron.json("entered flow 97")


@pytest.mark.parametrize("wrong", ["fsync", "write", "open"])
def test_a_draft_that_cannot_be_kept_is_said_and_the_readings_count(heron, monkeypatch, wrong):
    def full(*_words, **_more):
        raise OSError(28, "No space left on device")

    if wrong == "fsync":
        monkeypatch.setattr("metier.logbook.drafts.os.fsync", full)
    elif wrong == "write":
        monkeypatch.setattr("metier.logbook.drafts.Draft._write", full)
    else:
        monkeypatch.setattr("builtins.open", _opening(open, full))
    ran = heron(f"{FLOW} --json", typed="0.5\n0.51\n")
    assert ran.status == 0, ran
    assert len(heron.json("history 1")["trials"][0]["readings"]) == 2


def _opening(opened, full):
    def either(path, *words, **more):
        return full() if "-readings." in str(path) else opened(path, *words, **more)

    return either


@pytest.mark.slow
def test_two_amends_at_once_both_stay(heron):
    heron.json(f"{FLOW} --read 0.5 0.51 0.52")
    done = []

    def amend(position, values):
        for value in values:
            done.append(heron.process(f"reading amend 1 {position} {value}").status)

    threads = [
        threading.Thread(target=amend, args=(1, [f"0.5{n}" for n in range(1, 4 + LONG)])),
        threading.Thread(target=amend, args=(1, [f"0.4{n}" for n in range(6, 9)])),
        threading.Thread(target=amend, args=(2, [f"0.5{n}" for n in range(3, 6)])),
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert set(done) == {0}
    first, second, third = heron.json("history 1")["trials"][0]["readings"]
    assert len(first["was"]) == 6 + LONG
    assert (len(second["was"]), len(third["was"])) == (3, 0)
    found = heron.json("logbook check")
    assert (found["sound"], found["differ"]) == (True, [])


@pytest.mark.slow
def test_an_export_while_others_write_holds_together(heron, tmp_path):
    stop = threading.Event()

    def record():
        while not stop.is_set():
            heron.process(f"{FLOW} --read 0.5 0.51")

    writers = [threading.Thread(target=record) for _ in range(2)]
    for writer in writers:
        writer.start()
    try:
        for number in range(3 + LONG):
            out = tmp_path / f"{number}.json"
            assert heron.process(f"logbook export {out}").status == 0
            other = str(tmp_path / f"{number}.sqlite")
            into = heron.process(f"logbook import {out} --logbook {other}")
            assert into.status == 0, into
    finally:
        stop.set()
        for writer in writers:
            writer.join()
    assert heron.json("logbook check")["sound"]
