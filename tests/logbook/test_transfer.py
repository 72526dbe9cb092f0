"""Carrying a logbook to another computer and back; mending and bringing back trials."""

import json
from importlib.resources import files

import jsonschema
import pytest

from tests.conftest import set_up_heron

FLOW = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50 --read"


def record_a_few(bench):
    set_up_heron(bench)
    bench.json("instrument zero calipers 0.01")
    bench.json("diameter --read 1.74/1.72 1.73")
    bench.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4")
    bench.json("entered --advised")
    bench.json(f"{FLOW} 1.54 1.55 1.53")
    bench.json("flow --plan")
    bench.json("undo 3")
    bench.json("printer changed heron --what nozzle --note swapped")


@pytest.fixture
def bench(metier, built):
    return built(metier, record_a_few)


def other(bench, line, *words):
    """Run a command on a second logbook in the same folder."""
    return bench.json(f"{line} --logbook other.sqlite", *words)


def test_a_round_trip_is_equal_and_doubles_nothing(bench):
    bench.json("logbook export a.json")
    brought = other(bench, "logbook import a.json")
    assert (brought["trials"], brought["renumbered"]) == (4, {})
    other(bench, "logbook export b.json")
    first = (bench.folder / "a.json").read_text()
    schema = json.loads(files("metier.logbook").joinpath("logbook.schema.json").read_text())
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.validate(json.loads(first), schema)
    assert (bench.folder / "b.json").read_text() == first
    assert other(bench, "logbook import a.json")["facts"] == 0
    other(bench, "logbook export b.json --force")
    assert (bench.folder / "b.json").read_text() == first
    assert other(bench, "profile") == bench.json("profile")
    assert other(bench, "logbook check")["sound"]


def test_two_copies_that_went_on_apart_are_merged(bench):
    bench.json("logbook export a.json")
    other(bench, "logbook import a.json")
    # Here one trial is brought back, there the planned one is measured and one is new.
    bench.json(f"{FLOW} 1.53 1.53 1.53")
    other(bench, "flow --trial 4 --read 1.54 1.54")
    other(bench, "spool add fern-2 --material PLA")
    other(bench, "entered flow 93")
    other(bench, f"{FLOW} 1.42 1.42 1.42 --flow 93")
    other(bench, "logbook export b.json")
    brought = bench.json("logbook import b.json")
    assert brought["trials"] == 1
    assert brought["renumbered"] == {"5": 6}
    trials = {one["number"]: one for one in bench.json("history")["trials"]}
    assert trials[4]["state"] == "measured"
    assert trials[4]["findings"]["wall_mm"] == pytest.approx(1.53)
    assert len(trials) == 6
    assert bench.json("logbook check")["sound"]
    bench.json("logbook export a.json --force")
    other(bench, "logbook import a.json")
    assert (
        other(bench, "profile")["values"]["flow"]["value"]
        == (bench.json("profile")["values"]["flow"]["value"])
    )
    assert [one["name"] for one in bench.json("spool list")["spools"]] == ["fern-1", "fern-2"]


@pytest.mark.parametrize(
    "spoil",
    [
        lambda text: text[:-50],
        lambda _: "[]",
        lambda _: "{}",
        lambda text: text.replace('"version": 2', '"version": 99', 1),
        lambda text: text.replace('"fern-1"', '"fern-9"', 3),
        lambda text: text.replace('"measured"', '"melted"'),
        lambda text: text.replace('"bore_mm"', '"bore_mm = 1; --"'),
        lambda text: text.replace('"moments"', '"minutes"'),
        lambda _: "[" * 100_000,
        lambda text: text.replace("1.54", '"wide"'),
        lambda text: text.replace('"port": null', '"port": "spy://x?file=logbook.sqlite"', 1),
        lambda text: text.replace('"port": null', '"port": 7', 1),
    ],
)
def test_a_document_that_does_not_hold_together_changes_nothing(bench, spoil):
    bench.json("logbook export a.json")
    path = bench.folder / "a.json"
    path.write_text(spoil(path.read_text()))
    bench.refuses("logbook import a.json --logbook new.sqlite")
    assert bench.json("history --logbook new.sqlite")["trials"] == []


def test_what_a_copy_says_is_taken_as_it_is_unless_somebody_wrote_into_it(bench):
    bench.json("undo --redo 3")
    with bench.tables() as book:
        book.execute("UPDATE trial SET findings = json_set(findings, '$.wall_mm', 9) WHERE id = 3")
    bench.json("logbook export a.json")
    other(bench, "logbook import a.json")
    assert other(bench, "history 3")["trials"][0]["findings"]["wall_mm"] == 9
    # A blank more, or another edition of the calculations, and all is judged by its readings.
    path = bench.folder / "a.json"
    for name, written in (
        ("blank", path.read_text().replace('"trials"', ' "trials"')),
        ("edition", path.read_text().replace('"method": 3', '"method": 2')),
        ("indented", json.dumps(json.loads(path.read_text()), indent=1)),
    ):
        path.with_name(f"{name}.json").write_text(written)
        bench.json(f"logbook import {name}.json --logbook {name}.sqlite")
        (trial,) = bench.json(f"history 3 --logbook {name}.sqlite")["trials"]
        assert trial["findings"]["wall_mm"] == pytest.approx(1.53)
        # Where nothing is new, nothing is judged.
        assert bench.json(f"logbook import a.json --logbook {name}.sqlite")["facts"] == 0


def test_what_steers_a_printer_is_named_as_it_comes_along(bench):
    (bench.folder / "start.gcode").write_text("G28\nM104 S300\n")
    bench.json("printer set heron --start start.gcode")
    bench.json("logbook export a.json")
    ran = bench("logbook import a.json --logbook other.sqlite")
    assert "heron came with its own start G-code" in ran.out
    assert "look at it before you print" in ran.out
    again = other(bench, "logbook import a.json")
    assert again["steering"] == {}
    bench.json("spool add fern-2 --material PLA")
    bench.json("logbook export b.json")
    said = bench("logbook import b.json --logbook other.sqlite").out
    assert said.startswith("Imported 0 new trials, 1 new fact in all.")


def test_a_bench_that_was_cleared_does_not_come_back(bench):
    bench.json("logbook export a.json")
    other(bench, "logbook import a.json")
    other(bench, "spool add fern-2 --material PLA")
    other(bench, "bench --spool fern-2")
    other(bench, "undo")
    bench.json("logbook export b.json")
    other(bench, "logbook import b.json")
    assert other(bench, "bench")["bench"]["spool"] == "fern-1"


def test_export_import_and_path_say_what_is_wrong(bench):
    bench.json("logbook export a.json")
    assert "exists" in bench.refuses("logbook export a.json")
    assert "cannot be written" in bench.refuses("logbook export none/a.json", status=1)
    assert "cannot read" in bench.refuses("logbook import none.json")
    assert "no text" in bench.refuses(f"logbook import {bench.logbook.name}")
    assert "no regular file" in bench.refuses("logbook import .")
    (bench.folder / "half.json").write_text('{"format": ')
    assert "not JSON" in bench.refuses("logbook import half.json")
    assert bench.json("logbook path") == {"path": str(bench.logbook), "exists": True}


def test_what_a_newer_program_says_beside_it_makes_no_trial_say_something_else(bench):
    bench.json("undo --redo 3")
    with bench.tables() as book:
        book.execute(
            "UPDATE trial SET findings = json_remove(findings, '$.texture_mm') WHERE id = 3"
        )
    assert "texture_mm" not in bench.json("history 3")["trials"][0]["findings"]
    assert bench.json("logbook check")["differ"] == []
    with bench.tables() as book:
        book.execute("UPDATE trial SET findings = json_set(findings, '$.wall_mm', 9) WHERE id = 3")
    assert bench.json("logbook check")["differ"] == [3]


@pytest.mark.parametrize(
    ("name", "change", "differs"),
    [
        ("flow_new_percent", lambda percent: percent * (1 + 1e-12), False),
        ("flow_new_percent", lambda percent: percent * (1 + 1e-7), True),
        ("flow_new_percent", lambda _: None, True),
        ("interval_percent", lambda ends: [ends[0], ends[1] - 1e-6], True),
        ("interval_percent", lambda ends: ends[:1], True),
        ("reason", lambda _: "in other words", False),
        ("notes", lambda notes: [*notes, "and one more"], False),
        ("verdict", lambda _: "recheck", True),
    ],
)
def test_a_last_bit_or_another_word_is_no_other_judgement(heron, name, change, differs):
    heron.json("flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --read 1.41 1.42 1.40")
    with heron.tables() as tables:
        ((text,),) = tables.execute("SELECT findings FROM trial")
        findings = json.loads(text)
        findings[name] = change(findings[name])
        tables.execute("UPDATE trial SET findings = ?", (json.dumps(findings),))
    assert heron.json("logbook check")["differ"] == [1] * differs


def test_an_amended_reading_stays_visible_and_the_answer_follows(bench):
    bench.json("undo --redo 3")
    before = bench.json("history 3")["trials"][0]
    found = bench.json("reading amend 3 2 1.54")
    assert (found["was"], found["typed"]) == ("1.55", "1.54")
    after = bench.json("history 3")["trials"][0]
    assert after["readings"][1]["was"] == ["1.55"]
    wall = (before["findings"]["wall_mm"] * 3 - 0.01) / 3
    assert after["findings"]["wall_mm"] == pytest.approx(wall)
    assert "1.54 (was 1.55)" in bench("history 3").out
    value = bench.json("profile")["values"]["flow"]
    assert value["value"] == after["findings"]["flow_to_type_percent"]
    bench.json("reading amend 2 1 36.1")
    assert bench.json("history 2")["trials"][0]["findings"]["moved_mm"] == pytest.approx(
        144.5667, 1e-5
    )
    bench.json("reading amend 1 3 1.75")
    assert bench.json("logbook check")["sound"]
    # A value that cannot be is refused, and nothing is amended.
    assert "was it 1.54?" in bench.refuses("reading amend 3 2 15.4")
    assert "3 readings" in bench.refuses("reading amend 3 9 1.5")
    assert bench.json("history 3")["trials"][0]["readings"] == after["readings"]


def test_history_is_filtered_and_given_as_csv(bench):
    assert [one["number"] for one in bench.json("history --kind diameter")["trials"]] == [1]
    assert bench.json("history --spool fern-1 --printer heron")["count"] == 4
    assert bench.json("history --since 2999-01-01")["trials"] == []
    assert bench.json("history --since 2001-01-01 --limit 2")["count"] == 4
    rows = bench("history --csv").out.splitlines()
    assert rows[0].startswith("trial,at,test,state,printer")
    assert len(rows) == 5
    assert json.dumps(rows[-1].split(",")[2]) == '"diameter"'


def test_check_finds_what_does_not_hold_together(bench):

    with bench.tables() as connection:
        connection.execute("PRAGMA foreign_keys = OFF")
        connection.execute("DELETE FROM reading WHERE trial = 2")
    assert "without readings (2)" in bench.refuses("logbook check", status=1)


def test_a_trial_amended_elsewhere_brings_what_it_says_now(bench):
    bench.json("undo --redo 3")
    bench.json("logbook export a.json")
    other(bench, "logbook import a.json")
    other(bench, "reading amend 3 1 1.66")
    bench_before = bench.json("profile")["values"]["flow"]["value"]
    other(bench, "logbook export b.json")
    bench.json("logbook import b.json")
    there = other(bench, "profile")["values"]["flow"]["value"]
    assert bench.json("profile")["values"]["flow"]["value"] == there != bench_before
    other(bench, "undo 3")
    other(bench, "logbook export c.json")
    bench.json("logbook import c.json")
    assert bench.json("profile")["values"]["flow"]["status"] == "unset"


def test_what_a_trial_says_is_judged_anew_from_its_readings(bench):
    bench.json("undo --redo 3")
    bench.json("logbook export a.json")
    document = json.loads((bench.folder / "a.json").read_text())
    honest = document["trials"][2]["findings"]
    document["trials"][2]["findings"] = {**honest, "flow_to_type_percent": 130.0}
    (bench.folder / "b.json").write_text(json.dumps(document))
    other(bench, "logbook import b.json")
    assert other(bench, "history 3")["trials"][0]["findings"] == honest
    assert other(bench, "profile")["values"]["flow"] == bench.json("profile")["values"]["flow"]


def test_grams_and_words_travel(bench):
    bench.json("instrument add pocket --kind scale --accuracy 0.02 --resolution 0.1")
    bench.json("instrument zero pocket 0.3")
    bench.json("bench --speed 60")
    bench.json("weigh --strand 3.25 --length 1000 --scale pocket")
    bench.json("heat --step 220=few/even/straight/holds 210=none/dull/straight/easy")
    bench.json("proof --of globe --at root=0.45 tip=0.44 --expect 0.45 --says 'a seam'")
    bench.json("logbook export a.json")
    brought = bench.json("logbook import a.json --logbook new.sqlite")
    assert brought["trials"] == len(bench.json("history --limit 99")["trials"])
    (pocket,) = (
        one
        for one in bench.json("instrument list --logbook new.sqlite")["instruments"]
        if one["name"] == "pocket"
    )
    assert (pocket["accuracy_g"], pocket["resolution_g"], pocket["zero_g"]) == (0.02, 0.1, 0.3)
    for number in (one["number"] for one in bench.json("history --limit 3")["trials"]):
        there = bench.json(f"history {number} --logbook new.sqlite")["trials"][0]
        assert there["readings"] == bench.json(f"history {number}")["trials"][0]["readings"]
    assert bench.json("logbook check --logbook new.sqlite")["sound"]


OF_MACHINES = {
    "spools": {"maker": "Saltmarsh", "colour": "green", "batch": "B7", "temperature_c": 215.0},
    "printers": {"line_model": "rounded", "full_steps": 200.0, "microsteps": 16.0},
    "nozzles": {"material": "brass", "hot_end": "quick"},
    "instruments": {"accuracy_mm": 0.03, "resolution_mm": 0.01},
}
OTHERWISE = {"line_model": "rectangular"}


@pytest.mark.parametrize("known", ["here", "there", "both"])
def test_what_one_copy_knows_of_a_machine_fills_the_others(bench, known):
    bench.json("logbook export a.json")
    document = json.loads((bench.folder / "a.json").read_text())
    for name in ("mine", "theirs"):
        for title, columns in OF_MACHINES.items():
            for column, value in columns.items():
                odd = 2 * value if isinstance(value, float) else OTHERWISE.get(column, "other")
                mine = {"here": value, "there": None, "both": value}[known]
                theirs = {"here": None, "there": value, "both": odd}[known]
                document[title][0][column] = mine if name == "mine" else theirs
        (bench.folder / f"{name}.json").write_text(json.dumps({**document, "edits": []}))
    other(bench, "logbook import mine.json")
    other(bench, "logbook import theirs.json")
    other(bench, "logbook export back.json")
    back = json.loads((bench.folder / "back.json").read_text())
    for title, columns in OF_MACHINES.items():
        assert {column: back[title][0][column] for column in columns} == columns
