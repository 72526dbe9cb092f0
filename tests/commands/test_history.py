"""`metier history` and `metier undo`."""

import pytest

from tests.conftest import set_up_heron


def record_a_few(bench):
    set_up_heron(bench)
    bench.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4")
    bench.json("esteps --swallowed")
    line = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50"
    bench.json(f"{line} --side 1.54 --side 1.55 1.53")


@pytest.fixture
def bench(metier, built):
    return built(metier, record_a_few)


def test_the_newest_come_first(bench):
    found = bench.json("history")
    assert [one["number"] for one in found["trials"]] == [3, 2, 1]
    assert [one["test"] for one in found["trials"]] == ["flow", "esteps", "esteps"]
    assert [one["number"] for one in bench.json("history --kind esteps --limit 1")["trials"]] == [2]
    ran = bench("history --limit 1")
    assert "2 older ones" in ran.out
    assert "swallowed" in bench("history").out


def test_one_trial_whole(bench):
    ran = bench("history 3")
    for words in ("side 2", "side 2    2: 1.55  3: 1.53", "210 °C", "==> ", "±"):
        assert words in ran.out
    assert bench.json("history 3")["trials"][0]["findings"]["wall_mm"] == pytest.approx(1.54)
    assert "343.33" in bench("history 2").out


def test_a_withdrawn_trial_is_kept_marked_and_not_counted(bench):
    assert bench.json("profile")["values"]["flow"]["status"] == "advised"
    undone = bench.json("undo")
    assert undone == {
        "taken_back": ["trial 3, flow of fern-1 on heron"],
        "trial": 3,
        "state": "withdrawn",
        "judged_anew": [],
    }
    assert bench.json("profile")["values"]["flow"]["status"] == "unset"
    assert bench.json("history")["trials"][0]["state"] == "withdrawn"
    assert "withdrawn" in bench("history 3").out
    said = bench.refuses("flow --flow 100 --read 0.5")
    assert "--width, --walls and --layer are needed" in said
    bench.json("undo 1")
    assert bench.json("undo")["trial"] == 2


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("history 9", "no trial 9: the last one is 3"),
        ("history 0", "whole number"),
        ("history three", "whole number"),
        (f"history {'9' * 30}", "whole number"),
        ("history --limit 0", "whole number"),
        ("history --kind colour", "invalid choice"),
        ("undo 9", "no trial 9"),
        ("undo -1", "whole number"),
    ],
)
def test_bad_input_is_met_with_one_line(bench, line, said):
    assert said in bench.refuses(line)


def test_nothing_there_yet(metier):
    assert "No trials yet" in metier("history").out
    assert "nothing to take back" in metier.refuses("undo")
    assert "No such trials" in metier("history --kind flow").out


def test_a_plates_csv_has_set_and_measured_apart(heron):
    heron.json("xy --hole 6=5.8 10=9.8 --post 6=6.1 10=10.1 --hole-set 0.03 --contour-set -0.01")
    found = heron.json("history 1")["trials"][0]["findings"]
    rows = [line.split(",") for line in heron("history --csv").out.splitlines()]
    columns = {name: rows[0].index(name) for name in ("test", "set", "measured", "to_type")}
    cells = {row[columns["test"]]: row for row in rows[1:]}
    for kind in ("hole", "contour"):
        row = cells[f"xy {kind}"]
        assert float(row[columns["set"]]) == found[f"{kind}_set_mm"]
        assert float(row[columns["measured"]]) == found[f"{kind}_per_side_mm"]
        assert float(row[columns["to_type"]]) == found[f"{kind}_to_type_mm"]


@pytest.mark.parametrize("several", [False, True])
def test_every_row_keeps_80_columns(heron, several):
    heron.json("spool add 'a very long name of a roll of filament' --material PLA")
    heron.json("bench --spool 'a very long name of a roll of filament'")
    heron.json("xy --hole 6=5.8 10=9.8 --post 6=6.1 10=10.1")
    heron.json("flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.28")
    heron.json("volumetric --gaps-flow 12")
    heron.json("undo 1")
    if several:
        heron.json("printer add 'a printer with a long name' --nozzle 0.5 --steps 400")
        heron.json("bench --printer 'a printer with a long name'")
        heron.json("fit --pair 0.1=press 0.2=slide")
    table = heron("history").out
    assert "withdrawn" in table
    assert max(len(line) for line in table.splitlines()) <= 80
    assert "+.15/-.10" in table or "/-" in table
