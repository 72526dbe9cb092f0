"""``import metier``: the page that describes it, and that it says what the commands say."""

import doctest
import json
import math
import sqlite3
from pathlib import Path

import pytest

import metier
from metier import strength
from metier.logbook.schema import APPLICATION_ID
from tests.logbook.test_first_version import DUMP

ROOT = Path(__file__).resolve().parent.parent


@pytest.fixture
def logbook(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    connection = sqlite3.connect("logbook.sqlite")
    connection.executescript(f"{DUMP}; PRAGMA application_id = {APPLICATION_ID};")
    connection.execute("PRAGMA user_version = 1")
    connection.close()
    return tmp_path / "logbook.sqlite"


@pytest.mark.usefixtures("logbook")
def test_the_page_shows_what_it_answers():
    page = doctest.testfile(str(ROOT / "docs/library.md"), module_relative=False)
    assert page.attempted > 20
    assert page.failed == 0


@pytest.mark.parametrize(
    ("result", "line"),
    [
        (
            lambda: metier.esteps(
                steps=412, asked_mm=150, mark_mm=180, left_mm=[35.1, 34.8], through="nozzle"
            ),
            "esteps --steps 412 --asked 150 --mark 180 --left 35.1 34.8 --through nozzle",
        ),
        (
            lambda: metier.esteps(
                steps=400, asked_mm=[50, 200], mark_mm=230, left_mm=[180.4, 30.9], through="nozzle"
            ),
            "esteps --steps 400 --asked 50 200 --mark 230 --left 180.4 30.9 --through nozzle",
        ),
        (
            lambda: metier.esteps(steps=400, asked_mm=100, cut_mm=[98.4, 98.6], through="open"),
            "esteps --steps 400 --asked 100 --cut 98.4 98.6",
        ),
        (
            lambda: metier.flow(
                sides_mm=[[1.26, 1.27], [1.25, 1.26]], width_mm=0.42, layer_mm=0.2, flow_percent=97,
                line_model="rounded", accept_percent=(-1, 1), sure_percent=80,
            ),
            "flow --side 1.26 1.27 --side 1.25 1.26 --width 0.42 --walls 3 --layer 0.2 --flow 97 "
            "--line-model rounded --accept -1 1 --sure 80",
        ),
        (
            lambda: metier.flow(
                read_mm=0.84, aim_mm=0.8, walls=2, layer_mm=0.2, flow_percent=100,
                instrument="micrometer",
            ),
            "flow --read 0.84 --aim 0.8 --walls 2 --layer 0.2 --flow 100 --instrument micrometer",
        ),
        (
            lambda: metier.diameter(read_mm=[(1.74, 1.72), 1.73], slicer_mm=1.75),
            "diameter --read 1.74/1.72 1.73 --slicer 1.75",
        ),
        (
            lambda: metier.limit(
                from_mm3_s=4, step_mm3_s=0.4, every_mm=2.5, to_mm3_s=24, gaps_at_mm=[31.5, 32],
                matte_at_mm=22, margin_percent=15,
            ),
            "volumetric --from 4 --step 0.4 --every 2.5 --to 24 --gaps-at 31.5 32 --matte-at 22 "
            "--margin 15",
        ),
        (
            lambda: metier.limit(from_mm3_s=4, rise_mm3_s_mm=0.5, to_mm3_s=24, clean=True),
            "volumetric --from 4 --rise-per-mm 0.5 --to 24 --clean",
        ),
        (
            lambda: metier.compensation(holes={4: 3.79, 6: [5.8, 5.82], 10: 9.82}, hole_set_mm=0.1),
            "xy --hole 4=3.79 6=5.8/5.82 10=9.82 --hole-set 0.1 --contour-set 0",
        ),
        (
            lambda: metier.fit({0.1: "press", 0.2: "snug", 0.3: "slide"}, clearance_mm=0.15),
            "fit --pair 0.1=press 0.2=snug 0.3=slide --clearance 0.15",
        ),
        (
            lambda: metier.weigh(strand_g=[2.95, 2.96], part_g=12.31, asked_mm=4123),
            "weigh --strand 2.95 2.96 --length 1000 --part 12.31 --filament 4123",
        ),
    ],
)  # fmt: skip
def test_it_says_what_the_command_says(metier, result, line):
    command, told = metier.json(line), json.loads(json.dumps(result().to_dict()))
    # What is said of settings is the command's own.
    told["notes"] = command["notes"] = []
    assert {"trial": None, **told} == command


def test_strength_is_what_the_file_of_coupons_says(metier):
    rows = {8: [41, 40.2, 40.5], 12: [41, 40, 39.5], 16: [30, 31, 29]}
    lines = [f"{flow},{value}" for flow, values in rows.items() for value in values]
    (metier.folder / "c.csv").write_text("flow_mm3_s,strength_mpa\n" + "\n".join(lines) + "\n")
    command = metier.json("volumetric --strength c.csv")
    result = strength(rows)
    assert result.to_dict()["groups"] == command["groups"]
    assert result.value == command["limit_unrounded_mm3_s"] == 12


def test_a_result_has_its_number_with_unit_interval_and_chance():
    flow = metier.flow(
        read_mm=[1.26, 1.27], width_mm=0.42, layer_mm=0.2, flow_percent=97, line_model="rounded"
    )
    low, high = flow.interval
    assert (flow.unit, flow.verdict) == ("%", "unclear")
    assert low < flow.value < high
    assert 0 < flow.chance < 0.1
    assert flow.record.flow_new_percent == pytest.approx(flow.value)
    assert len(repr(flow)) < 120
    plate = metier.compensation(holes={4: 3.79, 6: 5.8, 10: 9.8}, posts={4: 4.1, 6: 6.1, 10: 10.1})
    assert list(plate.values) == ["hole", "contour", "scale"]
    assert plate.values["contour"].value < 0 < plate.value
    assert plate.chance is None


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda: metier.esteps(steps=400, asked_mm=100), "give one of left_mm"),
        (lambda: metier.esteps(steps=400, asked_mm=100, left_mm=30), "mark_mm is needed"),
        (lambda: metier.esteps(steps=0, asked_mm=100, cut_mm=99), "steps is 0"),
        (lambda: metier.flow(layer_mm=0.2, flow_percent=100, width_mm=0.5), "give read_mm"),
        (lambda: metier.flow(layer_mm=0.2, flow_percent=100, read_mm=1.4), "width_mm is needed"),
        (
            lambda: metier.flow(
                layer_mm=0.2, flow_percent=100, read_mm=1.4, width_mm=0.5, accept_percent=(3, 5)
            ),
            "--accept",
        ),
        (lambda: metier.diameter(read_mm=[math.nan]), "read_mm is nan"),
        (lambda: metier.diameter(read_mm=[]), "no readings"),
        (lambda: metier.diameter(read_mm=[1.75], instrument="scale"), "a scale cannot measure"),
        (lambda: metier.limit(from_mm3_s=4), "a ramp rises either by"),
        (lambda: metier.fit({0.1: "tight"}), "'tight' is no feel"),
        (lambda: metier.weigh(strand_g=3, part_g=12), "asked_mm is needed"),
        (lambda: metier.compensation(holes={10: "wide"}), "give numbers"),
    ],
)
def test_what_cannot_be_is_bad_input(call, said):
    with pytest.raises(metier.BadInput, match=said):
        call()
    assert issubclass(metier.BadInput, metier.Error)


def test_a_logbook_is_read_and_never_written(logbook):
    before = logbook.read_bytes()
    book = metier.Logbook(str(logbook))
    trials = book.trials()
    assert len(trials) == 35
    assert trials[0]["number"] > trials[-1]["number"]
    assert {trial["test"] for trial in book.trials("flow")} == {"flow"}
    assert book.profile()["values"]["esteps"]["value"] == 426.5
    assert logbook.read_bytes() == before
    (logbook.parent / "other").write_text("no logbook")
    with pytest.raises(metier.Error):
        metier.Logbook(str(logbook.parent / "other"))
