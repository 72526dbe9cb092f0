"""Walls to flow: worked numbers, made-up beads, and the verdicts in their order."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.flow.correction import correct_flow, plausible_flow
from metier.core.line.bead import LINE_MODELS, area_mm2, fused_wall_mm
from metier.core.line.cube import Cube
from metier.core.measure.instruments import figures
from metier.core.measure.readings import Instrument
from metier.core.refusal import Refusal

WALL = figures("calipers", "wall")
EIGHT = [0.47, 0.49, 0.48, 0.46, 0.47, 0.48, 0.47, 0.46]
ONE_WALL = Cube(0.44, 1, 0.2, 1.0)
THREE_WALLS = Cube(0.42, 3, 0.2, 0.97)


def judged(readings_mm, cube=ONE_WALL, **more):
    return correct_flow([readings_mm], WALL, cube, **more)


@pytest.mark.parametrize(
    ("cube", "readings_mm", "target", "plain", "new", "u95", "verdict", "to_type"),
    [
        (ONE_WALL, EIGHT, 0.44, 93.12, 92.43, 2.97, "correct", 92),
        (ONE_WALL._replace(line_model="rounded"), EIGHT, 0.44, 93.12, 92.43, 2.97, "correct", 92),
        (
            ONE_WALL._replace(line_model="rectangular"),
            EIGHT, 0.4829, 102.20, 102.43, 3.29, "keep", 100,
        ),
        (THREE_WALLS, [1.26, 1.27, 1.25, 1.26], 1.26, 97.00, 97.00, 1.27, "keep", 97),
        (
            THREE_WALLS._replace(line_model="rounded"),
            [1.26, 1.27, 1.25, 1.26], 1.1742, 90.39, 90.16, 1.18, "correct", 90,
        ),
        (
            THREE_WALLS._replace(line_model="rectangular"),
            [1.26, 1.27, 1.25, 1.26], 1.3029, 100.30, 100.42, 1.32, "correct", 100,
        ),
    ],
)  # fmt: skip
def test_worked_numbers(cube, readings_mm, target, plain, new, u95, verdict, to_type):
    found = judged(readings_mm, cube)
    assert found.target_mm == pytest.approx(target, abs=5e-5)
    assert 100 * found.flow_plain == pytest.approx(plain, abs=6e-3)
    assert 100 * found.flow_new == pytest.approx(new, abs=6e-3)
    assert found.verdict.name == verdict
    assert 100 * found.flow_to_type == pytest.approx(to_type)
    # Three-wall U of the worked sheet is that of the plain ratio under plain, near it elsewhere.
    assert 100 * found.flow_new_u95 == pytest.approx(u95, rel=0.04)
    assert getattr(found.flow_under, cube.line_model) == found.flow_new


@given(
    st.floats(0.05, 0.4),
    st.floats(1.05, 4),
    st.integers(1, 5),
    st.floats(0.7, 1.3),
    st.floats(0.85, 1.15),
    st.sampled_from(LINE_MODELS),
)
def test_the_corrected_flow_makes_the_target_wall(layer, times, walls, flow, feeds, model):
    """A made-up extruder that feeds too much or too little prints the target after correction."""
    cube = Cube(layer * times, walls, layer, flow, model)
    dosed_mm2 = area_mm2(cube.width_mm, layer, model) * feeds
    wall_mm = fused_wall_mm(dosed_mm2 * flow, layer, walls)
    found = correct_flow([[wall_mm]], WALL, cube)
    assert fused_wall_mm(dosed_mm2 * found.flow_new, layer, walls) == pytest.approx(
        cube.target_mm()
    )


@given(st.lists(st.floats(0.4, 0.5), min_size=1, max_size=6), st.floats(0.1, 10))
def test_scaling_all_lengths_leaves_flow_alone(readings_mm, factor):
    small = judged(readings_mm)
    cube = Cube(0.44 * factor, 1, 0.2 * factor, 1.0)
    scaled = Instrument(*(factor * figure for figure in WALL))
    large = correct_flow([[factor * one for one in readings_mm]], scaled, cube)
    assert large.flow_new == pytest.approx(small.flow_new)
    assert large.flow_new_u95 == pytest.approx(small.flow_new_u95)
    assert large.wall.value == pytest.approx(factor * small.wall.value)


@given(st.lists(st.floats(0.3, 0.6), min_size=1, max_size=6))
def test_a_thicker_wall_wants_less_flow_and_both_rules_agree_on_the_side(readings_mm):
    bead, plain = judged(readings_mm), judged(readings_mm, rule="plain")
    assert plain.flow_new == pytest.approx(bead.flow_plain)
    off = bead.wall.value - bead.target_mm
    assert (bead.flow_new < 1) == (off > 0) or bead.flow_new == pytest.approx(1)
    assert abs(bead.flow_new - 1) >= abs(plain.flow_new - 1) - 1e-12


def steady(wall_mm, count=8):
    return [wall_mm] * count


@pytest.mark.parametrize(
    ("readings_mm", "more", "verdict"),
    [
        (steady(0.44), {}, "keep"),
        # The accepted band, -2.5 … +4.5 %, includes its ends.
        (steady(0.44 * 0.975), {}, "keep"),
        (steady(0.44 * 1.045), {}, "keep"),
        (steady(0.44 * 0.974), {}, "correct"),
        (steady(0.44 * 1.046), {}, "correct"),
        (steady(0.44 * 1.02), {"accept": (-0.01, 0.01)}, "correct"),
        # One reading cannot tell 0.47 from 0.44; a clear deviation it can.
        ([0.47], {}, "unclear"),
        ([0.50], {}, "correct"),
        # Flow beyond belief: the wall was not the one reckoned with.
        (steady(0.60), {}, "recheck"),
        (steady(0.34), {}, "recheck"),
        (steady(0.60), {"plausible": plausible_flow(foaming=True)}, "correct"),
        (steady(0.34), {"plausible": plausible_flow(flexible=True)}, "correct"),
        # Over five times what calipers scatter, though the mean is right.
        ([0.34, 0.54, 0.36, 0.52, 0.44, 0.44], {}, "recheck"),
        # Three in a row that come no nearer; one that comes nearer is enough.
        (steady(0.48), {"earlier_offs_mm": [0.03, 0.035]}, "recheck"),
        (steady(0.48), {"earlier_offs_mm": [-0.04, 0.04]}, "recheck"),
        (steady(0.48), {"earlier_offs_mm": [0.05, 0.045]}, "correct"),
        (steady(0.48), {"earlier_offs_mm": [0.03]}, "correct"),
        (steady(0.445), {"earlier_offs_mm": [0.001, 0.002]}, "keep"),
    ],
)
def test_verdicts(readings_mm, more, verdict):
    found = judged(readings_mm, **more)
    assert found.verdict.name == verdict
    typed = {"keep": 1.0, "unclear": 1.0, "recheck": None}
    if verdict in typed:
        assert found.flow_to_type == typed[verdict]
    assert bool(found.verdict.remedies) == (verdict in ("unclear", "recheck"))


def test_filaments_differ_in_what_flow_is_believed():
    assert plausible_flow() == (0.75, 1.30)
    assert plausible_flow(foaming=True) == (0.35, 1.15)
    assert plausible_flow(flexible=True) == (0.85, 1.50)
    assert plausible_flow(foaming=True, flexible=True) == (0.35, 1.50)


def test_unclear_says_how_many_more_readings_settle_it_and_they_do():
    remedies = judged([0.47]).verdict.remedies
    assert remedies[0].startswith("2 more readings")
    # Whatever the mean turns out to be: three readings bring U below 4.5 % of the target, two not.
    for wall_mm in (0.42, 0.44, 0.46):
        assert judged([wall_mm] * 3).verdict.name != "unclear"
    assert judged([0.45] * 2).verdict.name == "unclear"
    assert "2 walls" in remedies[1]


def test_unclear_names_an_instrument_when_no_count_of_readings_would_settle_it():
    thin = Cube(0.2, 1, 0.1, 1.0, aim_mm=0.2)
    remedies = judged([0.205], thin).verdict.remedies
    assert len(remedies) == 1
    assert "micrometer" in remedies[0]


@pytest.mark.parametrize(
    ("rounding", "step", "typed"),
    [("nearest", 0.01, 0.92), ("down", 0.01, 0.92), ("up", 0.01, 0.93), ("nearest", 0.001, 0.924)],
)
def test_rounding_of_what_is_typed(rounding, step, typed):
    found = judged(EIGHT, rounding=rounding, round_step=step)
    assert found.flow_to_type == pytest.approx(typed)


def test_a_suspect_counts_but_the_answer_without_it_is_told():
    found = judged([*EIGHT, 0.57])
    assert found.suspects == (8,)
    assert found.wall.value == pytest.approx(sum([*EIGHT, 0.57]) / 9)
    assert "0.57: misread?" in found.notes[0]
    assert "0.4725 ± 0.0138" in found.notes[0]


def test_several_walls_owe_a_second_trial():
    assert any(
        "second cube" in note for note in judged(steady(0.95), Cube(0.42, 2, 0.2, 1.0)).notes
    )
    assert judged(steady(0.48)).notes == ()


@pytest.mark.parametrize(
    ("reading_mm", "hint"),
    [
        (4.7, "was it 0.47?"),
        (47.0, "was it 0.47?"),
        (0.047, "was it 0.47?"),
        (0.0047, "was it 0.47?"),
        (0.0185, "0.0185in"),
        (1234.0, "look at the reading"),
    ],
)
def test_slips_are_refused_by_name(reading_mm, hint):
    with pytest.raises(Refusal, match="reading") as refused:
        judged([0.47, reading_mm])
    assert hint in str(refused.value)


def test_a_wall_thinner_than_its_rounded_sides_is_refused():
    with pytest.raises(Refusal, match="thinner than the rounded sides"):
        judged([0.04], Cube(0.2, 1, 0.2, 1.0))
    with pytest.raises(Refusal, match="above zero"):
        judged([0.44], ONE_WALL._replace(flow=0.0))
