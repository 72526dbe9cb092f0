"""`metier drift`: twelve months of rolls, one roll metre by metre, one part print by print."""

import random
from datetime import timedelta

import pytest

from tests.moment import today


def live_a_year(bench):
    """Twelve months of fifteen made-up rolls; those of summer are thin."""
    luck = random.Random(3)
    bench.json("printer add heron --nozzle 0.5 --steps 412")
    bench.json("printer set heron --preview 3.656637@40 --width 0.5 --layer 0.2 --flow 100")
    for number in range(15):
        batch = ("spring", "may", "summer", "autumn", "winter")[number // 3]
        bench.json(f"spool add fern-{number} --material PLA --maker Saltmarsh --batch {batch}")
        bench.json(f"bench --printer heron --spool fern-{number} --temperature 210")
        true = luck.gauss(1.748, 0.004) - (0.03 if batch == "summer" else 0.0)
        read = " ".join("/".join(f"{luck.gauss(true, 0.01):.2f}" for _ in "12") for _ in range(5))
        left = " ".join(f"{30 + luck.gauss(0, 0.3):.1f}" for _ in "123")
        share = (true / 1.75) ** 2 * luck.gauss(1, 0.01)
        walls = " ".join(f"{1.777 * share + 0.0595 + luck.gauss(0, 0.01):.2f}" for _ in range(4))
        day = today() - timedelta(days=24 * (15 - number))
        for line in (
            f"diameter --slicer 1.75 --read {read}",
            f"esteps --asked 150 --mark 180 --steps 412 --through nozzle --left {left}",
            f"flow --width 0.6 --layer 0.24 --walls 3 --speed 40 --flow 108 --read {walls}",
        ):
            bench.json(f"trial {bench.json(line)['trial']} --at {day}")


@pytest.fixture
def year(metier, built):
    return built(metier, live_a_year)


@pytest.mark.slow
def test_twelve_months_name_the_thin_batch_and_nothing_else(year):
    found = {one["name"]: one for one in year.json("drift")["records"]}
    assert set(found) == {"diameter", "esteps", "flow"}
    (batch,) = found["diameter"]["batches"]
    assert (batch["name"], batch["rolls"]) == ("summer", ["fern-6", "fern-7", "fern-8"])
    assert batch["by"] == pytest.approx(-0.03, abs=0.012)
    for one in found.values():
        assert (one["jump"], one["apart"], one["outside"]) == (None, None, [])
        assert not one["trend_shows"]
        assert {each["name"] for each in one["batches"]} <= {"summer"}
    said = " ".join(year("drift").out.split())
    assert "batch summer (fern-6, fern-7, fern-8) lies below its fellows" in said
    assert "scatter from roll to roll; 14 rolls of Saltmarsh PLA" in said
    assert "jump" not in said
    year.json("drift diameter --plot year.png")
    assert (year.folder / "year.png").read_bytes()[:4] == b"\x89PNG"


def test_along_one_roll(heron):
    walls = (1.84, 1.84, 1.83, 1.83, 1.82, 1.82)
    for metres, wall in zip((0, 40, 90, 150, 210, 260), walls, strict=True):
        heron.json(
            "flow --width 0.6 --layer 0.24 --walls 3 --line-model rounded --flow 108 "
            f"--along {metres} --read {wall} {wall}"
        )
    found = heron.json("drift flow --over metres")["record"]
    assert [one["at"] for one in found["values"]] == [0, 40, 90, 150, 210, 260]
    assert found["over"] == "m"
    # Thinner walls need more flow.
    assert found["slope"] > 0
    heron.json("diameter --slicer 1.75 --read 1.75 1.75 --along 12")
    assert heron.json("drift diameter --over metres")["record"]["values"][0]["at"] == 12


def test_one_part_print_by_print(heron):
    for tip in (0.46, 0.45, 0.43):
        heron.json(f"proof --of globe --at root=0.46 belly=0.45 tip={tip} --expect 0.45")
    found = heron.json("drift --of globe")["record"]
    assert len(found["values"]) == 3
    assert found["values"][2]["value"] < found["values"][0]["value"]


def test_what_is_due_by_its_own_record(heron):
    for number in range(5):
        left = 30 + 0.7 * number
        line = "esteps --asked 150 --mark 180 --steps 412 --through nozzle"
        trial = heron.json(f"{line} --left {left} {left} {left}")["trial"]
        heron.json(f"trial {trial} --at {today() - timedelta(days=30 * (6 - number))}")
    found = heron.json("drift esteps")["record"]
    assert found["trend_shows"]
    assert found["due_in"] < 0
    assert "metier esteps" in heron("drift").out


def rolls_measured(bench, means):
    """Measure the strand of a roll each, a roll a fortnight, the newest today."""
    for number, mean in enumerate(means):
        bench.json(f"spool add leaf-{number} --material PLA --maker Saltmarsh")
        bench.json(f"bench --printer heron --spool leaf-{number} --temperature 210")
        read = " ".join(f"{mean + off:.3f}" for off in (-0.004, 0, 0.004, 0))
        trial = bench.json(f"diameter --slicer 1.75 --read {read}")["trial"]
        day = today() - timedelta(days=14 * (len(means) - 1 - number))
        bench.json(f"trial {trial} --at {day}")


def test_a_jump_from_one_roll_to_the_next_is_named_with_both(heron):
    rolls_measured(heron, (1.750, 1.751, 1.749, 1.750, 1.750, 1.700, 1.701, 1.700, 1.699, 1.700))
    found = heron.json("drift diameter")["record"]
    jump = found["jump"]
    assert (jump["after"], jump["roll"]) == ("leaf-4", "leaf-5")
    assert jump["by"] == pytest.approx(-0.05, abs=0.004)
    assert found["batches"] == []
    said = " ".join(heron("drift diameter").out.split())
    assert "from leaf-5 on, after leaf-4: -0.05" in said


def test_one_roll_that_lies_apart_is_jumped_to_and_from(heron):
    rolls_measured(heron, (1.750, 1.751, 1.749, 1.750, 1.790, 1.750, 1.749, 1.751, 1.750, 1.750))
    found = heron.json("drift diameter")["record"]
    assert found["jump"] is None
    assert (found["apart"]["roll"], found["apart"]["by"]) == (
        "leaf-4",
        pytest.approx(0.04, abs=0.01),
    )
    assert not found["trend_shows"]
    assert "leaf-4 lies apart from all others" in " ".join(heron("drift diameter").out.split())
    heron.json("drift diameter --plot chart.svg")
    drawn = (heron.folder / "chart.svg").read_text()
    for text in ("what chance does", "middle", "filament diameter (mm)", "days since"):
        assert text in drawn, text


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("drift girth", "invalid choice: 'girth'"),
        ("drift diameter", "nothing was found yet"),
        ("drift --of globe", "no part 'globe'"),
        ("drift --of globe diameter", "leave the value"),
        ("drift --plot a.png", "draws one record"),
        ("drift esteps --over metres", "diameter and flow"),
        ("drift flow --over metres", "along one roll"),
        ("diameter --read 1.75 --slicer 1.75 --along -3", "no place on a roll"),
    ],
)
def test_bad_input_is_named(metier, line, said):
    assert said in metier.refuses(line)


def test_a_change_before_there_is_any_trial_moves_nothing(heron):
    heron.json("printer changed heron --what nozzle")
    assert heron("drift").status == 0
    assert "nothing was found" in heron.refuses("drift flow")
