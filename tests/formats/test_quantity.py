"""Numbers as people type them."""

import math
from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.formats import quantity


@pytest.mark.parametrize("typed", ["0.47", "0,47", ".47", " 0.47 ", "0.47mm", "0.47 mm", "+0.47"])
def test_lengths(typed):
    assert quantity.read_length_mm(typed, "wall") == pytest.approx(0.47)


@pytest.mark.parametrize("typed", ["0.0185in", '0.0185"', "0,0185 in", "0.0185 IN"])
def test_inches(typed):
    assert quantity.read_length_mm(typed, "wall") == pytest.approx(0.4699)


@pytest.mark.parametrize(
    "typed",
    ["", " ", "abc", "nan", "inf", "-inf", "0", "-0.47", "1e-3", "1_0", "0.4.7", "0,4,7", "0x1f",
     "4 7", "0.47cm", "٠٫٤٧", "9" * 400, "200000", "in", "."],
)  # fmt: skip
def test_what_is_no_length_is_refused_and_named(typed):
    with pytest.raises(BadInput, match="wall"):
        quantity.read_length_mm(typed, "wall")


def test_zero_and_negative_only_where_they_make_sense():
    assert quantity.read_length_mm("0", "left", True) == 0
    assert quantity.read_signed_length_mm("-0,02", "zero") == -0.02
    with pytest.raises(BadInput, match="zero or above"):
        quantity.read_length_mm("-1", "left", True)


@pytest.mark.parametrize(
    ("typed", "ratio"),
    [("93", 0.93), ("93 %", 0.93), ("93%", 0.93), ("0.93x", 0.93), ("0,93 x", 0.93), ("1×", 1.0),
     ("92.5", 0.925), ("35", 0.35), ("1.05X", 1.05)],
)  # fmt: skip
def test_flows(typed, ratio):
    assert quantity.read_flow(typed) == pytest.approx(ratio)


@pytest.mark.parametrize(
    ("typed", "hint"),
    [("0.93", "0.93x"), ("1.0", "100 for percent"), ("1", "1x"), ("9.3", "was it 93 %"),
     ("930", "10 to 300"), ("93x", "10 to 300"), ("-93", "above zero"), ("0", "above zero"),
     ("full", "0.93x"), ("93 mm", "0.93x")],
)  # fmt: skip
def test_flows_that_are_refused_with_a_hint(typed, hint):
    with pytest.raises(BadInput, match="--flow") as refused:
        quantity.read_flow(typed)
    assert hint in str(refused.value)


@pytest.mark.parametrize("typed", ["0", "1.5", "21", "-1", "one", "", "9" * 30])
def test_counts_that_are_refused(typed):
    with pytest.raises(BadInput, match="walls"):
        quantity.read_count(typed, "walls", 20)


@given(st.text(max_size=12))
def test_any_text_is_a_finite_number_or_refused(typed):
    for read in (quantity.read_signed_length_mm, quantity.read_flow, quantity.read_positive):
        with suppress(BadInput):
            assert math.isfinite(read(typed, "it"))
