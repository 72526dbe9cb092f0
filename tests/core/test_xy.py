"""Hole and contour compensation: worked numbers, coverage on synthetic plates, odd features."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.core.fit.compensation import bound_note, direction, judge_plate
from metier.core.fit.offsets import fit_offsets
from metier.core.fit.plate import (
    PLATES_MM,
    Feature,
    Repeated,
    plates_differ_mm,
    shrinks_mm,
    size_of,
)
from metier.core.measure.readings import Instrument
from metier.core.measure.student import NORMAL95, t95

CALIPERS = Instrument(0.03, 0.03, 0.01)
HOLES = {4: 3.79, 6: 5.80, 10: 9.82, 16: 15.80}
POSTS = {4: 4.09, 6: 6.10, 10: 10.08, 16: 16.09}


def plate(holes=HOLES, posts=POSTS, **more):
    return [
        *(Feature("hole", nominal, (size,), **more) for nominal, size in holes.items()),
        *(Feature("post", nominal, (size,), **more) for nominal, size in posts.items()),
    ]


def test_worked_numbers():
    fit = fit_offsets(plate(), CALIPERS)
    assert fit.hole.per_side_mm == pytest.approx(0.0978, abs=5e-5)
    assert fit.contour.per_side_mm == pytest.approx(-0.0460, abs=5e-5)
    assert fit.scale == pytest.approx(0.99978, abs=5e-6)
    assert fit.kappa_mm2 == pytest.approx(0.0365, abs=5e-5)
    assert not fit.freed
    # A smaller hole than the plate's needs more, by κ over its size.
    small = fit_offsets(plate(), CALIPERS, for_mm=2.0).hole.per_side_mm
    large = fit_offsets(plate(), CALIPERS, for_mm=20.0).hole.per_side_mm
    assert small - large == pytest.approx(fit.kappa_mm2 * (1 / 2 - 1 / 20))
    assert not any(row.left_out for row in fit.rows)


@pytest.mark.slow
@pytest.mark.parametrize("scale", [0.990, 0.995, 0.998, 1.0])
def test_the_intervals_cover_the_truth(scale):
    noise = np.random.default_rng(20)
    covered = np.zeros(2)
    seeds = 1000
    for _ in range(seeds):
        hole, contour = noise.uniform(-0.15, 0.15, 2)
        bias, kappa = noise.uniform(-0.03, 0.03), noise.normal(0, 0.15)
        plates = noise.normal(0, 0.012, 2)
        sizes = np.array([4.0, *np.sort(noise.uniform(5, 39, 2)).round(1), 40.0])
        sides = {"hole": plates[0] - hole - kappa / sizes, "post": plates[1] + contour + 0 * sizes}
        drawn = [
            Feature(kind, n, (round(scale * n + 2 * side + bias + noise.normal(0, 0.03), 2),))
            for kind, shifts in sides.items()
            for n, side in zip(sizes, shifts, strict=True)
        ]
        fit = fit_offsets(drawn, CALIPERS)
        hole += kappa * sum(1 / n for n in sizes) / len(sizes)
        covered += [
            abs(fit.hole.per_side_mm - hole) <= fit.hole.u95_mm,
            abs(fit.contour.per_side_mm + contour) <= fit.contour.u95_mm,
        ]
    assert all(0.92 <= share <= 0.99 for share in covered / seeds), covered


@given(
    st.floats(-0.15, 0.15), st.floats(-0.15, 0.15), st.floats(0.99, 0.997),
    st.sampled_from([(4, 10, 20, 40), (5, 12, 25, 38)]),
)  # fmt: skip
def test_exact_plates_are_recovered(hole, contour, scale, sizes):
    drawn = [Feature("hole", n, (scale * n - 2 * hole,)) for n in sizes]
    drawn += [Feature("post", n, (scale * n + 2 * contour,)) for n in sizes]
    fit = fit_offsets(drawn, CALIPERS)
    assert fit.freed
    assert fit.scale == pytest.approx(scale)
    assert fit.hole.per_side_mm == pytest.approx(hole, abs=1e-9)
    assert fit.contour.per_side_mm == pytest.approx(-contour, abs=1e-9)


def test_the_scale_is_freed_only_where_it_is_shown():
    def scaled(scale, sizes):
        return [
            Feature(kind, n, (scale * n + 2 * side,))
            for kind, side in (("hole", -0.1), ("post", 0.05))
            for n in sizes
        ]

    assert fit_offsets(scaled(0.995, (4, 10, 20)), CALIPERS).freed
    assert not fit_offsets(scaled(1.01, (4, 10, 20)), CALIPERS).freed  # nothing grows
    assert not fit_offsets(scaled(0.995, (4, 6, 9)), CALIPERS).freed  # too short a span
    assert not fit_offsets(scaled(0.995, (4, 20)), CALIPERS).freed  # two sizes only
    bent = [
        Feature(kind, n, (scale * n,))
        for kind, scale in (("hole", 0.99), ("post", 0.999))
        for n in (4, 10, 20, 30)
    ]
    assert not fit_offsets(bent, CALIPERS).freed  # the kinds disagree
    assert fit_offsets(scaled(1.01, (4, 20)), CALIPERS, free_scale=True).freed
    with pytest.raises(BadInput, match="one size"):
        fit_offsets(scaled(1, (10,)), CALIPERS, free_scale=True)


def test_one_kind_alone_gives_that_one():
    fit = fit_offsets(plate(posts={}), CALIPERS)
    assert fit.contour is None
    assert fit.hole.per_side_mm == pytest.approx(0.1, abs=5e-3)


def test_a_hole_that_closes_up_does_not_drag_the_rest():
    fit = fit_offsets(plate({**HOLES, 12: 11.4}), CALIPERS)
    assert [row.measured.feature.nominal_mm for row in fit.rows if row.left_out] == [12]
    assert fit.hole.per_side_mm == pytest.approx(0.0978, abs=4e-3)
    assert fit.hole_with_all.per_side_mm > fit.hole.per_side_mm + 0.01
    notes = " ".join(judge_plate(fit, 0.0, 0.0).notes)
    assert "hole 12 is 0.41 mm smaller" in notes
    assert "with all features it would be hole +0.1" in notes


def test_jaws_facets_and_pins():
    # A land of 0.8 in a hole of 4: the chord is short by what Pythagoras says.
    chord = (4**2 - 0.8**2) ** 0.5
    assert size_of(Feature("hole", 4, (chord,), jaw_land_mm=0.8), 0.02).size_mm == pytest.approx(4)
    pinned = size_of(Feature("hole", 10, go_mm=9.7, no_go_mm=9.9, facets=8), 0.02)
    assert pinned.drawn_mm == pytest.approx(9.2388, abs=1e-4)
    assert (pinned.size_mm, pinned.u_mm) == pytest.approx((9.8, 0.2 / 12**0.5))
    assert "between 9.24 and 10" in size_of(Feature("hole", 10, (9.7,), facets=8), 0.02).note
    jawed = size_of(Feature("hole", 10, (9.7,), facets=16), 0.0)
    assert (jawed.drawn_mm, jawed.u_mm) == pytest.approx((9.90393, 0.05547), abs=5e-6)
    # A coarse pair of pins says less than calipers and weighs less.
    coarse = Feature("hole", 10, go_mm=9.0, no_go_mm=10.0)
    fit = fit_offsets([*plate(posts={}), coarse], CALIPERS)
    assert fit.hole.per_side_mm == pytest.approx(0.099, abs=3e-3)


def test_angles_enter_once():
    once = fit_offsets(plate(), CALIPERS)
    features = [one._replace(readings_mm=(*one.readings_mm, *one.readings_mm)) for one in plate()]
    assert fit_offsets(features, CALIPERS).hole == once.hole
    oval = Feature("hole", 20, (19.7, 19.9))
    row = fit_offsets([*plate(), oval], CALIPERS).rows[-1]
    assert row.measured.size_mm == pytest.approx(19.8)
    assert row.measured.out_of_round_mm == pytest.approx(0.2)


def test_axes_lips_and_what_did_not_print():
    features = [
        Feature("post", n, (n * (1.002 if axis == "x" else 0.998) + 0.08,), axis=axis)
        for n in (20, 40)
        for axis in ("x", "y")
    ]
    features += [
        Feature("post", 10, (10.08,)),
        Feature("post", 10, (10.40,), foot=True),
        Feature("hole", 10, (9.80,)),
        Feature("hole", 10, (9.60,), foot=True),
        Feature("hole", 1, missing=True),
        Feature("post", 0.8, missing=True),
    ]
    fit = fit_offsets(features, CALIPERS)
    assert fit.axes.differ
    assert fit.axes.difference_percent == pytest.approx(0.4, abs=0.01)
    assert dict(fit.lips) == pytest.approx({"post 10": 0.16, "hole 10": 0.10})
    assert fit.smallest == {"hole": 10, "post": 10}
    notes = " ".join(judge_plate(fit, 0.0, 0.0).notes)
    for said in ("matter of the axes", "bulges by 0.16", "hole 1 did not print", "post 0.8 did"):
        assert said in notes


@pytest.mark.parametrize(
    ("hole_set", "contour_set", "hole", "contour"),
    [(0.0, 0.0, 0.10, -0.05), (0.05, -0.10, 0.15, -0.15), (-0.02, 0.02, 0.08, -0.03)],
)
def test_what_was_set_is_added(hole_set, contour_set, hole, contour):
    finding = judge_plate(fit_offsets(plate(), CALIPERS), hole_set, contour_set)
    assert finding.verdict.name == "correct"
    assert (finding.hole.to_type_mm, finding.contour.to_type_mm) == (hole, contour)


def test_verdicts():
    exact = fit_offsets(plate({n: n for n in HOLES}, {n: n for n in POSTS}), CALIPERS)
    kept = judge_plate(exact, 0.1, -0.05)
    assert (kept.verdict.name, kept.hole.to_type_mm, kept.contour.to_type_mm) == (
        "keep", 0.1, -0.05,
    )  # fmt: skip
    grown = fit_offsets(plate({n: 1.01 * n for n in HOLES}, {n: 1.01 * n for n in POSTS}), CALIPERS)
    assert judge_plate(grown, 0, 0).verdict.name == "recheck"
    rough = fit_offsets(plate({4: 3.5, 6: 6.2, 10: 9.4}, {4: 4.5, 6: 5.8, 10: 10.6}), CALIPERS)
    assert judge_plate(rough, 0, 0).verdict.name == "recheck"
    lone = fit_offsets([Feature("hole", 10, go_mm=9.8, no_go_mm=10.1)], CALIPERS)
    unsure = judge_plate(lone, 0, 0)
    assert (unsure.verdict.name, unsure.hole.to_type_mm) == ("unclear", None)


def test_directions_in_words():
    assert direction("hole", -0.02) == "shrink holes by 0.02 mm per side"
    assert direction("post", 0.031) == "enlarge outlines by 0.03 mm per side"


@pytest.mark.parametrize(
    ("feature", "said"),
    [
        (Feature("hole", 10, (4.9,)), "about half: a radius\\? then type 9.8"),
        (Feature("post", 10, (20.1,)), "was 10 a radius\\? then type 20=20.1"),
        (Feature("hole", 10, (98.2,)), "was it 9.82"),
        (Feature("hole", 10, (0.387,)), "in inches"),
        (Feature("hole", 10, go_mm=9.9, no_go_mm=9.8), "swapped"),
        (Feature("hole", 10, go_mm=9.9), "give both"),
        (Feature("post", 10, go_mm=9.8, no_go_mm=9.9), "pins go into holes"),
        (Feature("hole", 10, (9.8,), facets=2), "three at least"),
        (Feature("hole", 2, (1.9,), jaw_land_mm=3), "do not go into it"),
        (Feature("hole", 0, (1.9,)), "above zero"),
    ],
)
def test_impossible_features_are_refused(feature, said):
    with pytest.raises(BadInput, match=said):
        fit_offsets([feature], CALIPERS)


def test_nothing_measured_is_refused():
    with pytest.raises(BadInput, match="nothing was measured"):
        fit_offsets([Feature("hole", 1, missing=True)], CALIPERS)


def test_a_warm_part_is_measured_too_large():
    assert shrinks_mm(20.0, "pla", 45.0) == pytest.approx(-0.034)
    assert shrinks_mm(20.0, "PLA", 20.0) == 0
    with pytest.raises(BadInput, match="how much wood expands is not known"):
        shrinks_mm(20.0, "wood", 45.0)
    with pytest.raises(BadInput, match="from -20 to 120"):
        shrinks_mm(20.0, "PLA", 450.0)


def test_plates_that_differ_are_learnt_from_repeats():
    assert plates_differ_mm([]) == pytest.approx(0.012)
    # (5 · 0.012² + 0.03²/2 · 1) / 6
    apart = [Repeated(0.10, 0.0), Repeated(0.13, 0.0)]
    assert plates_differ_mm([apart]) == pytest.approx(math.sqrt((5 * 0.012**2 + 0.00045) / 6))
    # What the fits leave open is not held against the plates.
    vague = [one._replace(u_fit_mm=0.03) for one in apart]
    assert plates_differ_mm([vague, [Repeated(0.0, 0.0)]]) < 0.012
    plate = [Feature("hole", n, (n - 0.2,)) for n in (4.0, 6.0, 10.0)]
    known, wide = (fit_offsets(plate, CALIPERS, plates_mm=one).hole for one in (0.012, 0.03))
    assert wide.u95_mm > known.u95_mm + 0.01
    assert wide.influences[0].name == "plates"


def test_a_gauge_that_goes_is_held_against_what_the_others_let_expect():
    fit = fit_offsets(plate(), CALIPERS)
    # Both sides of a hole are off, and so is the ± of both.
    expected_mm = 10 - 2 * fit.hole.per_side_mm
    just_mm = expected_mm + 2 * fit.hole.u95_mm
    for beyond_mm, said in (
        (-0.005, f"by the others it is {expected_mm:.2f}, which agrees"),
        (0.005, f"by the others it should be {expected_mm:.2f}: look at both again"),
    ):
        note = bound_note(Feature("hole", 10, (), go_mm=just_mm + beyond_mm), fit)
        assert note.endswith(said)


def test_jaws_that_are_off_are_off_on_both_sides_alike():
    """A limit of ±a on the diameter is a/2 a side, rectangular (JCGM 100:2008, 4.3.7)."""
    parts = {one.name: one.u95 for one in fit_offsets(plate(), CALIPERS).hole.influences}
    assert parts["calipers"] == pytest.approx(NORMAL95 * CALIPERS.accuracy_mm / 2 / math.sqrt(3))
    assert parts["plates"] == pytest.approx(NORMAL95 * PLATES_MM)


def along(axis, kind, sizes, scale, offset_mm):
    """Features of a kind along an axis that comes out at a scale, their compensation apart."""
    return [Feature(kind, size, (scale * size + offset_mm,), axis=axis) for size in sizes]


def test_the_steps_of_an_axis_are_told_by_sizes_along_it_whatever_the_compensation():
    """The slope within each kind, by NumPy; heights of posts tell z, and bear on nothing else."""
    features = [
        *along("x", "hole", (10, 20, 40), 0.992, -0.21),
        *along("x", "post", (10, 20, 40), 0.992, 0.13),
        *along("y", "post", (10, 30), 1.0005, 0.13),
    ]
    heights = along("z", "post", (5, 10, 40), 1.006, 0.2)
    fit, without = (fit_offsets(part, CALIPERS) for part in (features + heights, features))
    assert (fit.hole, fit.contour) == (without.hole, without.contour)
    told = {slope.axis: slope for slope in fit.slopes}
    assert {axis: slope.shows for axis, slope in told.items()} == {"x": True, "y": False, "z": True}
    assert told["z"].slope == pytest.approx(1.006)
    assert told["z"].steps_factor == pytest.approx(1 / 1.006)
    spread = 3 * np.var([5, 10, 40])
    assert told["z"].u95 == pytest.approx(
        t95(5 + 3 - 2) * 0.03 * math.sqrt(5 / 6) / math.sqrt(spread), rel=1e-3
    )
    notes = " ".join(judge_plate(fit, 0.0, 0.0).notes)
    assert "along x come out -0." in notes
    assert "print a second plate before you type that" in notes
    # One size tells no slope.
    assert fit_offsets(plate(), CALIPERS).slopes == ()
