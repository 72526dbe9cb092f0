"""The share delivered over dosed, from walls: worked numbers, a fine grid, what must hold."""

import math
import random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.flow.posterior import PRIOR_U, Known, Prior, posterior
from metier.core.flow.repeats import FlowedWall, Roll, kindred, print_scatter, repeated, response
from metier.core.flow.settling import forecast
from metier.core.flow.trials import DosedWall, FlowTrial, Section
from metier.core.line.bead import rounding_mm
from metier.core.measure.readings import Instrument, estimate
from metier.core.measure.student import NORMAL95, t95

CALIPERS = Instrument(0.012, 0.02, 0.01)
H = 0.2
C = rounding_mm(H)
BAND = (-0.02, 0.03)


def repeat(readings):
    """Return the standard uncertainty of the readings alone, and its degrees of freedom."""
    found = estimate(readings, CALIPERS)
    n = found.n
    pooled = math.sqrt((5 * 0.012**2 + (n - 1) * found.scatter**2) / (4 + n))
    u = max(max(found.scatter, pooled) / math.sqrt(n), 0.01 / math.sqrt(12))
    return found.value, u, 4 + n


def wall(readings, walls, area, spacing=0.4, number=0):
    value, u, dof = repeat(readings)
    u *= t95(dof) / 1.96
    return DosedWall(value, u, CALIPERS.accuracy_mm, walls, area, spacing, H, number, "calipers")


def rounded(width, flow=1.0):
    return flow * H * (width - C), width - C


def rectangular(width, flow=1.0):
    return flow * H * width, width


ONE = (0.47, 0.49, 0.48, 0.46, 0.47, 0.48, 0.47, 0.46)
OF_FILE = (0.54, 0.55, 0.53, 0.54, 0.54, 0.55, 0.53, 0.54, 0.54, 0.54, 0.55, 0.53)
THREE = (1.26, 1.27, 1.25, 1.26)
TWO = (0.84, 0.83, 0.85, 0.84)
TUBE = (0.0854867, 0.4070796)
TUBE_1 = wall((0.49, 0.48, 0.50, 0.49, 0.49, 0.49, 0.48, 0.50), 1, *TUBE)
TUBE_3 = wall((1.35, 1.34, 1.36, 1.35, 1.35, 1.36, 1.34, 1.35), 3, *TUBE)
POOLED = (
    wall((0.47, 0.49, 0.48, 0.46), 1, *rounded(0.44), number=1),
    wall((0.44, 0.45, 0.44, 0.45), 1, *rounded(0.44, 0.92), number=2),
)


@pytest.mark.parametrize(
    ("walls", "flow", "low", "high", "sure"),
    [
        ([wall(ONE, 1, *rounded(0.44))], 94.59, 88.07, 102.15, (1.0, 0.22)),
        ([wall(ONE, 1, *rectangular(0.44))], 104.11, 96.94, 112.44, (1.0, 0.27)),
        ([wall(OF_FILE, 1, 0.0914159)], 93.80, 88.15, 100.21, None),
        ([wall(OF_FILE, 1, 0.0841027)], 86.76, 81.53, 92.69, None),
        ([wall(THREE, 3, *rounded(0.42, 0.97))], 90.89, 87.98, 94.00, (0.91, 0.85)),
        ([wall(THREE, 3, *rectangular(0.42, 0.97))], 104.49, 98.40, 119.47, (1.0, 0.28)),
        ([wall(TWO, 2, *rounded(0.4))], 90.76, 86.85, 95.04, None),
        ([wall(TWO, 2, *rectangular(0.4))], 102.26, 97.23, 110.87, None),
        ([TUBE_1, TUBE_3], 99.31, 97.11, 101.62, (1.0, 0.97)),
        ([TUBE_3], 98.73, 95.79, 101.86, (1.0, 0.84)),
        (POOLED, 93.74, 87.16, 101.38, None),
    ],
)
def test_worked_numbers(walls, flow, low, high, sure):
    found = posterior(walls)
    assert 100 * found.flow == pytest.approx(flow, abs=0.015)
    assert [100 * one for one in found.interval] == pytest.approx([low, high], abs=0.025)
    if sure:
        assert found.sure(sure[0], BAND) == pytest.approx(sure[1], abs=0.0051)


def on_a_fine_grid(walls, prior=1.0, prior_u=PRIOR_U):
    """Return the median and 95 % limits of the share, written anew with NumPy."""
    size = len(walls)
    covariance = np.full((size, size), 0.010**2)
    for i, one in enumerate(walls):
        for j, other in enumerate(walls):
            covariance[i, j] += one.u_mm**2 if i == j else 0
            covariance[i, j] += one.accuracy_mm**2 / 3
            if one.print_number == other.print_number:
                covariance[i, j] += 0.01**2 * (one.wall_mm - C) * (other.wall_mm - C)
    shares = np.linspace(0.3, 3.2, 60_001)
    total = np.zeros((3, len(shares)))
    for k, starved in enumerate((0.0, 0.5, 1.0)):
        residuals = []
        for one in walls:
            line = shares * one.area_mm2 / one.layer_mm
            apart = one.spacing_mm - starved * (one.spacing_mm - line)
            between = np.where(line >= one.spacing_mm, line, apart)
            residuals.append(one.wall_mm - (one.walls - 1) * between - line - C - 0.008)
        r = np.array(residuals)
        total[k] = np.einsum("is,ij,js->s", r, np.linalg.inv(covariance), r)
    if prior_u:
        total += ((shares - prior) / prior_u) ** 2
    weight = np.exp(-(total - total.min()) / 2).sum(axis=0)
    below = np.concatenate([[0], np.cumsum((weight[1:] + weight[:-1]) / 2)])
    return np.interp([0.025, 0.5, 0.975], below / below[-1], shares)


walls_of_prints = st.lists(
    st.tuples(
        st.sampled_from([1, 2, 3]), st.floats(0.85, 1.2), st.floats(0.97, 1.03), st.integers(0, 2)
    ),
    min_size=1,
    max_size=5,
)


@given(walls_of_prints, st.floats(0.8, 1.25), st.floats(0.003, 0.01))
def test_agrees_with_a_fine_grid(drawn, share, u_mm):
    walls = []
    for count, flow, apart, number in drawn:
        ideal = DosedWall(0, u_mm, 0.02, count, flow * 0.08, 0.4, H, number, "calipers")
        walls.append(ideal._replace(wall_mm=ideal.lines_mm(share * apart)))
    low, middle, high = on_a_fine_grid(walls)
    found = posterior(walls)
    assert found.flow == pytest.approx(1 / middle, abs=1e-4)
    assert found.interval == pytest.approx((1 / high, 1 / low), abs=3e-4)


def test_trials_that_contradict_each_other_still_give_a_number():
    thin = wall([0.30] * 8, 1, *rounded(0.44), number=1)._replace(u_mm=0.001, accuracy_mm=0.0)
    thick = thin._replace(wall_mm=0.70, print_number=2)
    found = posterior([thin, thick])
    assert found.below[-1] == pytest.approx(1)
    assert found.interval[0] < found.flow < found.interval[1]


def test_a_foaming_filament_has_no_prior_and_a_known_roll_a_narrow_one():
    foam = wall([0.84] * 8, 1, *rounded(0.44))
    flat, usual = posterior([foam], Prior(1.0, None)).flow, posterior([foam]).flow
    assert flat == pytest.approx((0.44 - C) / (0.84 - C - 0.008), abs=1e-3)
    assert usual > flat + 0.003
    narrow = posterior([POOLED[0]], Prior(1.06, 0.01))
    assert narrow.flow == pytest.approx(1 / 1.06, abs=0.004)
    assert narrow.u95 < posterior([POOLED[0]]).u95 / 2


def test_texture_is_told_by_two_wall_counts():
    share, textured = 1.0, 0.020
    one, three = (
        wall([0], count, *TUBE)._replace(u_mm=0.004, accuracy_mm=0.01) for count in (1, 3)
    )
    walls = [one._replace(wall_mm=one.lines_mm(share) + textured) for one in (one, three)]
    assert posterior(walls).texture_mm == pytest.approx(textured, abs=0.004)
    assert posterior(walls).flow == pytest.approx(1, abs=0.01)


@pytest.mark.parametrize(
    ("trials", "ratio", "u95", "follows"),
    [
        (
            [
                (1.00, (0.36, 0.35, 0.36, 0.35)),
                (1.13, (0.36, 0.37, 0.36, 0.36)),
                (1.28, (0.37, 0.37, 0.37, 0.36)),
            ],
            *(0.158, 0.187, "too little"),
        ),
        (
            [(1.00, (0.54, 0.55, 0.53, 0.54)), (0.92, (0.50, 0.49, 0.51, 0.50))],
            *(1.006, 0.404, "as it should"),
        ),
        ([(1.00, (0.40,) * 9), (1.03, (0.45,) * 9)], 4.428, None, "too much"),
    ],
)
def test_response(trials, ratio, u95, follows):
    walls = []
    for flow, readings in trials:
        value, u, dof = repeat(readings)
        walls.append(FlowedWall(value, flow, u, dof))
    found = response(walls, 1, H)
    assert found.ratio == pytest.approx(ratio, abs=0.01 if u95 is None else 5e-4)
    assert u95 is None or found.u95 == pytest.approx(u95, abs=5e-4)
    assert found.follows == follows


def test_prints_that_differ_are_learnt_from_repeats():
    prints = (
        (0.462, 0.468, 0.465, 0.461),
        (0.471, 0.474, 0.470, 0.473),
        (0.458, 0.462, 0.460, 0.464),
    )
    sections = [Section.of(1, [readings], CALIPERS) for readings in prints]
    found = repeated(sections, H)
    assert math.sqrt(found.variance) == pytest.approx(0.0131, abs=5e-5)
    trials = [
        FlowTrial(n, 1.0, H, 0.44, None, (section,), 0.02, "calipers")
        for n, section in enumerate(sections)
    ]
    assert print_scatter(trials) == pytest.approx(0.0110, abs=5e-5)
    # Prints of other flows are no repeats, and one print says nothing.
    apart = [trial._replace(flow=1 + trial.number / 10) for trial in trials]
    assert print_scatter(apart) == print_scatter(trials[:1]) == 0.010


def test_no_response_from_flows_close_together():
    assert response([FlowedWall(0.44, 1.0, 0.005, 8), FlowedWall(0.45, 1.019, 0.005, 8)], 1, H) is (
        None
    )


ROLLS = [
    Roll("fern-1", 1.062, 0.012), Roll("fern-2", 1.041, 0.010),
    Roll("fern-3", 1.083, 0.012), Roll("fern-4", 1.050, 0.010),
]  # fmt: skip


def test_rolls_of_a_kind_say_what_to_expect_of_another():
    found = kindred(ROLLS)
    assert found.scatter == pytest.approx(0.01811, abs=5e-6)
    assert (found.share, found.u) == pytest.approx((1.05834, 0.02098), abs=5e-6)
    assert 100 * found.flow == pytest.approx(94.49, abs=5e-3)
    # A flow is one over a share.
    assert found.flow_u95 == pytest.approx(NORMAL95 * 0.02098 / 1.05834**2, abs=1e-5)
    # A cube of 1.090 ± 0.020 (1u), with nothing else in doubt: a thick wall, a print's scatter.
    thick = DosedWall(2.18 + C + 0.008, 0.0, 0.0, 1, 0.4, 2.0, H)
    scatter = math.sqrt(0.020**2 * 2.0**2 - 0.010**2) / (2.18 + 0.008)
    pooled = posterior([thick], Prior(found.share, found.u), scatter)
    low, high = pooled.quantile(0.1587), pooled.quantile(0.8413)
    assert pooled.quantile(0.5) == pytest.approx(1.07493, abs=2e-4)
    assert (high - low) / 2 == pytest.approx(0.01448, abs=2e-4)
    assert 100 * pooled.flow == pytest.approx(93.03, abs=0.02)


def test_a_roll_that_is_off_widens_what_is_expected():
    odd = kindred([*ROLLS, Roll("fern-5", 0.95, 0.010)])
    assert odd.scatter > 2 * kindred(ROLLS).scatter


def test_a_forecast_comes_so_in_nineteen_of_twenty_prints():
    """Of an everyday printer: texture, jaws, prints and readings as the model has them."""
    rng = random.Random(3)
    came, widths = 0, []
    for _ in range(200):
        share, shared = rng.gauss(1, 0.05), rng.gauss(0.008, math.hypot(0.010, 0.02 / 3**0.5))

        def print_at(flow, number, share=share, shared=shared):
            area, apart = rounded(0.44, flow)
            own = share * rng.gauss(1, 0.010)
            lines = DosedWall(0, 0.005, 0.02, 3, area, apart, H).lines_mm(own)
            measured = lines + shared + rng.gauss(0, 0.005)
            return DosedWall(measured, 0.005, 0.02, 3, area, apart, H, number, "calipers")

        (found,) = forecast([print_at(1.12, 1)], [print_at(1.05 / share, 2)], Known())
        came += found.came_so
        widths.append(found.u95_mm)
    assert 182 <= came <= 199
    # Jaws and texture were there the first time, too: far less is open than they would make.
    assert sum(widths) / 200 < 1.96 * math.hypot(0.010, 0.02 / 3**0.5, 0.018, 0.018)
