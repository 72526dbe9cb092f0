"""Trials of every kind leave a computer and come back, and change what is in force alike."""

import csv
import io

import pytest

from metier.demo.slicing import SlicedLine, Style, cube, ramp
from tests.conftest import set_up_heron


def fill_workshop(bench):
    set_up_heron(bench)
    (bench.folder / "feed.csv").write_text(
        "flow_mm3_s,asked_mm,moved_mm\n2,100,100\n4,100,100\n6,100,99.9\n8,100,95\n"
    )
    (bench.folder / "coupons.csv").write_text(
        "flow_mm3_s,strength_mpa\n4,31.2\n4,32.0\n4,30.8\n11,23.4\n11,24.0\n11,23.1\n"
    )
    style = Style(xy_places=3, e_places=5)
    (bench.folder / "cube.gcode").write_text(cube(SlicedLine(0.5, 0.2), style, walls=2))
    (bench.folder / "ramp.gcode").write_text(
        ramp(SlicedLine(0.5, 0.2), [4 + 0.5 * step for step in range(41)], 10, style)
    )


EVERYTHING = (
    "diameter --read 1.75/1.74 1.76",
    "esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --through nozzle",
    "entered --advised",
    "flow --sliced cube.gcode --width 0.5 --read 1.05 1.06 1.04",
    "volumetric --plan",
    "volumetric --sliced ramp.gcode --gaps-at 31.5 --matte-at 25",
    "entered limit 9.5",
    "volumetric --feed feed.csv",
    "volumetric --strength coupons.csv",
    "volumetric --marker-every 5 --clean-markers 4",
    "volumetric --clean",
    "xy --plan",
    "xy --hole 4=3.79/3.80 6=5.80 1=none --pin 10=9.8/9.9 --post 4=4.09 20x=20.1 20y=20.0",
    "entered --advised",
    "fit --pair 0.1=press 0.2=snug 0.3=slide --clearance 0.1",
    "fit --tried 0.1/-0.05=snug 0.15/-0.05=slide",
    "printer changed heron --what nozzle",
)
# What lies beyond one value: grams, speeds, words, places of a part.
BEYOND = (
    "instrument add pocket --kind scale --accuracy 0.02",
    "weigh --strand 2.953 2.951 --length 1000 --scale pocket",
    "weigh --part 12.31 --filament 3760 --scale pocket",
    "weigh --plan --filament 3760",
    "printer set heron --line-model rounded",
    "map --plan --speeds 20 40 --flow 96 --width 0.6 --layer 0.24",
    "map --plan --speeds 30 60 --flow 96 --width 0.6 --layer 0.24",
    "map --trial {} --read 1.83 1.84 --read 1.82 1.83",
    "heat --plan --from 225 --to 205",
    "heat --step 225=many/rough/sags/holds 215=none/even/straight/- 205=none/dull/straight/easy",
    "proof --plan --of globe --expect 0.45",
    "proof --of globe --at root=0.46/0.45 tip=0.39:0.45 --expect 0.45 --says 'no seam' "
    "--grams 12.3 --file-grams 12.5 --minutes 72 --estimate 60",
)


def live_until_the_nozzle_is_changed(bench):
    fill_workshop(bench)
    for line in EVERYTHING[:-1]:
        bench.json(line)


def live_through_all(bench):
    live_until_the_nozzle_is_changed(bench)
    last = None
    for line in (EVERYTHING[-1], *BEYOND):
        last = bench.json(line.format(last)).get("trial")


@pytest.fixture
def lived(metier, built):
    """Where all but the last of it happened."""
    return built(metier, live_until_the_nozzle_is_changed)


@pytest.fixture
def lived_through(metier, built):
    """Where all of it happened."""
    return built(metier, live_through_all)


def test_export_and_import_lose_nothing(lived_through):
    assert lived_through.json("logbook check")
    lived_through.json("logbook export there.json")
    there = "--logbook there.sqlite"
    lived_through.json(f"logbook import there.json {there}")
    for line in ("history --limit 50", "profile", "volumetric compare", "next", "drift", "map"):
        here, other = lived_through.json(line), lived_through.json(f"{line} {there}")
        assert here == other, line
    lived_through.json(f"logbook export back.json {there}")
    first = (lived_through.folder / "there.json").read_bytes()
    assert (lived_through.folder / "back.json").read_bytes() == first
    again = lived_through("logbook import back.json")
    assert "0 new trials" in again.out


def test_every_trial_is_shown_whole_in_80_columns(lived_through):
    listed = lived_through.json("history --limit 50")["trials"]
    assert {one["test"] for one in listed} == {
        "diameter", "esteps", "flow", "volumetric", "xy", "fit", "weigh", "map", "heat", "proof",
    }  # fmt: skip
    table = lived_through("history --limit 50").out
    assert max(len(row) for row in table.splitlines()) <= 80
    for one in listed:
        whole = lived_through(f"history {one['number']}").out
        assert max(len(row) for row in whole.splitlines()) <= 80, whole
        assert one["test"] in whole
        if one["state"] == "measured":
            assert one["verdict"].upper() in whole
        assert "None" not in whole
    rows = list(csv.reader(io.StringIO(lived_through("history --csv").out)))
    assert {len(row) for row in rows} == {len(rows[0])}


@pytest.mark.parametrize(
    ("what", "doubtful"),
    [
        ("mainboard", {"esteps", "flow", "limit", "hole", "contour", "scale"}),
        ("extruder", {"esteps", "flow", "limit", "hole", "contour"}),
        ("hotend", {"flow", "limit", "hole", "contour"}),
        ("nozzle", {"flow", "limit", "hole", "contour"}),
        ("motion", {"hole", "contour", "scale"}),
    ],
)
def test_what_a_change_leaves_doubtful_is_tried_again_in_order(lived, what, doubtful):
    lived.json(f"printer changed heron --what {what}")
    values = lived.json("profile")["values"]
    assert {kind for kind, one in values.items() if one["status"] == "doubtful"} == doubtful
    expected = [one for one in ("esteps", "flow", "limit", "hole") if one in doubtful]
    seen = []
    again = {
        "esteps": "esteps --left 30 30.1 29.9 --through nozzle",
        "flow": "flow --sliced cube.gcode --sure 50 --read 1.05 1.05 1.05 1.05 1.05",
        "limit": "volumetric --gaps-at 31.5",
        "hole": "xy --hole 4=4 6=6 10=10 --post 4=4 6=6 10=10",
        "contour": "xy --hole 4=4 6=6 10=10 --post 4=4 6=6 10=10",
    }
    for number in (4, 10):
        lived.json(f"undo {number}")
    lived.json("instrument zero calipers 0")
    for _ in range(12):
        step = lived.json("next")
        if step["step"] in ("done", "proof"):
            break
        if step["command"].startswith("metier entered"):
            lived.json(step["command"].removeprefix("metier "))
            continue
        if step["step"] not in seen:
            seen.append(step["step"])
        lived.json(again[step["step"]])
    assert set(seen) >= set(expected)
    # What rests on e-steps and flow comes after both are settled.
    ground = [seen.index(one) for one in ("esteps", "flow") if one in seen]
    built = [seen.index(one) for one in ("limit", "hole") if one in seen]
    assert max(ground, default=-1) < min(built)
    values = lived.json("profile")["values"]
    assert all(one["status"] in ("verified", "entered") for one in values.values())


def test_another_flow_leaves_the_limit_and_the_compensations_doubtful(lived):
    lived.json("entered flow 99")
    values = lived.json("profile")["values"]
    assert values["limit"]["status"] != "doubtful"
    lived.json("entered flow 95")
    values = lived.json("profile")["values"]
    for kind in ("limit", "hole", "contour"):
        assert values[kind]["status"] == "doubtful"
        assert "flow changed by -5.0 %" in values[kind]["why"]


def test_a_new_roll_of_the_same_filament_carries_all_of_it(lived):
    old = lived.json("profile")["values"]
    lived.json("spool add fern-2 --material PLA --maker Saltmarsh --colour green")
    lived.json("bench --spool fern-2")
    new = lived.json("profile")["values"]
    for kind in ("flow", "limit", "hole", "contour", "scale"):
        assert (new[kind]["value"], new[kind]["status"]) == (old[kind]["value"], "carried")
        assert "from spool fern-1, the same filament" in new[kind]["why"]
    assert new["esteps"] == old["esteps"]
    # What is carried to a hotter bench says so.
    lived.json("bench --temperature 225")
    limit = lived.json("profile")["values"]["limit"]
    assert limit["status"] == "carried"
    assert "210 °C" in limit["why"]
    lived.json("bench --temperature 195")
    assert lived.json("profile")["values"]["limit"]["status"] == "doubtful"
