"""Values over time: worked numbers, an oracle, and what luck alone must not name."""

import random

import numpy as np
import pytest
from scipy.stats import linregress, t, ttest_ind

from metier.core.drift import (
    Dot,
    apart_of,
    batches_of,
    change_of,
    chart_of,
    drift,
    jump_of,
    trend_of,
)
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


def test_limits_are_three_scatters_between_rolls_and_within_them():
    """Components of variance by their means (ISO 5725-2, 7.4): two readings of four rolls."""
    values = [(10.0, 10.2), (9.9, 10.1), (10.4, 10.4), (9.7, 9.9)]
    dots = [
        Dot(2.0 * at + part, value, 0.0, f"r{at}")
        for at, pair in enumerate(values)
        for part, value in enumerate(pair)
    ]
    table = np.array(values)
    within = table.var(axis=1, ddof=1).mean()
    between = table.mean(axis=1).var(ddof=1) - within / 2
    found = chart_of(dots)
    assert found.middle == pytest.approx(table.mean())
    assert found.high - found.middle == pytest.approx(3 * (between + within) ** 0.5)
    # Of rolls with one reading each nothing is known within them.
    alone = chart_of([Dot(at, value, 0.0, f"r{at}") for at, value in enumerate((1.0, 2.0, 4.0))])
    assert alone.high - alone.middle == pytest.approx(3 * np.std([1, 2, 4], ddof=1))


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
    shifted = [each for each in found if each.batches and (each.jump or each.chart.outside)]
    assert len(shifted) <= 4


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


def test_luck_alone_names_hardly_anything():
    found = [year(seed) for seed in range(200)]
    assert sum(bool(each.batches) for each in found) <= 6
    assert sum(bool(each.jump or each.apart or each.trend.shows) for each in found) <= 18


def rolls_year(seed, count, jump=0.0, slope=0.0):
    """Rolls of three cubes each, that differ by 2 %, cubes by 1 %."""
    luck, dots = random.Random(seed), []
    for roll in range(count):
        true = luck.gauss(1.0, 0.02) + (jump if roll >= count // 2 else 0.0) + slope * roll
        dots += [
            Dot(50.0 * roll + cube, luck.gauss(true, 0.01), 0.01, f"fern-{roll}", None, 3 * roll)
            for cube in range(3)
        ]
    return drift(dots, 0.02, 400)


def test_steady_rolls_are_left_in_peace_and_a_lasting_jump_is_named():
    steady = [rolls_year(seed, 6) for seed in range(300)]
    named = [one for one in steady if one.jump or one.apart or one.chart.outside
             or (one.trend and one.trend.shows)]  # fmt: skip
    assert len(named) <= 24
    jumped = [rolls_year(seed, 8, jump=0.08).jump for seed in range(300)]
    assert sum(jump is not None for jump in jumped) >= 220
    assert all(jump.by == pytest.approx(0.08, abs=0.07) for jump in jumped if jump)
    rising = [rolls_year(seed, 8, slope=0.025) for seed in range(100)]
    assert sum(bool(one.trend and one.trend.shows) for one in rising) >= 60


def test_a_jump_is_the_best_split_and_as_sure_as_a_t_test_has_it():
    """Student's t of the two sides, SciPy's, times the number of splits."""
    values = [1.750, 1.751, 1.749, 1.710, 1.711, 1.709, 1.712]
    dots = [Dot(at, value, 0.0, f"r{at}") for at, value in enumerate(values)]
    jump, squares = jump_of(dots)
    before, after = np.array(values[:3]), np.array(values[3:])
    assert (jump.after, jump.roll) == ("r2", "r3")
    assert jump.by == pytest.approx(after.mean() - before.mean())
    assert squares == pytest.approx(before.var() * 3 + after.var() * 4)
    low, high = ttest_ind(after, before).confidence_interval(0.95)
    assert jump.u95 == pytest.approx((high - low) / 2, rel=1e-3)
    # Just sure and just not: 4 splits of 7 rolls, tested at 0.025.
    for p, named in ((0.025 / 4 * 0.97, True), (0.025 / 4 * 1.03, False)):
        wobble = np.array([0.001, -0.001, 0.0, 0.001, -0.001, 0.001, -0.001])
        wobble[:3] -= wobble[:3].mean()
        wobble[3:] -= wobble[3:].mean()
        s = (wobble**2).sum() / 5
        apart = t.ppf(1 - p / 2, 5) * (s * (1 / 3 + 1 / 4)) ** 0.5
        shifted = wobble + np.where(np.arange(7) < 3, 0.0, apart)
        made = [Dot(at, 1 + value, 0.0, f"r{at}") for at, value in enumerate(shifted)]
        assert (jump_of(made) is not None) == named
    # Three rolls are no two of two.
    assert jump_of(dots[:3]) is None


def test_one_roll_apart_is_named_by_its_deletion_t():
    values = [1.750, 1.751, 1.749, 1.710, 1.750, 1.752]
    dots = [Dot(at, value, 0.0, f"r{at}") for at, value in enumerate(values)]
    apart = apart_of(dots)
    others = np.array([value for value in values if value != 1.710])
    u = (others.var(ddof=1) * (1 + 1 / 5)) ** 0.5
    assert (apart.roll, apart.by) == ("r3", pytest.approx(1.710 - others.mean()))
    assert apart.u95 == pytest.approx(t95(4) * u)
    assert drift(dots, 0.009, 6).apart == apart
    assert apart_of([dot._replace(value=1.75 + 0.001 * dot.at) for dot in dots]) is None


def test_before_and_after_a_change_stand_side_by_side():
    """Welch's two means of unequal scatter, by SciPy."""
    before, after = [412.1, 412.6, 411.8], [415.0, 416.4, 415.9, 415.5]
    dots = [Dot(float(at), value, 0.1) for at, value in enumerate([*before, *after])]
    change = change_of(dots, 3.0)
    oracle = ttest_ind(after, before, equal_var=False)
    assert (change.before, change.after) == pytest.approx((np.mean(before), np.mean(after)))
    assert change.by == pytest.approx(np.mean(after) - np.mean(before))
    u = change.by / oracle.statistic
    assert change.u95 == pytest.approx(t.ppf(0.975, int(oracle.df)) * u, rel=1e-3)
    assert change.shows
    assert change_of(dots, 1.0) is None


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
    assert found == ((found.dots), None, None, None, None, (), None)
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
