"""`metier flow` as it is used at the bench."""

import pytest

RICH = "flow --width 0.5 --walls 3 --layer 0.2 --flow 108 --line-model rounded --sure 50"
ONE = "flow --width 0.44 --walls 1 --layer 0.2 --flow 100"
EIGHT = "0.47 0.49 0.48 0.46 0.47 0.48 0.47 0.46"
THREE = "flow --width 0.42 --walls 3 --layer 0.2 --flow 97 --read 1.26 1.27 1.25 1.26"


WITHIN = {"flow_plain_percent": 6e-3, "wall_mm": 5e-5, "wall_u95_mm": 5e-5, "target_mm": 5e-5}


@pytest.mark.parametrize(
    ("line", "found"),
    [
        # Nobody measured the e-steps, and one who was told rounded may have been told wrongly.
        (
            f"{ONE} --read {EIGHT} --line-model rounded",
            {"wall_mm": 0.4725, "wall_u95_mm": 0.0239, "target_mm": 0.44, "flow_new_percent": 95.5,
             "flow_plain_percent": 93.12, "verdict": "unclear", "flow_to_type_percent": 96,
             "rough": True},
        ),
        (
            f"{ONE} --read {EIGHT} --line-model rectangular",
            {"target_mm": 0.4829, "flow_new_percent": 103.44},
        ),
        # The worked numbers of a prior of ± 8 %.
        (
            "flow --layer 0.2 --walls 2 --width 0.4 --flow 100 --line-model rounded "
            "--read .84 .83 .85 .84",
            {"flow_new_percent": 90.43, "interval_percent": [84.34, 106.80],
             "flow_to_type_percent": 91, "sure_typed_percent": 40.9,
             "line_model_percent": {"rounded": 71.8, "rectangular": 28.2}},
        ),
        (
            f"{THREE} --line-model rounded",
            {"wall_mm": 1.26, "target_mm": 1.1742, "flow_plain_percent": 97.0,
             "verdict": "unclear", "flow_to_type_percent": 91},
        ),
        # Off the preview: no width, no model, no flow.
        (
            "flow --layer 0.2 --walls 1 --preview 3.656636@40 --read 0.54 0.55 0.53 0.54 0.54 "
            "0.55 0.53 0.54 0.54 0.54 0.55 0.53",
            {"flow_new_percent": 94.65, "flow_now_percent": None, "flow_plain_percent": None,
             "sure_percent": None},
        ),
        # The tube, printed and told by hand: three lines, a wide one, one.
        (
            "flow --layer 0.2 --width 0.48 --flow 100 --line-model rounded --walls 3 "
            "--read 1.36 1.35 1.36 1.35 --walls 1x0.8 --read .81 .80 .81 .81 "
            "--walls 1 --read .49 .48 .49 .49",
            {"trials_pooled": 1, "flow_new_percent": 100.32, "flow_to_type_percent": 101},
        ),
        # Another wall than the model's: two lines of 0.80 where 0.84 come out.
        (
            "flow --aim 0.80 --walls 2 --layer 0.2 --flow 100 --read 0.84 0.83",
            {"flow_plain_percent": 95.81, "flow_now_percent": 100},
        ),
    ],
)  # fmt: skip
def test_worked_numbers_without_a_logbook(metier, line, found):
    answer = metier.json(line)
    for key, value in found.items():
        if isinstance(value, float | list | dict):
            assert answer[key] == pytest.approx(value, abs=WITHIN.get(key, 0.06)), key
        else:
            assert answer[key] == value, key
    low, high = answer["interval_percent"]
    assert answer["flow_new_u95_percent"] == pytest.approx((high - low) / 2)
    assert set(answer["targets_mm"]) == {"rounded", "rectangular"}
    assert answer["trial"] is None
    assert not metier.logbook.exists()


def test_while_the_line_model_is_not_known_both_count_and_it_is_asked_for(untold):
    ran = untold(f"{ONE} --read {EIGHT}")
    out = " ".join(ran.out.split())
    assert "how the slicer doses a line decides: 95.5 % where lines are rounded or 103.4 %" in out
    kept = untold.json("history 1")["trials"][0]["findings"]
    assert (kept["flow_to_type_percent"], kept["rough"]) == (101, True)
    assert kept["flow_under_percent"] == pytest.approx(
        {"rounded": 95.5, "rectangular": 103.4}, abs=0.05
    )
    assert sum(kept["line_model_percent"].values()) == pytest.approx(100)
    # Two numbers off the preview tell it, once a printer.
    said = "printer set heron --preview 3.18@40 --width 0.44 --layer 0.2 --flow 100"
    learnt = untold.json(said)
    assert learnt["printer"]["line_model"] == "rounded"
    # The open trial is judged anew, and says so; its readings stay.
    assert learnt["judged_anew"] == [{"number": 1, "verdict": "unclear"}]
    anew = untold.json("history 1")["trials"][0]["findings"]
    assert (anew["flow_to_type_percent"], anew["line_model_percent"]["rounded"]) == (96, None)
    assert untold.json("printer set heron --line-model rounded")["judged_anew"] == []
    found = untold.json(f"flow --flow 100 --read {EIGHT}")
    assert (found["line_model"], found["trials_pooled"]) == ("rounded", 2)
    # What was printed through another extruder says nothing of this one.
    untold.json("printer changed heron --what extruder")
    assert untold.json(f"flow --flow 100 --read {EIGHT}")["trials_pooled"] == 1


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("--preview 3.18@40", "--width, --layer and --flow"),
        ("--preview 3.4@40 --width 0.44 --layer 0.2 --flow 100", "neither"),
        ("--preview 0.4@40 --width 0.15 --layer 0.2 --flow 100", "layer height"),
        ("--preview fast --width 0.44 --layer 0.2 --flow 100", "3.66@40"),
    ],
)
def test_a_line_model_is_never_learnt_from_what_fits_none(untold, line, said):
    assert said in untold.refuses(f"printer set heron {line}")
    assert untold.json("printer show heron")["printer"]["line_model"] is None


def test_all_ways_to_give_readings_mean_the_same(metier):
    asked = metier.json(f"{ONE} --read {EIGHT}")
    (metier.folder / "cube.csv").write_text(
        "side;reading\n" + "".join(f"s;{one.replace('.', ',')}\n" for one in EIGHT.split())
    )
    for line in (
        f"{ONE} --side 0.47 0.49 0.48 0.46 --side .47 .48 .47 .46",
        f"{ONE} --read 0,47 0,49 0,48 0,46 --read 0.47mm 0.48mm 0.47 0.46",
        f"{ONE} --from cube.csv",
        f"flow --width 0.44 --walls 1 --layer 0.2 --flow 1.00x --read {EIGHT}",
        f"{ONE} --zero 0.01 --read 0.48 0.50 0.49 0.47 0.48 0.49 0.48 0.47",
    ):
        found = metier.json(line)
        assert found["flow_new_percent"] == pytest.approx(asked["flow_new_percent"]), line
    inches = metier.json(f"{ONE} --read 0.0185in 0.0186in")
    assert inches["wall_mm"] == pytest.approx(0.01855 * 25.4)


@pytest.mark.parametrize(
    ("line", "said"),
    [
        (ONE, "no readings"),
        (f"{ONE} --read", "--read"),
        (f"{ONE} --read thick", "not a number"),
        (f"{ONE} --read nan", "not a number"),
        (f"{ONE} --read inf", "not a number"),
        (f"{ONE} --read 0", "above zero"),
        (f"{ONE} --read -0.47", "above zero"),
        (f"{ONE} --read 47", "was it 0.47?"),
        (f"{ONE} --read 0.47 4.7", "was it 0.47?"),
        (f"{ONE} --read 0.0185", "type 0.0185in"),
        (f"{ONE} --read 0.47 --side 0.47", "one way only"),
        (f"{ONE} --read 0.47 --from cube.csv", "one way only"),
        (f"{ONE} --from cube.csv", "cannot read"),
        ("flow --walls 1 --layer 0.2 --flow 100 --read 0.47 --aim 0.03", "no wall"),
        (f"{ONE} --read 0.47 --accept 1 2", "--accept"),
        (f"{ONE} --read 0.47 --round-to 0", "--round-to"),
        (f"{ONE} --read 0.47 --instrument ruler", "cannot measure"),
        (f"{ONE} --read 0.47 --preview 3.66", "3.66@40"),
        (f"{ONE} --read 0.47 --sure 30", "--sure"),
        (f"{ONE} --walls 3 --read 0.47", "needs its readings"),
        (f"{ONE} --read 0.47 --nothing", "unrecognized"),
        ("flow --walls 1 --layer 0.2 --flow 100 --read 0.47", "--width is needed"),
        ("flow --width 0.44 --layer 0.2 --flow 100 --read 0.47", "--walls is needed"),
        ("flow --width 0.44 --walls 1 --flow 100 --read 0.47", "--layer is needed"),
        ("flow --width 0.44 --walls 1 --layer 0.2 --read 0.47", "--flow is needed"),
        ("flow --width 0.44 --walls 1 --layer 0.2 --flow 0.93 --read 0.47", "0.93x"),
        ("flow --width 0.44 --walls 1 --layer 0.2 --flow 1.0 --read 0.47", "1.0x"),
        ("flow --width 0.1 --walls 1 --layer 0.2 --flow 93 --read 0.1", "below the layer height"),
        ("flow --width 4.4 --walls 1 --layer 0.2 --flow 93 --read 0.47", "was it 0.44?"),
        (
            "flow --width 0.2 --walls 1 --layer 0.2 --flow 93 --read 0.04 --line-model rounded",
            "thinner than the",
        ),
        ("flow --width 0.44 --walls 0 --layer 0.2 --flow 93 --read 0.47", "from 1 to 20"),
    ],
)
def test_bad_input_is_met_with_one_line(metier, line, said):
    assert said in metier.refuses(line)


def test_a_large_file_of_noise_is_refused_at_once(metier):
    (metier.folder / "noise.csv").write_bytes(bytes(range(256)) * 40_000)
    assert "no file of readings" in metier.refuses(f"{ONE} --from noise.csv")


def test_trials_are_recorded_whole_and_the_next_one_knows_them(heron):
    first = heron.json(f"{RICH} --side 1.66 1,66 --side 1.65")
    assert (first["trial"], first["flow_to_type_percent"]) == (1, 92)
    kept = heron.json("history 1")["trials"][0]
    assert [(one["side"], one["typed"]) for one in kept["readings"]] == [
        ("side 1", "1.66"),
        ("side 1", "1,66"),
        ("side 2", "1.65"),
    ]
    assert (kept["temperature_c"], kept["spool"], kept["nozzle"]) == (210, "fern-1", "heron-0.5")
    assert {key: kept["findings"][key] for key in ("wall_mm", "verdict")} == {
        "wall_mm": first["wall_mm"],
        "verdict": "correct",
    }
    heron.json("entered flow 92")
    assert heron.json("profile")["values"]["flow"]["status"] == "verified"
    second = heron("flow --read 1.42 1.42 1.41 1.42 1.43 1.42")
    assert "92 % (0.92x)" in second.out
    assert "all as in trial 1" in " ".join(second.out.split())
    assert "2 prints together" in second.out


def test_a_flow_nobody_is_sure_of_is_entered_not_verified(heron):
    heron.json(f"{RICH} --side 1.66 1,66 --side 1.65")
    heron.json("entered flow 97")
    assert heron.json("profile")["values"]["flow"]["status"] == "entered"
    # After a new nozzle the old cubes are sure of nothing.
    heron.json("printer changed heron --what nozzle")
    heron.json("entered flow 92")
    assert heron.json("profile")["values"]["flow"]["status"] == "entered"


def test_a_print_of_several_wall_counts_is_asked_section_by_section(heron):
    heron.json("printer set heron --line-model rounded")
    planned = heron.json("flow --plan --width 0.5 --layer 0.2 --walls 3 --walls 1")
    sections = planned["settings"]["sections"]
    # Several lines are richer than they will be, a single one is not.
    assert [section["flow_percent"] for section in sections] == [108, None]
    typed = "1.66\n1.65\n1.67\n1.66\n\n0.59\n0.58\n0.60\n0.59\n"
    found = heron("flow --trial 1 --json", typed=typed).json
    assert [(one["walls"], one["readings"]) for one in found["sections"]] == [(3, 4), (1, 4)]
    assert found["texture_mm"] is not None
    sides = [one["side"] for one in heron.json("history 1")["trials"][0]["readings"]]
    assert (sides[0], sides[-1]) == ("3 lines, front", "1 line, left")
    (heron.folder / "tube.csv").write_text(
        "walls;side;reading\n3;front;1,66\n1;front;0,59\n3;back;1,65\n1;back;0,58\n"
    )
    again = heron.json("flow --flow 108 --from tube.csv")
    assert [(one["walls"], one["readings"]) for one in again["sections"]] == [(3, 2), (1, 2)]
    amended = heron.json("reading amend 1 5 0.60")
    assert amended["sections"][1]["wall_mm"] == pytest.approx(0.5925)


def test_a_dose_belongs_to_its_own_print(heron):
    heron.json("flow --layer 0.2 --walls 1 --preview 3.66@40 --read 0.54 0.55 --flow 100")
    assert "--width is needed" in heron.refuses("flow --read 0.54 0.55")
    heron.json("flow --plan --layer 0.2 --walls 1 --preview 3.66@40 --flow 100")
    assert heron.json("flow --trial 2 --read 0.54 0.55")["trials_pooled"] == 2


def test_a_plan_of_several_lines_is_rich_and_puts_nothing_in_force(heron):
    planned = heron("flow --plan --width 0.5 --layer 0.2 --walls 3 --sure 50")
    assert "108 % (1.08x)" in planned.out
    assert "lines touch" in " ".join(planned.out.split())
    found = heron.json("flow --trial 1 --read 1.66 1.66 1.65 1.66")
    assert (found["flow_now_percent"], found["flow_sliced_percent"]) == (None, 108)
    assert (found["verdict"], found["flow_to_type_percent"]) == ("correct", 92)
    value = heron.json("profile")["values"]["flow"]
    assert (value["status"], value["value"]) == ("advised", 92)


def test_a_printers_line_model_is_remembered(untold):
    untold.json(
        "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.54 --line-model rounded"
    )
    assert untold.json("printer show heron")["printer"]["line_model"] == "rounded"
    assert untold.json("flow --read 0.54")["line_model"] == "rounded"


def test_the_value_to_type_stands_first_in_both_forms(heron):
    ran = heron(f"{ONE} --read 0.60 0.61 0.60 0.60 --line-model rounded")
    lines = ran.out.splitlines()
    assert lines[0] == "Flow: fern-1 on heron (nozzle heron-0.5, 210 °C), trial 1"
    assert lines[1] == "==> type 72 % (0.72x)   flow of fern-1, in the slicer (was 100 %)"
    assert lines[3].startswith("  CORRECT   ")
    assert "± from" not in ran.out
    assert "± from" in heron("history 1 --why").out
    assert max(len(line) for line in ran.out.splitlines()) <= 80
    heron.json("bench --show-flow multiplier --flow-step 0.1")
    assert "0.723x (72.3 %)" in heron(f"{ONE} --read 0.60 0.61 0.60 0.60").out


def test_three_trials_that_do_not_follow_flow_are_rechecked(heron):
    line = "flow --width 0.5 --walls 1 --layer 0.2 --line-model rounded --read"
    verdicts = [
        heron.json(f"{line} {' '.join([wall] * 6)} --flow {flow}")["verdict"]
        for wall, flow in (("0.60", 100), ("0.60", 85), ("0.60", 70))
    ]
    assert verdicts[-1] == "recheck"
    assert heron.json("history 3")["trials"][0]["findings"]["flow_to_type_percent"] is None


def test_other_conditions_are_pointed_out_and_not_pooled(heron):
    heron.json(f"{RICH} --read 1.66 --speed 40")
    found = heron.json("flow --flow 108 --read 1.66 --speed 80mm/s")
    assert any("80 mm/s" in note for note in found["notes"])
    assert found["trials_pooled"] == 1
    assert heron.json("flow --flow 108 --read 1.66 --speed 41")["trials_pooled"] == 2


def test_foaming_filament_may_have_a_low_flow(heron):
    heron.json("spool add cloud-1 --material PLA --foaming")
    heron.json("bench --spool cloud-1 --temperature 240")
    found = heron.json(f"{RICH} --flow 100 --read 2.6 2.61 2.6 2.6")
    assert found["verdict"] == "correct"
    assert found["flow_to_type_percent"] == 37


def test_without_a_bench_the_last_line_says_how_to_start_recording(metier):
    lines = metier(f"{ONE} --read {EIGHT}").out.split("Not recorded. ")
    assert len(lines) == 2
    assert "metier setup" in " ".join(lines[1].split())
    metier.json("printer add heron --nozzle 0.5")
    metier.json("bench --printer heron")
    assert "choose the spool with metier bench" in metier(f"{ONE} --read {EIGHT}").out


def test_the_first_trial_asks_for_no_bench_that_is_there_already(heron):
    # The printer's line model is learnt with it: its row is another one than before.
    said = heron(f"{RICH} --read 1.66 1.67").out
    assert heron.json("printer show heron")["printer"]["line_model"] == "rounded"
    assert "then say so:" in said
    assert "put that on the bench" not in said


def test_a_trial_of_another_bench_asks_for_that_bench(heron):
    heron.json("spool add smoke-1 --material PETG")
    heron.json(
        "flow --plan --width 0.5 --walls 3 --layer 0.2 --flow 108 --line-model rounded --sure 50"
    )
    heron.json("bench --spool smoke-1")
    said = heron("flow --trial 1 --read 1.66 1.67").out
    there = "--printer heron --nozzle heron-0.5 --spool fern-1"
    advised = heron.json("history 1")["trials"][0]["findings"]["flow_to_type_percent"]
    assert f"metier entered flow {advised:g} {there}" in said
    heron.json(f"entered flow {advised:g} {there}")
    elsewhere = heron.json(f"next {there}")
    assert elsewhere["why"].endswith("; put that on the bench")
    assert elsewhere["command"] == f"metier bench {there}"
