"""A kind of trial nobody knew: one room, one row, one line, and every command serves it."""

import json

import pytest

from metier import cli
from metier.core.values import VALUES, Value
from metier.trials.registry import KINDS, Room
from tests.commands.test_profile import valid

LIFT = Value(
    *("lift", "lift of ledges", "mm", "slicer", ("printer", "nozzle", "spool"), "bow", "mm"),
    "lift_mm",
    digits=2,
    depends_on=("flow",),
    upset_by=("hotend",),
)


@pytest.fixture
def bench(heron, monkeypatch):
    monkeypatch.setitem(VALUES, "lift", LIFT)
    monkeypatch.setitem(KINDS, "bow", Room("tests.trials.bow"))
    monkeypatch.setitem(cli.COMMANDS, "bow", "how far a ledge bows")
    return heron


def lift(bench):
    return bench.json("profile")["values"]["lift"]


def test_from_plan_to_import(bench):
    assert lift(bench)["status"] == "unset"
    bench.json("printer set heron --decimals 3")
    planned = bench.json("bow --plan --span 50")
    assert planned["settings"] == {
        "version": 3, "span_mm": 50, "lift_mm": 0, "remarks": ["span 50"],
    }  # fmt: skip
    assert "==> pen 2 " in bench("bow --plan").out
    assert bench.json("next")["command"] == "metier bow --trial 1"
    bench.json("undo 2")
    assert bench.json("bow --trial 1 --read 0.3 0.5")["lift_to_type_mm"] == 0.4
    assert (lift(bench)["value"], lift(bench)["status"], lift(bench)["u95"]) == (
        0.4, "advised", 0.05,
    )  # fmt: skip
    # Amended by the same judgement, with the remark that it was recorded with.
    assert bench.json("reading amend 1 2 0.25")["lift_to_type_mm"] == 0.275
    assert bench.json("history 1")["trials"][0]["findings"]["notes"] == [
        "span 50", "look from below",
    ]  # fmt: skip
    assert "0.28" in bench("history --kind bow").out
    assert "span" in bench("history 1").out
    rows = bench("history --csv").out.splitlines()
    assert rows[-1].split(",")[8:14] == ["0.0", "0.275", "0", "0.275", "0.275", "correct"]
    bench.json("entered lift 0.3")
    assert "lift" in bench("profile --card").out
    assert bench.json("bow", "--read", "0.05")["verdict"] == "keep"
    assert lift(bench)["status"] == "verified"
    bench.json("profile --write heron.toml")
    assert valid(bench.folder / "heron.toml")["lift"]["mm"] == 0.3
    bench.json("printer changed heron --what hotend")
    assert lift(bench)["status"] == "doubtful"
    bench.json("logbook export there.json")
    assert bench.json("logbook import there.json --logbook there.sqlite")["trials"] == 3
    there = bench.json("profile --logbook there.sqlite")["values"]["lift"]
    assert there == lift(bench)
    assert bench.json("logbook check")["sound"]


def test_it_is_due_in_its_place_and_typed_in_line_by_line(bench):
    for line in (
        "instrument zero calipers 0",
        "diameter --read 1.75 1.75",
        "esteps --asked 150 --mark 180 --left 30 30.1 29.9 --through nozzle",
        "printer set heron --line-model rounded",
        "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --sure 50 --read 1.42",
        "volumetric --gaps-flow 12",
        "entered --advised",
        "xy --hole 4=4 6=6 10=10 --post 4=4 6=6 10=10",
    ):
        bench.json(line)
    step = bench.json("next")
    assert (step["step"], step["command"]) == ("lift", "metier bow --plan --span 40")
    assert bench("bow --json", typed="0.05\n0.06\n").status == 0
    assert bench.json("next")["step"] == "proof"


def test_settings_of_an_older_version_are_read_and_kept_as_they_are(bench):
    bench.json("bow --span 50 --read 0.3")
    bench.json("logbook export a.json")
    document = json.loads((bench.folder / "a.json").read_text())
    old = {"span_cm": 5.0}
    document["trials"][0]["settings"] = old
    (bench.folder / "old.json").write_text(json.dumps(document))
    bench.json("logbook import old.json --logbook old.sqlite")
    assert "50 mm" in bench("history 1 --why --logbook old.sqlite").out
    amended = bench.json("reading amend 1 1 0.5 --logbook old.sqlite")
    assert (amended["bow_mm"], amended["notes"]) == (0.5, ["look from below"])
    bench.json("logbook export again.json --logbook old.sqlite")
    again = json.loads((bench.folder / "again.json").read_text())
    assert again["trials"][0]["settings"] == old


@pytest.mark.parametrize(
    ("settings", "said"),
    [
        ({"version": 9, "span_mm": 5.0, "lift_mm": 0.0}, "version 9"),
        ({"version": 3, "span_mm": "wide", "lift_mm": 0.0}, "span_mm is 'wide'"),
        ({"version": 3, "lift_mm": 0.0}, "span_mm is missing"),
    ],
)
def test_settings_that_are_none_are_named_by_check_and_import(bench, settings, said):

    bench.json("bow --span 50 --read 0.3")
    with bench.tables() as connection:
        connection.execute("UPDATE trial SET settings = ?", (json.dumps(settings),))
    assert said in bench.refuses("logbook check", status=1)
    assert "damaged" in bench.refuses("history 1", status=1)
    bench.json("logbook export bad.json")
    assert said in bench.refuses("logbook import bad.json --logbook new.sqlite")
    assert bench.json("history --logbook new.sqlite")["trials"] == []


def test_what_only_a_newer_program_knows_is_refused(bench, monkeypatch):
    bench.json("bow --span 50 --read 0.3")
    bench.json("logbook export a.json")
    monkeypatch.delitem(KINDS, "bow")
    assert "no kind of trial 'bow'" in bench.refuses("logbook import a.json --logbook b.sqlite")
    monkeypatch.delitem(VALUES, "lift")
    assert "no value 'lift'" in bench.refuses("logbook import a.json --logbook b.sqlite")
