"""Mating parts and threads."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.core.fit.feel import FEELS, Pair, begin_of, judge_feel, opening
from metier.core.fit.thread import looser_classes, thread_of

PAIRS = [Pair(0.1, "press"), Pair(0.2, "snug"), Pair(0.3, "slide"), Pair(0.4, "loose")]


@pytest.mark.parametrize(
    ("want", "tighter", "fits", "ends"),
    [("press", None, 0.1, 0.2), ("snug", 0.1, 0.2, 0.3), ("slide", 0.2, 0.3, 0.4),
     ("loose", 0.3, 0.4, None)],
)  # fmt: skip
def test_where_a_feel_begins(want, tighter, fits, ends):
    begin = begin_of(PAIRS, want)
    assert (begin.tighter_mm, begin.fits_mm, begin.ends_mm) == (tighter, fits, ends)
    if tighter is not None:
        middle = (tighter + fits) / 2
        assert (begin.begins_mm, begin.u95_mm) == pytest.approx((middle, 0.098), abs=3e-3)
        # Where it has surely begun, and the next has not.
        high = begin.interval_mm[1]
        assert begin.sure_mm == (high if ends is None else min(high, ends - 0.01))
    assert begin.contradictory == ()


@pytest.mark.parametrize(
    ("tried", "begins", "low", "high"),
    [
        ("0.05 press 0.1 press 0.15 snug 0.2 snug 0.3 slide 0.4 loose", *(0.253, 0.160, 0.350)),
        # Pairs of one clearance that feel different are welcome.
        ("0.1 press 0.2 snug 0.2 slide 0.3 slide", 0.200, 0.123, 0.277),
    ],
)
def test_worked_feels(tried, begins, low, high):
    words = tried.split()
    pairs = [Pair(float(mm), feel) for mm, feel in zip(words[::2], words[1::2], strict=True)]
    begin = begin_of(pairs, "slide")
    assert begin.begins_mm == pytest.approx(begins, abs=5e-4)
    assert begin.interval_mm == pytest.approx((low, high), abs=1e-3)
    assert judge_feel(begin, "slide", high + 0.001).name == "keep"
    assert judge_feel(begin, "slide", low - 0.001).name == "correct"


@given(st.lists(st.tuples(st.integers(0, 40), st.sampled_from(FEELS)), min_size=2, max_size=8))
def test_only_pairs_out_of_order_are_contradictory(tried):
    pairs = [Pair(mm / 100, feel) for mm, feel in tried]
    ordered = sorted(pairs, key=lambda one: (one.clearance_mm, FEELS.index(one.feel)))
    ranks = [FEELS.index(one.feel) for one in ordered]
    agree = ranks == sorted(ranks) and all(
        one.clearance_mm != other.clearance_mm or one.feel == other.feel
        for one, other in pairwise(ordered)
    )
    assert (begin_of(pairs, "slide").contradictory == ()) == agree


@pytest.mark.parametrize(
    ("pairs", "designed", "verdict", "said"),
    [
        (PAIRS, None, "correct", "slide begins at 0.25 ± 0.099"),
        (PAIRS, 0.1, "correct", "0.15 mm too little"),
        (PAIRS, 0.14, "correct", "too little"),
        (PAIRS, 0.2, "unclear", "may or may not"),
        (PAIRS, 0.25, "unclear", "may or may not"),
        (PAIRS, 0.355, "keep", "enough"),
        (PAIRS, 0.5, "correct", "looser than slide"),
        (PAIRS[:2], 0.1, "unclear", "none is as loose"),
        (PAIRS[2:], 0.1, "unclear", "or below"),
        ([*PAIRS, Pair(0.05, "slide")], 0.1, "recheck", "0.05 slide, 0.1 press"),
    ],
)
def test_verdicts(pairs, designed, verdict, said):
    found = judge_feel(begin_of(pairs, "slide"), "slide", designed)
    assert found.name == verdict
    assert said in found.reason


def test_opening_in_shares():
    even = opening(0.2)
    assert (even.hole_mm, even.contour_mm) == (0.05, -0.05)
    mostly_holes = opening(0.2, 0.7)
    assert (mostly_holes.hole_mm, mostly_holes.contour_mm) == (0.07, -0.03)
    closing = opening(-0.1)
    assert (closing.hole_mm, closing.contour_mm) == pytest.approx((-0.02, 0.03), abs=0.011)


def test_one_pair_says_on_which_side_it_begins():
    one = begin_of(PAIRS[:1], "slide")
    assert one.begins_mm is None
    assert judge_feel(one, "slide", None).name == "unclear"
    # What is tighter than wanted leaves all above it possible, and nothing far below.
    assert one.interval_mm[0] > PAIRS[0].clearance_mm - 2 * 0.06
    assert "nothing was tried" in judge_feel(begin_of([], "slide"), "slide", 0.1).reason


@pytest.mark.parametrize(
    ("designation", "pitch_diameter", "allowance", "nut", "bolt"),
    [
        # ISO 965-1, tables of deviations and tolerances, in µm.
        ("M20x2.5 6H/6g", 18.376, 42, 224, 170),
        ("M3", 2.675, 20, 100, 75),
        ("M4x0.7 6H/6g", 3.545, 22, 118, 90),
        ("M5", 4.480, 24, 125, 95),
        ("M6 6H/6g", 5.350, 26, 150, 112),
        ("M8", 7.188, 28, 160, 118),
        ("M10 6H/6g", 9.026, 32, 180, 132),
        ("M12", 10.863, 34, 200, 150),
        ("M16 6G/6e", 14.701, 38 + 71, 212, 160),
        ("M20x1.5", 19.026, 32, 190, 140),
        ("M30 6H/6g", 27.727, 53, 280, 212),
        ("M48", 44.752, 71, 335, 250),
        ("M64", 60.103, 80, 375, 280),
        ("M10 5H/4h", 9.026, 0, 140, 85),
        ("M10 7H/8g", 9.026, 32, 224, 212),
        ("M10 6H/5g6g", 9.026, 32, 180, 106),
        # In whatever order nut and bolt are named.
        ("M10 5g/6H", 9.026, 32, 180, 106),
    ],
)
def test_metric_threads_as_the_standard_prints_them(
    designation, pitch_diameter, allowance, nut, bolt
):
    found = thread_of(designation)
    assert found.pitch_diameter_mm == pytest.approx(pitch_diameter, abs=6e-4)
    assert found.least_play_mm == pytest.approx(allowance / 1000, abs=1e-9)
    assert found.internal_tolerance_mm == pytest.approx(nut / 1000, abs=1e-9)
    assert found.external_tolerance_mm == pytest.approx(bolt / 1000, abs=1e-9)
    assert found.most_play_mm == pytest.approx((allowance + nut + bolt) / 1000, abs=1e-9)


@pytest.mark.parametrize(
    ("designation", "pitch_diameter", "allowance", "nut", "bolt"),
    [
        # ASME B1.1, limits of size, in inches.
        ("3/4-10 UNC 2B/2A", 0.6850, 0.0018, 0.6927 - 0.6850, 0.6832 - 0.6773),
        ("1/4-20 UNC 2B/2A", 0.2175, 0.0011, 0.2224 - 0.2175, 0.2164 - 0.2127),
        ("1/2-13 UNC 3B/3A", 0.4500, 0.0, 0.4548 - 0.4500, 0.4500 - 0.4463),
        ("#8-32 UNC", 0.1437, 0.0009, 0.1475 - 0.1437, 0.1428 - 0.1399),
        ("1-8 UNC 2B/2A", 0.9188, 0.0020, 0.9276 - 0.9188, 0.9168 - 0.9100),
        # Halves go to the even ten-thousandth, from a millionth.
        ("5/8-11 UNC 2B/2A", 0.5660, 0.0016, 0.5732 - 0.5660, 0.5644 - 0.5589),
        ("1-1/8-7 UNC 2B/2A", 1.0322, 0.0022, 1.0416 - 1.0322, 1.0300 - 1.0228),
        ("1/4-28 UNF 2B/2A", 0.2268, 0.0010, 0.2311 - 0.2268, 0.2258 - 0.2225),
    ],
)
def test_inch_threads_as_the_standard_prints_them(
    designation, pitch_diameter, allowance, nut, bolt
):
    found = thread_of(designation)
    assert found.pitch_diameter_mm / 25.4 == pytest.approx(pitch_diameter, abs=6e-5)
    assert found.allowance_mm / 25.4 == pytest.approx(allowance, abs=1e-9)
    assert found.internal_tolerance_mm / 25.4 == pytest.approx(nut, abs=1e-9)
    assert found.external_tolerance_mm / 25.4 == pytest.approx(bolt, abs=1e-9)


def test_engagement_of_nine_pitches_outside_the_coarse_and_fine_series():
    long, short = thread_of("1-12 UNF"), thread_of("1-12 UN")
    assert short.external_tolerance_mm < long.external_tolerance_mm


@pytest.mark.parametrize(
    ("designation", "said"),
    [
        ("M20x2.4", "no such pitch"),
        ("M20.5", "no coarse pitch"),
        ("M20x2.5 9H/6g", "grade 4 to 8"),
        ("M20x2.5 6H/2g", "grade 4 to 8"),
        ("M20x2.5 6X/6g", "there is no thread"),
        ("M2x0.4 6H/6e", "no position e"),
        ("M1x1", "no such pitch"),
        ("M400x8", "1 to 355"),
        ("3/0-10 UNC", "divided by 0"),
        ("90-10 UNC", "no such thread"),
        ("wood screw", "there is no thread"),
        ("", "there is no thread"),
    ],
)
def test_unknown_threads_are_refused(designation, said):
    with pytest.raises(BadInput, match=said):
        thread_of(designation)


def test_looser_classes():
    m20 = thread_of("M20x2.5 6H/6g")
    assert looser_classes(m20, 0.05) == "6H/6f"
    assert looser_classes(m20, 0.11) == "6G/6e"
    assert looser_classes(m20, 0.25) is None
    assert looser_classes(thread_of("1/4-20 UNC 3B/3A"), 0.02) in ("2B/2A", "1B/1A")


@pytest.mark.parametrize(
    ("text", "name", "diameter_mm"),
    [
        # Sizes by number are 0.060 + 0.013·n inches; the coarse pitch needs no series.
        ("6-32", "#6-32 UNC", 0.138 * 25.4),
        ("#6-40 2A/2B", "#6-40 UN", 0.138 * 25.4),
        ("10-24", "#10-24 UNC", 0.190 * 25.4),
        ("1/4-20 2A/2B", "1/4-20 UNC", 6.35),
        ("1/4-24", "1/4-24 UN", 6.35),
        ("1-8", "1-8 UNC", 25.4),
        ('5"-8 UN', "5-8 UN", 127.0),
    ],
)
def test_inch_threads_in_the_words_people_have(text, name, diameter_mm):
    found = thread_of(text)
    assert (found.name, found.diameter_mm) == (name, pytest.approx(diameter_mm))
    assert found.classes == "2B/2A"


@pytest.mark.parametrize(
    ("text", "said"),
    [("5-8", "was a number meant"), ("#7-32", "sizes by number"), ("M10 6H/6H", "a nut is G or H"),
     ("1/4-20 2B/2B", "a nut is B")],
)  # fmt: skip
def test_what_is_no_thread_is_asked_about(text, said):
    with pytest.raises(BadInput, match=said):
        thread_of(text)
