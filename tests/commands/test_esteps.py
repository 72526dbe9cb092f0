"""`metier esteps` as it is used at the bench."""

import re

import pytest

WORKED = "esteps --asked 150 --mark 180 --steps 412"


@pytest.mark.parametrize(
    ("line", "moved", "moved_u95", "new", "new_u95"),
    [
        (f"{WORKED} --left 35.1", 144.90, 0.91, 426.50, 2.68),
        (f"{WORKED} --left 35.1 34.8 35.4", 144.90, 0.465, 426.50, 1.37),
        (f"{WORKED} --left 35.1 --left 34,8 --left 35.4mm", 144.90, 0.465, 426.50, 1.37),
        ("esteps --asked 150 --steps 412 --cut 146.2 146.5", 146.35, 0.467, 422.28, 1.35),
        ("esteps --asked 150 --steps 412 --cut 146.2/145.9 146.5", 146.294, 0.568, 422.44, 1.64),
        ("esteps --asked 150 --steps 412 --short 5.1", 144.90, 0.91, 426.50, 2.68),
    ],
)
def test_worked_numbers_without_a_logbook(metier, line, moved, moved_u95, new, new_u95):
    found = metier.json(line)
    assert found["trial"] is None
    assert found["moved_mm"] == pytest.approx(moved, abs=5e-3)
    assert found["moved_u95_mm"] == pytest.approx(moved_u95, abs=6e-4)
    assert found["steps_new"] == pytest.approx(new, abs=5e-3)
    assert found["steps_new_u95"] == pytest.approx(new_u95, abs=6e-3)
    assert found["steps_to_type"] == pytest.approx(new, abs=5e-3)
    assert found["change_percent"] == pytest.approx(100 * (new / 412 - 1), abs=2e-3)
    assert (found["steps_now"], found["verdict"]) == (412, "correct")
    assert not metier.logbook.exists()


def test_a_swallowed_mark_gives_a_bound_and_nulls(metier):
    found = metier.json(f"{WORKED} --swallowed")
    assert found["verdict"] == "recheck"
    assert found["steps_below"] == pytest.approx(343.33, abs=5e-3)
    for key in ("moved_mm", "moved_u95_mm", "steps_new", "steps_new_u95", "steps_to_type"):
        assert found[key] is None


@pytest.mark.parametrize(
    ("line", "said"),
    [
        (WORKED, "no readings"),
        (f"{WORKED} --left", "--left"),
        (f"{WORKED} --left far", "not a number"),
        (f"{WORKED} --left nan", "not a number"),
        (f"{WORKED} --left -1", "zero or above"),
        (f"{WORKED} --left 180", "less than the mark"),
        (f"{WORKED} --left 35 --cut 146", "two ways"),
        (f"{WORKED} --cut 146", "--mark does not go with --cut"),
        (
            "esteps --asked 150 --mark 150 --left 3 --steps 412",
            "it stopped short of the inlet is --short",
        ),
        ("esteps --asked 150 --mark 180 --left 3", "--steps is needed"),
        ("esteps --mark 180 --left 3 --steps 412", "--asked is needed"),
        ("esteps --asked 150 --left 3 --steps 412", "--mark is needed"),
        ("esteps --asked 0 --mark 180 --left 3 --steps 412", "above zero"),
        ("esteps --asked 150 --mark 180 --left 3 --steps inf", "not a number"),
        ("esteps --asked 150 --cut 14.6 --steps 412", "was it 146?"),
        ("esteps --asked 150 --cut 0 --steps 412", "above zero"),
        ("esteps --asked 150 --cut 146 --steps 412 --through nozzle", "open cold end"),
        (f"{WORKED} --left 3 --instrument tape", "no instrument 'tape'"),
        (f"{WORKED} --left 3 --full-steps 200", "go together"),
        (f"{WORKED} --left 3 --lft 4", "unrecognized"),
    ],
)
def test_bad_input_is_met_with_one_line(metier, line, said):
    assert said in metier.refuses(line)


def test_the_second_trial_takes_what_is_in_force_and_says_so(heron):
    first = heron.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --through nozzle")
    assert (first["trial"], first["steps_now"]) == (1, 412)
    heron.json("entered esteps 426.5")
    second = heron("esteps --left 30.2 29.8 30.1 --through nozzle")
    assert second.out.splitlines()[1] == "==> leave 426.50 steps/mm   nothing to type"
    assert re.search(r"steps now +426.50 steps/mm +entered ", second.out)
    assert "asked and mark as in trial 1" in " ".join(second.out.split())
    assert "KEEP" in second.out
    found = heron.json("history 2")["trials"][0]
    expected = {"way": "left", "asked_mm": 150, "mark_mm": 180, "steps": 426.5}
    assert {key: found["settings"][key] for key in expected} == expected
    assert found["conditions"]["through"] == "nozzle"


def test_a_given_value_that_contradicts_the_logbook_is_pointed_out_and_wins(heron):
    found = heron.json("esteps --asked 150 --mark 180 --left 30 --steps 420")
    assert found["steps_now"] == 420
    assert any("412.00" in note and "420.00" in note for note in found["notes"])
    assert heron.json("profile")["values"]["esteps"]["in_force"] == 420


def test_advice_that_nobody_typed_in_is_not_reckoned_from(heron):
    heron.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4")
    found = heron.json("esteps --left 35.0 35.2 35.1")
    assert found["steps_now"] == 412
    assert any("426.50" in note and "not said to be typed in" in note for note in found["notes"])


def test_hot_nozzle_and_open_end_are_not_compared_silently(heron):
    heron.json("esteps --asked 150 --mark 180 --left 30 --through nozzle")
    found = heron.json("esteps --asked 150 --cut 150.1 149.8")
    assert any("back pressure differs" in note for note in found["notes"])


def test_how_to_set_the_value_is_shown_with_the_firmwares_decimals(heron):
    heron.json("printer set heron --decimals 1 --full-steps 200 --microsteps 16")
    ran = heron("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4")
    for line in ("M92 E426.5 ", "M500 ", "M92 ", "lost at power-off", "a menu entry"):
        assert line in ran.out
    assert f"{200 * 16 / 426.5:.5f}" in ran.out
    assert max(len(line) for line in ran.out.splitlines()) <= 80


def test_two_lengths(heron):
    line = "esteps --asked 50 50 200 200 --mark 230 --steps 400 --through open"
    found = heron.json(f"{line} --left 181.1 180.8 31.4 31.1")
    assert (found["moved_mm"], found["asked_mm"]) == (None, 200)
    assert (found["slope"], found["play_mm"]) == pytest.approx((0.998, -0.85), abs=5e-3)
    assert (found["steps_new"], found["steps_new_u95"]) == pytest.approx((400.8, 2.02), abs=5e-3)
    assert "99.80 %" in heron("history").out
    assert heron.json("reading amend 1 1 180.1")["slope"] > 0.998 - 0.01
    assert "one for each" in heron.refuses(f"{line} --left 181.1 180.8")
    assert "--left" in heron.refuses("esteps --asked 50 200 --cut 49 198")
    heron.json("esteps --plan --asked 50 200 --mark 230")
    again = heron.json("esteps --trial 2 --left 181.0 31.2")
    assert again["slope"] == pytest.approx(149.8 / 150)
