"""`metier standin`: kept in its folder, swapped, revealed; most of it while it does not run."""

import json
import math

import numpy as np
import pytest

from metier.standin import answers
from metier.standin.folder import StandinFolder, new_state
from metier.standin.machine import read_lines, write_lines
from metier.standin.physics import Fed, PrintedLine, PrintRecord
from metier.standin.serving import tell
from metier.standin.truth import Fitted, truth_of
from metier.standin.wire import FAULTS, Cable

HEAT_C = 210.0


@pytest.fixture
def folder(heron):
    """The folder of stand-in 11, which fed a length and printed nothing yet."""
    found = StandinFolder(str(heron.folder / "metier-standin"))
    fed = (Fed(150.0, 147.0, 1.5, HEAT_C, 100.0),)
    found.save(new_state(11, Fitted())._replace(fed=fed))
    return found


def edited(folder, **fields):
    folder.save(folder.load()._replace(**fields))


def test_it_is_kept_whole(folder):
    state = folder.load()._replace(along_mm=12.5)
    record = PrintRecord(1, 13.5, Fitted(nozzle=2, filament="petg"), True)
    state = state._replace(prints=(record,))
    folder.save(state)
    assert folder.load() == state
    assert folder.load().truth == truth_of(11)


@pytest.mark.parametrize(
    ("content", "said", "status"),
    [
        ("{", "is damaged", 1),
        ('{"seed": "x"}', "is damaged", 1),
        ("[]", "is damaged", 1),
        ('{"version": 99}', "is of a newer Metier", 1),
    ],
)
@pytest.mark.usefixtures("folder")
def test_a_spoilt_folder_is_one_line(heron, content, said, status):
    (heron.folder / "metier-standin/stand-in.json").write_text(content)
    for line in ("measure zero", "swap roll", "power", "reveal", "start --tcp 0"):
        assert said in heron.refuses(f"standin {line}", status=status)


def test_what_is_measured_twice_is_read_twice(heron, folder):
    first = [heron.json("standin measure strand")["readings"] for _ in range(3)]
    assert first[0] != first[1] != first[2]
    # What shows is by seed: whoever begins anew sees the same again.
    (heron.folder / "metier-standin/readings.txt").unlink()
    assert heron.json("standin measure strand")["readings"] == first[0]
    values = [float(one) for each in first for place in each for one in place.split("/")]
    truth = folder.load().truth
    shown_mm = truth.roll.diameter_mm + truth.hand.off_mm + truth.hand.zero_mm
    assert sorted(values)[len(values) // 2] == pytest.approx(shown_mm, abs=0.02)


def test_a_mark_is_penned_once_however_often_it_is_read(heron, folder):
    left = [float(heron.json("standin measure left")["readings"][0]) for _ in range(9)]
    pen_mm = folder.load().truth.hand.pen_noise_mm
    assert np.std(left) < 2 * pen_mm
    assert np.mean(left) == pytest.approx(180 - 147, abs=5 * pen_mm)
    far = [float(heron.json("standin measure left --mark 200")["readings"][0]) for _ in range(9)]
    assert np.mean(far) - np.mean(left) == pytest.approx(20, abs=2 * pen_mm)
    assert "the mark at 140 mm went in" in heron.refuses("standin measure left --mark 140")
    cut = [float(one) for one in heron.json("standin measure cut")["readings"][0].split("/")]
    # A cut piece is never quite straight.
    assert 145.5 < min(cut) <= max(cut) < 147.2


def test_swapping_changes_what_is_swapped(heron, folder):
    before = folder.load()
    heron.json("standin swap roll --filament petg")
    state = folder.load()
    assert state.truth.roll.filament == "petg"
    assert state.truth.gear == before.truth.gear
    edited(folder, steps=101.0, stored_steps=101.0)
    heron.json("standin swap nozzle --bore 0.8")
    assert folder.load().truth.nozzle.bore_mm == 0.8
    assert folder.load().stored_steps == 101
    heron.json("standin swap gear")
    assert folder.load().truth.gear != before.truth.gear
    assert folder.load().stored_steps == 101
    heron.json("standin swap board")
    assert folder.load().steps == folder.load().truth.board.factory_steps
    assert folder.load().truth.board != before.truth.board


def test_a_power_cut_brings_back_what_is_stored(heron, folder):
    edited(folder, steps=101.0, stored_steps=99.0)
    heron.json("standin power")
    assert folder.load().steps == 99.0


@pytest.mark.usefixtures("folder")
def test_another_seed_is_another_folder(heron):
    for words in ("--seed 12", "--filament petg", "--bore 0.4"):
        assert "has seed 11 already" in heron.refuses(f"standin start --tcp 0 {words}")


def test_a_port_that_is_taken_and_one_stand_in_a_folder(heron, standin):
    port = standin("--tcp", "0").port.rpartition(":")[2]
    assert "runs already" in heron.refuses("standin start", status=1)
    assert f"port {port} cannot be listened on" in heron.refuses(
        f"standin start --folder other --tcp {port}", status=1
    )
    running = StandinFolder(str(heron.folder / "metier-standin")).running()
    assert tell(running[1], "dance") == "not understood"
    assert heron.json("standin stop")["stopped"] is True


def reveal(heron):
    return heron.json("standin reveal")["values"]


def test_what_is_true_is_laid_beside_what_was_found(heron, folder):
    truth = folder.load().truth
    assert reveal(heron) == {}
    # A strand as it is, and one that nobody has.
    diameter_mm = truth.roll.diameter_mm
    heron.json("diameter --read", *[f"{diameter_mm:.2f}"] * 4)
    found = reveal(heron)["diameter"]
    assert found["true"] == pytest.approx(diameter_mm)
    assert found["inside"] is True
    heron.json("diameter --read", *[f"{diameter_mm + 0.1:.2f}"] * 4)
    assert reveal(heron)["diameter"]["inside"] is False
    # E-steps: what is left if the right ones are found, and if they are 3 % off.
    steps = answers.true_steps(truth, HEAT_C, 1.5)
    for off, inside in ((1.0, True), (1.03, False)):
        left = f"{180 - 150 * 412 / steps * off:.2f}"
        heron.json("esteps --asked 150 --mark 180 --steps 412 --through nozzle --left", *[left] * 3)
        found = reveal(heron)["e-steps"]
        assert found["true"] == pytest.approx(steps)
        assert found["inside"] is inside


def test_a_wall_reckoned_by_hand_reveals_the_right_flow(heron, folder):
    truth = folder.load().truth
    heron.json("entered esteps 400")
    # What three lines of 0.44 at 100 % measure if e times what is asked for comes out.
    apart_mm = 0.44 - 0.2 * (1 - math.pi / 4)
    how = {"steps": 400.0, "slicer_mm": 1.75, "dosed_mm2": 0.2 * apart_mm, "speed_mm_s": 40.0}
    flow = answers.true_flow(truth, HEAT_C, **how)
    share = answers.delivered(truth, HEAT_C, 1.08, **how)
    assert answers.delivered(truth, HEAT_C, flow, **how) * flow == pytest.approx(1, abs=1e-3)
    wall_mm = 3 * 1.08 * share * apart_mm + 0.2 * (1 - math.pi / 4) + 0.008
    line = "flow --width 0.44 --layer 0.2 --walls 3 --speed 40 --line-model rounded --flow 108"
    # Rich enough that lines touch.
    assert 1.08 * share > 1
    heron.json(f"{line} --read", *[f"{wall_mm:.3f}"] * 8)
    found = reveal(heron)["flow"]
    assert found["true"] == pytest.approx(100 * flow)
    assert found["inside"] is True


def test_where_pairs_slide_is_revealed(heron, folder):
    frame = folder.load().truth.frame
    # 8 mm: both lose, the hole by the more the smaller it is.
    true = frame.slides_from_mm + 2 * (frame.hole_mm + frame.hole_mm2 / 8 + frame.post_mm)
    plan = heron.json("fit --plan --want slide")["trial"]
    clearances = (0.05, 0.1, 0.15, 0.2, 0.3, 0.4)
    feels = ["slide" if one >= true else "snug" for one in clearances]
    heron.json(f"fit --trial {plan} --feel", *feels)
    found = reveal(heron)["slide"]
    assert found["true"] == pytest.approx(true)
    assert found["low"] < found["found"] < found["high"]
    assert found["inside"] is (found["low"] <= true <= found["high"])


def test_a_print_weighs_what_went_in(heron, folder):
    truth = folder.load().truth
    # A line of 100 mm, 2 mm of filament geared for it, slowly.
    line = PrintedLine(0, 0, 100, 0, 0.2, 2.0, 2.0, 10.0, 1000.0, HEAT_C, 0.0)
    write_lines(folder.lines_of(1), [line] * 500)
    edited(folder, prints=(PrintRecord(1, 5.0, Fitted(), True),))
    assert tuple(read_lines(folder.lines_of(1))[499]) == line
    grams = float(heron.json("standin measure mass")["readings"][0])
    volume_mm3 = 1000 * math.pi * truth.roll.diameter_mm**2 / 4
    # Prints differ by up to a percent or so.
    assert grams == pytest.approx(volume_mm3 * truth.roll.density_g_cm3 / 1000, rel=0.04)
    assert "has no walls to measure" in heron.refuses("standin measure walls")
    (heron.folder / "metier-standin/print-1.csv").write_text("spoilt\n1,2\nx")
    assert "cannot be read: print it again" in heron.refuses("standin measure mass", status=1)


def test_a_bad_cable_is_bad_by_seed():
    lines = [f"G1 X{number}\n".encode() for number in range(4000)]

    def through(seed, *faults):
        cable = Cable(faults, seed)
        return [cable.passes(line) for line in lines]

    assert [one.text for one in through(1)] == lines
    dropped = through(1, "drop")
    assert 10 < sum(one.text is None for one in dropped) < 60
    assert dropped == through(1, "drop")
    assert dropped != through(2, "drop")
    garbled = through(1, "garble")
    changed = [(a, b.text) for a, b in zip(lines, garbled, strict=True) if a != b.text]
    assert 10 < len(changed) < 70
    # One byte each; a line stays a line.
    assert all(len(a) == len(b) and b.endswith(b"\n") for a, b in changed)
    assert all(sum(x != y for x, y in zip(a, b, strict=True)) == 1 for a, b in changed)
    assert 5 < sum(one.late_s > 0 for one in through(1, "delay")) < 50
    for seed in range(5):
        cable = Cable(FAULTS, seed)
        resets = [number for number in range(1, 3000) if cable.resets()]
        assert len(resets) == 1
        assert 300 <= resets[0] <= 900


def test_the_port_is_said_before_anything_else(heron, standin):
    running = standin()
    kept = json.loads((heron.folder / "metier-standin/running.json").read_text())
    assert kept["port"] == running.port
    running.stop()
    assert "does not run" in heron.refuses("standin stop")


@pytest.mark.slow
def test_a_foaming_roll_from_nothing_to_a_row_of_flows_inside_what_is_stated(heron, standin):
    """Speeds, weight and heat on a stand-in that hides them, printed over its line."""
    standin("--fast", "20000", "--filament", "foaming")
    heron.json("printer set heron --bed 220x220")
    heron.json("spool add cloud-1 --material PLA --foaming --bed-temperature 60")
    heron.json("bench --spool cloud-1 --temperature 230")

    def shown(what):
        return heron.json(f"standin measure {what}")["readings"]

    kept = json.loads((heron.folder / "metier-standin/stand-in.json").read_text())
    heron.json(f"entered esteps {kept['steps']:.2f}")
    heron.json(f"instrument zero calipers {shown('zero')[0]}")
    heron.json("map --plan --speeds 15 30 60 90 --part speeds.gcode")
    heron.json("cable print speeds.gcode")
    weighed = heron.json(
        f"weigh --length 1000 --strand {' '.join(shown('metre'))} --part {shown('mass')[0]} "
        "--sliced speeds.gcode"
    )
    assert weighed["delivered_percent"] == pytest.approx(100, abs=12)
    walls = "\n".join(shown("walls"))
    assert walls.count("\n\n") == 3
    found = heron("map --trial 1 --json", typed=f"{walls}\n").json
    flows = [one["flow_percent"] for one in found["flows"]]
    assert flows == sorted(flows)
    heron.json("heat --plan --from 250 --to 195 --part columns.gcode")
    heron.json("cable print columns.gcode")
    steps = shown("steps")
    assert [one.split("=")[0] for one in steps] == [f"{250 - 5 * at}" for at in range(12)]
    heron.json(f"heat --trial 3 --step {' '.join(steps)}")
    revealed = heron.json("standin reveal")["values"]
    by_speed = [one for name, one in revealed.items() if name.startswith("flow at")]
    assert len(by_speed) == 4
    assert all(one["inside"] for one in by_speed), by_speed
    assert revealed["strand"]["inside"]
    assert revealed["works from"]["inside"]
    assert revealed["works to"]["inside"]
    assert int(shown("along")[0]) > 0


@pytest.mark.usefixtures("folder")
def test_what_was_not_printed_is_not_measured(heron):
    for what in ("steps", "mass"):
        assert "nothing was printed yet" in heron.refuses(f"standin measure {what}")
    assert heron.json("standin measure metre")["readings"]
