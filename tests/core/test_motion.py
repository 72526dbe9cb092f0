"""How long moves take: what must hold of any of them."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.core.job.cost import Motion, times_s
from metier.core.job.moves import JUMP, PRINT, RETRACT, Moves

STEP = st.tuples(st.floats(-50, 50), st.floats(-50, 50)).filter(
    lambda step: math.hypot(*step) > 0.1
)
PLACES = st.lists(STEP, min_size=2, max_size=30).map(
    lambda steps: [
        (sum(x for x, _ in steps[:n]), sum(y for _, y in steps[:n]))
        for n in range(1, len(steps) + 1)
    ]
)


def moves_of(places, feed=100.0, acceleration=np.nan):
    x, y = (np.array([0.0, *column]) for column in zip(*places, strict=True))
    count = len(x)
    kind = np.full(count, PRINT, np.uint8)
    kind[0] = JUMP
    return Moves(
        x, y, np.zeros(count), np.full(count, 0.1), np.full(count, feed),
        np.full(count, acceleration, np.float32), kind, np.zeros(count, np.uint8),
    )  # fmt: skip


def total(moves, motion=Motion(), feed=None):  # noqa: B008 (immutable)
    return times_s(moves, moves.feed if feed is None else feed, motion).sum()


@given(PLACES)
def test_no_move_is_faster_than_its_feed_and_none_slower_than_from_rest_to_rest(places):
    moves = moves_of(places)
    times, length = times_s(moves, moves.feed, Motion()), moves.length_mm()
    assert np.all(times >= length / 100 - 1e-9)
    alone = np.where(length > 10, length / 100 + 0.1, 2 * np.sqrt(length / 1000))
    assert np.all(times <= alone + 1e-9)


@given(PLACES, st.floats(1.01, 5))
def test_more_acceleration_and_faster_corners_never_take_longer(places, more):
    moves = moves_of(places)
    usual = total(moves)
    assert total(moves, Motion(1000 * more, 8.0)) <= usual + 1e-9
    assert total(moves, Motion(1000.0, 8.0 * more)) <= usual + 1e-9
    assert total(moves, feed=moves.feed / more) >= usual - 1e-9


@given(PLACES, st.integers(2, 6))
def test_a_move_cut_into_pieces_takes_as_long(places, pieces):
    whole = moves_of(places)
    cut, at = [], (0.0, 0.0)
    for place in places:
        for n in range(1, pieces + 1):
            part = n / pieces
            cut.append(tuple(a + (b - a) * part for a, b in zip(at, place, strict=True)))
        at = place
    assert total(moves_of(cut)) == pytest.approx(total(whole), rel=1e-6, abs=1e-9)


def test_the_files_own_acceleration_counts_unless_another_is_given():
    slow = moves_of([(100, 0)], acceleration=500.0)
    assert total(slow) == pytest.approx(100 / 100 + 100 / 500)
    given_one = times_s(slow, slow.feed, Motion(), own=False).sum()
    assert given_one == pytest.approx(100 / 100 + 100 / 1000)


def test_drawing_back_is_a_stop_and_takes_its_own_time():
    straight = moves_of([(100, 0), (100, 0), (200, 0)])
    straight.kind[2], straight.e[2], straight.feed[2] = RETRACT, -0.8, 40.0
    times = times_s(straight, straight.feed, Motion())
    assert times[1] == times[3] == pytest.approx(100 / 100 + 100 / 1000)
    assert times[2] == pytest.approx(2 * np.sqrt(0.8 / 1000))


def test_a_jump_takes_no_time_and_a_job_without_feeds_is_refused():
    moves = moves_of([(100, 0), (500, 0), (600, 0)])
    moves.kind[2] = JUMP
    assert times_s(moves, moves.feed, Motion())[2] == 0
    with pytest.raises(BadInput, match="no feed rate"):
        times_s(moves, np.zeros(4), Motion())
    with pytest.raises(BadInput, match="above zero"):
        times_s(moves, moves.feed, Motion(0.0))
    first = moves.feed.copy()
    first[1] = 0.0
    assert times_s(moves, first, Motion())[1] == pytest.approx(1.05)
