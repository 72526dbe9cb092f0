"""A logbook of the first version opens for ever: read, measured, amended and exported as before."""

import json
import sqlite3
from pathlib import Path

import pytest

from metier.logbook.opening import open_existing, open_or_make
from metier.logbook.schema import APPLICATION_ID, MIGRATIONS, VERSION
from metier.logbook.trials import readings, trial
from metier.trials.judging import judged_again

# Written by the first version: heron and fern-1 with all kinds of trials, measured, planned,
# mended and withdrawn; a change, a roll renamed, a step left out, an aim kept.
DUMP = (Path(__file__).parent / "first_version.sql").read_text()
TABLES = "SELECT type, name, sql FROM sqlite_schema WHERE name NOT LIKE 'sqlite%'"
MEASURED = (1, 2, 3, *range(5, 10), *range(11, 16), 18, 20, 22, 23, 24)


@pytest.fixture
def old(metier):
    with sqlite3.connect(metier.logbook) as connection:
        connection.executescript(DUMP)
        connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
        connection.execute("PRAGMA user_version = 1")
    connection.close()
    return metier


def test_its_tables_are_never_changed_but_by_a_later_script():
    kept, made = sqlite3.connect(":memory:"), sqlite3.connect(":memory:")
    kept.executescript(DUMP)
    made.executescript(MIGRATIONS[0])
    assert set(kept.execute(TABLES)) == set(made.execute(TABLES))
    kept.close()
    made.close()


def test_it_is_read_as_it_was(old):
    listed = {one["number"]: one for one in old.json("history --limit 99")["trials"]}
    assert [listed[n]["state"] for n in (1, 25, 35)] == ["measured", "withdrawn", "planned"]
    for number in listed:
        whole = old(f"history {number}")
        assert (whole.status, whole.err) == (0, "")
        assert "None" not in whole.out
    assert len(old("history --csv").out.splitlines()) == 1 + 35 + 2
    amended = old("history 23").out
    assert "1.48" in amended
    assert "was 1.46" in amended
    values = old.json("profile")["values"]
    assert (values["esteps"]["value"], values["esteps"]["status"]) == (426.5, "doubtful")
    assert (values["hole"]["value"], values["hole"]["status"]) == (0.09, "doubtful")
    assert old.json("next")["step"] == "temperature"
    assert "PETG" in old("spool show smoke-1").out
    assert old.json("logbook check")["sound"]


@pytest.mark.parametrize("number", MEASURED)
def test_judged_anew_every_trial_says_what_it_said(old, number):
    with open_existing(str(old.logbook)) as book:
        kept = trial(book, number)
        judged = judged_again(book, kept, readings(book, number))
    assert judged.verdict == kept.verdict
    assert json.loads(json.dumps(judged.payload)) == kept.findings


@pytest.mark.parametrize(
    ("line", "key", "value"),
    [
        ("diameter --trial 26 --read 1.75", "diameter_mm", 1.74),
        ("esteps --trial 27 --left 30.1", "moved_mm", 149.9),
        ("flow --trial 28 --read 1.50", "flow_now_percent", 95),
        ("volumetric --trial 29 --gaps-at 20", "limit_mm3_s", 9.0),
        ("xy --trial 30 --hole 4=3.9 --post 4=4.1", "hole_set_mm", 0.09),
        ("fit --trial 31 --pair 0.1=press 0.2=slide", "begins_mm", 0.15),
        ("weigh --trial 32 --part 12.31", "part_g", 12.31),
        ("map --trial 33 --read 1.83 1.84 --read 1.82 1.83", "verdict", "correct"),
        ("heat --trial 34 --step 220=none/even/-/holds 210=none/even/-/easy", "high_c", 220.0),
        ("proof --trial 35 --at root=0.46 tip=0.44", "mean_mm", 0.44),
    ],
)
def test_what_was_planned_then_is_measured_now(old, line, key, value):
    measured = old.json(line)
    assert measured["trial"] == int(line.split()[2])
    assert measured[key] == (pytest.approx(value) if isinstance(value, float) else value)


def test_it_is_exported_and_imported_with_its_settings_as_they_are(old):
    with sqlite3.connect(old.logbook) as connection:
        raw = dict(connection.execute("SELECT id, settings FROM trial").fetchall())
    connection.close()
    old.json("logbook export old.json")
    document = json.loads((old.folder / "old.json").read_text())
    assert {one["id"]: one["settings"] for one in document["trials"]} == {
        number: json.loads(settings) for number, settings in raw.items()
    }
    old.json("logbook import old.json --logbook new.sqlite")
    for line in ("profile", "history --limit 99", "printer show heron", "spool show fern-1"):
        assert old.json(line) == old.json(f"{line} --logbook new.sqlite")


def test_it_is_brought_up_to_date_or_read_in_memory_where_it_may_not_be_written(old):
    old.logbook.chmod(0o444)
    before = old.logbook.read_bytes()
    assert old.json("history --kind xy")["count"] == 3
    assert "read-only" in old.refuses("entered flow 92", status=1)
    assert old.logbook.read_bytes() == before
    old.logbook.chmod(0o644)
    old.json("entered flow 92")
    with open_existing(str(old.logbook)) as book:
        assert book.connection.execute("PRAGMA user_version").fetchone() == (VERSION,)
        assert not book.connection.execute("PRAGMA foreign_key_check").fetchall()
        # The tables list no kinds: what there is is known by the program.
        book.connection.execute("UPDATE entry SET kind = 'lift' WHERE kind = 'flow'")
    assert "there is no value 'lift'" in old.refuses("logbook check", status=1)


def test_it_is_what_a_new_logbook_becomes(old, tmp_path):
    """Whichever way a logbook came to the present version, its tables are the same."""
    old.json("entered flow 92")
    with open_existing(str(old.logbook)) as book:
        grown = {row[:2] for row in book.connection.execute(TABLES)}
    with open_or_make(str(tmp_path / "new.sqlite")) as book:
        assert {row[:2] for row in book.connection.execute(TABLES)} == grown
