"""A scale beside the walls: worked numbers, and what each witness is blind to."""

import math

import pytest
from GTC import uncertainty, ureal, value

from metier.core.errors import BadInput
from metier.core.flow.rows import ToldShare
from metier.core.measure.instruments import Scale, weighed
from metier.core.measure.readings import Estimate
from metier.core.measure.student import NORMAL95
from metier.core.weighing import (
    Delivered,
    WallWitness,
    beside_walls,
    density_of,
    judge_fed,
    refuse_other_print,
    strand_of,
    weigh,
    weighing_notes,
)

STRAND = strand_of(weighed([2.953, 2.953], Scale()), 1000)
MASS = weighed([12.31], Scale())
PLA = density_of("PLA", None, None, 1.75, 0.02)
LIMIT = 1 / 3**0.5


def test_worked_numbers():
    one = strand_of(weighed([2.953], Scale()), 1000)
    found = weigh(MASS, 4123.0, density=PLA, strand=one, steps=412)
    assert one.g_per_mm == pytest.approx(0.002953)
    assert (found.delivered.ratio, found.delivered.ratio_u95) == pytest.approx(
        (1.01107, 0.0204), abs=5e-5
    )
    assert found.delivered.steps_new == pytest.approx(412 / 1.01107, abs=2e-3)
    assert found.told.value == pytest.approx(1.00106, abs=1e-5)
    assert math.hypot(found.told.whole_u / found.told.value, 0.01) == pytest.approx(
        0.01804, abs=1e-5
    )


def test_uncertainty_is_that_of_the_oracle():
    """Mass, strand, length and diameter through the formulas themselves, by GTC."""
    g, length = (
        ureal(STRAND.g_per_mm * 1000, weighed([2.953, 2.953], Scale()).u),
        ureal(1000, LIMIT),
    )
    mass, diameter = ureal(MASS.value, MASS.u), ureal(1.742, 0.008)
    density = density_of(None, None, STRAND, 1.742, 0.008)
    exact = 4000 * g / (length * math.pi * diameter**2)
    assert (density.g_cm3, density.g_cm3 * density.u) == pytest.approx(
        (value(exact), uncertainty(exact)), rel=1e-6
    )
    found = weigh(MASS, 4123.0, density=density, strand=STRAND, steps=412)
    share = mass / (exact * 4123.0 * math.pi * 1.75**2 / 4000)
    assert (found.told.value, found.told.whole_u) == pytest.approx(
        (value(share), uncertainty(share)), rel=1e-6
    )
    steps = 412 / (mass / (g / length) / 4123.0 * ureal(1, 0.010))
    assert found.delivered.steps_new == pytest.approx(value(steps))
    assert found.delivered.steps_u95 == pytest.approx(NORMAL95 * uncertainty(steps), rel=1e-6)
    together = math.hypot(*(part.u95 for part in found.influences))
    assert together == pytest.approx(found.delivered.ratio_u95 / found.delivered.ratio, rel=1e-3)


def test_a_density_is_pooled_from_all_that_tells_it():
    """Weights of 1/u²: the maker's counts three and a half times as much as the material's."""
    both = density_of("pla", 1.28, None, 1.75, 0.02)
    weights = [1 / (0.015 * 1.24) ** 2, 1 / (0.008 * 1.28) ** 2]
    assert both.g_cm3 == pytest.approx((weights[0] * 1.24 + weights[1] * 1.28) / sum(weights))
    assert both.u == pytest.approx(1 / sum(weights) ** 0.5 / both.g_cm3)
    assert density_of("PLA", 1.28, STRAND, 1.75, 0.004).u < both.u
    assert density_of("wood", None, None, 1.75, 0.02) is None


@pytest.mark.parametrize(
    ("ratio", "u", "verdict"),
    [
        (1.0, 0.010, "keep"),
        (1.07, 0.010, "correct"),
        (1.03, 0.010, "unclear"),
        # Outside of the band, but not surely.
        (1.032, 0.010, "unclear"),
        (1.038, 0.010, "correct"),
        (1.8, 0.010, "recheck"),
        (1.0, 0.030, "unclear"),
    ],
)
def test_verdicts_on_what_was_fed(ratio, u, verdict):
    assert judge_fed(Delivered(ratio, u, None)).name == verdict


def test_walls_and_scale_disagree_beyond_the_root_of_the_squares_of_their_u():
    told = ToldShare(1.0, 0.003, 0.008)
    apart = math.hypot(0.04, NORMAL95 * math.hypot(0.003, 0.008, 0.010))
    assert beside_walls(told, WallWitness(1 + 0.99 * apart, 0.04, 4)).agree
    beside = beside_walls(told, WallWitness(1 + 1.01 * apart, 0.04, 4))
    assert (beside.agree, beside.u95) == (False, pytest.approx(apart))
    said = " ".join(weighing_notes(1.0, False, beside, False))
    assert "walls say more than the scale" in said
    assert "strings, blobs" in said


def test_a_scale_that_shows_another_print_is_no_matter_of_flow():
    assert refuse_other_print(1.0) is None
    assert refuse_other_print(1.5).name == "recheck"


@pytest.mark.parametrize(
    ("mass_g", "said"), [(1.231, "was it 12.31 g"), (123.1, "was it 12.31 g"), (0, "nowhere near")]
)
def test_slips_are_named(mass_g, said):
    with pytest.raises(BadInput, match=said):
        weigh(Estimate(mass_g, 0.007, 9, 0.014, 1, 0.0), 4123.0, strand=STRAND)
    with pytest.raises(BadInput, match="no filament"):
        strand_of(weighed([29.53], Scale()), 1000)
    with pytest.raises(BadInput, match="density is not known"):
        weigh(MASS, 4123.0)
