"""The strand against the slicer's diameter."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from metier.core.diameter import judge_diameter
from metier.core.errors import BadInput
from metier.core.measure.instruments import CHECKED_MM, Named, check_against, figures

STRAND = figures("calipers", "strand")


@pytest.mark.parametrize(
    ("places_mm", "mean", "out_of_round", "verdict"),
    [
        ([[1.75]], 1.75, None, "keep"),
        ([[1.74, 1.72], [1.73, 1.71]], 1.725, 0.02 - 1.128 * 0.012, "unclear"),
        ([[1.69, 1.70], [1.70, 1.69]], 1.695, 0.0, "correct"),
        ([[1.75, 1.75], [1.75]], 1.75, 0.0, "keep"),
        # Over 0.05 mm along the strand defies any single value.
        ([[1.72], [1.77]], 1.745, None, "unclear"),
        ([[1.72], [1.771]], 1.7455, None, "recheck"),
    ],
)
def test_verdicts(places_mm, mean, out_of_round, verdict):
    found = judge_diameter(places_mm, 1.75, STRAND)
    assert found.diameter.value == pytest.approx(mean)
    assert found.verdict.name == verdict
    if out_of_round is None:
        assert found.out_of_round_mm is None
    else:
        assert found.out_of_round_mm == pytest.approx(out_of_round)


def test_a_strand_is_pooled_with_what_its_maker_says_unless_they_contradict():
    found = judge_diameter([[1.75, 1.74], [1.75, 1.76], [1.74, 1.75]], 1.75, STRAND)
    assert (found.diameter.value, found.diameter.u) == pytest.approx((1.74833, 0.01225), abs=5e-6)
    assert (found.mm, found.u95_mm) == pytest.approx((1.74879, 0.0205), abs=5e-5)
    # By the normal distribution of the area about the slicer's.
    u = 2 * found.u95_mm / 1.96 * found.mm / 1.75**2
    off = (found.mm / 1.75) ** 2 - 1
    chance = stats.norm.cdf(0.02, off, u) - stats.norm.cdf(-0.02, off, u)
    assert found.sure == pytest.approx(chance, abs=1e-6)
    # Two joint u apart they are pooled, and beyond that the readings count alone.
    apart_mm = 2 * math.hypot(found.diameter.u, 0.02)
    near, far = (
        judge_diameter([[mm, mm]] * 3, 1.75, STRAND)
        for mm in (1.75 - 0.97 * apart_mm, 1.75 - 1.03 * apart_mm)
    )
    assert near.pooled
    assert (far.pooled, far.mm) == (False, far.diameter.value)
    assert "they count alone" in " ".join(far.notes)
    # What makes the ± adds up to it, the maker's word among it.
    together = math.hypot(*(part.u95 for part in found.influences))
    assert together == pytest.approx(found.u95_mm, rel=0.01)


@given(st.floats(1.5, 2.0), st.floats(1.6, 1.9))
def test_the_flow_factor_makes_up_for_the_cross_section(diameter_mm, slicer_mm):
    found = judge_diameter([[diameter_mm]], slicer_mm, STRAND)
    assert found.flow_factor * found.mm**2 == pytest.approx(slicer_mm**2)
    # Twice the relative uncertainty: the area goes with the square.
    assert found.flow_factor_u95 / found.flow_factor == pytest.approx(2 * found.u95_mm / found.mm)


@pytest.mark.parametrize("places_mm", [[], [[]], [[17.5]], [[0.175]], [[0.069]]])
def test_what_is_no_strand_is_refused(places_mm):
    with pytest.raises(BadInput):
        judge_diameter(places_mm, 1.75, STRAND)


def test_a_named_instrument_has_its_own_figures_where_they_count():
    own = Named("blue", "calipers", accuracy_mm=0.03, resolution_mm=0.02, zero_mm=-0.01)
    assert own.figures("wall") == (0.012, 0.03, 0.02, -0.01)
    # The pen mark is the larger trouble, and a zero cancels between two readings.
    assert own.figures("mark") == (0.25, 0.03, 0.02, 0.0)
    assert own._replace(accuracy_mm=0.001).figures("mark").accuracy_mm == 0.03
    assert Named("calipers", "calipers").figures("wall") == figures("calipers", "wall")


@pytest.mark.parametrize(
    ("readings_mm", "verdict"),
    [
        ([10.00, 10.01, 10.00], "keep"),
        ([10.02], "unclear"),
        ([10.03, 10.04, 10.03], "correct"),
        ([9.96, 9.96, 9.97], "correct"),
    ],
)
def test_a_gauge_tells_whether_calipers_can_be_believed(readings_mm, verdict):
    found = check_against(readings_mm, 10.0, STRAND._replace(accuracy_mm=CHECKED_MM["strand"]))
    assert found.verdict.name == verdict
    assert found.accuracy == pytest.approx(abs(found.off) + found.off_u95)
    with pytest.raises(BadInput):
        check_against([1.0], 10.0, STRAND)


def test_what_checking_calipers_would_gain_is_said_where_they_make_most_of_it():
    places = [[1.74, 1.73], [1.75, 1.74]]
    note = judge_diameter(places, 1.75, figures("calipers", "strand")).notes[-1]
    assert "would be 0.016 mm instead of 0.021" in note
    checked = figures("calipers", "strand")._replace(accuracy_mm=0.01)
    assert judge_diameter(places, 1.75, checked).notes == ()
