"""Several cubes, and signs in the readings that flow is not to blame."""

import math

import numpy as np
import pytest
from GTC import ureal
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from metier.core.flow.correction import as_cube_wall, correct_flow
from metier.core.flow.signs import drift_note, lines_apart_note, pairs_note
from metier.core.flow.trend import CubeWall, fit_trend
from metier.core.line.bead import fused_wall_mm, rounding_mm
from metier.core.line.cube import Cube
from metier.core.measure.instruments import figures
from metier.core.measure.readings import Instrument, estimate

WALL = figures("calipers", "wall")
C_MM = rounding_mm(0.2)


def walls(*points, u=0.004, shared=0.006, dof=12):
    return [CubeWall(flow, wall, u, shared, dof) for flow, wall in points]


flows = st.lists(st.floats(0.85, 1.15), min_size=2, max_size=6, unique=True).filter(
    lambda found: max(found) / min(found) > 1.03
)


@given(flows, st.floats(0.9, 1.1), st.lists(st.floats(-0.002, 0.002), min_size=6, max_size=6))
def test_the_line_and_its_u_agree_with_numpy_and_gtc(found_flows, feeds, noise):
    cubes = walls(
        *(
            (flow, fused_wall_mm(0.088 * feeds * flow, 0.2, 1) + off)
            for flow, off in zip(found_flows, noise, strict=False)
        )
    )
    trend = fit_trend(cubes, 0.44, 1, C_MM)
    slope, start = np.polyfit([one.flow for one in cubes], [one.wall_mm for one in cubes], 1)
    if trend is None:
        assert not (0.44 - C_MM) / 1.5 / 1.3 < slope < 2 * 0.6
        return
    assert trend.slope_mm == pytest.approx(slope, rel=1e-6)
    assert trend.flow == pytest.approx((0.44 - start) / slope, rel=1e-6)
    shared = ureal(0, 0.006)
    measured = [ureal(one.wall_mm, 0.004, 12) + shared for one in cubes]
    mean_flow = np.mean([one.flow for one in cubes])
    offsets = [one.flow - mean_flow for one in cubes]
    mean = sum(measured) / len(measured)
    fitted = sum(o * m for o, m in zip(offsets, measured, strict=True)) / sum(o**2 for o in offsets)
    expected = mean_flow + (0.44 - mean) / fitted
    t = stats.t.ppf(0.975, math.floor(expected.df)) if math.isfinite(expected.df) else 1.96
    assert trend.u95 == pytest.approx(t * expected.u, rel=2e-3)


@pytest.mark.parametrize(
    "points",
    [
        [(1.0, 0.48)],
        # Under 2 % apart.
        [(1.0, 0.48), (1.019, 0.49)],
        # A wall that does not follow flow, follows it backwards, or twice too much.
        [(1.0, 0.48), (0.9, 0.48)],
        [(1.0, 0.48), (0.9, 0.50)],
        [(1.0, 0.48), (0.9, 0.35)],
    ],
)
def test_no_trend_where_none_can_be_told(points):
    assert fit_trend(walls(*points), 0.44, 1, C_MM) is None


def test_beads_that_stand_apart_may_follow_up_to_one_and_a_half_times_n_less():
    points = [(1.0, 1.30), (0.9, 1.26)]
    assert fit_trend(walls(*points), 1.2, 3, C_MM) is not None
    assert fit_trend(walls(*points), 1.2, 1, C_MM) is None


def test_the_trend_rule_is_taken_where_it_says_more_and_left_where_not():
    cube = Cube(0.44, 1, 0.2, 0.92)
    before = walls((1.0, 0.4725), (0.84, 0.406), u=0.003)
    readings = [[0.44, 0.45, 0.44, 0.44]]
    trend = correct_flow(readings, WALL, cube, rule="trend", earlier=before)
    bead = correct_flow(readings, WALL, cube, earlier=before)
    assert (trend.rule, bead.rule) == ("trend", "bead")
    assert trend.flow_new_u95 < bead.flow_new_u95
    assert trend.flow_new == pytest.approx(bead.trend.flow)
    assert any("--rule trend" in note for note in bead.notes)
    alone = correct_flow(readings, WALL, cube, rule="trend")
    assert alone.rule == "bead"
    assert "no trend rule" in alone.notes[-1]


@pytest.mark.parametrize(
    ("sides_mm", "said"),
    [
        ([[0.50, 0.51], [0.44, 0.45], [0.50, 0.50], [0.45, 0.44]], True),
        ([[0.50, 0.51], [0.50, 0.50], [0.50, 0.50], [0.51, 0.50]], False),
        # One odd side is no pair.
        ([[0.56, 0.57], [0.50, 0.50], [0.50, 0.50], [0.50, 0.50]], False),
        ([[0.50], [0.44], [0.50]], False),
    ],
)
def test_sides_that_disagree_in_pairs_are_a_motion_matter(sides_mm, said):
    note = pairs_note(sides_mm, WALL)
    assert (note is not None) == said
    if note:
        assert "motion" in note


@pytest.mark.parametrize(
    ("readings_mm", "said"),
    [
        ([0.44, 0.45, 0.46, 0.47, 0.48, 0.49], True),
        ([0.49, 0.48, 0.47, 0.46, 0.45, 0.44], True),
        ([0.47, 0.46, 0.47, 0.48, 0.47, 0.46, 0.47], False),
        ([0.44, 0.46, 0.48], False),
    ],
)
def test_drift_along_the_readings(readings_mm, said):
    assert (drift_note(readings_mm, WALL) is not None) == said


@pytest.mark.parametrize(("apart", "model"), [(0.44, "rectangular"), (0.397, "rounded")])
def test_one_line_and_several_tell_the_line_model(apart, model):
    one = 0.45
    cube = Cube(0.44, 3, 0.2, 1.0)
    note = lines_apart_note(one, one + 2 * apart, cube, 0.02)
    assert f"the {model} line model" in note
    assert "trust those" in note
    assert "known to" in lines_apart_note(one, one + 2 * apart, cube, 0.06)


def test_what_each_cube_as_the_guide_would_cost_the_other():
    # One line too thick, three too thin: 0.47 for 0.44 and 1.29 for 1.32.
    note = lines_apart_note(0.47, 1.29, Cube(0.44, 3, 0.2, 1.0), 0.02)
    assert "opposite directions" in note
    scale = (0.44 - C_MM) / (0.47 - C_MM)
    assert f"3 lines {C_MM + (1.29 - C_MM) * scale - 1.32:+.3f} mm off" in note
    scale = (1.32 - C_MM) / (1.29 - C_MM)
    assert f"the single one {C_MM + (0.47 - C_MM) * scale - 0.44:+.3f} mm" in note
    alike = lines_apart_note(0.47, 1.35, Cube(0.44, 3, 0.2, 1.0), 0.02)
    assert "opposite" not in alike


CALIPERS = Instrument(0.012, 0.01, 0.01)


def test_a_cubes_degrees_of_freedom_are_the_priors_and_its_readings_less_one():
    wall = estimate([0.54, 0.55, 0.53, 0.54], CALIPERS)
    assert as_cube_wall(wall, CALIPERS, 1.0).dof == 5 + 4 - 1


def test_a_drift_is_told_from_the_first_reading_to_the_last():
    rising = [0.48 + 0.01 * place for place in range(8)]
    assert "drift by +0.070 mm" in drift_note(rising, CALIPERS)
