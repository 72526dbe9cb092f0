"""Loops of a layer, which walls are seen from outside, and what a file's holes should measure."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.core.fit.plate import PlateTold, hole_measures, outline_measures
from metier.core.job.layers import Layers, Loop, lines_of_layer
from metier.core.job.moves import PRINT, TRAVEL, Moves
from metier.core.job.outer import outer_loops, walls_by_tool

WIDE, HIGH, AREA = 0.4, 0.2, math.pi * 1.75**2 / 4
FED = WIDE * HIGH / AREA


def moves_of(paths):
    """Moves that lay these paths, one after the other: points, head, height."""
    x, y, z, e, kind, tool = [0.0], [0.0], [0.0], [0.0], [TRAVEL], [0]

    def go(point, height, fed, what, head):
        x.append(point[0])
        y.append(point[1])
        z.append(height)
        e.append(fed)
        kind.append(what)
        tool.append(head)

    for points, head, height in paths:
        go(points[0], height, 0.0, TRAVEL, head)
        for before, point in itertools.pairwise(points):
            go(point, height, math.dist(before, point) * FED, PRINT, head)
    count = len(x)
    return Moves(
        np.array(x), np.array(y), np.array(z), np.array(e), np.full(count, 30.0),
        np.full(count, np.nan, np.float32), np.array(kind, np.uint8), np.array(tool, np.uint8),
    )  # fmt: skip


def layer_of(*paths):
    """The lines of one layer, the second of two alike."""
    moves = moves_of([(points, head, z) for z in (HIGH, 2 * HIGH) for points, head in paths])
    rows = np.flatnonzero(moves.kind == PRINT)
    layers = Layers(rows, (moves.z[rows] > 1.5 * HIGH).astype(np.int64), np.array([0.2, 0.4]), None)
    return lines_of_layer(moves, layers, 1, AREA)


def square(x, y, side):
    return [(x, y), (x + side, y), (x + side, y + side), (x, y + side), (x, y)]


def circle(x, y, radius, corners=48):
    turns = [2 * math.pi * at / corners for at in range(corners + 1)]
    return [(x + radius * math.cos(turn), y + radius * math.sin(turn)) for turn in turns]


def ring(x, y, side, walls):
    """Walls one inside the other, as wide as they lie apart."""
    return [square(x + at * WIDE, y + at * WIDE, side - 2 * at * WIDE) for at in range(walls)]


def test_what_comes_back_is_a_loop_and_what_does_not_is_none():
    lines = layer_of((square(0, 0, 10), 0), ([(2, 2), (8, 2), (8, 8)], 0), (circle(5, 5, 2), 0))
    assert [len(loop.points) - 1 for loop in lines.loops] == [4, 48]
    assert lines.loops[0].wide_mm == pytest.approx(WIDE)
    assert lines.loops[0].length_mm == pytest.approx(40)
    assert lines.height_mm == pytest.approx(HIGH)


@given(st.floats(0.6, 30), st.floats(-50, 50), st.integers(24, 200))
def test_a_circle_is_known_by_its_middle_and_radius(radius, x, corners):
    found = Loop(np.array(circle(x, 3.0, radius, corners)), 0, WIDE).circle()
    assert found is not None
    assert found[:2] == (pytest.approx(x, abs=0.02), pytest.approx(3.0, abs=0.02))
    # Between the corners and the middles of its chords.
    assert radius * math.cos(math.pi / corners) - 1e-9 <= found[2] <= radius + 1e-9


@pytest.mark.parametrize("points", [square(0, 0, 10), circle(0, 0, 5, 8), circle(0, 0, 0.2)])
def test_what_is_no_circle(points):
    assert Loop(np.array(points), 0, WIDE).circle() is None


def seen(*paths):
    return [round(one.share, 2) for one in outer_loops(layer_of(*paths))]


def test_a_hollow_cube_is_seen_from_outside_and_inside():
    assert seen(*((one, 0) for one in ring(0, 0, 20, 3))) == [1.0, 0.0, 1.0]
    (alone,) = outer_loops(layer_of((square(0, 0, 20), 0)))
    assert (alone.share, alone.hole, alone.both) == (1.0, True, True)


def test_walls_round_infill_are_not_seen():
    infill = [([(5, 2), (5, 18)], 0), ([(12, 2), (12, 18)], 0)]
    assert seen(*((one, 0) for one in ring(0, 0, 20, 2)), *infill) == [1.0, 0.0]


def test_a_hole_is_seen_and_the_wall_round_it_is_not():
    walls = [(one, 0) for one in ring(0, 0, 30, 2)]
    infill = [([(4, 3), (4, 27)], 0), ([(26, 3), (26, 27)], 0)]
    found = outer_loops(
        layer_of(*walls, (circle(15, 15, 5), 0), (circle(15, 15, 5 + WIDE), 0), *infill)
    )
    assert [round(one.share, 2) for one in found] == [1.0, 0.0, 1.0, 0.0]
    assert [one.hole for one in found] == [False, False, True, False]


def test_where_two_colours_meet_neither_is_seen():
    left = [(one, 0) for one in ring(0, 0, 20, 2)]
    right = [(one, 1) for one in ring(20 + WIDE, 0, 20, 2)]
    infill = [([(10, 2), (10, 18)], 0), ([(30, 2), (30, 18)], 1)]
    found = seen(*left, *right, *infill)
    assert found == [pytest.approx(0.75, abs=0.01), 0.0, pytest.approx(0.75, abs=0.01), 0.0]


def test_by_head_over_all_layers():
    paths = [
        (points, head, HIGH * (layer + 1))
        for layer in range(8)
        for points, head in (
            *((one, 0) for one in ring(0, 0, 20, 1)),
            *((one, 1) for one in ring(WIDE, WIDE, 20 - 2 * WIDE, 1)),
        )
    ]
    outside, inside = walls_by_tool(moves_of(paths), AREA)
    assert (outside.tool, inside.tool) == (0, 1)
    assert outside.outer_share == 1.0
    # The inner colour is seen from inside the hollow.
    assert inside.outer_share == 1.0
    assert outside.other_mm == pytest.approx(0)
    with pytest.raises(BadInput, match="nothing is printed"):
        walls_by_tool(moves_of([]), AREA)


TOLD = PlateTold(0.10, 0.03, 0.2, 0.1, -0.05, 0.03, 1.0)


def test_holes_and_outlines_by_hand():
    # At the mean size: 2·0.10 small; smaller ones 2·0.2·(1/5 - 1/10) more.
    assert hole_measures(10.0, TOLD).measures_mm == pytest.approx(9.80)
    assert hole_measures(5.0, TOLD).measures_mm == pytest.approx(5 - 2 * (0.10 + 0.2 * 0.1))
    assert outline_measures(10.0, TOLD, 3).measures_mm == pytest.approx(10.10)
    assert outline_measures(10.0, TOLD, 3).pieces == 3
    # 2·0.03 of the plate; 1.96·√((2·0.012)² + 0.03²) of another print and its reading.
    assert hole_measures(10.0, TOLD).u95_mm == pytest.approx(math.hypot(0.06, 0.0753), abs=1e-4)
    scaled = TOLD._replace(scale=0.99)
    assert hole_measures(10.0, scaled).measures_mm == pytest.approx(9.70)
    none = TOLD._replace(hole_mm=None, contour_mm=None)
    assert (hole_measures(10.0, none), outline_measures(10.0, none)) == (None, None)
