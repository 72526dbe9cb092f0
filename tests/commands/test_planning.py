"""Planned trials, `metier next`, instruments and the strand."""

from datetime import timedelta

import pytest

from tests.moment import now

CUBE = "--width 0.5 --walls 3 --layer 0.2 --line-model rounded --sure 50"
PLAN = f"flow --plan {CUBE} --flow 100 --speed 40"


def test_a_planned_trial_is_measured_under_its_number_with_its_settings(heron):
    plan = heron.json(PLAN)
    assert (plan["trial"], plan["state"]) == (1, "planned")
    assert plan["settings"]["flow_percent"] == 100
    ran = heron(PLAN)
    for words in ("==> pen 2 ", "no infill", "3 lines a wall", "0.5 mm wide", "100 % (1.00x)"):
        assert words in ran.out
    assert heron.json("history")["trials"][0]["state"] == "planned"
    # Planned is not measured: nothing is in force by it.
    assert heron.json("profile")["values"]["flow"]["status"] == "unset"
    # The bench moved on meanwhile; the trial belongs to the one it was printed on.
    heron.json("spool add smoke-1 --material PETG")
    heron.json("bench --spool smoke-1 --temperature 240")
    found = heron.json("flow --trial 1 --read 1.54 1.55 1.53 1.54")
    assert (found["trial"], found["flow_now_percent"], found["verdict"]) == (1, 100, "correct")
    kept = heron.json("history 1")["trials"][0]
    assert (kept["spool"], kept["temperature_c"], kept["state"]) == ("fern-1", 210, "measured")
    assert kept["conditions"]["speed_mm_s"] == 40
    assert "measured already" in heron.refuses("flow --trial 1 --read 0.5")


def test_a_plan_freezes_how_it_is_reckoned(heron):
    heron.json("instrument add blue --kind calipers --accuracy 0.05")
    heron.json(f"{PLAN} --accept -1 20 --sure 60 --round-to 0.5 --round up")
    found = heron.json("flow --trial 1 --read 1.54 1.54 1.54 1.54")
    assert found["verdict"] == "keep"
    kept = heron.json("history 1")["trials"][0]["settings"]
    assert (kept["round"], kept["sure_needed_percent"]) == ("up", 60)
    heron.json(f"{PLAN} --instrument blue")
    found = heron.json("flow --trial 2 --sure 80 --read 1.54")
    assert heron.json("history 2")["trials"][0]["settings"]["sure_needed_percent"] == 80
    assert found["wall_u95_mm"] > 0.05


def test_what_contradicts_the_plan_is_pointed_out_and_wins(heron):
    heron.json(PLAN)
    found = heron.json("flow --trial 1 --flow 95 --read 1.54 1.53")
    assert found["flow_now_percent"] == 95
    assert any("planned at flow 100 %" in note for note in found["notes"])


@pytest.mark.parametrize(
    ("line", "said"),
    [
        (f"{PLAN} --read 0.5", "leave the readings out"),
        (f"{PLAN} --trial 1", "give one of them"),
        ("flow --trial 9 --read 0.5", "no trial 9"),
        ("flow --trial 2 --read 0.5", "metier esteps --trial 2"),
        ("esteps --plan --left 35", "leave the readings out"),
        ("esteps --plan --asked 150", "--mark is needed"),
        ("diameter --plan --read 1.75", "leave the readings out"),
        ("diameter --read 17.5", "was it 1.75?"),
        ("diameter", "no readings"),
        ("diameter --read 1.75 --instrument ruler", "cannot measure"),
        ("instrument zero calipers 5", "no zero"),
        ("instrument zero blue 0.01", "no instrument 'blue'"),
        ("instrument add micrometer --kind ruler", "can only be"),
        ("instrument add '' --kind ruler", "empty"),
        ("instrument check calipers --gauge 10 --read 1", "was it 10?"),
        ("next --seen ghosts", "invalid choice"),
        ("reading amend 1 1 0.5", "planned"),
        ("reading amend 1 0 0.5", "whole number"),
        ("undo 1 --redo 1", "not both"),
        ("undo --redo 1", "not withdrawn"),
        ("history --since soon", "2026-11-23"),
        ("history --spool fren-1", "did you mean 'fern-1'?"),
        ("history --csv --json", "give one of them"),
        ("history --plot walls.txt", "must end in"),
        ("history --plot walls.png", "no measured flow trial"),
    ],
)
def test_bad_input_is_met_with_one_line(heron, line, said):
    heron.json(PLAN)
    heron.json("esteps --plan --asked 150 --mark 180")
    assert said in heron.refuses(line)


@pytest.mark.slow
def test_next_leads_through_the_whole_job(metier):
    steps = []

    def then(line):
        steps.append(metier.json("next")["step"])
        ran = metier(line)
        assert ran.status == 0, ran

    then("printer add heron --nozzle 0.5 --steps 412")
    metier.json("printer set heron --preview 3.656637@40 --width 0.5 --layer 0.2 --flow 100")
    then("spool add fern-1 --material PLA")
    then("bench --printer heron --spool fern-1 --temperature 210")
    then("instrument zero calipers 0.01")
    then("diameter --read 1.76 1.77")
    then("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --through nozzle")
    then("entered --advised")
    then("esteps --left 30.1 29.9 30 --through nozzle")
    command = metier.json("next")["command"].removeprefix("metier ")
    then(f"{command} --width 0.5 --layer 0.2")
    then("flow --trial 4 --read 1.66 1.66 1.67 1.66 1.67 1.66 1.65 1.66")
    then("entered --advised")
    then(metier.json("next")["command"].removeprefix("metier "))
    then("volumetric --trial 5 --gaps-at 30")
    then("entered --advised")
    then(metier.json("next")["command"].removeprefix("metier "))
    then("xy --trial 6 --hole 4=4 6=6 10=10 --post 4=4 6=6 10=10")
    then("printer changed heron --what mainboard")
    then("entered esteps 426.5")
    assert steps == [
        "printer", "spool", "bench", "zero", "diameter", "esteps", "esteps", "esteps",
        "flow", "measure", "flow", "limit", "measure", "limit", "hole", "measure", "proof",
        "esteps",
    ]  # fmt: skip
    # E-steps that were typed back are checked before a cube is spent on them.
    assert metier.json("next")["step"] == "esteps"


def test_what_a_board_forgot_comes_before_a_part_that_waits(heron):
    heron.json(PLAN)
    # Nothing is measured with calipers that were never zeroed.
    assert heron.json("next")["step"] == "zero"
    heron.json("instrument zero calipers 0")
    assert heron.json("next")["step"] == "measure"
    heron.json("printer changed heron --what mainboard")
    assert heron.json("next")["command"] == "metier entered esteps 412"
    heron.json("entered esteps 412")
    assert heron.json("next")["command"] == "metier flow --trial 1"
    # A plan may be skipped, until another one is made.
    assert heron.json("next --skip measure")["step"] == "diameter"
    heron.json(PLAN)
    assert heron.json("next")["step"] == "measure"


def test_a_symptom_starts_with_the_least_trusted_value(heron):
    heron.json("instrument zero calipers 0")
    heron.json("diameter --read 1.75 1.75")
    heron.json(f"flow {CUBE} --flow 100 --sure 50 --read 1.42 1.42 1.42 1.42")
    found = heron.json("next --seen blobs")
    assert [one["step"] for one in found["checks"]] == [
        "esteps", "nozzle", "temperature", "flow", "diameter",
    ]  # fmt: skip
    heron.json("printer changed heron --what hotend")
    assert heron.json("next --seen blobs")["step"] == "flow"
    assert heron.json("next --seen loose-fit")["checks"]


def test_what_was_swapped_is_suspected_for_a_fortnight_though_it_was_tried_since(
    heron, monkeypatch
):
    heron.json("printer changed heron --what hotend")
    heron.json(f"flow {CUBE} --flow 100 --sure 50 --read 1.42 1.42 1.42 1.42")
    for days, first in ((14, "flow"), (15, "diameter")):
        later = now() + timedelta(days=days)
        monkeypatch.setattr("metier.clock.now", lambda later=later: later)
        assert heron.json("next --seen blobs")["step"] == first, days


def test_a_zero_corrects_thicknesses_and_only_those(heron):
    raw = heron.json("flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.54 0.54")
    heron.json("instrument zero calipers 0,02")
    zeroed = heron.json("flow --flow 100 --read 0.54 0.54")
    assert zeroed["wall_mm"] == pytest.approx(raw["wall_mm"] - 0.02)
    steps = heron.json("esteps --asked 150 --mark 180 --left 35.1")
    assert steps["moved_mm"] == pytest.approx(144.9)
    assert heron.json("flow --flow 100 --read 0.54 --zero 0")["wall_mm"] == pytest.approx(0.54)


def test_an_instrument_is_checked_and_mended(heron):
    line = "instrument check blue --gauge 10 --read 10.05 10.06 10.05"
    heron.json("instrument add blue --kind calipers --resolution 0.01")
    assert heron.json(line)["verdict"] == "correct"
    heron.json(f"{line} --mend accuracy")
    assert heron.json(line)["verdict"] == "keep"
    heron.json(f"{line} --mend zero")
    kept = heron.json("instrument list")["instruments"][0]
    assert kept["zero_mm"] == pytest.approx(0.0533, abs=1e-3)
    wide = heron.json("diameter --read 1.80 1.81 --instrument blue")
    assert wide["measured_mm"] == pytest.approx(1.805 - kept["zero_mm"])
    assert wide["diameter_u95_mm"] > 0.03


def test_the_strand_explains_a_share_of_the_correction(heron):
    heron.json("diameter --read 1.79/1.80 1.80/1.80 1.79/1.80")
    line = f"flow {CUBE} --flow 100 --read 1.54 1.54 1.54 1.54"
    notes = heron.json(line)["notes"]
    assert any("-3.8 % of flow of the -9.4 %" in note for note in notes)
    heron.json("diameter --read 1.70/1.70 1.70/1.70")
    assert any("explains nothing" in note for note in heron.json(f"{line} --flow 100")["notes"])


def test_a_recheck_lists_what_the_record_gives_cause_to_suspect(heron):
    heron.json("nozzle worn heron-0.5")
    found = heron.json("flow --width 0.5 --walls 2 --layer 0.2 --flow 100 --read 0.5 0.5 0.5")
    assert found["verdict"] == "recheck"
    assert "noted as worn" in found["remedies"][0]
    assert any("diameter, never measured" in one for one in found["remedies"])


def test_e_steps_that_changed_are_reckoned_into_what_was_dosed(heron):
    line = f"flow {CUBE} --read 1.54 1.54 1.54 1.54"
    first = heron.json(f"{line} --flow 100")
    heron.json("entered esteps 420")
    second = heron(f"{line} --flow 100 --json").json
    assert any("e-steps changed from 412 to 420" in note for note in second["notes"])
    assert second["trials_pooled"] == 2
    # The first print's dose was 412/420 of what is dosed today: both together say less.
    assert second["flow_new_percent"] < first["flow_new_percent"] - 0.3


def test_pictures_of_walls(heron):
    line = f"flow {CUBE}"
    heron.json(f"{line} --flow 100 --read 1.54 1.54 1.54 1.54")
    heron.json(f"{line} --flow 92 --read 1.42 1.42 1.41 1.42 --plot walls.png")
    assert (heron.folder / "walls.png").read_bytes().startswith(b"\x89PNG")
    heron.json("history --plot walls.svg --kind flow")
    assert "<svg" in (heron.folder / "walls.svg").read_text()
    tube = "--walls 3 --read 1.42 1.42 --walls 1 --read 0.51 0.50"
    heron.json(f"flow --width 0.5 --flow 92 --plot walls.pdf {tube}")
    assert (heron.folder / "walls.pdf").read_bytes().startswith(b"%PDF")


def test_what_is_said_of_readings_is_said_of_those_of_each_section(heron):
    line = "flow --width 0.5 --layer 0.2 --line-model rounded --flow 92"
    three = "--walls 3 --read 1.42 1.42 1.43 1.41 1.42"
    found = heron.json(f"{line} {three} --walls 1 --read 0.51 0.50 0.61 0.51 0.50")
    misread = [note for note in found["notes"] if "misread?" in note]
    assert len(misread) == 1
    assert misread[0].startswith("0.61: misread?")
    assert "without it the wall is 0.5050" in misread[0]


def test_cubes_printed_at_another_speed_or_temperature_are_not_pooled(heron):
    line = f"flow {CUBE} --read 1.54 1.54 1.54 1.54"
    heron.json(f"{line} --flow 100 --speed 40")
    assert heron.json(f"{line} --flow 100 --speed 40")["trials_pooled"] == 2
    assert heron.json(f"{line} --flow 91 --speed 80")["trials_pooled"] == 1
    heron.json("bench --temperature 230")
    found = heron.json(f"{line} --flow 90 --speed 40")
    assert found["trials_pooled"] == 1
    assert any("printed at 230 °C" in note for note in found["notes"])


def test_drift_and_squeezing_jaws_are_named(heron):
    line = "flow --width 0.5 --walls 1 --layer 0.2 --line-model rounded --flow 100 --read"
    rising = heron.json(f"{line} 0.48 0.49 0.49 0.50 0.51 0.52 0.52 0.53")["notes"]
    assert any("drift" in note for note in rising)
    heron.json("spool add reed-1 --material TPU --flexible")
    heron.json("bench --spool reed-1 --temperature 225")
    notes = heron.json(f"{line} 0.46 0.46 0.46 0.46")["notes"]
    assert any("jaws squeeze" in note for note in notes)


def test_a_strand_or_steps_that_were_rechecked_are_still_due(heron):
    heron.json("instrument zero calipers 0")
    assert heron.json("diameter --read 1.70 1.78")["verdict"] == "recheck"
    assert heron.json("next")["step"] == "diameter"
    cube = f"flow {CUBE} --flow 100 --read 1.54 1.54 1.54 1.54"
    assert not any("strand" in note for note in heron.json(cube)["notes"])
    heron.json("diameter --read 1.75 1.75")
    assert heron.json("esteps --asked 150 --mark 180 --left 36 24 33")["verdict"] == "recheck"
    assert heron.json("next")["step"] == "esteps"


def test_a_zero_holds_for_a_month(heron, monkeypatch):
    heron.json("instrument zero calipers 0")
    for days, due in ((29, False), (31, True)):
        later = now() + timedelta(days=days)
        monkeypatch.setattr("metier.clock.now", lambda later=later: later)
        step = heron.json("next")
        assert (step["step"] == "zero") == due, days


def test_a_planned_ask_beats_that_of_the_last_trial(heron):
    heron.json("esteps --plan --asked 150 --mark 180")
    heron.json("esteps --asked 100 --mark 140 --left 40 40")
    found = heron.json("esteps --trial 1 --left 30")
    assert (found["asked_mm"], found["moved_mm"]) == (150, 150)


def test_a_few_minutes_go_to_what_all_else_rests_on(metier):
    metier.json("setup --printer heron --nozzle 0.5 --steps 412 --material PLA")
    found = metier.json("next --minutes 15")
    assert [one["step"] for one in found["steps"]] == ["zero", "diameter", "esteps", "limit"]
    assert sum(one["minutes"] for one in found["steps"]) <= 15
    assert found["command"] == "metier instrument zero calipers"
    assert "a start, not a measurement" in found["steps"][-1]["why"]
    tube = metier.json("next --minutes 40")["steps"][3]
    assert tube["command"] == "metier flow --plan --quick"
    for step in found["steps"]:
        words = {"zero": " 0", "diameter": " 1.75 1.75 1.75", "esteps": " --left 30 30 30"}
        metier.json(step["command"].removeprefix("metier ") + words.get(step["step"], ""))
    left = metier.json("next --minutes 15")["steps"]
    assert [one["step"] for one in left] == ["flow"]
    assert metier.json("next --minutes 0.5")["steps"] == []
