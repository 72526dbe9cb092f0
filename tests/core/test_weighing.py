"""A scale beside the walls: worked numbers, and what each witness is blind to."""

import math

import pytest
from GTC import uncertainty, ureal, value

from metier.core.errors import BadInput
from metier.core.flow.trials import DosedWall
from metier.core.line.bead import rounding_mm
from metier.core.measure.instruments import Scale, weighed
from metier.core.measure.readings import Estimate
from metier.core.measure.student import NORMAL95
from metier.core.weighing import Diameters, WallWitness, judge_print, strand_of, weigh

STRAND = strand_of(weighed([2.953, 2.953], Scale()), 1000)
MASS = weighed([12.31], Scale())
BAND = (-0.02, 0.03)


def test_worked_numbers():
    found = weigh(MASS, STRAND, 4123.0, Diameters(), 412)
    assert STRAND.g_per_mm == pytest.approx(0.002953)
    assert (found.ratio, found.ratio_u95) == pytest.approx((1.01107, 0.0046), abs=5e-5)
    assert 100 * found.flow_new == pytest.approx(98.91, abs=0.005)
    assert found.steps_new == pytest.approx(412 / found.ratio)
    thin = weigh(MASS, STRAND, 4123.0, Diameters(1.75, 1.742))
    assert (thin.share, 100 * thin.flow_new) == pytest.approx((1.00185, 99.82), abs=5e-3)


def test_uncertainty_is_that_of_the_oracle():
    diameters = Diameters(1.75, 1.742, 0.02)
    found = weigh(MASS, STRAND, 4123.0, diameters)
    two = weighed([2.953, 2.953], Scale())
    share = (
        ureal(MASS.value, MASS.u)
        / (ureal(two.value, two.u) / ureal(1000, 1 / 3**0.5))
        / 4123.0
        * (ureal(1.742, 0.02 / NORMAL95) / 1.75) ** 2
    )
    assert found.share == pytest.approx(value(share))
    assert found.share_u95 == pytest.approx(NORMAL95 * uncertainty(share), rel=1e-6)


def walls_with(texture_mm, share=1.0):
    """Three lines and one, 0.6 x 0.24 mm, rich enough to touch, read without noise."""
    apart_mm = 0.6 - rounding_mm(0.24)
    return tuple(
        DosedWall(
            n * 1.08 * share * apart_mm + rounding_mm(0.24) + texture_mm,
            *(0.005, 0.01, n, 1.08 * apart_mm * 0.24, apart_mm, 0.24, 1),
        )
        for n in (3, 1)
    )


def test_texture_that_walls_take_for_flow_is_found_by_weight():
    share_of_walls = 1.02
    witness = WallWitness(share_of_walls, 0.03, walls_with(0.03), same_print=True)
    mass = Estimate(0.002953 * 4123.0, 0.007, 9, 0.014, 1, 0.0)
    found = weigh(mass, STRAND, 4123.0, Diameters(1.75, 1.75, 0.004), walls=witness)
    assert found.beside.agree
    assert found.beside.texture.mm == pytest.approx(0.03, abs=0.001)
    assert found.beside.texture.unusual
    said = " ".join(judge_print(STRAND, found, 1.0, Diameters(1.75, 1.75), False, BAND).notes)
    assert "walls alone take for flow" in said
    usual = witness._replace(walls=walls_with(0.008))
    found = weigh(mass, STRAND, 4123.0, Diameters(1.75, 1.75, 0.004), walls=usual)
    assert not found.beside.texture.unusual


@pytest.mark.parametrize(
    ("flow_set", "share", "verdict"),
    [
        (1.0, 1.0, "keep"),
        (0.95, 1.0, "correct"),
        (1.0, 1.03, "unclear"),
        # Outside of the band, but not surely.
        (1.0, 1.0305, "unclear"),
        (1.0, 1.035, "correct"),
        (1.0, 1.8, "recheck"),
    ],
)
def test_verdicts(flow_set, share, verdict):
    mass = Estimate(share * 0.002953 * 4123.0, 0.007, 9, 0.014, 1, 0.0)
    found = weigh(mass, STRAND, 4123.0, Diameters())
    assert judge_print(STRAND, found, flow_set, Diameters(), False, BAND).verdict.name == verdict


def test_foaming_grows_by_walls_over_weight():
    mass = Estimate(0.5 * 0.002953 * 8246.0, 0.007, 9, 0.014, 1, 0.0)
    found = weigh(mass, STRAND, 4123.0, Diameters(), walls=WallWitness(1.6, 0.05, ()), foaming=True)
    assert (found.grown, found.beside) == (pytest.approx(1.6), None)
    judged = judge_print(STRAND, found, 0.6, Diameters(), True, BAND)
    assert judged.verdict.name == "keep"


@pytest.mark.parametrize(
    ("mass_g", "said"), [(1.231, "was it 12.31 g"), (123.1, "was it 12.31 g"), (0, "nowhere near")]
)
def test_slips_are_named(mass_g, said):
    with pytest.raises(BadInput, match=said):
        weigh(Estimate(mass_g, 0.007, 9, 0.014, 1, 0.0), STRAND, 4123.0, Diameters())
    with pytest.raises(BadInput, match="no filament"):
        strand_of(weighed([29.53], Scale()), 1000)


def test_the_u_of_a_flow_is_that_of_its_reciprocal():
    """A flow is one over a share: far from 1, their ± differ (JCGM 100:2008, 5.1.2)."""
    found = weigh(weighed([15.4], Scale()), STRAND, 4123.0, Diameters(1.75, 1.742, 0.02), 412)
    share = ureal(found.share, found.share_u95 / NORMAL95)
    assert found.share > 1.2
    assert found.flow_new_u95 == pytest.approx(NORMAL95 * uncertainty(1 / share), rel=1e-9)
    assert found.steps_new_u95 == pytest.approx(412 * found.ratio_u95 / found.ratio**2, rel=1e-9)
    walls = WallWitness(1.25, 0.04, ())
    oracle = 1 / ureal(walls.share, walls.u95)
    assert (walls.flow, walls.flow_u95) == pytest.approx((value(oracle), uncertainty(oracle)))
    together = math.hypot(*(one.u95 for one in found.influences))
    assert together == pytest.approx(found.flow_new_u95, rel=1e-9)
