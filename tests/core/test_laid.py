"""What becomes of the strand while layers are laid."""

import math

import pytest

from metier.core.job.moves import PRIME, RETRACT, moves_of, steps_of
from metier.core.line.runs import Layer, Run

STRAND_MM2 = math.pi * 1.75**2 / 4


def dots(apart_mm, count=60, inside=False):
    """A layer of short lines in a row, each a fifth of a millimetre of strand."""
    long_mm = 1.0
    area_mm2 = 0.2 * STRAND_MM2 / long_mm
    runs = [
        Run(((x, 0.0), (x, long_mm)), area_mm2, 40.0, inside)
        for x in (place * apart_mm for place in range(count))
    ]
    return [Layer(0.2, tuple(runs))]


def drawn_at_mm(layers):
    """How much strand was fed whenever it was drawn back."""
    fed, drawn = 0.0, []
    for _, steps in steps_of(layers, STRAND_MM2, 1.0):
        for step in steps:
            drawn += [fed] if step.draws_back else []
            fed += step.run.length_mm * step.run.area_mm2 / STRAND_MM2
    return drawn


def test_the_same_strand_is_drawn_back_eight_times_at_most():
    drawn = drawn_at_mm(dots(10.0))
    # Eight at once, 0.2 mm apart, then a pause until 5 mm have gone through.
    assert drawn[:8] == pytest.approx([0.2 * (at + 1) for at in range(8)])
    assert all(ninth - first > 5.0 for first, ninth in zip(drawn, drawn[8:], strict=False))
    assert len(drawn) == 24


@pytest.mark.parametrize(("apart_mm", "inside"), [(1.5, False), (10.0, True)])
def test_nothing_is_drawn_back_for_what_is_near_or_inside(apart_mm, inside):
    # A line is 1 mm long, so that the way is a little longer than the lines are apart.
    assert drawn_at_mm(dots(apart_mm, inside=inside)) == []


def test_moves_draw_back_as_steps_say():
    moves = moves_of(dots(10.0), 1.75, 1.0)
    assert (moves.kind == RETRACT).sum() == (moves.kind == PRIME).sum() == 24


def test_the_next_part_is_gone_to_over_what_stands():
    low, high = dots(10.0, 2)[0], dots(10.0, 2)[0]._replace(top_mm=7.0)
    steps = [step for _, found in steps_of([low, high, low], STRAND_MM2, 1.0) for step in found]
    assert [step.over_mm for step in steps] == [None] * 4 + [9.0, None]
    assert steps[4].draws_back
