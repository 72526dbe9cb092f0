"""Beads, line models and the wall they should make."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.line.bead import LINE_MODELS, area_mm2, fused_wall_mm, rounding_mm
from metier.core.line.cube import Cube, targets_mm
from metier.core.refusal import Refusal

layers = st.floats(0.05, 0.6)
widths = st.floats(1.0, 4.0)  # of the layer height


@pytest.mark.parametrize(
    ("width", "walls", "layer", "plain", "rounded", "rectangular"),
    [
        (0.44, 1, 0.2, 0.44, 0.44, 0.4829),
        (0.42, 3, 0.2, 1.26, 1.1742, 1.3029),
        # A line as wide as high is a round strand.
        (0.2, 1, 0.2, 0.2, 0.2, 0.2429),
    ],
)
def test_worked_targets(width, walls, layer, plain, rounded, rectangular):
    assert targets_mm(width, walls, layer) == pytest.approx((plain, rounded, rectangular), abs=5e-5)


@given(layers, widths, st.integers(1, 6))
def test_targets_are_what_the_dosed_area_makes(layer, times, walls):
    width, c = layer * times, rounding_mm(layer)
    found = targets_mm(width, walls, layer)
    assert found.rounded == pytest.approx(width + (walls - 1) * (width - c))
    assert found.rectangular == pytest.approx(walls * width + c)
    # A stadium: a rectangle between two half circles of the layer's height.
    stadium = (width - layer) * layer + math.pi * (layer / 2) ** 2
    assert area_mm2(width, layer, "rounded") == pytest.approx(stadium)
    assert fused_wall_mm(stadium, layer, 1) == pytest.approx(width)


@pytest.mark.parametrize(
    ("width", "layer"),
    [(0.1, 0.2), (0.0, 0.2), (-0.4, 0.2), (0.4, 0), (math.nan, 0.2), (math.inf, 1)],
)
def test_impossible_lines_are_refused(width, layer):
    for model in LINE_MODELS:
        with pytest.raises(Refusal, match="line width"):
            area_mm2(width, layer, model)


def test_aim_replaces_the_line_models_wall_but_must_be_one():
    cube = Cube(0.44, 2, 0.2, 1.0, "rounded", aim_mm=0.9)
    assert cube.target_mm() == 0.9
    with pytest.raises(Refusal, match="no wall"):
        cube._replace(aim_mm=0.04).target_mm()
    with pytest.raises(Refusal, match="at least one line"):
        cube._replace(walls=0, aim_mm=None).target_mm()
