"""`metier flow` as it is used at the bench."""

import pytest

ONE = "flow --width 0.44 --walls 1 --layer 0.2 --flow 100"
EIGHT = "0.47 0.49 0.48 0.46 0.47 0.48 0.47 0.46"
THREE = "flow --width 0.42 --walls 3 --layer 0.2 --flow 97 --read 1.26 1.27 1.25 1.26"


@pytest.mark.parametrize(
    ("line", "wall", "wall_u95", "target", "plain", "new"),
    [
        (f"{ONE} --read {EIGHT}", 0.4725, 0.0138, 0.44, 93.12, 92.43),
        (f"{ONE} --read {EIGHT} --line-model rectangular", 0.4725, 0.0138, 0.4829, 102.2, 102.43),
        (f"{ONE} --read {EIGHT} --rule plain", 0.4725, 0.0138, 0.44, 93.12, 93.12),
        (THREE, 1.26, 0.0160, 1.26, 97.0, 97.0),
        (f"{THREE} --line-model rounded", 1.26, 0.0160, 1.1742, 90.39, 90.16),
        (f"{THREE} --line-model rectangular", 1.26, 0.0160, 1.3029, 100.3, 100.42),
    ],
)
def test_worked_numbers_without_a_logbook(metier, line, wall, wall_u95, target, plain, new):
    found = metier.json(line)
    assert found["wall_mm"] == pytest.approx(wall, abs=5e-5)
    assert found["wall_u95_mm"] == pytest.approx(wall_u95, abs=5e-5)
    assert found["target_mm"] == pytest.approx(target, abs=5e-5)
    assert found["flow_plain_percent"] == pytest.approx(plain, abs=6e-3)
    assert found["flow_new_percent"] == pytest.approx(new, abs=6e-3)
    assert set(found["targets_mm"]) == {"plain", "rounded", "rectangular"}
    assert found["trial"] is None
    assert not metier.logbook.exists()


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
        (f"{ONE} --read 0.47 --aim 0.03", "no wall"),
        (f"{ONE} --read 0.47 --accept 1 2", "--accept"),
        (f"{ONE} --read 0.47 --round-to 0", "--round-to"),
        (f"{ONE} --read 0.47 --instrument ruler", "cannot measure"),
        (f"{ONE} --read 0.47 --rule guess", "invalid choice"),
        (f"{ONE} --read 0.47 --nothing", "unrecognized"),
        ("flow --walls 1 --layer 0.2 --flow 100 --read 0.47", "--width is needed"),
        ("flow --width 0.44 --layer 0.2 --flow 100 --read 0.47", "--walls is needed"),
        ("flow --width 0.44 --walls 1 --flow 100 --read 0.47", "--layer is needed"),
        ("flow --width 0.44 --walls 1 --layer 0.2 --read 0.47", "--flow is needed"),
        ("flow --width 0.44 --walls 1 --layer 0.2 --flow 0.93 --read 0.47", "0.93x"),
        ("flow --width 0.44 --walls 1 --layer 0.2 --flow 1.0 --read 0.47", "1.0x"),
        ("flow --width 0.1 --walls 1 --layer 0.2 --flow 93 --read 0.1", "below the layer height"),
        ("flow --width 4.4 --walls 1 --layer 0.2 --flow 93 --read 0.47", "line width 4.4"),
        ("flow --width 0.2 --walls 1 --layer 0.2 --flow 93 --read 0.04", "thinner than the"),
        ("flow --width 0.44 --walls 0 --layer 0.2 --flow 93 --read 0.47", "from 1 to 20"),
    ],
)
def test_bad_input_is_met_with_one_line(metier, line, said):
    assert said in metier.refuses(line)


def test_a_large_file_of_noise_is_refused_at_once(metier):
    (metier.folder / "noise.csv").write_bytes(bytes(range(256)) * 40_000)
    assert "no file of readings" in metier.refuses(f"{ONE} --from noise.csv")


def test_trials_are_recorded_whole_and_the_next_one_knows_them(heron):
    first = heron.json(
        "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --side 0.54 0,55 --side .53"
    )
    assert (first["trial"], first["flow_to_type_percent"]) == (1, 92)
    kept = heron.json("history 1")["trials"][0]
    assert [(one["side"], one["typed"]) for one in kept["readings"]] == [
        ("side 1", "0.54"),
        ("side 1", "0,55"),
        ("side 2", ".53"),
    ]
    assert (kept["temperature_c"], kept["spool"], kept["nozzle"]) == (210, "fern-1", "heron-0.5")
    assert {key: kept["findings"][key] for key in ("wall_mm", "verdict")} == {
        "wall_mm": first["wall_mm"],
        "verdict": "correct",
    }
    heron.json("entered flow 92")
    second = heron("flow --read 0.50 0.50 0.51 0.50 0.49 0.50")
    assert "92 % (0.92x)" in second.out
    assert "all as in trial 1" in " ".join(second.out.split())
    assert heron.json("profile")["values"]["flow"]["status"] == "verified"


def test_a_printers_line_model_is_remembered(heron):
    heron.json("flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.54 --line-model rounded")
    assert heron.json("printer show heron")["printer"]["line_model"] == "rounded"
    assert heron.json("flow --read 0.54")["line_model"] == "rounded"


def test_the_text_names_the_other_line_models_and_both_forms_of_flow(heron):
    ran = heron(f"{ONE} --read {EIGHT}")
    assert ran.out.startswith("Flow: fern-1 on heron (nozzle heron-0.5, 210 °C), trial 1\n")
    for words in ("0.440 mm if rounded", "0.483 mm if rectangular (flow 102 %)", "92 % (0.92x)"):
        assert words in " ".join(ran.out.split())
    assert max(len(line) for line in ran.out.splitlines()) <= 80
    heron.json("bench --show-flow multiplier --flow-step 0.1")
    assert "0.924x (92.4 %)" in heron(f"{ONE} --read {EIGHT}").out


def test_three_trials_that_come_no_nearer_are_rechecked(heron):
    line = "flow --width 0.5 --walls 1 --layer 0.2 --read"
    verdicts = [
        heron.json(f"{line} {' '.join([wall] * 6)} --flow {flow}")["verdict"]
        for wall, flow in (("0.54", 100), ("0.54", 92), ("0.55", 85), ("0.535", 95))
    ]
    assert verdicts == ["correct", "correct", "recheck", "correct"]


def test_other_conditions_are_pointed_out(heron):
    heron.json("flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.54 --speed 40")
    notes = heron.json("flow --read 1.05 --walls 2 --speed 80mm/s")["notes"]
    assert any("80 mm/s" in note for note in notes)
    assert any("trial 1 had 1" in note for note in notes)


def test_foaming_filament_may_have_a_low_flow(heron):
    heron.json("spool add cloud-1 --material PLA --foaming")
    heron.json("bench --spool cloud-1 --temperature 240")
    found = heron.json("flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.9 0.91 0.9 0.9")
    assert found["verdict"] == "correct"
    assert found["flow_to_type_percent"] == 53


def test_without_a_bench_the_last_line_says_how_to_start_recording(metier):
    lines = metier(f"{ONE} --read {EIGHT}").out.split("Not recorded. ")
    assert len(lines) == 2
    assert "metier bench" in " ".join(lines[1].split())
    metier.json("printer add heron --nozzle 0.5")
    metier.json("bench --printer heron")
    assert "--spool SPOOL" in metier(f"{ONE} --read {EIGHT}").out
