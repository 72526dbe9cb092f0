"""The stand-in's physics, against numbers reckoned by hand and what has to be so."""

import math
import random
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.standin import answers, dialect
from metier.standin.firmware import Firmware, Memory
from metier.standin.physics import (
    Reader,
    feel,
    gaps_from_mm3_s,
    grown,
    hole_mm,
    line_mm,
    melts_mm3_s,
    nozzle_heater,
    post_mm,
    pushed,
    strand_g_per_mm,
    wall_mm,
    words_of_step,
)
from metier.standin.printed import Luck, Printed, holes_at_foot, rounds_of
from metier.standin.truth import Fitted, Frame, truth_of

FRAME = Frame(
    scale_x=0.998, scale_y=0.996, hole_mm=0.05, hole_mm2=0.1, post_mm=0.03, foot_mm=0.2,
    print_spread=0.005, melt_spread=0.02, size_spread_mm=0.01, blend_mm=1e-6, slides_from_mm=0.1,
    rising=0.0, starved=0.0, voids=0.0, ends=0.0, sides_mm=0.0,
)  # fmt: skip
# A strand that is no 1.75 mm, and a board that carries other steps than its gear needs.
TRUTH = truth_of(11)
USUAL = Luck(TRUTH.frame)
SEEDS = st.integers(1, 10**6)


def hot(truth=TRUTH, steps=None):
    """A board that feeds just what is asked for, its nozzle at 210 °C."""
    board = Firmware(truth, Memory(steps or truth.gear.steps_per_mm, 1.0))
    board.nozzle.target_c = board.nozzle.heat_c = board.nozzle.shown_c = 210.0
    return board


def play(board, *commands):
    """Run commands and return all that was said."""
    said = []
    for command in commands:
        words, until_s = dialect.run(board, command)
        said += words
        board.pass_time_to(until_s)
    board.pass_time_to(board.idle_at_s)
    return said


def test_a_wall_by_hand():
    # h 0.2: rounded sides add 0.2·(1 − π/4) = 0.042920.
    assert line_mm(0.4, 0.2) == pytest.approx(0.442920, abs=1e-6)
    bore_mm = 0.4

    def wall(lines, wide_mm, **other):
        return wall_mm(lines, 0.40, wide_mm, 0.2, FRAME._replace(**other), bore_mm) - 0.042920

    # Wider than they lie apart: neighbours push each other out, but for what goes up.
    assert wall(3, 0.43) == pytest.approx(3 * 0.43, abs=1e-5)
    assert wall(3, 0.43, rising=0.5) == pytest.approx(3 * 0.415, abs=1e-5)
    # Starved: they keep their distance, or shrink together.
    assert wall(3, 0.36) == pytest.approx(0.8 + 0.36, abs=1e-5)
    assert wall(3, 0.36, starved=1.0) == pytest.approx(3 * 0.36, abs=1e-5)
    # Air between fused lines; a single one as it is, a wide one less full at its ends.
    assert wall(3, 0.43, voids=0.02) == pytest.approx(3 * 0.43 + 2 * 0.02 * 0.40, abs=1e-5)
    assert wall(1, 0.36, rising=0.5, starved=1.0, voids=0.02) == pytest.approx(0.36, abs=1e-5)
    assert wall(1, 0.80, ends=0.02) == pytest.approx(0.80 - 0.02 * 0.40, abs=1e-5)


def test_holes_and_posts_by_hand():
    # 0.998·10 − 2·(0.05 + 0.1/10), 0.996·10 + 2·0.03
    assert hole_mm(10, FRAME, "x") == pytest.approx(9.86)
    assert post_mm(10, FRAME, "y") == pytest.approx(10.02)
    plays = (-0.1, 0.0, 0.05, 0.15, 0.3)
    assert [feel(play, FRAME, 0) for play in plays] == ["stuck", "press", "snug", "slide", "loose"]


@given(SEEDS, st.floats(185, 240))
def test_gaps_begin_where_six_percent_lack(seed, heat_c):
    truth = truth_of(seed)
    onset = gaps_from_mm3_s(truth, heat_c)
    slipping = 1 - truth.gear.slip * min(1, onset / melts_mm3_s(truth.nozzle, heat_c))
    assert pushed(truth, onset, heat_c) / slipping == pytest.approx(0.94)
    flows = np.linspace(0.1, 2 * onset, 60)
    shares = [pushed(truth, flow, heat_c) for flow in flows]
    assert all(b <= a for a, b in pairwise(shares))
    assert shares[0] == pytest.approx(1, abs=1e-3)
    assert melts_mm3_s(truth.nozzle, heat_c + 10) > 1.15 * melts_mm3_s(truth.nozzle, heat_c)


def test_foam_grows_with_heat_and_dwell():
    roll = truth_of(3, Fitted(filament="foaming")).roll
    assert grown(TRUTH.roll, 5, 240) == 1
    assert 1.0 < grown(roll, 5, 210) < grown(roll, 5, 230) < grown(roll, 2, 230) < 2.2


def test_a_metre_of_strand_by_hand():
    roll = TRUTH.roll._replace(diameter_mm=1.75, wave_mm=0.0, density_g_cm3=1.24)
    assert 1000 * strand_g_per_mm(roll, 70.0) == pytest.approx(2.9826, abs=1e-4)


def test_words_of_a_step_by_hand():
    heats = TRUTH.roll.heats._replace(
        few_strings_c=214, many_strings_c=222, sags_c=218, falls_c=230, rough_c=240, dull_c=205,
        cold_rough_c=180, hard_c=206, easy_c=198,
    )  # fmt: skip
    said = {heat: words_of_step(heat, heats, lambda at: at) for heat in (190, 202, 210, 220, 235)}
    assert said == {
        190: "none/dull/straight/easy",
        202: "none/dull/straight/hard",
        210: "none/even/straight/holds",
        220: "few/even/sags/holds",
        235: "many/even/fell/holds",
    }
    truth = TRUTH._replace(roll=TRUTH.roll._replace(heats=heats))
    assert answers.true_range_c(truth) == (198, 222)


@given(SEEDS, st.integers(0, 3))
def test_another_item_changes_what_hangs_on_it_alone(seed, number):
    first, other = truth_of(seed), truth_of(seed, Fitted(roll=number + 1))
    assert first.roll != other.roll
    assert first._replace(roll=other.roll) == other


def test_the_answers_are_what_the_printer_does():
    """What is said to be right comes out right when it is fed and printed."""
    steps = answers.true_steps(TRUTH, 210, 1.5)
    board = hot(steps=steps)
    play(board, "M83", "G1 E50 F90", "G1 E50 F90", "G1 E50 F90", "M400")
    assert board.fed[-1].asked_mm == 150
    assert board.fed[-1].moved_mm == pytest.approx(150, rel=2e-3)
    dose_mm2, speed = 0.2 * 0.4, 40.0
    how = {"steps": steps, "slicer_mm": 1.75, "dosed_mm2": dose_mm2, "speed_mm_s": speed}
    flow = answers.true_flow(TRUTH, 210, **how)
    fed_mm = flow * dose_mm2 * 100 / (math.pi * 1.75**2 / 4)
    board = hot(steps=steps)
    play(board, "M83", "G1 Z0.2 F600", f"G1 X100 E{fed_mm:.6f} F{60 * speed:g}")
    printed = Printed(board.lines, TRUTH, USUAL)
    assert printed.area[0] == pytest.approx(dose_mm2, rel=5e-3)
    # What comes out weighs what it should.
    assert printed.mass_g == pytest.approx(
        dose_mm2 * 100 * TRUTH.roll.density_g_cm3 / 1000, rel=0.01
    )


def test_what_was_not_stored_is_lost():
    board = Firmware(TRUTH, Memory(100, 100))
    play(board, "M92 E101")
    assert play(board, "M92") == ["M92 X80.00 Y80.00 Z400.00 E101.00"]
    board.power_cut()
    assert board.memory.steps == 100
    play(board, "M92 E101.5", "M500", "M92 E3")
    board.power_cut()
    assert board.memory.steps == 101.5
    assert play(board, "M502", "M92")[-1].endswith(f"E{TRUTH.board.factory_steps:.2f}")


def test_a_cold_or_endless_feed_is_refused():
    board = Firmware(TRUTH, Memory(100, 100))
    assert play(board, "M83", "G1 E10 F60") == ["too cold to feed"]
    assert play(hot(), "M83", "G1 E300 F60") == ["longer than it feeds at once"]
    assert play(hot(), "M999") == ["not known here: M999"]
    assert board.fed == []


def test_a_nozzle_takes_its_time():
    heater = nozzle_heater()
    heater.target_c = 210
    heater.pass_time(20)
    assert 60 < heater.shown_c < 100
    assert not heater.reached()
    heater.pass_time(100)
    assert heater.reached()
    heater.target_c = 0
    heater.pass_time(30)
    assert 40 < heater.shown_c < 180


def test_an_arc_is_its_chords():
    straight, round_ = hot(), hot()
    play(round_, "G90", "M83", "G1 X10 Y0 F1200", "G3 X-10 Y0 I-10 J0 E5", "G2 X10 Y0 I10 J0 E5")
    corners = [(math.cos(a), math.sin(a)) for a in np.linspace(0, math.pi, 64)]
    steps = [f"G1 X{10 * x:.5f} Y{10 * y:.5f} E{5 / 63:.6f}" for x, y in corners[1:]]
    play(straight, "G90", "M83", "G1 X10 Y0 F1200", *steps)
    arc = Printed(round_.lines, TRUTH, USUAL)
    assert arc.length.sum() == pytest.approx(20 * math.pi, rel=1e-3)
    assert Printed(straight.lines, TRUTH, USUAL).length.sum() == pytest.approx(
        arc.length.sum() / 2, rel=1e-3
    )
    # There and back by the upper half.
    assert min(arc.y1) > -1e-6
    assert (arc.x1[-1], arc.y1[-1]) == pytest.approx((10, 0), abs=1e-6)


def test_a_short_side_is_not_printed_as_fast_as_it_says():
    board = hot()
    play(board, "M83", "M204 S1000", "G1 X0 Y0 Z0.2 F600", "G1 X4 E0.2 F12000")
    printed = Printed(board.lines, TRUTH, USUAL)
    # √(8² + 1000·4) of the 200 mm/s it says.
    share = math.sqrt(64 + 4000) / 200
    fed = 0.2 / 4 * 200 * math.pi * TRUTH.roll.diameter_mm**2 / 4
    assert printed.flow[0] == pytest.approx(share * fed, rel=0.01)


@pytest.mark.parametrize(("luck", "layer"), [(1.0, 8), (0.9, 7)])
def test_gaps_are_where_less_melts_than_is_asked_for(luck, layer):
    board = hot()
    play(board, "G90", "M83", "M204 S50000")
    onset = luck * gaps_from_mm3_s(TRUTH, 210)
    per_mm3 = 1 / (math.pi * TRUTH.roll.diameter_mm**2 / 4)
    for number in range(1, 15):
        # From the eighth layer on, more flows than usually melts; with bad luck earlier.
        flow = gaps_from_mm3_s(TRUTH, 210) * (1 + (number - 7.5) / 10)
        mm_s = 100.0
        fed = flow / mm_s * 200 * per_mm3
        play(board, f"G1 X0 Z{0.5 * number} F6000", f"G1 X200 E{fed:.5f} F{60 * mm_s:g}")
    printed = Printed(board.lines, TRUTH, USUAL._replace(melt=luck))
    assert printed.gaps_from_mm() == 0.5 * layer
    assert printed.flow[layer - 1] > onset > printed.flow[layer - 2]
    # With gaps, less than 94 % of what is fed comes out.
    share = printed.area * 100.0 / printed.flow
    assert share[layer] < 0.94 < share[layer - 2]


def test_holes_and_posts_are_found_in_what_is_printed():
    board = hot()
    play(board, "G90", "M83", "M204 S5000")
    for layer in range(1, 31):
        height = 0.2 * layer
        circles = [(x, 30, radius) for x in (20, 60) for radius in (5.25, 4.75)]
        play(board, f"G1 Z{height:.2f} F600")
        for x, y, radius in circles:
            play(board, f"G1 X{x + radius:g} Y{y:g} F6000")
            play(board, f"G3 X{x + radius:g} Y{y:g} I{-radius:g} J0 E{radius * 0.25:.4f} F1200")
        # A post has a bar across.
        play(board, "G1 X55.5 Y30 F6000", "G1 X64.5 Y30 E0.4 F1200")
    printed = Printed(board.lines, TRUTH, USUAL)
    hole, post = rounds_of(printed)
    wide = line_mm(printed.area.mean() / 0.2, 0.2)
    assert (hole.kind, post.kind) == ("hole", "post")
    assert hole.drawn_mm == pytest.approx(9.5 - wide, abs=0.01)
    assert hole.along_x_mm == pytest.approx(hole_mm(9.5 - wide, TRUTH.frame, "x"), abs=0.01)
    (at_foot,) = holes_at_foot(printed)
    bulge = hole.along_x_mm - at_foot.along_x_mm
    assert bulge == pytest.approx(2 * TRUTH.frame.foot_mm, abs=0.01)
    assert post.along_y_mm == pytest.approx(post_mm(10.5 + wide, TRUTH.frame, "y"), abs=0.01)


def test_readings_are_what_calipers_show():
    hand = TRUTH.hand._replace(misread=0.0, zero_mm=0.02)
    reader = Reader(hand, random.Random(1))
    shown = [float(reader.wall(0.5)) for _ in range(4000)]
    assert all(round(one, 2) == one for one in shown)
    assert np.mean(shown) == pytest.approx(0.5 + hand.off_mm + hand.zero_mm, abs=0.001)
    assert np.std(shown) == pytest.approx(math.hypot(hand.jaws_noise_mm, 0.0029), rel=0.1)
    assert reader.zero() == f"{hand.zero_mm:.2f}"
    wrong = Reader(TRUTH.hand._replace(jaws_noise_mm=0.0), random.Random(1))
    off = sum(abs(float(wrong.wall(0.5)) - 0.5) > 0.06 for _ in range(4000))
    # A digit is misread once in 200.
    assert 8 <= off <= 35
