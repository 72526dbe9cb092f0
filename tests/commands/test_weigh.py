"""`metier weigh`, and a scale among the instruments, as they are used at the bench."""

import pytest

STRAND = "--strand 2.953 2.953 --length 1000"
TUBE = "flow --width 0.6 --layer 0.24 --line-model rounded --speed 40"


def test_worked_numbers_without_a_logbook(metier):
    found = metier.json(f"weigh {STRAND} --part 12.31 --filament 4123 --flow 100")
    assert found["delivered_percent"] == pytest.approx(101.107, abs=5e-3)
    assert (found["esteps_new"], found["trial"]) == (None, None)
    # Where nobody says what flow is set, and e-steps are known, those are what is off.
    found = metier.json(f"weigh {STRAND} --part 12.31 --filament 4123 --steps 412")
    assert found["esteps_new"] == pytest.approx(412 / 1.01107, abs=0.01)
    assert found["esteps_new_u95"] == pytest.approx(412 / 1.01107 * 0.0201, rel=0.01)
    assert (found["flow_new_percent"], found["verdict"]) == (None, "keep")
    # A density alone: 12.31 g over 9.917 cm3 of 1.24 g/cm3.
    found = metier.json("weigh --part 12.31 --filament 4123 --density 1.24 --flow 100")
    assert found["delivered_percent"] == pytest.approx(100.106, abs=1e-3)
    assert found["density_u95_percent"] == pytest.approx(1.96 * 0.8)


def test_the_strand_is_kept_with_the_roll_and_a_mended_one_counts(heron):
    heron.json("entered flow 100")
    assert heron.json(f"weigh {STRAND}")["verdict"] == "keep"
    assert "2.953 ± 0.013 g/m" in heron("spool show fern-1").out
    found = heron.json("weigh --part 12.31 --filament 4123")
    assert (found["strand_trial"], found["verdict"]) == (1, "keep")
    # The e-steps were never measured: they are what one weighing offers, and no flow beside them.
    assert found["esteps_new"] == pytest.approx(412 / 1.01107, abs=0.01)
    assert found["flow_to_type_percent"] is None
    mended = heron.json("reading amend 1 1 3.093g")
    assert mended["judged_anew"] == [2]
    (again,) = heron.json("history 2")["trials"]
    assert again["findings"]["strand_g_per_m"] == pytest.approx(3.023)
    assert again["verdict"] == "unclear"
    assert ",3.0229" in heron("history --csv").out
    heron.json("logbook export all.json")
    heron.json("logbook import all.json --logbook other.sqlite")
    assert (
        heron.json("history 2 --logbook other.sqlite")["trials"][0]["readings"][0]["value"] == 12.31
    )


def test_what_a_print_weighs_stands_beside_its_walls(heron):
    """A tube of Metier's own, weighed: the material's density is enough, and undo takes it back."""
    heron.json("printer set heron --bed 220x220")
    heron.json("spool set fern-1 --bed-temperature 60")
    plan = heron.json("flow --plan --part tube.gcode")
    asked_mm = heron.json("part 1")["filament_mm"]
    width, wide, one = (section["width_mm"] or 0.6 for section in plan["settings"]["sections"])
    assert (width, wide, one) == (0.6, 1.0, 0.6)
    # Walls of 102 % of what just fills, and a texture of 0.03 mm that they take for flow.
    walls = heron.json("flow --trial 1 --read 1.84 1.85 --read 1.05 1.06 --read 0.64 0.65")
    volume_cm3 = asked_mm * 3.14159265 * 1.75**2 / 4000
    grams = round(1.0 * volume_cm3 * 1.24, 2)
    found = heron.json(f"weigh --part {grams} --of 1")
    assert found["density_g_cm3"] == pytest.approx(1.24)
    assert found["asked_mm"] == pytest.approx(asked_mm, abs=0.01)
    low, high = found["interval_percent"]
    assert high - low < 0.8 * (walls["interval_percent"][1] - walls["interval_percent"][0])
    assert abs(found["flow_new_percent"] - 100) < abs(walls["flow_new_percent"] - 100)
    (kept,) = heron.json("history 1")["trials"]
    assert kept["findings"]["grams"] == grams
    assert kept["findings"]["flow_new_percent"] == found["flow_new_percent"]
    assert kept["findings"]["sure_typed_percent"] > walls["sure_typed_percent"]
    assert heron.json("logbook check")["sound"]
    heron.json("undo")
    (before,) = heron.json("history 1")["trials"]
    assert before["findings"]["flow_new_percent"] == pytest.approx(walls["flow_new_percent"])
    # The same at once, while it is measured.
    heron.json("flow --plan --part again.gcode")
    both = heron.json(
        f"flow --trial 3 --grams {grams} --what-if --read 1.84 1.85 --read 1.05 1.06 "
        "--read 0.64 0.65"
    )
    assert both["grams"] == grams


def test_prints_that_were_only_weighed_count_beside_walls(heron):
    heron.json("entered flow 100")
    heron.json("esteps --asked 150 --mark 180 --left 30.0 30.1 29.9 --through nozzle")
    heron.json("diameter --read 1.75/1.75 1.75/1.75")
    cube = f"{TUBE} --flow 108 --walls 3 --read 1.84 1.84 1.83 1.84 --what-if"
    alone = heron.json(cube)
    # 3 % more than asked for is on the scale.
    heron.json("weigh --part 12.667 --filament 4123")
    beside = heron.json(cube)
    assert beside["trials_pooled"] == alone["trials_pooled"] + 1
    assert beside["flow_new_u95_percent"] < 0.8 * alone["flow_new_u95_percent"]


def test_a_disagreement_says_what_each_is_blind_to(heron):
    heron.json(f"{TUBE} --flow 108 --walls 3 --read 1.74 1.74 1.73 1.74")
    found = heron.json("weigh --part 14.2 --filament 4123")
    assert found["agree"] is False
    said = " ".join(found["notes"])
    assert "it says more" in said
    assert "strings, blobs" in said


def test_a_scale_is_zeroed_and_checked_like_the_others(heron):
    added = heron.json("instrument add pocket --kind scale --accuracy 0.02g")["instrument"]
    assert (added["accuracy_g"], added["accuracy_mm"]) == (0.02, None)
    assert heron.json("instrument zero pocket 0.03")["instrument"]["zero_g"] == 0.03
    checked = heron.json("instrument check pocket --gauge 20 --read 20.03 20.04")
    assert (checked["verdict"], checked["off_g"]) == ("keep", pytest.approx(0.005))
    found = heron.json(f"weigh {STRAND} --part 12.34 --filament 4123 --scale pocket")
    assert found["part_g"] == pytest.approx(12.31)
    # Jaws are zeroed apart from it.
    assert heron.json("next")["step"] == "zero"
    assert "±0.02 g" in heron("instrument list").out


def test_what_a_print_was_asked_for_is_by_its_trial_or_by_its_file(heron):
    """By its trial without the line that primes, by its file with it."""
    heron.json("printer set heron --bed 220x220")
    heron.json("spool set fern-1 --bed-temperature 60")
    heron.json("flow --plan --sections 3 2 1 --width 0.6 --layer 0.24 --part tube.gcode --flow 108")
    takes_mm = heron.json("part 1")["filament_mm"]
    grams = round(takes_mm * 2.953 / 1000, 3)
    heron.json("flow --trial 1 --read 1.84 1.84 --read 1.25 1.25 --read 0.64 0.65")
    heron.json(f"weigh {STRAND}")
    found = heron.json(f"weigh --part {grams} --of 1")
    assert found["asked_mm"] == pytest.approx(takes_mm, abs=0.01)
    assert found["delivered_percent"] == pytest.approx(100, abs=0.02)
    assert "without the line that primes" in " ".join(found["notes"])
    by_file = heron.json(f"weigh --part {grams} --sliced tube.gcode")
    assert 5 < by_file["asked_mm"] - found["asked_mm"] < 40
    assert "the line that primes included" in " ".join(by_file["notes"])
    heron.json(f"{TUBE} --flow 108 --walls 3 --read 2.2 2.2")
    assert "trial 2 is weigh" in heron.refuses("weigh --part 4.7 --of 2")
    assert "was asked for is not known" in heron.refuses("weigh --part 4.7 --of 5")


def test_words_say_where_the_strand_comes_from(heron):
    assert "1000 mm of it" in heron(f"weigh {STRAND}").out
    later = heron("weigh --part 12.31 --filament 4123").out
    assert "as in trial 1" in later
    assert "4123 mm" in later
    # A strand typed in without its length is a metre.
    piped = heron("weigh --filament 4123", typed="2.90\n\n12.31\n").out
    assert "the strand is taken as 1000 mm" in " ".join(piped.split())


def test_typed_in_one_by_one(heron):
    ran = heron("weigh --length 1000 --filament 4123 --json", typed="2.953\n2.953\n\n12.31\n")
    assert ran.json["delivered_percent"] == pytest.approx(101.107, abs=5e-3)


def test_foaming_filament(heron):
    heron.json("spool add cloud-1 --material PLA --foaming")
    heron.json("bench --spool cloud-1 --temperature 230")
    heron.json(f"{TUBE} --flow 100 --walls 3 --read 2.2 2.21 2.2 2.2")
    found = heron.json(f"weigh {STRAND} --part 12.175 --filament 4123")
    assert found["grown_ratio"] == pytest.approx(1.43, abs=0.01)
    assert found["agree"] is None


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("weigh", "no readings"),
        ("weigh --strand 2.9", "--length is needed"),
        (f"weigh {STRAND} --part 12.3", "--filament is needed"),
        ("weigh --part 12.3 --filament 4123", "density is not known"),
        ("weigh --part 12.3 --filament 4123 --length 1000", "its grams, too"),
        (f"weigh {STRAND} --part 12.3 --filament 4123 --sliced a.gcode", "one of them"),
        (f"weigh {STRAND} --part 12.3 --sliced none.gcode", "cannot read"),
        (f"weigh {STRAND} --part 12.3 --filament 4123 --scale calipers", "shows no grams"),
        (f"weigh {STRAND} --part 12.3 --filament 4123 --scale blue", "no instrument"),
        (f"weigh {STRAND} --part 12.3mm --filament 4123", "is not a number"),
        (f"weigh {STRAND} --part 12.3 --of 7", "no trial 7"),
        (f"weigh {STRAND} --part 123 --filament 4123", "was it 12.3 g"),
        ("weigh --strand 29.5 --length 1000", "no filament is"),
        ("weigh --plan --strand 2.9", "leave the readings out"),
        ("diameter --read 1.75 --slicer 1.75 --instrument scale", "cannot measure"),
        ("instrument zero scale 5", "is no zero"),
        ("instrument zero scale wide", "is not a number"),
        ("instrument check scale --gauge 20 --read 2.0", "was it 20?"),
    ],
)  # fmt: skip
def test_bad_input_is_named(metier, line, said):
    assert said in metier.refuses(line)
