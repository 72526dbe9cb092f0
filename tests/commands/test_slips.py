"""Values that nobody means, readings out of step, what was taken back: no slip loses a print."""

import os
import signal
import time

import pytest

from tests.commands.test_typing import Terminal

CUBE = "flow --width 0.5 --walls 1 --layer 0.2 --line-model rounded --flow 100"


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("printer add wren --nozzle 5", "was it 0.5?"),
        ("printer add wren --nozzle 0.8 --steps 41200", "was it 4120?"),
        ("printer set --steps 41200", "was it 4120?"),
        ("nozzle add fine --printer heron --bore 25", "was it 0.25?"),
        ("bench --temperature 21", "was it 210?"),
        ("instrument zero calipers 0.2", "was it 0.02?"),
        ("xy --hole 10=9.8 --post 10=10.1 --hole-set 10", "was it 0.1?"),
        ("flow --width 0.5 --walls 1 --layer 0.02 --flow 100 --read 0.5", "was it 0.2?"),
        ("flow --width 0.5 --walls 1 --layer 0.2 --flow 250 --read 0.5", "60 to 140"),
        ("esteps --asked 100 --moved 97 --steps 4120", "412, which stands: was it 412?"),
    ],
)
def test_a_value_that_nobody_means_is_refused_where_nobody_answers(heron, line, said):
    before = heron.json("history")["done"]
    refused = heron.refuses(line)
    assert said in refused
    assert "--anyway" in refused
    assert heron.json("history")["done"] == before
    assert heron(f"{line} --anyway").status == 0


def test_at_a_terminal_y_takes_what_was_likely_meant_and_n_what_was_typed(heron):
    heron.json("entered esteps 426.5 --anyway")
    screen = Terminal(heron, "entered esteps 4265")
    screen.until("was it 426.5? y takes 426.5, n takes 4265 [y/n] ").type("")
    # Enter is no answer to that.
    screen.until("[y/n] ").type("y")
    assert screen.until("as before").status() == 0
    assert heron.json("profile")["values"]["esteps"]["value"] == 426.5
    screen = Terminal(heron, "bench --temperature 21").until("was it 210?").type("n")
    assert screen.until("nozzle at  21 °C").status() == 0
    screen = Terminal(heron, "entered limit 120").until("[y/n] ").type("y")
    assert screen.until("limit     12 mm³/s").status() == 0


def test_a_reading_given_beside_the_command_is_asked_about_too(heron):
    screen = Terminal(heron, f"{CUBE} --read 0.51 5.2 0.52")
    screen.until("was it 0.52? y takes 0.52 [y/n] ").type("y")
    assert screen.until("trial 1").status() == 0
    readings = heron.json("history 1")["trials"][0]["readings"]
    assert [one["typed"] for one in readings] == ["0.51", "0.52", "0.52"]
    assert "was it 0.52?" in heron.refuses(f"{CUBE} --read 0.51 5.2")


def test_a_plate_that_is_out_of_step_is_noticed_and_a_place_left_out(heron):
    heron.json("xy --plan")
    screen = Terminal(heron, "xy --trial 1").until("- leaves a place out")
    sizes = {"hole 4": "3.72", "hole 6": "5.78", "hole 10": "-"}
    for place, typed in sizes.items():
        screen.until(place).until("> ").type(typed)
    # The post was read, and both holes before it were forgotten.
    screen.until("hole 16").until("> ").type("4.11")
    screen.until("4.11 does not fit hole 16: is that post 4? y takes it there").until("> ")
    screen.type("y").until("post 6").until("> ").type("6.09").until("> ").type("")
    assert screen.until("trial 1").status() == 0
    readings = heron.json("history 1")["trials"][0]["readings"]
    taken = {one["side"]: one["value"] for one in readings}
    assert taken == {"hole 4": 3.72, "hole 6": 5.78, "post 4": 4.11, "post 6": 6.09}


def test_after_a_refused_reading_u_asks_before_it_takes_a_good_one_back(heron):
    screen = Terminal(heron, CUBE).until("front").type("0.52").until("right").type("52")
    screen.until("was it 0.52?").until("right").type("u")
    screen.until("52 was not taken. u takes back 0.52 (front)").until("> ").type("0.53")
    screen.until("2 readings").until("> ").type("u").until("took back 0.53 (right)")
    assert screen.until("> ").type("").until("trial 1").status() == 0


def test_undo_of_a_measurement_brings_its_plan_back_under_its_number(heron):
    heron.json(f"{CUBE} --plan")
    first = heron.json("flow --trial 1 --read 0.60 0.61")
    undone = heron.json("undo")
    assert (undone["trial"], undone["waits"], undone["state"]) == (2, [1], "withdrawn")
    assert heron.json("next --skip zero")["command"] == "metier flow --trial 1"
    assert [one["state"] for one in heron.json("history")["trials"]] == ["withdrawn", "planned"]
    kept = heron.json("history 2")["trials"][0]["readings"]
    assert [one["typed"] for one in kept] == ["0.60", "0.61"]
    again = heron.json("flow --trial 1 --read 0.52 0.53")
    assert again["trial"] == 1
    assert again["flow_new_percent"] > first["flow_new_percent"]
    # Withdrawn by its number it waits again, too; what counts after all is done.
    assert heron.json("undo 1")["waits"] == [1]
    heron.json("undo --redo 3")
    assert [one["number"] for one in heron.json("history")["trials"]] == [3, 2]
    assert heron("logbook check").out.startswith("The logbook is sound")


def test_a_plan_that_waits_again_waits_on_every_copy(heron):
    heron.json(f"{CUBE} --plan")
    heron.json("flow --trial 1 --read 0.60 0.61")
    heron.json("logbook export a.json")
    heron.json("logbook import a.json --logbook b.sqlite")
    heron.json("undo")
    heron.json("logbook export a.json --force")
    heron.json("logbook import a.json --logbook b.sqlite")
    for where in ("", " --logbook b.sqlite"):
        trials = heron.json(f"history{where}")["trials"]
        assert sorted(one["state"] for one in trials) == ["planned", "withdrawn"]
    number = next(one["number"] for one in trials if one["state"] == "planned")
    heron.json("bench --printer heron --spool fern-1 --logbook b.sqlite")
    heron.json(f"flow --trial {number} --read 0.52 0.53 --logbook b.sqlite")
    heron.json("logbook export b.json --logbook b.sqlite")
    heron.json("logbook import b.json")
    states = [one["state"] for one in heron.json("history")["trials"]]
    assert sorted(states) == ["measured", "withdrawn"]


def test_setup_asks_for_all_of_it_and_enter_takes_what_is_usual(metier):
    screen = Terminal(metier, "setup").until("A name for the printer [printer] > ").type("heron")
    screen.until("[0.4] > ").type("5").until("was it 0.5?").until("[y/n] ").type("y")
    screen.until("(M92 at its console shows them) [later] > ").type("")
    screen.until("[later] > ").type("235x235").until("[PLA] > ").type("PETG")
    screen.until("[petg-1] > ").type("").until("[235] > ").type("").until("[80] > ").type("")
    assert screen.until("Next:").status() == 0
    bench = metier.json("bench")["bench"]
    told = (bench["nozzle"], bench["spool"], bench["material"], bench["temperature_c"])
    assert told == ("heron-0.5", "petg-1", "PETG", 235)
    assert metier.json("printer show")["printer"]["bed_x_mm"] == 235
    # Once more, another roll alone.
    metier.json("setup --printer heron --material PLA --spool fern-1")
    assert metier.json("bench")["bench"]["spool"] == "fern-1"
    assert len(metier.json("printer list")["printers"]) == 1


def test_setup_names_what_it_needs_where_nobody_answers(metier):
    assert "--nozzle is needed" in metier.refuses("setup --printer heron")
    assert metier.json("printer list")["printers"] == []


def test_the_bed_is_heated_as_is_usual_for_the_material(metier):
    metier.json("setup --nozzle 0.4 --bed 200x200 --material ABS --temperature 245")
    said = metier("flow --plan --part tube.gcode").out
    assert "100 °C, usual for ABS" in said
    assert "M190 S100" in (metier.folder / "tube.gcode").read_text()


def test_the_first_value_takes_two_commands_from_nothing(metier):
    metier.json("setup --nozzle 0.5 --steps 412 --material PLA")
    assert metier.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4")["trial"] == 1
    assert metier.json("next")["command"] == "metier entered esteps 426.5"


def test_what_was_advised_stands_beside_what_was_typed(heron):
    heron.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4")
    said = heron("entered esteps 426").out
    assert "you typed 426.00; 426.50 was advised" in " ".join(said.split())


def test_a_zero_that_is_none_is_named_where_readings_do_not_fit(heron):
    heron.json("instrument zero calipers 0.3 --anyway")
    said = heron(f"{CUBE} --read 0.52 0.53 0.52 0.52").out
    assert "RECHECK" in said
    assert "+0.30 mm was taken off every reading" in said


def test_two_readings_at_right_angles_may_stand_apart(heron):
    ran = heron("diameter --json", typed="1.75 1.76\n1.74/1.75\n1.75 mm\n")
    readings = heron.json("history 1")["trials"][0]["readings"]
    assert [one["value"] for one in readings] == [1.75, 1.76, 1.74, 1.75, 1.75]
    assert ran.json["trial"] == 1


def test_ctrl_c_says_what_is_kept(heron):
    screen = Terminal(heron, CUBE).until("front").until("> ").type("0.52").until("> ")
    time.sleep(0.3)
    os.kill(screen.child, signal.SIGINT)
    screen.until("stopped; what was typed is kept: the next start offers to go on with it")
    assert screen.status() == 130


def test_a_map_after_a_swap_says_what_there_is_and_why_it_does_not_count(heron):
    heron.json(f"{CUBE} --read 0.52 0.53 0.52 0.52 --speed 40")
    heron.json("printer changed --what nozzle")
    assert "trials 1 do not count: nozzle changed since" in heron.refuses("map")


def test_a_real_part_that_is_off_is_no_end(heron):
    heron.json("instrument zero calipers 0")
    heron.json("diameter --read 1.75 1.75 1.75")
    line = "proof --of moon --at front=0.40/0.40 seam=0.40/0.41 crater=0.40/0.40 --expect 0.5"
    assert heron.json(line)["verdict"] == "correct"
    known = {"esteps": 412, "flow": 95, "limit": 10, "hole": 0.1, "contour": -0.05}
    heron.json("entered " + " ".join(f"{name} {value}" for name, value in known.items()))
    steps = [heron.json("next")]
    while steps[-1]["step"] not in ("proof", "done"):
        steps.append(heron.json(f"next --skip {steps[-1]['step']}"))
    assert steps[-1]["step"] == "proof"
    assert "trial 2 says correct: its walls are off; measure a cube" in steps[-1]["why"]


@pytest.mark.parametrize(("symptom", "step"), [("strings", "temperature"), ("gaps", "esteps")])
def test_for_a_symptom_what_takes_ten_seconds_or_is_likeliest_comes_first(heron, symptom, step):
    heron.json("printer changed --what mainboard")
    found = heron.json(f"next --seen {symptom}")
    assert found["step"] == step
    told = {"strings": "metier heat --plan", "gaps": "metier entered esteps 412"}
    assert found["command"].startswith(told[symptom])


def test_looks_are_a_witness_that_moves_no_number(heron):
    line = "flow --width 0.5 --walls 3 --layer 0.2 --line-model rounded --flow 100 --sure 50"
    plain = heron.json(f"{line} --read 1.42 1.41 1.42 1.42 --what-if")
    said = heron.json(f"{line} --read 1.42 1.41 1.42 1.42 --looks gaps")
    assert said["flow_new_percent"] == plain["flow_new_percent"]
    assert (said["verdict"], said["looks"]) == ("keep", ["gaps"])
    assert "weigh a print" in said["contradicted"]
    assert "looked at: gaps on top" in heron("history 1").out
    assert "its top has gaps: weigh a print" in " ".join(heron("history 1").out.split())
    assert "trial 1 (flow, " in heron("next --seen gaps").out
    assert "seen on" not in heron("next --seen strings").out


def test_looks_are_mended_like_all_else_that_was_said(heron):
    heron.json(f"{CUBE} --read 0.52 0.53 --looks gaps dull")
    heron.json("trial 1 --looks strings")
    said = heron("history 1").out
    assert "looked at: strings" in said
    assert "gaps on top" not in said
    assert heron("logbook check").out.startswith("The logbook is sound")


def test_looks_may_be_typed_among_the_readings_and_survive_with_them(heron):
    screen = Terminal(heron, CUBE).until("front").type("0.52").until("right").type("dull weak")
    screen.until("noted: a dull surface, it comes apart").until("right").until("> ")
    time.sleep(0.3)
    os.kill(screen.child, signal.SIGINT)
    assert screen.until("stopped; what was typed is kept").status() == 130
    found = heron(f"{CUBE} --resume --json", typed="0.53\n").json
    assert found["looks"] == ["dull", "weak"]
    readings = heron.json("history 1")["trials"][0]["readings"]
    assert [(one["side"], one["value"]) for one in readings] == [("front", 0.52), ("right", 0.53)]


def test_a_roll_that_needs_as_little_as_foam_is_asked_about(heron):
    said = heron(f"{CUBE} --read 0.72 0.71 0.72 0.72").out
    assert "does fern-1 foam? then metier spool set --foaming" in " ".join(said.split())
    assert heron.json("spool set --foaming")["spool"]["foaming"] == 1
    assert "foam?" not in heron(f"{CUBE} --read 0.72 0.71 0.72 0.72").out
    assert heron.json("spool set fern-1 --foaming no")["spool"]["foaming"] == 0


def test_a_flexible_roll_names_each_cause_once_and_the_scale(heron):
    heron.json("spool add flex-1 --material TPU --flexible")
    heron.json("bench --spool flex-1")
    line = "flow --width 0.5 --walls 3 --layer 0.2 --line-model rounded --flow 100"
    said = " ".join(heron(f"{line} --read 1.14 1.03 1.25 1.14 1.34 1.43").out.split())
    assert "RECHECK" in said
    assert said.count("the readings scatter by") == 1
    assert said.count("squeeze a flexible wall") + said.count("jaws squeeze it") == 1
    assert "a scale squeezes nothing (metier weigh --part G)" in said


def test_a_note_and_a_photo_are_laid_beside_the_next_of_its_kind(heron):
    (heron.folder / "tube.jpg").write_bytes(b"a picture")
    heron.json(f"{CUBE} --read 0.52 0.53 --note 'by the window' --photo tube.jpg")
    assert heron.json("history 1")["trials"][0]["note"] == "by the window"
    said = " ".join(heron(f"{CUBE} --read 0.53 0.52").out.split())
    assert "last time trial 1: by the window; photo: " in said
    assert "tube.jpg" in said
    assert "there is no file none.jpg" in heron.refuses(f"{CUBE} --read 0.5 --photo none.jpg")
