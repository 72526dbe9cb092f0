"""A reading amended gives what it would have given had it been right from the start."""

import pytest

# A wrong reading and the right one, in trials of every kind.
TRIALS = {
    "esteps": ("esteps --asked 150 --mark 180 --left {} 34.8 35.4", "31.5", "35.1"),
    "cut": ("esteps --asked 150 --cut {} 146.5", "149.9", "146.2"),
    "flow": ("flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read {} 0.55", "0.60", "0.54"),
    "diameter": ("diameter --read {} 1.74", "1.80", "1.75"),
    "height": ("volumetric --from 4 --step 0.5 --every 2 --to 24 --gaps-at {}", "20", "31.5"),
    "rise": ("volumetric --from 4 --rise-per-mm 0.5 --gaps-at {} --matte-at 9", "30", "20.5"),
    "preview": ("volumetric --gaps-flow {}", "14", "12"),
    "feed": ("volumetric --feed feed-{}.csv", "90", "95"),
    "coupons": ("volumetric --strength coupons-{}.csv", "30", "22"),
    "hole": ("xy --hole 4={} 6=5.8 10=9.82 --post 4=4.09", "3.95", "3.79"),
    "pin": ("xy --pin 6={}/5.9 8=7.8/7.9 10=9.7/9.8", "5.85", "5.8"),
    "pair": ("fit --pair {}=snug 0.3=slide --clearance 0.1", "0.25", "0.2"),
}


@pytest.fixture
def shop(heron):
    for moved in ("90", "95"):
        (heron.folder / f"feed-{moved}.csv").write_text(
            f"flow_mm3_s,asked_mm,moved_mm\n8,100,{moved}\n2,100,100\n4,100,100\n6,100,99.9\n"
        )
    for strength in ("30", "22"):
        (heron.folder / f"coupons-{strength}.csv").write_text(
            f"flow_mm3_s,strength_mpa\n11,{strength}\n11,23.4\n4,31\n4,32\n4,31.5\n11,23.0\n"
        )
    return heron


@pytest.mark.parametrize("kind", TRIALS)
def test_amended_is_as_if_right_at_once(shop, kind):
    line, wrong, right = TRIALS[kind]
    shop.json(line.format(right))
    expected = shop.json("history 1")["trials"][0]
    shop.json("undo 1")
    shop.json(line.format(wrong))
    found = shop.json("history 2")["trials"][0]
    assert found["findings"] != expected["findings"]
    shop.json(f"reading amend 2 1 {right}")
    mended = shop.json("history 2")["trials"][0]
    for key, value in expected["findings"].items():
        if key not in ("notes", "speed_mm_s"):
            assert mended["findings"][key] == value, key
    assert mended["verdict"] == expected["verdict"]
    assert mended["readings"][0]["was"] == [found["readings"][0]["typed"]]
    assert f"(was {found['readings'][0]['typed']})" in " ".join(shop("history 2").out.split())
    # What is in force follows.
    values = shop.json("profile")["values"]
    shop.json("undo 2")
    shop.json("undo --redo 1")
    as_expected = shop.json("profile")["values"]
    for name, value in values.items():
        assert value["value"] == as_expected[name]["value"], name
        assert value["status"] == as_expected[name]["status"], name


@pytest.mark.parametrize("kind", TRIALS)
def test_a_reading_that_cannot_be_is_refused_and_the_old_one_stays(shop, kind):
    line, _, right = TRIALS[kind]
    shop.json(line.format(right))
    before = shop.json("history 1")["trials"][0]
    said = shop.refuses("reading amend 1 9 1")
    assert "none of that number" in said
    shop.refuses("reading amend 1 1 99999")
    assert shop.json("history 1")["trials"][0] == before


CUBE = (
    "flow --width 0.5 --walls 3 --layer 0.2 --line-model rounded --sure 50 "
    "--flow {} --read {} {} {}"
)


def test_amending_knows_only_the_cubes_before(heron):
    heron.json(CUBE.format(100, 1.54, 1.54, 1.54))
    before = heron.json("history 1")["trials"][0]["findings"]
    # Two later cubes do not follow flow.
    heron.json(CUBE.format(90, 1.54, 1.54, 1.54))
    heron.json(CUBE.format(80, 1.54, 1.54, 1.54))
    amended = heron.json("reading amend 1 1 1.54")
    for key in ("verdict", "trials_pooled", "flow_new_percent", "response"):
        assert amended[key] == before[key], key
    heron.json("esteps --asked 150 --mark 180 --left 35 35 --through open")
    heron.json("esteps --left 30 30 --through nozzle")
    assert not any("do not compare" in one for one in heron.json("reading amend 4 1 35")["notes"])


def test_an_amended_trial_keeps_what_the_record_adds(heron):
    heron.json("nozzle worn heron-0.5")
    heron.json("diameter --read 1.70/1.70 1.70/1.70")
    heron.json(f"{CUBE.format(100, 1.54, 1.54, 1.54)} --speed 40")
    first = heron.json(f"{CUBE.format(95, 3.2, 3.2, 3.2)} --speed 80")
    assert (first["verdict"], "noted as worn" in first["remedies"][0]) == ("recheck", True)
    said = ("you gave 95 %", "printed at 80 mm/s, trial 2 at 40")
    for words in said:
        assert any(words in note for note in first["notes"]), words
    again = heron.json("reading amend 3 3 3.2")
    assert again["remedies"] == first["remedies"]
    assert again["notes"] == first["notes"]
    # Amended once more, it still says each thing once.
    assert heron.json("reading amend 3 3 3.2")["notes"] == first["notes"]


def test_amended_lengths_keep_their_speed(shop):
    shop.json("volumetric --feed feed-95.csv --width 0.5 --layer 0.2 --flow 100")
    again = shop.json("reading amend 1 1 90")
    assert again["limit_mm3_s"] == 5.5
    # As wide as its plastic is: 5.5 over 0.2 x (0.5 - 0.0429).
    assert again["speed_mm_s"] == pytest.approx(60.1646, abs=1e-3)


def test_what_a_mended_or_withdrawn_trial_bears_on_is_judged_anew(heron):
    cube = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50 --read"
    heron.json(f"{cube} 1.90 1.91")
    second = heron.json(f"{cube} 1.52 1.53")
    amended = heron.json("reading amend 1 1 1.51")
    assert amended["judged_anew"] == [2]
    now = heron.json("history 2")["trials"][0]["findings"]
    assert now["flow_new_percent"] > second["flow_new_percent"]
    assert "trials 2, which it bears on" in heron("reading amend 1 2 1.52").out
    assert heron.json("undo 1")["judged_anew"] == [2]
    alone = heron.json("history 2")["trials"][0]["findings"]
    assert alone["trials_pooled"] == 1
    assert "since it bears on them: trials 2" in heron("undo --redo 1").out
    assert heron.json("logbook check")["differ"] == []
