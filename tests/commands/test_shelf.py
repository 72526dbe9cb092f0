"""The shelf at a glance, what rolls lend each other, and trials drawn and written out again."""

import csv
import io

import pytest

from tests.conftest import set_up_heron
from tests.moment import today

CUBE = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50"


def fill_shelf(bench):
    set_up_heron(bench)
    bench.json(f"{CUBE} --read 1.50 1.51 1.50 1.50 1.51")
    bench.json("entered flow 94")
    bench.json("spool add fern-2 --material PLA --maker Saltmarsh --colour red")
    bench.json("spool add smoke-1 --material PETG")


@pytest.fixture
def shop(metier, built):
    return built(metier, fill_shelf)


def test_every_roll_is_shown_where_it_was_tried_or_is_lent_something(shop):
    found = {one["spool"]: one for one in shop.json("shelf")["shelf"]}
    # Nothing is known of PETG here, and nothing lends it anything.
    assert set(found) == {"fern-1", "fern-2"}
    assert (found["fern-1"]["flow"]["value"], found["fern-1"]["flow"]["status"]) == (94, "verified")
    lent = found["fern-2"]["flow"]
    assert (lent["status"], "the same maker and material" in lent["why"]) == ("carried", True)
    assert found["fern-2"]["due"] == "zero"
    assert [one["spool"] for one in shop.json("shelf --spool fern-2")["shelf"]] == ["fern-2"]
    shown = shop("shelf").out.splitlines()
    assert max(map(len, shown)) <= 80
    assert shown[1].split()[:5] == ["fern-1", "heron-0.5", "210", "94", "v"]
    rows = list(csv.DictReader(io.StringIO(shop("shelf --csv").out)))
    assert (rows[1]["material"], rows[1]["maker"], rows[1]["colour"]) == ("PLA", "Saltmarsh", "red")
    assert [(row["spool"], row["flow_status"]) for row in rows] == [
        ("fern-1", "verified"), ("fern-2", "carried"),
    ]  # fmt: skip
    assert "No roll has a value yet" in shop("shelf --logbook none.sqlite").out


def test_of_many_those_used_last_are_shown_and_the_rest_is_paged(shop):
    shop.json("spool add fern-3 --material PLA --maker Saltmarsh")
    shop.json("bench --spool fern-3")
    shop.json(f"{CUBE} --read 1.50 1.51 1.50 1.50 1.51")
    ran = shop("shelf --limit 1")
    assert [line.split()[0] for line in ran.out.splitlines()[1:2]] == ["fern-3"]
    assert "More of them: metier shelf --limit 10" in ran.out
    assert len(shop.json("shelf --limit 10")["shelf"]) == 3
    assert "More of them" not in shop("shelf").out


def test_names_are_listed_as_people_count(shop):
    for name in ("fern-10", "Fern-3"):
        shop.json(f"spool add {name} --material PLA --maker Saltmarsh")
    named = ["fern-1", "fern-2", "Fern-3", "fern-10"]
    assert [one["spool"] for one in shop.json("shelf")["shelf"]] == named
    assert [one["name"] for one in shop.json("spool list")["spools"]] == [*named, "smoke-1"]


def test_doubt_travels_with_what_is_lent(shop):
    shop.json("printer changed heron --what hotend")
    shop.json("bench --spool fern-2 --temperature 210")
    lent = shop.json("profile")["values"]["flow"]
    assert (lent["status"], lent["value"]) == ("doubtful", pytest.approx(94, abs=1))
    assert "hotend changed since" in lent["why"]


def test_what_the_console_shows_is_not_what_somebody_meant(shop):
    shop.json("printer found heron --steps 93")
    steps = shop.json("profile")["values"]["esteps"]
    assert (steps["value"], steps["in_force"], steps["status"]) == (412, 93, "doubtful")
    # Nothing was printed at it: what rests on e-steps stands as it stood.
    assert shop.json("profile")["values"]["flow"]["status"] == "verified"
    shop.json("entered esteps 412")
    assert shop.json("profile")["values"]["esteps"]["status"] == "entered"
    shop.json("printer found heron --steps 412")
    assert shop.json("profile")["values"]["esteps"]["in_force"] == 412


def test_written_out_with_what_it_was_and_a_row_a_reading(shop):
    shop.json("reading amend 1 2 1.52")
    (row,) = csv.DictReader(io.StringIO(shop("history --csv").out))
    assert (row["width_mm"], row["layer_mm"], row["material"]) == ("0.5", "0.2", "PLA")
    found = shop.json("history 1")["trials"][0]["findings"]
    assert float(row["u95"]) == found["flow_new_u95_percent"]
    assert row["notes"] == "; ".join(found["notes"])
    readings = list(csv.DictReader(io.StringIO(shop("history --readings").out)))
    assert [one["typed"] for one in readings] == ["1.50", "1.52", "1.50", "1.50", "1.51"]
    assert (readings[1]["was"], readings[1]["position"]) == ("1.51", "2")


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("history 1 --csv", "--csv is for the list"),
        ("history 1 --kind flow", "--kind is for the list"),
        ("history 2 --plot d.png", "there is no picture of diameter"),
        ("history 3 --plot p.png", "there is nothing to draw"),
        ("shelf --spool fren-1", "did you mean 'fern-1'?"),
    ],
)
def test_what_would_be_ignored_is_refused(shop, line, said):
    shop.json("diameter --read 1.75 1.75")
    shop.json(f"{CUBE} --plan")
    assert said in shop.refuses(line)


def test_a_recorded_trial_of_any_kind_is_drawn_again(shop):
    shop.json("volumetric --from 4 --step 0.5 --every 2 --to 14 --gaps-at 33.5 34")
    shop.json("xy --hole 4=3.79 10=9.82 16=15.8 --post 4=4.09 10=10.08")
    shop.json("fit --pair 0.1=press 0.2=snug 0.2=snug 0.3=slide --clearance 0.1")
    for number in range(1, 5):
        ran = shop(f"history {number} --plot trial-{number}.svg")
        assert f"Picture written to trial-{number}.svg" in ran.out
        assert "<svg" in (shop.folder / f"trial-{number}.svg").read_text()


def test_equal_readings_lie_side_by_side_and_an_outlier_squashes_nothing():
    from metier.show.flow_plots import WallPoint, _span, _spread

    assert _spread([1.5, 1.51, 1.5, 1.5]) == [0, 0, 1, 2]
    readings = [("", 1.5), ("", 1.51), ("", 1.5), ("", 4.7)]
    low, high = _span([WallPoint("1", 2.3, 1.4, 1.41, 1.38, 1.46, readings)])
    assert (low > 1.3, high < 1.6) == (True, True)


def test_the_slip_fits_a_pocket_and_says_when_it_was_written(shop):
    card = shop("profile --card").out.splitlines()
    assert max(map(len, card)) <= 46
    assert f"{today():%-d %b %Y}" in card[1]
    assert len(card) <= 24
