"""Strength by flow, with SciPy's Welch test as the oracle; and lengths fed."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from metier.core.errors import BadInput
from metier.core.limit.shortfall import Fed, limit_from_feed
from metier.core.limit.strength import at_speed, judge_strength, speed_notes, strength_beside
from metier.core.measure.readings import Instrument

MARK = Instrument(0.25, 0.03, 0.01)
COUPONS = {
    4.0: [31.2, 32.0, 30.8, 31.5],
    8.0: [31.0, 31.9, 30.9, 31.6],
    11.0: [28.0, 30.1, 29.5],
    14.0: [22.4, 24.0, 23.1],
}
VALUES = st.lists(st.floats(10, 60).map(lambda x: round(x, 1)), min_size=2, max_size=6).filter(
    lambda values: max(values) - min(values) > 0.2
)


def test_worked_numbers():
    found = judge_strength(
        {4.0: [28, 31, 30], 8.0: [30, 31, 29], 12.0: [29, 33, 28], 16.0: [25, 27, 24]}
    )
    assert [group.t for group in found.groups[1:]] == pytest.approx(
        [1.28195, 1.33986, -2.612], abs=5e-4
    )
    verdicts = [group.verdict for group in found.groups]
    assert verdicts == ["slowest", "cannot tell", "cannot tell", "lost"]
    assert found.limit_mm3_s == 12.0
    # Three comparisons: the clearest has to pass 2.566, not the 1.860 of one alone.
    assert stats.t.ppf(1 - 0.05 / 3, 8) == pytest.approx(2.566, abs=1e-3)


@given(VALUES, VALUES)
@pytest.mark.slow
def test_two_flows_are_told_apart_as_student_says(slow, fast):
    group = judge_strength({4.0: slow, 8.0: fast}).groups[1]
    n, n0 = len(fast), len(slow)
    pooled = (((n - 1) * stats.tvar(fast) + (n0 - 1) * stats.tvar(slow)) / (n + n0 - 2)) ** 0.5
    t = (sum(fast) / n - 0.95 * sum(slow) / n0) / pooled / (1 / n + 0.95**2 / n0) ** 0.5
    assert group.t == pytest.approx(t)
    p = stats.t.sf(abs(t), n + n0 - 2)
    if abs(p - 0.05) > 1e-9:
        expected = "cannot tell" if p > 0.05 else "held" if t > 0 else "lost"
        assert group.verdict == expected


def test_a_flow_found_lower_is_nothing_to_hold_the_next_against():
    found = judge_strength({4.0: [30, 30.2, 30.1], 8.0: [20, 20.2, 20.1], 12.0: [30.1, 30, 30.2]})
    assert found.groups[2].against_mm3_s == (4.0,)
    assert [group.verdict for group in found.groups] == ["slowest", "lost", "held"]
    assert found.limit_mm3_s == 4.0


def test_the_limit_is_the_fastest_below_the_first_lost():
    found = judge_strength(COUPONS)
    assert [group.verdict for group in found.groups] == ["slowest", "held", "cannot tell", "lost"]
    # What its own coupons cannot tell is nothing to type.
    assert (found.limit_mm3_s, found.told, found.verdict.name) == (11.0, False, "unclear")
    assert "more coupon" in found.verdict.remedies[0]
    assert any("hotter" in note for note in found.notes)
    assert judge_strength(COUPONS, 14.0).verdict.name == "unclear"
    clear = judge_strength({**COUPONS, 11.0: [31.0, 31.6, 30.9, 31.3]}, 14.0)
    assert (clear.limit_mm3_s, clear.told, clear.verdict.name) == (11.0, True, "correct")
    assert judge_strength(COUPONS, 8.0).verdict.name == "keep"
    assert judge_strength(COUPONS, 11.0).verdict.name == "unclear"


def test_two_nozzles_are_compared_flow_by_flow():
    hard = {4.0: [31, 32, 31], 8.0: [33, 34, 33], 12.2: [33, 32, 33]}
    soft = {4.0: [28, 31, 30], 8.0: [30, 31, 29], 12.0: [29, 33, 28]}
    groups = judge_strength(soft).groups
    rows = strength_beside(judge_strength(hard).groups, groups)
    variance = sum(stats.tvar(values) for values in (*hard.values(), *soft.values())) / 6
    p = [
        2 * stats.t.sf(abs(stats.tmean(x) - stats.tmean(y)) / (variance * 2 / 3) ** 0.5, 12)
        for x, y in zip(hard.values(), soft.values(), strict=True)
    ]
    assert [round(row.ratio, 4) for row in rows] == [1.0562, 1.1111, 1.0889]
    # Holm: the clearest has to pass a third of 0.05, the next one half of it.
    assert p[1] < 0.05 / 3
    assert 0.05 / 2 < p[2] < p[0]
    assert [row.verdict for row in rows] == ["cannot tell", "stronger", "cannot tell"]
    # 12.2 is 12 all the same; what differs by more than 2 % is another flow.
    apart = judge_strength({4.0: [31, 32, 31], 12.3: [33, 32, 33]}).groups
    assert [row.flow_mm3_s for row in strength_beside(apart, groups)] == [4.0]
    strong = judge_strength({4.0: [35, 36, 35], 8.0: [33, 34, 33]}).groups
    assert [row.verdict for row in strength_beside(strong, groups)] == ["stronger", "stronger"]
    assert [row.verdict for row in strength_beside(groups, strong)] == ["weaker", "weaker"]


def test_as_many_more_coupons_as_would_tell():
    group = judge_strength(COUPONS).groups[2]
    assert group.more_coupons is not None
    # The same coupons once or twice over: the one is not enough yet, the other is.
    many = {flow: values * (1 + group.more_coupons) for flow, values in COUPONS.items()}
    assert judge_strength(many).groups[2].verdict != "cannot tell"


def test_nothing_lost_is_a_lower_bound():
    found = judge_strength({4.0: [30, 30.2, 30.1], 8.0: [30.1, 30.3, 30.2]})
    assert (found.limit_mm3_s, found.bound, found.verdict.name) == (8.0, "lower", "unclear")


@pytest.mark.parametrize(
    ("coupons", "said"),
    [
        ({4.0: [30, 31]}, "one flow only"),
        ({4.0: [30, 31], 8.0: [30]}, "one coupon at 8"),
        ({0.0: [30, 31], 8.0: [30, 31]}, "above zero"),
        ({4.0: [30, 0], 8.0: [30, 31]}, "no strength"),
    ],
)
def test_coupons_that_cannot_tell_are_refused(coupons, said):
    with pytest.raises(BadInput, match=said):
        judge_strength(coupons)


def test_what_a_coupon_was_really_printed_at():
    # 100 mm/s at 1000 mm/s²: 5 mm to speed, 5 to rest; 20 of 30 mm at speed, 0.1 s each end.
    # Corners are left at 8 mm/s: 1 - (100² - 8²) / (1000 · 30).
    found = at_speed(10, 0.1, length_mm=30, accel_mm_s2=1000)
    assert (found.share, found.reached_mm3_s) == (pytest.approx(1 - 9936 / 30000), 10)
    never = at_speed(10, 0.1, length_mm=5, accel_mm_s2=1000)
    assert (never.share, never.reached_mm3_s) == (0, pytest.approx(0.1 * 5064**0.5))
    slowed = at_speed(10, 0.1, layer_path_mm=300, layer_time_s=6)
    assert (slowed.reached_mm3_s, slowed.layer_time) == (pytest.approx(5), True)
    assert len(speed_notes([found, slowed])) == 2
    assert "counts as the 7.12 that is reached" in speed_notes([never])[0]
    assert speed_notes([at_speed(10, 0.1)]) == []


def fed(*moved, asked=100):
    return [Fed(2.0 * i, asked, one) for i, one in enumerate(moved, 1)]


def test_the_shortfall_crosses_three_percent_between_two_flows():
    found = limit_from_feed(fed(100, 100, 100, 99, 95), MARK)
    assert found.last_good_mm3_s == pytest.approx(9.0)
    assert (found.limit_mm3_s, found.verdict.name, found.bound) == (8.0, "correct", None)
    # Relative to the slowest: the same lengths all 2 % short change nothing.
    short = limit_from_feed(fed(98, 98, 98, 97.02, 93.1), MARK)
    assert short.last_good_mm3_s == pytest.approx(9.0)
    assert short.notes == ()


def test_runs_of_one_flow_are_averaged():
    one = limit_from_feed(fed(100, 100, 100, 99, 95), MARK)
    two = limit_from_feed(
        [*fed(100.2, 99.8, 100, 99, 95.1), *fed(99.8, 100.2, 100, 99, 94.9)], MARK
    )
    assert two.last_good_mm3_s == pytest.approx(one.last_good_mm3_s)
    assert two.onset.u95_mm3_s < one.onset.u95_mm3_s


def test_the_onset_of_a_shortfall():
    moved = (99.8, 100.1, 99.7, 99.4, 98.2, 95.1)
    lengths = [Fed(q, 100, m) for q, m in zip((3, 5, 7, 9, 11, 13), moved, strict=True)]
    found = limit_from_feed(lengths, MARK)
    assert found.last_good_mm3_s == pytest.approx(11.80548, abs=5e-6)
    assert found.onset[:2] == pytest.approx((12.403, 0.870), abs=1e-3)


@pytest.mark.parametrize(
    ("moved", "verdict", "said"),
    [
        ((95, 95, 94.8, 95, 95), "recheck", "slip or e-steps"),
        ((100, 100, 99.8, 99.7), "unclear", "the limit lies there or higher"),
        ((100, 90, 90, 90), "recheck", "differ"),
    ],
)
def test_slip_and_melting_are_told_apart(moved, verdict, said):
    found = limit_from_feed(fed(*moved), MARK)
    assert found.verdict.name == verdict
    assert said in found.verdict.reason


@pytest.mark.parametrize(
    ("lengths", "said"),
    [
        (fed(100, 99), "at least three"),
        (fed(100, 99, 160), "at most half as much again"),
        ([Fed(0, 100, 99)] * 3, "above zero"),
        ([], "0 different flows"),
    ],
)
def test_lengths_that_cannot_tell_are_refused(lengths, said):
    with pytest.raises(BadInput, match=said):
        limit_from_feed(lengths, MARK)


def test_as_much_evidence_as_is_asked_for_holds():
    # One-sided p 0.026: enough at 0.05, though not by far.
    slow, fast = [30.0, 31.0, 30.5], [30.4, 30.9, 29.6]
    p = stats.ttest_ind(fast, [0.95 * v for v in slow], equal_var=False, alternative="greater")
    assert 0.02 < p.pvalue < 0.05
    assert judge_strength({4.0: slow, 8.0: fast}).groups[1].verdict == "held"
