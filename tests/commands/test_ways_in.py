"""Nothing is asked twice or one by one: what is needed, preferred, planned, or only wondered."""

import pytest

from tests.commands.test_typing import Terminal

CUBE = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100"


def test_all_that_is_needed_is_named_in_one_line_with_its_meaning(metier):
    said = metier.refuses("esteps --left 35")
    assert "--asked, --mark and --steps are needed" in said
    assert "--mark: how far from the inlet the pen mark was, in mm" in said
    said = metier.refuses("spool add")
    assert "NAME and --material are needed (NAME: what to call the roll" in said


@pytest.mark.parametrize(
    ("line", "value", "said"),
    [
        ("esteps --asked 100 --moved 97 --steps 93", "steps_to_type", 95.88),
        ("flow --measured 0.48 --should 0.45", "flow_to_type_percent", 94),
        ("diameter 1.74 1.75", "measured_mm", 1.745),
        ("diameter 1,74 1,75 --slicer 1.75", "measured_mm", 1.745),
        ("volumetric --gaps-flow 13", "limit_mm3_s", 11.5),
        ("xy --hole 10=9.8 --post 10=10.1", "hole_new_mm", 0.1),
    ],
)
def test_the_simplest_form_answers_at_the_first_try(metier, line, value, said):
    assert metier.json(line)[value] == pytest.approx(said, rel=1e-4)
    assert "==>" in metier(line).out


def test_two_numbers_say_what_was_taken_and_stand_alone(metier):
    sheet = metier("flow --measured 0.48 --should 0.45").out
    assert "layers of 0.2 mm are taken" in sheet
    assert "sliced at 100 % is taken" in sheet
    taken = metier("flow --measured 0.48 --should 0.45 --flow 95 --layer 0.25").out
    assert "taken" not in taken
    assert "go together" in metier.refuses("flow --measured 0.48")
    assert "stand alone" in metier.refuses("flow --measured 0.48 --should 0.45 --read 0.5")


@pytest.mark.parametrize("line", ["help flow", "--help flow", "flow --help"])
def test_help_of_a_command_stands_where_it_is_looked_for(metier, line):
    assert metier(line).out.startswith("usage: metier flow")


def test_what_is_needed_is_asked_for_at_a_terminal(metier):
    screen = Terminal(metier, "printer add --steps 412")
    screen.until("What to call the printer > ").type("heron")
    screen.until("The bore of its nozzle, in mm > ").type("half")
    screen.until("not a number").until("> ").type("0.5")
    assert screen.until("Added printer heron").status() == 0
    assert metier.json("nozzle list")["nozzles"][0]["bore_mm"] == 0.5


def test_the_carried_value_is_offered_and_taken_by_enter(heron):
    heron.json("spool add fern-2 --material PLA --maker Saltmarsh --colour green")
    heron.json("printer set heron --line-model rounded")
    heron.json("entered flow 91")
    heron.json("bench --spool fern-2")
    line = "flow --width 0.5 --walls 1 --layer 0.2 --read 0.5 0.51"
    assert "91 % (0.91x) is carried" in heron.refuses(line)
    screen = Terminal(heron, line).until("Done at 91 % (0.91x), as carried? [Y/n] ").type("")
    assert screen.until("sliced at").status() == 0
    assert heron.json("history 1")["trials"][0]["settings"]["flow_percent"] == 91


def test_answers_may_come_through_a_pipe_where_no_readings_do(heron):
    line = "flow --walls 3 --flow 100 --read 1.7 1.71"
    assert heron(f"{line} --json", typed="0.6\n0.25\n").status == 0
    settings = heron.json("history 1")["trials"][0]["settings"]
    assert (settings["width_mm"], settings["layer_mm"]) == (0.6, 0.25)
    heron.json("undo 1")
    assert "--width and --layer are needed" in heron.refuses(line)


def test_a_plan_takes_the_line_that_a_part_would_have(heron):
    plan = heron.json("flow --plan")["settings"]
    assert (plan["width_mm"], plan["layer_mm"]) == (0.6, 0.24)
    assert [(one["walls"], one["width_mm"]) for one in plan["sections"]] == [(3, None)]
    heron.json("printer set heron --bed 235x235x250")
    plan = heron.json("flow --plan")["settings"]
    assert [(one["walls"], one["width_mm"]) for one in plan["sections"]] == [
        (3, None), (1, 1.0), (1, None),
    ]  # fmt: skip
    heron.json("part 2 tube.gcode")
    assert heron.json("flow --plan --quick --width 0.5")["settings"]["sections"][1]["walls"] == 1
    # After a print of which only the dose was known, too.
    heron.json("flow --preview 3.66@40 --walls 1 --layer 0.2 --flow 100 --read 0.5 0.5 0.51")
    assert heron.json("flow --plan --part tube.gcode --force")["settings"]["width_mm"] == 0.6


def test_a_plan_that_waits_is_offered(heron):
    heron.json(f"{CUBE} --line-model rounded --plan")
    screen = Terminal(heron, "flow").until("Trial 1 is planned: is it that one? [Y/n] ").type("")
    screen.until("front").type("1.41").until("right").type("").until("trial 1").status()
    assert heron.json("history 1")["trials"][0]["state"] == "measured"


def test_what_is_preferred_is_kept_and_said_where_it_is_used(heron):
    heron.json("printer set heron --line-model rounded")
    heron.json("spool add fern-2 --material PLA --maker Saltmarsh")
    heron.json("spool add smoke-1 --material PETG")
    first = heron(f"{CUBE} --read 1.42 1.43 --accept -1 6 --round-to 0.5 --keep").out
    assert "accept -1 … +6, kept for fern-1" in " ".join(first.split())
    for spool, accept in (("fern-1", [-1, 6]), ("fern-2", [-1, 6]), ("smoke-1", [-2, 3])):
        heron.json(f"bench --spool {spool} --temperature 210")
        found = heron.json(f"{CUBE} --read 1.42 1.44")
        number = found["trial"]
        kept = heron.json(f"history {number}")["trials"][0]["settings"]
        # The band is the filament's, the step of rounding the bench's.
        assert (kept["accept_percent"], kept["round_to_percent"]) == (accept, 0.5)
        assert any("round to 0.5" in note and "as kept" in note for note in found["notes"])
    assert "give what to keep" in heron.refuses(f"{CUBE} --read 1.42 --keep")


def test_what_if_answers_without_recording(untold):
    untold.json(f"{CUBE} --line-model rounded --read 1.50 1.51 1.50 1.50")
    said = untold.json("history 1")["trials"][0]["findings"]["flow_new_percent"]
    other = untold.json("flow --what-if --line-model rectangular")
    assert (other["trial"], other["of"]) == (None, 1)
    assert other["flow_new_percent"] > said + 5
    assert untold.json("flow --what-if 1 --accept -25 25")["verdict"] == "keep"
    typed = untold(f"{CUBE} --what-if --read 1.42 1.42 1.42 1.42")
    assert typed.out.rstrip().endswith("Not recorded: that was a question.")
    assert untold.json("history")["count"] == 1
    assert "no xy trial" in untold.refuses("xy --what-if")
    assert "trial 1 is flow" in untold.refuses("esteps --what-if 1")


def test_a_cube_typed_twice_is_noticed(heron):
    line = f"{CUBE} --line-model rounded --read 1.50 1.51 1.50"
    assert not any("once more" in note for note in heron.json(line)["notes"])
    twice = heron.json(line)
    assert any("readings of trial 1 once more" in note for note in twice["notes"])


def test_a_line_model_learnt_late_judges_anew_what_hung_on_it(untold):
    assert untold.json(f"{CUBE} --read 1.50 1.51 1.50 1.50")["verdict"] == "unclear"
    ran = untold(f"{CUBE} --line-model rounded --read 1.50 1.50 1.49 1.50")
    assert "judged anew by what is known now: trials 1 (unclear)" in " ".join(ran.out.split())


def test_flow_and_speed_are_turned_into_each_other_without_a_trial(metier):
    line = "volumetric speeds --width 0.45 --layer 0.2 --line-model rectangular --flow 100"
    assert metier.json(f"{line} --limit 15")["speed_mm_s"] == pytest.approx(15 / 0.09)
    assert metier.json(f"{line} --speed 100")["flow_mm3_s"] == pytest.approx(9.0)
    for wrong, said in (
        ("", "give --limit in mm³/s, or --speed"),
        ("--limit 15 --speed 100", "give one of them"),
    ):
        assert said in metier.refuses(f"{line} {wrong}")
    assert "go with speeds" in metier.refuses("volumetric --limit 15")


def test_pieces_are_planned_and_asked_for_in_every_way(heron):
    plan = heron("esteps --plan --by cut --asked 100")
    assert "flush at the open end" in plan.out
    found = heron("esteps --trial 1 --json", typed="97.5/97.8\n97.7\n").json
    assert found["moved_mm"] == pytest.approx(97.7, abs=0.1)
    assert heron.json("history 1")["trials"][0]["conditions"]["through"] == "open"
    short = heron("esteps --by short --asked 150 --through tube --json", typed="5.1\n4.9\n").json
    assert short["moved_mm"] == pytest.approx(145.0)
    assert "just into it" in heron("history 2").out or heron.json("history 2")["trials"][0][
        "conditions"
    ] == {"speed_mm_s": None, "feed_rate_mm_s": None, "through": "tube", "instrument": "calipers"}
    # A mark at just the asked length that went in is a bound, too.
    assert heron.json("esteps --swallowed --asked 150 --mark 150")["steps_below"] == 412


def test_e_steps_have_a_band_of_their_own(heron):
    line = "esteps --asked 150 --mark 180 --left 31.4 31.5 31.3 --through nozzle"
    assert heron.json(line)["verdict"] == "correct"
    found = heron.json(f"{line} --accept 1.5")
    assert (found["verdict"], "within ±1.5 %" in found["reason"]) == ("keep", True)


def test_calipers_of_a_known_reach_are_asked_for_no_more(heron):
    heron.json("instrument zero calipers 0")
    heron.json("diameter --read 1.75 1.75")
    assert heron.json("next")["command"] == "metier esteps --asked 150 --mark 180"
    heron.json("instrument set calipers --reach 150")
    assert heron.json("next")["command"] == "metier esteps --asked 100 100 --mark 120"


def test_y_takes_what_a_slip_was_offered_as(heron):
    screen = Terminal(heron, f"{CUBE} --line-model rounded").until("front").type("14.2")
    screen.until("was it 1.42? y takes 1.42").until("front").type("y").until("mean 1.420").type("")
    assert screen.until("trial 1").status() == 0
    assert heron.json("history 1")["trials"][0]["readings"][0]["typed"] == "1.42"


def test_what_still_looked_good_is_asked_for_after_the_gaps(heron):
    ramp = "volumetric --from 4 --step 0.5 --every 2 --to 14"
    assert heron(f"{ramp} --json", typed="33.5\n34\n").json["last_good_mm3_s"] == 11.5
    told = heron(f"{ramp} --json", typed="33.5\n34\n\n25\n").json
    assert (
        told["last_good_mm3_s"]
        == heron.json(f"{ramp} --gaps-at 33.5 34 --good-to 25")["last_good_mm3_s"]
    )
