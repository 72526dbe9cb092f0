"""Readings to estimates: worked numbers, GTC and SciPy as oracles, and what must always hold."""

import math
import statistics

import pytest
import scipy.stats
from GTC import ureal
from hypothesis import assume, given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.core.measure.instruments import figures
from metier.core.measure.readings import (
    Instrument,
    estimate,
    estimate_sides,
    scatter_note,
    suspects,
)
from metier.core.measure.student import f_quantile, t95

WALL = figures("calipers", "wall")
hundredths = st.integers(30, 70).map(lambda n: n / 100)
instruments = st.builds(
    Instrument,
    repeatability_mm=st.floats(0.001, 0.5),
    accuracy_mm=st.floats(0.0, 0.2),
    resolution_mm=st.floats(0.0, 0.5),
    zero_mm=st.just(0.0),
)


@pytest.mark.parametrize(
    ("readings_mm", "value", "u95"),
    [
        ([0.47, 0.49, 0.48, 0.46], 0.4750, 0.0262),
        ([0.47], 0.4700, 0.0350),
        ([0.45, 0.50], 0.4750, 0.0635),
        ([0.47, 0.49, 0.48, 0.46, 0.47, 0.48, 0.47, 0.46], 0.4725, 0.0239),
        ([1.26, 1.27, 1.25, 1.26], 1.26, 0.0251),
    ],
)
def test_worked_numbers(readings_mm, value, u95):
    found = estimate(readings_mm, WALL)
    assert found.value == pytest.approx(value, abs=5e-5)
    assert found.u95 == pytest.approx(u95, abs=5e-5)


@given(st.lists(hundredths, min_size=1, max_size=12), instruments)
def test_uncertainty_and_degrees_of_freedom_agree_with_gtc(readings_mm, instrument):
    n = len(readings_mm)
    scatter = statistics.stdev(readings_mm) if n > 1 else 0.0
    pooled = math.sqrt((5 * instrument.repeatability_mm**2 + (n - 1) * scatter**2) / (5 + n - 1))
    u_repeat = max(max(scatter, pooled) / math.sqrt(n), instrument.resolution_mm / math.sqrt(12))
    repeat = ureal(statistics.fmean(readings_mm), u_repeat, 5 + n - 1)
    total = repeat + ureal(0, instrument.accuracy_mm / math.sqrt(3))
    found = estimate(readings_mm, instrument)
    assert found.value == pytest.approx(total.x)
    assert found.u == pytest.approx(total.u)
    # GTC does not truncate; a value on the very edge of a whole number may fall either side.
    assert total.df - 1 - 1e-6 <= found.dof <= total.df + 1e-6
    assert found.u95 == pytest.approx(t95(found.dof) * total.u)


@given(st.integers(1, 100_000))
def test_t_agrees_with_scipy_to_three_decimals(dof):
    assert t95(dof) == pytest.approx(scipy.stats.t.ppf(0.975, dof), abs=5.1e-4)


def test_t_without_end_and_below_one():
    assert t95(math.inf) == pytest.approx(scipy.stats.norm.ppf(0.975), abs=5e-4)
    assert t95(7.99) == t95(7)
    for dof in (0.5, math.nan):
        with pytest.raises(ValueError, match="at least one"):
            t95(dof)


@given(st.integers(1, 40), st.floats(0, 1), instruments)
def test_one_more_reading_of_equal_scatter_never_widens_u(n, spread, instrument):
    def half_width(count):
        # Readings whose sample standard deviation is `spread`, however many there are.
        if count == 1:
            return estimate([10.0], instrument).u95
        step = spread * math.sqrt((count - 1) / count)
        if count % 2:
            pairs = count - 1
            step = spread * math.sqrt((count - 1) / pairs)
            signs = [1, -1] * (pairs // 2) + [0]
        else:
            signs = [1, -1] * (count // 2)
        return estimate([10.0 + sign * step for sign in signs], instrument).u95

    assume(n > 1 or spread <= instrument.repeatability_mm)
    assert half_width(n + 1) <= half_width(n) * (1 + 1e-9)


@given(st.lists(hundredths, min_size=1, max_size=8), instruments, st.floats(0.01, 100))
def test_scaling_all_lengths_scales_the_estimate(readings_mm, instrument, factor):
    scaled = Instrument(*(factor * figure for figure in instrument))
    found = estimate(readings_mm, instrument)
    larger = estimate([factor * reading for reading in readings_mm], scaled)
    assert larger.value == pytest.approx(factor * found.value)
    assert larger.u == pytest.approx(factor * found.u)


@given(st.lists(st.lists(hundredths, min_size=3, max_size=3), min_size=1, max_size=4))
def test_sides_of_equal_count_are_as_good_as_one_list(sides_mm):
    together = estimate([reading for side in sides_mm for reading in side], WALL)
    by_side = estimate_sides(sides_mm, WALL)
    assert by_side.value == pytest.approx(together.value)
    assert by_side.u95 == pytest.approx(together.u95)


def test_sides_count_alike_however_often_measured():
    uneven = estimate_sides([[0.40], [0.50, 0.50, 0.50]], WALL)
    assert uneven.value == pytest.approx(0.45)
    assert uneven.u > estimate([0.40, 0.50, 0.50, 0.50], WALL).u


def test_zero_is_subtracted():
    zeroed = WALL._replace(zero_mm=0.02)
    assert estimate([0.49, 0.50], zeroed).value == pytest.approx(0.475)
    assert estimate([0.49, 0.50], zeroed).u95 == estimate([0.49, 0.50], WALL).u95


@pytest.mark.parametrize("sides_mm", [[], [[]], [[0.47], []], [[math.nan]], [[math.inf, 0.4]]])
def test_what_is_no_reading_is_refused(sides_mm):
    with pytest.raises(BadInput):
        estimate_sides(sides_mm, WALL)


@pytest.mark.parametrize(
    ("readings_mm", "odd"),
    [
        ([0.47, 0.48, 0.47, 0.57, 0.48], (3,)),
        ([0.47, 0.48, 0.47, 0.48], ()),
        ([0.47, 0.57], ()),
        ([0.47, 0.50, 0.44, 0.47], ()),
        # At the bound of 3·s0 = 0.036 itself nothing is suspected, whatever the binary noise.
        ([0.40, 0.40, 0.40, 0.436], ()),
        ([0.70, 0.70, 0.70, 0.736], ()),
        ([0.40, 0.40, 0.40, 0.437], (3,)),
    ],
)
def test_suspects(readings_mm, odd):
    assert suspects(readings_mm, WALL) == odd


def test_readings_that_scatter_more_than_calipers_do_are_remarked_on():
    assert scatter_note(estimate([0.45, 0.50], WALL), WALL)
    for fine in ([0.46, 0.48, 0.50], [0.41, 0.43, 0.45]):
        assert scatter_note(estimate(fine, WALL), WALL) is None


@given(st.sampled_from([0.5, 0.9, 0.99]), st.integers(1, 30), st.integers(5, 60))
def test_f_agrees_with_scipy(p, dof1, dof2):
    assert f_quantile(p, dof1, dof2) == pytest.approx(scipy.stats.f.ppf(p, dof1, dof2), rel=1e-8)
