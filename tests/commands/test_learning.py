"""What the logbook learns: forecasts and whether they came so, rolls of a kind, plates."""

import math

import pytest

CUBE = "flow --width 0.5 --walls 3 --layer 0.2 --line-model rounded --sure 50"
_ACCURACY = "$.instrument_mm.accuracy_mm"
PLATE = "--hole 4=3.79 6=5.80 10=9.82 16=15.80 --post 4=4.09 6=6.10 10=10.08 16=16.09"


def measured(bench, flow, wall_mm):
    walls = " ".join(f"{wall_mm + off:.2f}" for off in (0, 0.01, -0.01, 0, 0, 0.01, -0.01, 0))
    return bench.json(f"{CUBE} --flow {flow} --read {walls}")


def rolls_of(bench, *names):
    for name in names:
        bench.json(f"spool add {name} --material PLA --maker Fenwick --colour {name}")


def test_a_flow_is_forecast_and_the_next_print_says_whether_it_came_so(heron):
    measured(heron, 108, 1.66)
    (entered,) = heron.json("entered flow 92")["entered"]
    (forecast,) = entered["forecast"]
    assert "should come to" in heron("entered flow 92").out
    (came,) = measured(heron, 92, round(forecast["value"], 2))["forecasts"]
    assert came["came_so"]
    assert came["wall_mm"] == pytest.approx(forecast["value"], abs=1e-3)
    assert "it did not come so" in heron(f"{CUBE} --flow 92 --read 1.30 1.31 1.30").out


def test_esteps_and_plates_are_forecast_too(heron):
    heron.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --through nozzle")
    (entered,) = heron.json("entered --advised")["entered"]
    assert entered["forecast"][0]["value"] == pytest.approx(150, abs=0.01)
    assert "it came so" in heron("esteps --left 30.1 29.9 30 --through nozzle").out
    assert "it did not come so" in heron("esteps --left 34 34.1 34 --through nozzle").out
    heron.json(f"xy {PLATE}")
    heron.json("entered esteps 426.5")
    hole, contour = heron.json("entered --advised")["entered"]
    assert hole["forecast"][0]["what"] == "a hole of 10 mm"
    assert hole["forecast"][0]["value"] == pytest.approx(10, abs=0.02)
    assert contour["forecast"][0]["value"] == pytest.approx(10, abs=0.02)
    again = heron("xy --hole 4=3.98 6=5.99 10=10.01 16=16 --post 4=4 6=6.01 10=10 16=16").out
    assert again.count("it came so") == 2
    assert "it did not come so" in heron(f"xy {PLATE}").out
    assert heron.json("entered limit 10")["entered"][0]["forecast"] == []


def test_rolls_of_one_maker_and_material_are_a_witness_for_the_next(heron):
    rolls_of(heron, "moss-1", "moss-2", "moss-3")
    alone = measured(heron, 108, 1.66)
    heron.json("bench --spool moss-1")
    first = measured(heron, 108, 1.66)
    # Another maker's roll says nothing.
    assert first["flow_new_percent"] == pytest.approx(alone["flow_new_percent"])
    heron.json("entered flow 92")
    heron.json("bench --spool moss-2")
    carried = heron.json("profile")["values"]["flow"]
    assert (carried["value"], carried["status"]) == (92, "carried")
    # One other roll: √(2 · 2² + its own) % and no less.
    assert carried["u95"] > 1.96 * 92 * 0.0283 / 1
    second = measured(heron, 108, 1.70)
    assert second["flow_new_u95_percent"] < 0.9 * first["flow_new_u95_percent"]
    assert second["flow_new_percent"] < first["flow_new_percent"]
    assert "1 roll of Fenwick PLA let expect it" in heron(f"{CUBE} --flow 108 --read 1.70").out
    heron.json("bench --spool moss-3")
    both = heron.json("profile")["values"]["flow"]
    assert both["why"] == "from 2 rolls of Fenwick PLA"
    assert second["flow_new_percent"] < both["value"] < first["flow_new_percent"]
    # Its own walls alone are what a roll hands on, or rolls would bear themselves out.
    assert second["delivered_share"] > 100 / second["flow_new_percent"]


def test_flow_carried_from_another_kind_of_roll_has_no_uncertainty(heron):
    measured(heron, 108, 1.66)
    heron.json("entered flow 92")
    rolls_of(heron, "moss-1")
    heron.json("bench --spool moss-1")
    carried = heron.json("profile")["values"]["flow"]
    assert (carried["value"], carried["status"], carried["u95"]) == (92, "carried", None)


def test_plates_that_repeat_well_are_known_better(heron):
    first = heron.json(f"xy {PLATE}")
    for _ in range(5):
        last = heron.json(f"xy {PLATE}")
    assert last["hole_u95_mm"] < first["hole_u95_mm"]
    assert last["hole_influences_mm"]["plates"] == pytest.approx(
        first["hole_influences_mm"]["plates"] * (5 / 13) ** 0.5, rel=1e-6
    )


def test_a_warm_part_is_reckoned_cool(heron):
    cool = heron.json(f"xy {PLATE}")
    heron.json("undo")
    warm = heron.json(f"xy {PLATE} --part-temperature 45")
    assert warm["scale"] < cool["scale"]
    assert warm["hole_per_side_mm"] > cool["hole_per_side_mm"]
    assert any("measured at 45 °C" in note for note in warm["notes"])
    assert "how much wood expands" in heron.refuses(
        f"xy {PLATE} --part-temperature 45 --material wood"
    )


def test_calipers_that_count_for_less_than_before_are_said_once(heron):
    line = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --read 1.5"
    heron.json(line)
    # As trials were kept when calipers counted as ±0.01.
    with heron.tables() as book:
        book.execute("UPDATE trial SET settings = json_replace(settings, ?, 0.01)", (_ACCURACY,))
    assert "count as ±0.02 mm now" in heron(line).out
    assert "count as" not in heron(line).out


def test_two_lengths_are_proposed_where_runs_disagree(heron):
    heron.json("instrument zero calipers 0")
    heron.json("diameter --read 1.75 1.75")
    assert heron.json("esteps --asked 150 --mark 180 --left 36 24 33")["verdict"] == "recheck"
    assert heron.json("next")["command"] == "metier esteps"
    assert heron.json("esteps --left 36 24 32")["verdict"] == "recheck"
    step = heron.json("next")
    assert "feed 50, 200, 50, 200 mm" in heron("next").out.replace("\n            ", " ")
    command = step["command"].removeprefix("metier ")
    assert "--asked 50 200 50 200" in command
    found = heron(command + " --json", typed="181.0\n31.3\n180.8\n31.2\n")
    assert found.status == 0, found


@pytest.mark.parametrize(
    ("line", "u95", "influences"),
    [
        (
            "esteps --asked 150 --mark 180 --steps 412 "
            "--left 85.1 84.8 85.4 85.1 84.8 85.4 85 85.1",
            "steps_new_u95",
            "influences",
        ),
        (
            "diameter --slicer 2.85 --read 2.65/2.64 2.66 2.65 2.64 2.66",
            "diameter_u95_mm",
            "influences_mm",
        ),
        (
            "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50 "
            "--read 1.86 1.87 1.85 1.86 1.87",
            "flow_new_u95_percent",
            "influences_percent",
        ),
        (
            "volumetric --from 4 --rise-per-mm 0.25 --gaps-at 31.5",
            "onset_u95_mm3_s",
            "influences_mm3_s",
        ),
        (
            "xy --hole 4=3.79 6=5.8 10=9.8 16=15.8 --post 4=4.09 6=6.1 10=10.1 16=16.1",
            "hole_u95_mm",
            "hole_influences_mm",
        ),
    ],
    ids=lambda text: text.split()[0],
)
def test_what_makes_a_spread_adds_up_to_it(metier, line, u95, influences):
    """As squares (JCGM 100:2008, 5.1.2), in the unit of what is typed in; few readings widen it."""
    told = metier.json(line)
    together = math.hypot(*told[influences].values())
    assert 0.99 < told[u95] / together < 1.2
