"""The share delivered over dosed: worked numbers, a fine grid, what must hold."""

import math
import random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.flow.answer import Aim, Known, answer_of, model_odds
from metier.core.flow.posterior import Prior, joint, texture_mm
from metier.core.flow.repeats import FlowedWall, Roll, kindred, print_scatter, repeated, response
from metier.core.flow.rows import DosedWall, ToldShare, by_weight, covariance
from metier.core.flow.settling import forecast
from metier.core.flow.trials import FlowTrial, Section
from metier.core.line.bead import rounding_mm, spacing_mm
from metier.core.measure.readings import Instrument, estimate
from metier.core.measure.student import NORMAL95, t95
from metier.core.values import LINE_MODELS

CALIPERS = Instrument(0.012, 0.02, 0.01)
H = 0.2
C = rounding_mm(H)
BAND = (-0.02, 0.03)
CERTAIN = {"rounded": 1.0}
TOLD, UNTOLD = model_odds("rounded"), model_odds(None)
KNOWN, UNKNOWN, FLAT = Prior(1.0, 0.05), Prior(1.0, 0.08), Prior(1.0, None)


def repeat(readings):
    """Return the standard uncertainty of the readings alone, and its degrees of freedom."""
    found = estimate(readings, CALIPERS)
    n = found.n
    pooled = math.sqrt((5 * 0.012**2 + (n - 1) * found.scatter**2) / (4 + n))
    u = max(max(found.scatter, pooled) / math.sqrt(n), 0.01 / math.sqrt(12))
    return found.value, u, 4 + n


def wall(readings, walls, area, spacing=0.4, number=0, sides=2, bore=None):
    value, u, dof = repeat(readings)
    u *= t95(dof) / 1.96
    more = {"print_number": number, "instrument": "calipers", "sides": sides, "bore_mm": bore}
    return DosedWall(value, u, CALIPERS.accuracy_mm, walls, area, spacing, H, **more)


def sliced(readings, walls, width, flow=1.0, number=0):
    """Return the row of such lines under each line model."""
    under = {}
    for model in LINE_MODELS:
        apart = spacing_mm(width, H, model)
        under[model] = [wall(readings, walls, flow * H * apart, apart, number)]
    return under


ONE = sliced((0.47, 0.49, 0.48, 0.46, 0.47, 0.48, 0.47, 0.46), 1, 0.44)
THREE = sliced((1.26, 1.27, 1.25, 1.26), 3, 0.42, 0.97)
TWO = sliced((0.84, 0.83, 0.85, 0.84), 2, 0.4)
TUBE = [
    wall([1.43, 1.42] * 3, 3, 0.0944092, 0.4370796, 1, 4, 0.4),
    wall([0.83, 0.82, 0.83, 0.83, 0.82, 0.83], 1, 0.1514159, 0.757, 1, 4, 0.4),
    wall([0.50, 0.49, 0.50, 0.50, 0.49, 0.50], 1, 0.0874159, 0.437, 1, 4, 0.4),
]
WEIGHT = ToldShare(1.018, 0.004, 0.015, 1)
TWO_PRINTS = [
    *sliced((0.47, 0.49, 0.48, 0.46), 1, 0.44, number=1)["rounded"],
    *sliced((0.44, 0.45, 0.44, 0.45), 1, 0.44, 0.92, number=2)["rounded"],
]
THIN = sliced((0.30, 0.31, 0.30, 0.30), 1, 0.44)


@pytest.mark.parametrize(
    ("rows", "odds", "prior", "flow", "interval", "sures", "rounded"),
    [
        (ONE, CERTAIN, KNOWN, 96.71, (90.94, 103.26), {100: 0.399, 97: 0.558}, 1),
        (ONE, TOLD, KNOWN, 96.71, (91.08, 105.66), {97: 0.508}, 0.886),
        (ONE, UNTOLD, KNOWN, 102.58, (91.92, 108.50), {101: 0.400}, 0.463),
        (THREE, CERTAIN, KNOWN, 91.73, (87.54, 95.73), {92: 0.745}, 1),
        (THREE, TOLD, KNOWN, 91.73, (88.26, 108.60), {}, 0.518),
        (THREE, UNTOLD, KNOWN, 102.15, (90.29, 110.11), {102: 0.550}, 0.107),
        (TWO, TOLD, UNKNOWN, 90.43, (84.34, 106.80), {91: 0.409}, 0.718),
        ({"rounded": TUBE}, CERTAIN, KNOWN, 98.15, (94.14, 102.65), {100: 0.647, 99: 0.732}, 1),
        ({"rounded": TUBE}, CERTAIN, UNKNOWN, 97.90, (93.67, 102.70), {}, 1),
        ({"rounded": TUBE}, CERTAIN, FLAT, 97.70, None, {}, 1),
        ({"rounded": [*TUBE, WEIGHT]}, CERTAIN, KNOWN, 98.13, (95.32, 101.14),
         {100: 0.757, 99: 0.888}, 1),
        ({"rounded": [WEIGHT]}, CERTAIN, KNOWN, 98.44, (95.26, 101.84), {99: 0.855}, 1),
        ({"rounded": TWO_PRINTS}, CERTAIN, KNOWN, 96.12, (90.44, 102.55), {92: 0.219}, 1),
        (THIN, CERTAIN, KNOWN, 157.83, (138.41, 183.6), {}, 1),
    ],
)  # fmt: skip
def test_worked_numbers(rows, odds, prior, flow, interval, sures, rounded):
    found = joint(rows, odds, prior)
    assert 100 * found.flow == pytest.approx(flow, abs=0.011)
    if interval:
        assert [100 * one for one in found.interval] == pytest.approx(interval, abs=0.015)
    assert found.odds["rounded"] == pytest.approx(rounded, abs=0.001)
    assert found.contradicts == (rows is THIN)
    for typed, sure in sures.items():
        assert found.sure(typed / 100, BAND) == pytest.approx(sure, abs=0.003)
    # The last of them is the value to type.
    if sures and sures.keys() != {92}:
        assert 100 * answer_of(found, None, Aim()).to_type == pytest.approx([*sures][-1])


def test_what_a_print_weighs_is_a_share_of_the_filament_asked_for():
    told = by_weight(12.31, math.hypot(0.01 / 3**0.5, 0.004), 4123.0, 1.75, 1.24, 0.015)
    assert told.value == pytest.approx(1.00106, abs=1e-5)
    assert math.hypot(told.whole_u, 0.010) / told.value == pytest.approx(0.01804, abs=2e-5)


@pytest.mark.parametrize("accuracy_mm", [0.005, 0.02, 0.03])
def test_what_other_rolls_say_goes_with_walls_of_calipers_that_were_checked_since(accuracy_mm):
    rolls = ToldShare(0.98, 0.011, 0.0, None, 0.031, accuracy_mm, "calipers")
    told = covariance([*TUBE, *ONE["rounded"], rolls], 0.007)
    assert np.linalg.eigvalsh(told)[0] > 0
    # What both have in common, by its parts: texture, and jaws as far as each was off.
    both = math.hypot(0.010, accuracy_mm / 3**0.5)
    assert told[-1][0] == pytest.approx(0.031 * (0.010**2 + 0.02 * accuracy_mm / 3) / both)


def on_a_fine_grid(rows, prior_u, scatter=0.01):
    """Return the median and 95 % limits of the share, written anew with NumPy."""
    size, walls = len(rows), [row for row in rows if isinstance(row, DosedWall)]
    bore = min((row.area_mm2 / H for row in walls if row.walls == 1), default=0)
    k = np.zeros((size, size))
    for i, one in enumerate(rows):
        for j, other in enumerate(rows):
            both = isinstance(one, DosedWall) + isinstance(other, DosedWall)
            if both == 2:
                k[i, j] = 0.010**2 + one.accuracy_mm**2 / 3 * (one.instrument == other.instrument)
                k[i, j] += 0.012**2 * math.prod((r.walls - 1) * r.spacing_mm for r in (one, other))
                if one.walls == other.walls == 1:
                    k[i, j] += 0.015**2 * math.prod(r.area_mm2 / H - bore for r in (one, other))
            elif both == 0:
                k[i, j] = one.density_u * other.density_u
            if one.print_number == other.print_number:
                whole = [r.wall_mm - C if isinstance(r, DosedWall) else 1 for r in (one, other)]
                k[i, j] += scatter**2 * math.prod(whole)
            if i == j and isinstance(one, DosedWall):
                k[i, j] += one.u_mm**2 + 0.010**2 / one.sides
            elif i == j:
                k[i, j] += one.u**2
    shares, weight = np.linspace(0.3, 3.2, 60_001), 0
    totals = []
    for starved in (0.0, 0.5, 1.0):
        for rising in (0, 0.25, 0.5):
            off = []
            for row in rows:
                if not isinstance(row, DosedWall):
                    off.append(row.value - shares)
                    continue
                a, s, n = shares * row.area_mm2 / H, row.spacing_mm, row.walls
                rich = n * (s + (1 - rising) * (a - s)) if n > 1 else a
                lean = (n - 1) * (s - starved * (s - a)) + a
                off.append(row.wall_mm - np.where(a >= s, rich, lean) - C - 0.008)
            r = np.array(off)
            totals.append(np.einsum("is,ij,js->s", r, np.linalg.inv(k), r))
    least = min(total.min() for total in totals)
    weight = sum(np.exp(-(total - least) / 2) for total in totals)
    weight = weight * np.exp(-(((shares - 1) / prior_u) ** 2) / 2) if prior_u else weight
    below = np.concatenate([[0], np.cumsum((weight[1:] + weight[:-1]) / 2)])
    return np.interp([0.025, 0.5, 0.975], below / below[-1], shares)


rows_of_prints = st.lists(
    st.tuples(
        st.sampled_from([0, 1, 2, 3]), st.floats(0.9, 1.15), st.floats(0.98, 1.02),
        st.integers(0, 2),
    ),
    min_size=1,
    max_size=5,
)  # fmt: skip


@given(rows_of_prints, st.floats(0.94, 1.06), st.floats(0.003, 0.01), st.sampled_from([None, 0.05]))
def test_agrees_with_a_fine_grid(drawn, share, u_mm, prior_u):
    rows = []
    for count, flow, apart, number in drawn:
        if not count:
            rows.append(ToldShare(share * apart, 0.004, 0.015, number))
            continue
        ideal = DosedWall(0, u_mm, 0.02, count, flow * 0.08, 0.4, H, number, "calipers")
        rows.append(ideal._replace(wall_mm=ideal.lines_mm(share * apart) + 0.008))
    found = joint({"rounded": rows}, CERTAIN, Prior(1.0, prior_u))
    low, middle, high = on_a_fine_grid(rows, prior_u)
    assert found.flow == pytest.approx(1 / middle, abs=1e-4)
    assert found.interval == pytest.approx((1 / high, 1 / low), abs=3e-4)


def test_trials_that_contradict_each_other_still_give_a_number():
    thin = wall([0.30] * 8, 1, 0.2 * (0.44 - C))._replace(u_mm=0.001, accuracy_mm=0.0)
    found = joint({"rounded": [thin, thin._replace(wall_mm=0.70, print_number=2)]}, CERTAIN, FLAT)
    assert found.under["rounded"].below[-1] == pytest.approx(1)
    assert found.interval[0] < found.flow < found.interval[1]


def test_texture_is_told_by_one_line_beside_several():
    one, three = (
        wall([0], count, 0.0855, 0.407)._replace(u_mm=0.004, accuracy_mm=0.01) for count in (1, 3)
    )
    rows = [row._replace(wall_mm=row.lines_mm(1.0) + 0.030) for row in (one, three)]
    found = joint({"rounded": [*rows, ToldShare(1.0, 0.002, 0.0, 9)]}, CERTAIN, FLAT)
    told = texture_mm([*rows, ToldShare(1.0, 0.002, 0.0, 9)], found.under["rounded"], 0.01)
    assert told == pytest.approx(0.030, abs=0.012)
    usual = [row._replace(wall_mm=row.wall_mm - 0.022) for row in rows]
    assert texture_mm(usual, found.under["rounded"], 0.01) == pytest.approx(0.008, abs=0.003)


@pytest.mark.parametrize(
    ("trials", "ratio", "u95", "follows"),
    [
        (
            [
                (1.00, (0.36, 0.35, 0.36, 0.35)),
                (1.13, (0.36, 0.37, 0.36, 0.36)),
                (1.28, (0.37, 0.37, 0.37, 0.36)),
            ],
            *(0.158, 0.343, "too little"),
        ),
        (
            [(1.00, (0.54, 0.55, 0.53, 0.54)), (0.92, (0.50, 0.49, 0.51, 0.50))],
            *(1.006, 0.760, "as it should"),
        ),
        ([(1.00, (0.40,) * 9), (1.08, (0.60,) * 9)], 5.81, None, "too much"),
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
    sections = [Section.of(1, [readings], CALIPERS, None, 1.0, 0.44) for readings in prints]
    found = repeated(sections, H)
    assert math.sqrt(found.variance) == pytest.approx(0.0131, abs=5e-5)
    trials = [FlowTrial(n, H, (each,), 0.02, "calipers") for n, each in enumerate(sections)]
    assert print_scatter(trials) == pytest.approx(0.0110, abs=5e-5)
    # Prints of other flows are no repeats, and one print says nothing.
    apart = [
        trial._replace(sections=(trial.sections[0]._replace(flow=1 + trial.number / 10),))
        for trial in trials
    ]
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
    # A cube of 1.090 ± 0.020 (1u), with nothing of the bench in doubt.
    told = ToldShare(1.090, 0.020, 0.0, None)
    pooled = joint({"rounded": [told]}, CERTAIN, Prior(found.share, found.u)).under["rounded"]
    low, high = pooled.quantile(0.1587), pooled.quantile(0.8413)
    assert pooled.quantile(0.5) == pytest.approx(1.07493, abs=2e-4)
    assert (high - low) / 2 == pytest.approx(0.01448, abs=2e-4)
    assert 100 * pooled.flow == pytest.approx(93.03, abs=0.02)


def test_what_rolls_share_with_a_cube_is_not_counted_twice():
    """Rolls read with the same jaws are off by what this cube is off by: together they are no surer
    of it than their own parts are, and jaws of another kind let both help."""
    measured = [roll._replace(delivered_mm=0.8, accuracy_mm=0.02, instrument="calipers")
                for roll in ROLLS]  # fmt: skip
    found = kindred(measured)
    kappa = math.hypot(0.010, 0.02 / 3**0.5) / 0.8
    assert found.bench_u == pytest.approx(kappa)
    assert found.flow_u95 == pytest.approx(
        NORMAL95 * math.hypot(found.u, kappa) / found.share**2, rel=1e-6
    )
    cube = [wall([0.88] * 8, 2, *[H * 0.4, 0.4])]
    us = []
    for jaws in ("calipers", "micrometer"):
        row = found.as_row._replace(instrument=jaws)
        us.append(joint({"rounded": [*cube, row]}, CERTAIN, FLAT).under["rounded"].share_u95)
    assert us[0] > 1.05 * us[1]


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
            apart = 0.44 - C
            own = share * rng.gauss(1, 0.010)
            bare = DosedWall(0, 0.005, 0.02, 3, flow * H * apart, apart, H, number, "calipers")
            return bare._replace(
                wall_mm=bare.lines_mm(own) + shared + rng.gauss(0, math.hypot(0.005, 0.007))
            )

        first, second = print_at(1.12, 1), print_at(1.05 / share, 2)
        known = Known(UNKNOWN, CERTAIN)
        judged = answer_of(known.of({"rounded": [first]}), None, Aim())
        (found,) = forecast([first], judged, [second], known)
        came += found.came_so
        widths.append(found.u95_mm)
    assert 182 <= came <= 200
    # Jaws and texture were there the first time, too: far less is open than they would make.
    assert sum(widths) / 200 < 1.96 * math.hypot(0.010, 0.02 / 3**0.5, 0.018, 0.018)
