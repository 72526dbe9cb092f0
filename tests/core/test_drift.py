"""Values over time: worked numbers, an oracle, and what luck alone must not name."""

import random

import numpy as np
import pytest
from scipy.stats import linregress

from metier.core.drift import Dot, batches_of, chart_of, drift, jumps_of, trend_of
from metier.core.measure.readings import PRIOR_DOF
from metier.core.measure.student import NORMAL95, t95

METRES = (0, 40, 90, 150, 210, 260)
SHARES = (1.000, 0.998, 0.995, 0.992, 0.990, 0.985)


def test_worked_numbers_along_a_roll():
    found = trend_of([Dot(at, share, 0.0) for at, share in zip(METRES, SHARES, strict=True)])
    assert 1e4 * found.slope == pytest.approx(-0.544, abs=5e-4)
    assert 1e4 * found.slope_u95 == pytest.approx(0.102, abs=5e-4)
    oracle = linregress(METRES, SHARES)
    assert found.slope == pytest.approx(oracle.slope)
    assert found.slope_u95 == pytest.approx(t95(4) * oracle.stderr, rel=1e-4)
    assert found.shows


def test_limits_are_three_scatters_by_the_moving_range():
    values = (10.0, 10.2, 9.9, 10.1, 10.0)
    found = chart_of([Dot(at, value, 0.0) for at, value in enumerate(values)])
    assert found.high - found.middle == pytest.approx(3 * (0.2 + 0.3 + 0.2 + 0.1) / 4 / 1.128)


def year(seed, thin=0.0, slope=0.0):
    """Fifteen rolls of five batches over a year; one batch may be thinner."""
    luck, dots = random.Random(seed), []
    for number in range(15):
        batch = number // 3
        true = luck.gauss(1.75, 0.004) - (thin if batch == 2 else 0.0) + slope * number
        value = luck.gauss(true, 0.004)
        dots.append(Dot(24.0 * number, value, 0.004, f"fern-{number}", f"b{batch}", number))
    return drift(dots, 0.009, 360)


def test_a_thin_batch_is_named_and_nothing_else():
    found = [year(seed, thin=0.03) for seed in range(60)]
    named = [tuple(one.name for one in each.batches) for each in found]
    assert named.count(("b2",)) >= 50
    assert set(named) <= {("b2",), ()}
    assert all(
        each.batches[0].by == pytest.approx(-0.03, abs=0.02) for each in found if each.batches
    )
    jumped = [each for each in found if each.batches and (each.jumps or each.chart.outside)]
    assert len(jumped) <= 3


def test_two_odd_batches_are_both_named_and_no_other():
    luck, dots = random.Random(5), []
    odd = {1: -0.25, 4: 0.05}
    for number in range(24):
        batch = number // 3
        value = luck.gauss(1.75 + odd.get(batch, 0.0), 0.004)
        dots.append(Dot(10.0 * number, value, 0.003, f"r{number}", f"b{batch}", number))
    found = drift(dots, 0.009, 240).batches
    assert {one.name: round(one.by, 2) for one in found} == {
        "b1": pytest.approx(-0.25, abs=0.02),
        "b4": pytest.approx(0.05, abs=0.015),
    }


def test_a_trend_is_one_of_batches_where_there_are_batches():
    """Rolls of a batch bought together are one look at the year, not three."""
    steps = (0.0, 0.004, -0.003, 0.009, 0.002)
    dots = [
        Dot(24.0 * at, 1.75 + steps[at // 3], 0.0005, f"r{at}", f"b{at // 3}", at)
        for at in range(15)
    ]
    assert not drift(dots, 0.009, 360).trend.shows
    alone = [one._replace(batch=None, roll="") for one in dots]
    assert drift(alone, 0.009, 360).trend.slope_u95 < drift(dots, 0.009, 360).trend.slope_u95


def test_luck_alone_names_hardly_anything():
    found = [year(seed) for seed in range(200)]
    assert sum(bool(each.batches) for each in found) <= 6
    assert sum(bool(each.jumps) for each in found) <= 6
    assert sum(each.trend.shows for each in found) <= 20


def test_a_jump_from_roll_to_roll():
    values = [1.75, 1.75, 1.751, 1.749, 1.71, 1.75]
    dots = [Dot(at, value, 0.002, f"r{at}") for at, value in enumerate(values)]
    assert {one.roll for one in drift(dots, 0.009, 6).jumps} == {"r4", "r5"}


def test_when_it_is_due_by_its_own_record():
    still = [Dot(30.0 * at, 412.0, 0.5) for at in range(6)]
    assert drift(still, 2.0, 150).due_in is None
    creeping = [Dot(30.0 * at, 412.0 + at, 0.1) for at in range(6)]
    found = drift(creeping, 2.0, 150)
    assert found.trend.slope == pytest.approx(1 / 30)
    assert 10 < found.due_in < 60
    assert drift(creeping, 2.0, 400).due_in == pytest.approx(found.due_in - 250)


def test_too_little_to_say():
    found = drift([Dot(0, 1.75, 0.01, "r"), Dot(9, 1.74, 0.01, "r")], 0.01, 9)
    assert (found.trend, found.chart, found.jumps, found.batches, found.due_in) == (
        None, None, (), (), None,
    )  # fmt: skip
    assert drift([], 0.01, 0).dots == ()


def test_how_far_a_batch_and_a_roll_lie_apart_is_known_as_analysis_of_variance_has_it():
    """Components of variance by their means (ISO 5725-2, 7.4), batches of unequal size."""
    luck = np.random.default_rng(5)
    sizes = {"a": 3, "b": 4, "c": 2, "d": 3}
    u = 0.003
    rolls = {
        batch: 1.75 + off + luck.normal(0, 0.006, sizes[batch])
        for batch, off in zip(sizes, (0.0, 0.01, -0.01, -0.2), strict=True)
    }
    dots = [
        Dot(10.0 * at, value, u, f"{batch}-{at}", batch)
        for batch, values in rolls.items()
        for at, value in enumerate(values)
    ]
    (found,) = batches_of(dots)
    dof = sum(sizes.values()) - len(sizes)
    squares = sum(((values - values.mean()) ** 2).sum() for values in rolls.values())
    own = sum(u**2 * (size - 1) for size in sizes.values())
    within = (squares - own) / dof
    others = np.array([rolls[batch].mean() for batch in "abc"])
    between = others.var(ddof=1) - np.mean([u**2 / sizes[batch] for batch in "abc"])
    count = sum(sizes[batch] for batch in "abc")
    mean = sum(rolls[batch].sum() for batch in "abc") / count
    variance = (u**2 + within) / 3 + u**2 / count + between * (1 + 1 / 3)
    assert (found.name, found.by) == ("d", pytest.approx(rolls["d"].mean() - mean))
    assert found.u95 == pytest.approx(t95(PRIOR_DOF + 2) * variance**0.5, rel=1e-6)
    last = jumps_of(dots)[-1]
    assert (last.after, last.roll) == ("c-1", "d-0")
    apart = (2 * u**2 + 2 * within) ** 0.5
    assert last.u95 == pytest.approx(t95(PRIOR_DOF + dof) * apart, rel=1e-6)


def test_where_no_batch_has_two_rolls_the_middle_step_tells_how_they_scatter():
    values = (1.75, 1.754, 1.744, 1.751, 1.60)
    (jump,) = jumps_of([Dot(at, one, 0.001, f"r{at}") for at, one in enumerate(values)])
    # The smaller of the two middle ones of 4, 7, 10 and 151 µm.
    spread = (0.007 / (0.6745 * 2**0.5)) ** 2 - 0.001**2
    assert jump.u95 == pytest.approx(
        t95(PRIOR_DOF + 4) * (2 * 0.001**2 + 2 * spread) ** 0.5, rel=1e-6
    )


def test_what_values_are_known_to_counts_where_they_happen_to_lie_even():
    dots = [Dot(10.0 * at, 1.0 + 0.001 * at, 0.02) for at in range(5)]
    # All on a line: what each is known to is what the slope is known by.
    squares = sum((10.0 * at - 20.0) ** 2 for at in range(5))
    assert trend_of(dots).slope_u95 == pytest.approx(t95(3) * 0.02 / squares**0.5)
    assert chart_of(dots).high - chart_of(dots).middle == pytest.approx(3 * 0.02)
    # A mean of two is known better by the root of two.
    twice = [Dot(10.0 * at, 1.0, 0.02, f"r{at // 2}") for at in range(10)]
    apart = sum((20.0 * at - 40.0) ** 2 for at in range(5))
    expected = t95(3) * 0.02 / 2**0.5 / apart**0.5
    assert drift(twice, 1.0, 90.0).trend.slope_u95 == pytest.approx(expected)


def test_a_walk_is_what_checks_moved_by_beyond_their_scatter():
    """(0.02² + 0.03² - 4·0.01²)/20 a day, and a band of 0.05, since the last check."""
    values = {0.0: 1.0, 10.0: 1.02, 20.0: 0.99}
    walked = drift([Dot(at, one, 0.01, "fern-1") for at, one in values.items()], 0.05, 25.0)
    lasts = (0.05 / NORMAL95) ** 2 / ((0.0004 + 0.0009 - 0.0004) / 20)
    assert walked.due_in == pytest.approx(lasts - 5, rel=1e-6)
    # What checks scatter by alone is no walk.
    still = drift([Dot(at, one, 0.03, "fern-1") for at, one in values.items()], 0.05, 25.0)
    assert still.due_in is None
