"""A damaged logbook: one line whatever is done, the trial named, and what can be read is saved."""

import os
import random
import sqlite3
from contextlib import closing

import pytest

from tests.conftest import LONG
from tests.logbook.test_first_version import lay_down_dump

FLOW = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.5 0.51"
LINES = (
    "history", "history 3", "history --csv", "profile", "profile --card", "next", "shelf", "drift",
    "logbook check", "logbook export out.json --force", "logbook backup out.sqlite --force",
    "logbook rescue new.sqlite", "spool list", "printer list", "instrument list", "undo",
    "entered flow 93", FLOW, "diameter --read 1.74", "weigh --filament 1000 --part 3", "map",
    "trial 3 --note x", "reading amend 3 1 1.5", "printer changed heron --what nozzle",
)  # fmt: skip


@pytest.fixture
def old(metier, built):
    return built(metier, lay_down_dump)


def hurt(bench, *statements):
    """Change what the tables would never let through."""
    with closing(sqlite3.connect(bench.logbook)) as book:
        book.execute("PRAGMA ignore_check_constraints = ON")
        for statement in statements:
            book.execute(statement)
        book.commit()


@pytest.mark.parametrize(
    ("statement", "named"),
    [
        ("UPDATE trial SET findings = '{half' WHERE id = 3", "trial 3 is no JSON any more"),
        ("UPDATE trial SET settings = CAST(x'c328' AS TEXT) WHERE id = 3",
         "trial 3: some of its text"),
        ("UPDATE reading SET typed = CAST(x'ff' AS TEXT) WHERE trial = 3",
         "trial 3: some of its text"),
        ("UPDATE trial SET settings = '{}' WHERE id = 3", "trial 3:"),
        ("UPDATE moment SET at = '2026-13-45T00:00:00Z' WHERE id = 5", "a time that is none"),
        ("UPDATE printer SET line_model = 'round'", "CHECK constraint failed"),
    ],
)  # fmt: skip
def test_check_says_where_the_damage_is(old, statement, named):
    hurt(old, statement)
    said = old.refuses("logbook check", status=1)
    assert named in said
    assert "metier logbook rescue" in said


def test_what_can_be_read_is_saved_and_what_cannot_is_said(old):
    before = {each["number"]: each for each in old.json("history --limit 99")["trials"]}
    old.json("logbook backup whole.sqlite")
    (old.folder / "out.sqlite").write_text("mine")
    hurt(
        old,
        "UPDATE trial SET findings = '{half' WHERE id = 3",
        "UPDATE trial SET note = CAST(x'ff41' AS TEXT) WHERE id = 1",
        "UPDATE trial SET settings = '{half' WHERE id = 5",
        "UPDATE moment SET at = 'never' WHERE id = 6",
    )
    saved = old.json("logbook rescue new.sqlite")
    assert saved["lost"] == {
        "moment": ["6: its time, the rest is there"],
        "trial": [
            "1: its note, the rest is there",
            "3: its finding, the rest is there",
            "5: its settings cannot be read",
        ],
        "reading": ["5 31.5 31.5: its trial is lost", "5 25 25.0: its trial is lost"],
    }
    assert (saved["copied"]["trial"], saved["judged"]) == (34, [3])
    after = {
        each["number"]: each
        for each in old.json("history --limit 99 --logbook new.sqlite")["trials"]
    }
    assert after.keys() == before.keys() - {5}
    assert after[3]["verdict"] == before[3]["verdict"]
    assert all(after[n]["readings"] == before[n]["readings"] for n in after)
    assert old.json("logbook check --logbook new.sqlite")["sound"]
    assert "exists" in old.refuses("logbook rescue out.sqlite --logbook whole.sqlite")
    assert "nothing" in old("logbook rescue all.sqlite --logbook whole.sqlite").out


def test_behind_a_damaged_page_the_rest_is_saved_too(heron):
    heron.json(FLOW)
    with heron.tables() as book:
        book.execute(
            "WITH RECURSIVE n(i) AS (SELECT 2 UNION ALL SELECT i + 1 FROM n WHERE i < 300)"
            " INSERT INTO trial SELECT i, test, state, printer, nozzle, spool, temperature_c,"
            " speed_mm_s, feed_rate_mm_s, through, instrument, settings, findings, verdict,"
            " planned, measured, withdrawn, NULL, 'print ' || i FROM trial, n WHERE id = 1"
        )
    heron.json("logbook backup whole.sqlite")
    data = bytearray((heron.folder / "whole.sqlite").read_bytes())
    page = int.from_bytes(data[16:18], "big")
    at = data.index(b"print 150") // page * page
    data[at : at + 64] = b"\xff" * 64
    (heron.folder / "hurt.sqlite").write_bytes(data)
    assert "damaged" in heron.refuses("logbook check --logbook hurt.sqlite", status=1)
    saved = heron.json("logbook rescue new.sqlite --logbook hurt.sqlite")
    assert "some rows" in saved["lost"]["trial"][0]
    assert saved["copied"]["trial"] > 290
    there = heron.json("history --limit 300 --logbook new.sqlite")["trials"]
    assert {1, 300} < {each["number"] for each in there}


GARBAGE = (
    "CAST(x'ff41fe' AS TEXT)", "'{broken'", "'[]'", "''", "'null'", "'{}'", "7", "-1", "1e300",
    "'2026-13-45T99:99:99Z'", "NULL", "'[' || char(27) || ']'",
)  # fmt: skip
TABLES = (
    "trial", "moment", "spool", "printer", "change", "reading", "entry", "edit", "preference",
    "bench", "outcome", "instrument", "nozzle",
)  # fmt: skip


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(12 * LONG))
def test_whatever_stands_in_its_cells_every_command_ends_in_one_line(old, seed):
    luck = random.Random(seed)
    with closing(sqlite3.connect(old.logbook)) as book:
        columns = {
            table: [row[1] for row in book.execute(f"PRAGMA table_info({table})")]
            for table in TABLES
        }
    for _ in range(luck.choice([1, 1, 3, 10])):
        table = luck.choice(TABLES)
        column = luck.choice(columns[table])
        statement = f"UPDATE {table} SET {column} = {luck.choice(GARBAGE)}"
        try:
            hurt(old, f"{statement} WHERE abs(random()) % 3 = 0")
        except sqlite3.Error:
            continue
    whole = old.logbook.read_bytes()
    for line in luck.sample(LINES, 7):
        for path in old.folder.glob("*.sqlite*"):
            path.unlink()
        old.logbook.write_bytes(whole)
        ran = old(line, METIER_DEBUG="")
        told = (seed, line, ran)
        assert ran.status in (0, 1, 2), told
        assert ran.status == 0 or ran.err.count("\n") == 1, told


@pytest.mark.slow
@pytest.mark.parametrize("part", range(8 * LONG))
def test_a_damaged_logbook_is_one_line_and_never_a_traceback(heron, part):
    """Bytes overwritten, cut off or zeroed at places all over the file."""
    heron.json(f"{FLOW} --read 0.5 0.51")
    heron.json("logbook backup whole.sqlite")
    whole = (heron.folder / "whole.sqlite").read_bytes()
    step = len(whole) // (8 * LONG)
    damages = (
        lambda data, at: data[:at],
        lambda data, at: data[:at] + b"\0" * 512 + data[at + 512 :],
        lambda data, at: data[:at] + b"\xff" * 37 + data[at + 37 :],
        lambda data, at: data[:at] + bytes(255 - one for one in data[at : at + 3]) + data[at + 3 :],
    )
    for number, damage in enumerate(damages):
        for line in (
            "history", "profile", "logbook check", "entered flow 92", "next", "shelf", "undo",
        ):  # fmt: skip
            path = heron.folder / f"hurt-{number}.sqlite"
            for end in ("", "-wal", "-shm"):
                if os.path.exists(f"{path}{end}"):
                    os.unlink(f"{path}{end}")
            path.write_bytes(damage(whole, 100 + part * step))
            ran = heron(f"{line} --logbook {path}", METIER_DEBUG="")
            told = (number, line, ran)
            assert ran.status in (0, 1, 2), told
            assert ran.status == 0 or ran.err.count("\n") == 1, told
