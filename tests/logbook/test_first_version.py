"""A logbook of the first version opens for ever: read, measured, amended and exported as before."""

import csv
import io
import json
import re
import sqlite3
from contextlib import suppress
from pathlib import Path

import pytest

from metier.logbook.opening import open_existing, open_or_make
from metier.logbook.plain import alike
from metier.logbook.schema import APPLICATION_ID, MIGRATIONS, VERSION
from metier.logbook.trials import readings, trial
from metier.trials.judging import judge_mended, judged_again
from metier.trials.registry import kept_named

# Written by the first version: heron and fern-1 with all kinds of trials, measured, planned,
# mended and withdrawn; a change, a roll renamed, a step left out, an aim kept.
DUMP = (Path(__file__).parent / "first_version.sql").read_text()
TABLES = "SELECT type, name, sql FROM sqlite_schema WHERE name NOT LIKE 'sqlite%'"
MEASURED = (1, 2, 3, *range(5, 10), *range(11, 16), 18, 20, 22, 23, 24)


def lay_down_dump(bench):
    with bench.tables() as connection:
        connection.executescript(DUMP)
        connection.execute(f"PRAGMA application_id = {APPLICATION_ID}")
        connection.execute("PRAGMA user_version = 1")


@pytest.fixture
def old(metier, built):
    return built(metier, lay_down_dump)


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


# What a table of values has of each kind: set, measured, expected, new, to type, ±.
CSV_ROWS = """
1 diameter 1.75 1.7425 1.75 1.7425 1.7425 0.0268
2 esteps 412 144.9 150 426.501 426.5 1.3682
3 flow 100 1.04 1.0429 101.8619 100 5.877
5 volumetric - 11 - 9.9 9.5 -
6 volumetric 9.5 7.1837 9.5 6.4653 6 -
7 volumetric 9.5 4 9.5 4 4 -
8 volumetric 9.5 8.5 9.5 7.65 7.5 -
9 volumetric 9.5 21.5 9.5 21.5 9.5 -
11 xy-hole 0 0.0921 - 0.0921 0.09 0.0351
11 xy-contour 0 -0.0348 - -0.0348 0 0.0421
12 fit 0.1 0.2501 0.3 0.1501 0.14 0.0797
13 fit 0.18 0.35 0.4 0.17 0.15 0.08
14 strand - 2.952 - 2.952 - 0.0236
15 weigh 100 12.31 - 90.9445 90.9445 2.8981
18 map 30 - - 89.4398 89 2.5687
18 map 60 - - 89.9192 90 2.5303
20 heat 210 - - 215 215 7.4849
22 proof globe 0.4125 0.45 - - 0.0263
23 flow 95 1.465 1.4142 90.9346 91 2.8832
24 flow 95 1.485 1.4142 89.988 90 2.0888
25 flow 95 1.655 1.4142 87.3951 87 4.123
"""
# And as a table of trials has it: what it ran at, measured, by how much off, new.
LISTED = """
1 diameter 1.75 1.742 -0.9 % 1.742 keep
2 esteps 412 144.90 -3.40 % 426.50 correct
3 flow 100 % 1.040 -1.8 % 101.9 % unclear
5 volumet… 210 °C 11 9.5 correct
6 volumet… 210 °C 7.18 6 correct
7 volumet… 210 °C 4 4 correct
8 volumet… 210 °C 8.5 7.5 correct
9 volumet… 210 °C 21.5 ≥ 21.5 unclear
11 xy +.09/-.03 +.09/+.00 correct
12 fit slide 0.25 +.14/-.03 correct
13 fit slide 0.35 +.15/-.03 correct
14 weigh strand 2.952 g/m keep
15 weigh 3760 mm 12.31 g +10.9 % 90.9 % correct
18 map 30-60 89-90 % correct
20 heat 210 °C 210-220 215 °C correct
22 proof globe 0.412 -10.1 % recheck
23 flow 95 % 1.465 +4.5 % 90.9 % correct
24 flow 95 % 1.485 +5.6 % 90.0 % correct
25 flow 95 % 1.655 +8.7 % 87.4 % withdrawn
"""


@pytest.mark.usefixtures("first_day")
def test_its_tables_have_what_was_measured_in_the_columns_of_that(old):
    columns = ("set", "measured", "expected", "new", "to_type", "u95")

    def short(cell):
        with suppress(ValueError):
            return f"{round(float(cell), 4):.8g}"
        return cell or "-"

    rows = list(csv.DictReader(io.StringIO(old("history --csv").out)))
    rows.sort(key=lambda row: int(row["trial"]))
    found = [
        " ".join([one["trial"], one["test"].replace(" ", "-"), *(short(one[c]) for c in columns)])
        for one in rows
        if one["verdict"]
    ]
    assert found == CSV_ROWS.split("\n")[1:-1]
    listed = re.findall(
        r"^ *(\d+)  \d+ \w+(?: \d{4})? +(.*?) +fern-1 (.*)",
        old("history --limit 99").out,
        re.MULTILINE,
    )
    shown = [
        " ".join(" ".join(row).split()) for row in listed[::-1] if row[2].split()[0] != "planned"
    ]
    assert shown == LISTED.split("\n")[1:-1]


@pytest.mark.parametrize("number", MEASURED)
def test_judged_anew_every_trial_says_what_it_said(old, number):
    """By the edition of its day: one that was judged by an older one stays, and can be judged."""
    with open_existing(str(old.logbook)) as book:
        kept = trial(book, number)
        judged = judged_again(book, kept, readings(book, number))
        anew = judge_mended(book, {number})
        after = trial(book, number)
    if kept_named(kept.test).form(kept.settings).is_current(kept.settings):
        now = json.loads(json.dumps(judged.payload))
        assert judged.verdict.name == kept.verdict
        assert now.keys() >= kept.findings.keys()
        assert alike(kept.findings, now)
        assert number not in anew
    else:
        assert number not in anew
        assert (after.verdict, after.findings) == (kept.verdict, kept.findings)


@pytest.mark.parametrize(
    ("line", "key", "value"),
    [
        ("diameter --trial 26 --read 1.75", "measured_mm", 1.74),
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
    with old.tables() as connection:
        raw = dict(connection.execute("SELECT id, settings FROM trial").fetchall())
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
