"""What must hold of any plate: signs, shifts, order, and the weight of what is known."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.fit.compensation import judge_plate
from metier.core.fit.offsets import fit_offsets
from metier.core.fit.plate import Feature
from metier.core.measure.readings import Instrument

CALIPERS = Instrument(0.02, 0.02, 0.01)
SIZES = (4.0, 8.0, 14.0, 25.0)
ERRORS = st.lists(st.floats(-0.015, 0.015), min_size=8, max_size=8)


def plate(errors, hole=0.1, contour=0.05, scale=1.0, zero=0.0):
    sides = [("hole", -hole)] * 4 + [("post", contour)] * 4
    return [
        Feature(kind, size, (scale * size + 2 * side + error + zero,))
        for (kind, side), size, error in zip(sides, SIZES * 2, errors, strict=True)
    ]


@given(ERRORS)
def test_holes_are_enlarged_and_outlines_shrunk(errors):
    fit = fit_offsets(plate(errors), CALIPERS)
    assert fit.hole.per_side_mm > 0 > fit.contour.per_side_mm
    assert fit.hole.per_side_mm == pytest.approx(0.1, abs=fit.hole.u95_mm)
    assert -fit.contour.per_side_mm == pytest.approx(0.05, abs=fit.contour.u95_mm)


@given(ERRORS, st.floats(-0.05, 0.05))
def test_what_is_set_in_the_slicer_moves_what_is_left_to_type_by_as_much(errors, more):
    before = fit_offsets(plate(errors), CALIPERS)
    after = fit_offsets(plate(errors, hole=0.1 - more, contour=0.05 - more), CALIPERS)
    if not any(row.left_out for row in (*before.rows, *after.rows)):
        assert after.hole.per_side_mm == pytest.approx(before.hole.per_side_mm - more)
        assert after.contour.per_side_mm == pytest.approx(before.contour.per_side_mm + more)


@given(ERRORS, st.randoms(use_true_random=False))
def test_the_order_of_features_changes_nothing(errors, shuffler):
    drawn = plate(errors)
    mixed = list(drawn)
    shuffler.shuffle(mixed)
    one, other = fit_offsets(drawn, CALIPERS), fit_offsets(mixed, CALIPERS)
    assert one.hole.per_side_mm == pytest.approx(other.hole.per_side_mm)
    assert one.scale == pytest.approx(other.scale)
    assert one.hole.u95_mm == pytest.approx(other.hole.u95_mm)


@given(ERRORS, st.floats(-0.05, 0.05))
def test_the_zero_of_the_calipers_is_taken_off(errors, zero):
    shown = fit_offsets(plate(errors, zero=zero), CALIPERS._replace(zero_mm=zero))
    assert shown.hole.per_side_mm == pytest.approx(
        fit_offsets(plate(errors), CALIPERS).hole.per_side_mm
    )


@given(ERRORS)
def test_more_features_are_known_better_down_to_the_accuracy(errors):
    few = fit_offsets(plate(errors), CALIPERS)
    many = fit_offsets(plate(errors) * 6, CALIPERS)
    floor = 1.96 * 0.02 / 2 / math.sqrt(3)
    assert floor < many.hole.u95_mm < few.hole.u95_mm


@given(ERRORS, st.sampled_from([0.0, 0.002, 0.004]))
def test_x_and_y_are_told_apart_and_leave_the_offsets_alone(errors, longer):
    drawn = [
        feature._replace(
            axis="x" if place % 2 else "y",
            readings_mm=(
                feature.readings_mm[0]
                + (longer if place % 2 else -longer) / 2 * feature.nominal_mm,
            ),
        )
        for place, feature in enumerate(plate(errors))
    ]
    fit = fit_offsets(drawn, CALIPERS)
    if any(row.left_out for row in fit.rows):
        return
    assert fit.axes.difference_percent == pytest.approx(100 * longer, abs=fit.axes.u95_percent)
    assert fit.hole.per_side_mm == pytest.approx(0.1, abs=1.5 * fit.hole.u95_mm)


@given(ERRORS, st.floats(-0.2, 0.2), st.floats(-0.2, 0.2))
def test_what_is_typed_is_what_was_set_and_what_is_needed(errors, hole_set, contour_set):
    fit = fit_offsets(plate(errors), CALIPERS)
    finding = judge_plate(fit, hole_set, contour_set)
    assert finding.verdict.name == "correct"
    for typed, needed in ((finding.hole, fit.hole), (finding.contour, fit.contour)):
        assert typed.to_type_mm == pytest.approx(typed.set_mm + needed.per_side_mm, abs=0.0051)
        assert typed.change_mm == pytest.approx(needed.per_side_mm, abs=0.0051)


@pytest.mark.parametrize("gap", [0.02, 0.1, 0.5])
def test_pins_weigh_as_much_as_they_tell(gap):
    # One pair of pins against calipers that say otherwise: the wider the pair, the less it counts.
    drawn = [Feature("hole", 10.0, (9.8,)), Feature("hole", 10.0, go_mm=9.9 - gap / 2,
             no_go_mm=9.9 + gap / 2)]  # fmt: skip
    u_mm = max(0.02, gap / math.sqrt(12))
    weight = (0.02 / u_mm) ** 2
    expected = (9.8 + weight * 9.9) / (1 + weight)
    fit = fit_offsets(drawn, CALIPERS)
    assert fit.hole.per_side_mm == pytest.approx((10 - expected) / 2, abs=1e-3)


@pytest.mark.parametrize(
    ("off_mm", "repeatability_mm", "answer"),
    [(0.01, 0.03, "keep"), (0.01, 0.08, "unclear"), (0.3, 0.03, "correct")],
)
def test_an_offset_within_its_u_is_kept_only_where_u_is_small(off_mm, repeatability_mm, answer):
    plate = [Feature("hole", size, (size - off_mm,)) for size in (6.0, 10.0)]
    fit = fit_offsets(plate, Instrument(repeatability_mm, 0.02, 0.01))
    # From 0.05 mm on, nothing is known of so small an offset.
    assert (fit.hole.u95_mm > 0.05) == (answer == "unclear")
    assert fit.hole.u95_mm < 0.08
    assert judge_plate(fit, 0.0, 0.0).hole.answer == answer
