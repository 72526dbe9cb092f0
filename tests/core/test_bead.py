"""Beads, line models and the walls they should make."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.core.flow.trials import Dose
from metier.core.line.bead import area_mm2, rounding_mm, spacing_mm, wall_mm
from metier.core.values import LINE_MODELS

layers = st.floats(0.05, 0.6)
widths = st.floats(1.0, 4.0)  # of the layer height


@pytest.mark.parametrize(
    ("width", "walls", "layer", "rounded", "rectangular"),
    [
        (0.44, 1, 0.2, 0.44, 0.4829),
        (0.42, 3, 0.2, 1.1742, 1.3029),
        # A line as wide as high is a round strand.
        (0.2, 1, 0.2, 0.2, 0.2429),
    ],
)
def test_worked_targets(width, walls, layer, rounded, rectangular):
    found = [wall_mm(walls, spacing_mm(width, layer, model), layer) for model in LINE_MODELS]
    assert found == pytest.approx([rounded, rectangular], abs=5e-5)


@given(layers, widths)
def test_both_models_dose_what_just_fills_the_distance(layer, times):
    width = layer * times
    for model in LINE_MODELS:
        apart = spacing_mm(width, layer, model)
        assert Dose.of_model(width, layer, 1.0, model)[:2] == (pytest.approx(layer * apart), apart)
    # A stadium: a rectangle between two half circles of the layer's height.
    stadium = (width - layer) * layer + math.pi * (layer / 2) ** 2
    assert area_mm2(width, layer, "rounded") == pytest.approx(stadium)
    assert stadium / layer + rounding_mm(layer) == pytest.approx(width)


@pytest.mark.parametrize(
    ("width", "layer"),
    [(0.1, 0.2), (0.0, 0.2), (-0.4, 0.2), (0.4, 0), (math.nan, 0.2), (math.inf, 1)],
)
def test_impossible_lines_are_refused(width, layer):
    for model in LINE_MODELS:
        with pytest.raises(BadInput, match="line width"):
            area_mm2(width, layer, model)


def test_an_aim_replaces_the_line_models_wall_but_must_be_one():
    dose = Dose.of_aim(0.9, 2, 0.2, 1.0)
    assert wall_mm(2, dose.spacing_mm, 0.2) + 0.008 == pytest.approx(0.9)
    assert dose.area_mm2 == pytest.approx(0.2 * dose.spacing_mm)
    with pytest.raises(BadInput, match="no wall"):
        Dose.of_aim(0.04, 2, 0.2, 1.0)
