"""Ramps, the limit they show, and what it means for speeds."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.core.limit.melting import melting
from metier.core.limit.onset import Height, Markers, PreviewFlow
from metier.core.limit.plan import (
    Nearest,
    Outline,
    Reach,
    price,
    propose_range,
    propose_steps,
    reaching,
)
from metier.core.limit.ramp import Continuous, Stepped, ramp_of
from metier.core.limit.verdict import LimitRule, Seen, judge_limit, limit_from_ramp
from metier.core.line.bead import PrintedLine, SetSpeed, cap_speeds, flow_mm3_s, speed_mm_s
from metier.core.materials import melts_mm3_s

STEPPED = Stepped(4, step_mm3_s=0.4, every_mm=2.5, to_mm3_s=12)
STEEP = Continuous(4, rise_mm3_s_mm=0.6, to_mm3_s=22)


def at(*heights_mm):
    return tuple(Height(height) for height in heights_mm)


def flows(*values):
    return tuple(PreviewFlow(value) for value in values)


@pytest.mark.parametrize(
    ("ramp", "seen", "last_good", "limit"),
    [
        # 31.0 mm lies in step 12 (8.8); the one below is 8.4, less 10 % 7.56.
        (STEPPED, Seen(gaps=at(31.5)), 8.4, 7.5),
        # 32.5 mm less half a millimetre is still step 12, 33.0 is step 13.
        (STEPPED, Seen(gaps=at(32.9)), 8.4, 7.5),
        (STEPPED, Seen(gaps=at(33.0)), 8.8, 7.5),
        (STEPPED._replace(base_mm=1), Seen(gaps=at(32.5)), 8.4, 7.5),
        (STEEP, Seen(gaps=at(20.5)), 16.0, 14.0),
        (STEEP._replace(base_mm=2), Seen(gaps=at(22.5)), 16.0, 14.0),
        (STEEP, Seen(gaps=at(21, 20.5, 24)), 16.0, 14.0),
        (STEEP, Seen(gaps=at(20.5), within_mm=0.25), 16.15, 14.5),
        (STEPPED, Seen(markers=Markers(2.5, 5)), 5.6, 5.0),
        (STEPPED, Seen(markers=Markers(5, 3)), 6.0, 5.0),
        (STEEP, Seen(markers=Markers(5, 4)), 16.0, 14.0),
        (STEPPED, Seen(gaps=flows(8.8)), 8.4, 7.5),
        (STEEP, Seen(gaps=flows(16)), 16.0, 14.0),
        (None, Seen(gaps=flows(16)), 16.0, 14.0),
        # Only failed: twice the margin.
        (STEEP, Seen(failed=at(20.5)), 16.0, 12.5),
        # Clean, or only dull, to its end.
        (STEEP, Seen(clean=True), 22.0, 22.0),
        (STEEP, Seen(matte=at(20.5)), 22.0, 22.0),
    ],
)
def test_last_good_flow_and_limit(ramp, seen, last_good, limit):
    found = limit_from_ramp(ramp, seen)
    assert found.last_good_mm3_s == pytest.approx(last_good)
    assert found.limit_mm3_s == limit


def test_margin_rounding_and_even_looks():
    seen = Seen(gaps=at(20.5), matte=at(12.5))
    found = limit_from_ramp(STEEP, seen, LimitRule(0.2, 0.1))
    assert (found.limit_mm3_s, found.even_looks_mm3_s) == (12.8, 11.2)
    # 0.3 rounded down to halves would be nothing.
    assert limit_from_ramp(None, Seen(gaps=flows(0.4))).limit_mm3_s == 0.35


@pytest.mark.parametrize(
    ("ramp", "seen", "verdict", "bound"),
    [
        (STEPPED, Seen(gaps=at(20)), "correct", None),
        (STEPPED, Seen(gaps=at(2.4)), "unclear", "upper"),
        (STEEP, Seen(gaps=at(0.3)), "unclear", "upper"),
        (STEPPED, Seen(markers=Markers(2.5, 0)), "unclear", "upper"),
        (STEPPED, Seen(clean=True), "unclear", "lower"),
        (STEPPED, Seen(failed=at(20)), "unclear", None),
        (STEPPED, Seen(gaps=at(12), matte=at(20)), "recheck", None),
        (STEPPED, Seen(gaps=at(20), failed=at(12)), "recheck", None),
    ],
)
def test_verdict_and_bound(ramp, seen, verdict, bound):
    found = limit_from_ramp(ramp, seen)
    assert (found.verdict.name, found.bound) == (verdict, bound)
    assert (found.limit_mm3_s is None) == (bound == "upper")
    assert (found.next_ramp is None) == (bound is None)


@pytest.mark.parametrize(
    ("ramp", "heights", "flow", "u95"),
    [
        (Stepped(4, step_mm3_s=0.5, every_mm=2), (33.5, 34, 34.5, 35), 12.25, 0.774),
        (Continuous(4, 0.25), (30,), 11.375, 0.730),
    ],
)
def test_the_onset_is_where_gaps_begin(ramp, heights, flow, u95):
    found = limit_from_ramp(ramp, Seen(gaps=at(*heights)))
    assert found.onset[:2] == pytest.approx((flow, u95), abs=5e-4)
    # The parts of the ± make it up, the largest first.
    parts = [one.u95 for one in found.onset.influences]
    assert math.hypot(*parts) == pytest.approx(u95, abs=5e-4)
    assert parts == sorted(parts, reverse=True)
    assert found.limit_mm3_s < found.onset.flow_mm3_s


def test_the_onset_of_other_sightings():
    # Sightings more than a step apart say less.
    wide = limit_from_ramp(STEPPED, Seen(gaps=at(31.5, 36.5))).onset
    near = limit_from_ramp(STEPPED, Seen(gaps=at(34, 34))).onset
    assert wide.u95_mm3_s > near.u95_mm3_s + 0.05
    # Off a preview: between the step before and the one read.
    read = limit_from_ramp(STEPPED, Seen(gaps=(PreviewFlow(12.0),))).onset
    assert read.flow_mm3_s == pytest.approx(11.8)
    assert limit_from_ramp(None, Seen(gaps=(PreviewFlow(12.0),))).onset.flow_mm3_s == 12.0
    # Nothing begins in the first step, and where only a failure was seen.
    assert limit_from_ramp(STEPPED, Seen(gaps=at(1))).onset is None
    assert limit_from_ramp(STEPPED, Seen(failed=at(40))).onset is None


def test_the_limit_between_two_temperatures():
    found = melting((205, 11.5), (220, 14))
    assert found == pytest.approx((184.752, 30.5459), abs=5e-4)
    assert found.limit_mm3_s(230) == pytest.approx(15.41, abs=5e-3)
    assert [found.limit_mm3_s(t) for t in (205, 220)] == pytest.approx([11.5, 14])
    # A hotter one that melts no more, or far too much more, is on no such curve.
    assert melting((205, 11.5), (220, 11.5)) is None
    assert melting((205, 11.5), (206, 40)) is None


def test_notes_name_what_the_ramp_cannot_show():
    notes = " ".join(limit_from_ramp(STEEP, Seen(gaps=at(20.5, 24))).notes)
    assert "slower rise" in notes
    assert "apart" in notes
    lifted = limit_from_ramp(STEPPED, Seen(gaps=at(20.5)), LimitRule(), 5.0).notes
    assert any("unless it was lifted" in note for note in lifted)


@pytest.mark.parametrize(
    ("ramp", "seen", "said"),
    [
        (Continuous(-1, rise_mm3_s_mm=0.6), Seen(gaps=at(5)), "above zero"),
        (Continuous(4, rise_mm3_s_mm=-0.6), Seen(gaps=at(5)), "must rise"),
        (Stepped(4, 0.4, None), Seen(gaps=at(5)), "needs both"),
        (Stepped(4, 0.4, None), Seen(markers=Markers(2, 1)), "needs both"),
        (Continuous(4, rise_mm3_s_mm=1, to_mm3_s=3), Seen(gaps=at(5)), "does not rise"),
        (Continuous(4, rise_mm3_s_mm=1, base_mm=-1), Seen(gaps=at(5)), "negative"),
        (STEEP, Seen(gaps=at(31)), "above the ramp"),
        (STEPPED, Seen(gaps=at(60)), "above the ramp"),
        (STEPPED._replace(base_mm=2), Seen(gaps=at(1)), "foot"),
        (STEPPED, Seen(gaps=flows(3)), "not on the ramp"),
        (STEPPED, Seen(gaps=flows(13)), "not on the ramp"),
        (STEPPED, Seen(markers=Markers(2.5, 30)), "beyond the end"),
        (None, Seen(gaps=at(5)), "without its ramp"),
        (None, Seen(markers=Markers(2.5, 3)), "without their ramp"),
        (STEPPED, Seen(), "nothing was seen"),
        (STEPPED, Seen(clean=True, gaps=at(5)), "only one of the two"),
        (STEPPED._replace(to_mm3_s=None), Seen(clean=True), "is needed"),
        (STEPPED, Seen(gaps=at(5), markers=Markers(2.5, 1)), "give one"),
        (STEPPED, Seen(gaps=at(5), within_mm=0), "above zero"),
    ],
)
def test_impossible_ramps_and_sightings_are_refused(ramp, seen, said):
    with pytest.raises(BadInput, match=said):
        limit_from_ramp(ramp, seen)


@pytest.mark.parametrize(
    ("how", "said"),
    [
        ({}, "either"),
        ({"step_mm3_s": 0.4, "rise_mm3_s_mm": 1.0}, "either"),
        ({"every_mm": 2.0}, "needs both"),
        ({"step_mm3_s": -1.0, "every_mm": 2.0}, "must rise"),
    ],
)
def test_a_ramp_rises_in_one_way(how, said):
    with pytest.raises(BadInput, match=said):
        ramp_of(4.0, **how)


RAMPS = st.builds(
    lambda low, rise, every, base, stepped: (
        Stepped(low, rise, every, base) if stepped else Continuous(low, rise, base)
    ),
    st.floats(0.5, 20), st.floats(0.05, 3), st.floats(0.5, 10), st.floats(0, 5), st.booleans(),
)  # fmt: skip


@given(RAMPS, st.lists(st.floats(1.5, 60), min_size=1, max_size=5))
def test_the_earliest_sighting_alone_gives_the_limit(ramp, above_mm):
    heights = [ramp.base_mm + above for above in above_mm]
    several = limit_from_ramp(ramp, Seen(gaps=at(*heights)))
    alone = limit_from_ramp(ramp, Seen(gaps=at(min(heights))))
    assert several.limit_mm3_s == alone.limit_mm3_s
    if alone.last_good_mm3_s is not None:
        assert alone.last_good_mm3_s < ramp.flow_at(min(heights)) + 1e-9
        assert alone.limit_mm3_s <= 0.9 * alone.last_good_mm3_s + 1e-9


@given(
    st.floats(1, 500), st.floats(0.3, 1.2), st.floats(0.1, 0.3), st.floats(0.5, 1.5),
    st.sampled_from(["plain", "rounded", "rectangular"]),
)  # fmt: skip
def test_speed_and_flow_answer_each_other(speed, width_mm, layer_mm, flow, model):
    q = flow_mm3_s(speed, width_mm, layer_mm, model, flow)
    assert speed_mm_s(q, width_mm, layer_mm, model, flow) == pytest.approx(speed)


def test_capped_speeds():
    wide = SetSpeed("infill", 60, 0.5, 0.2)
    fast = SetSpeed("outer", 150, 0.45, 0.2)
    infill, outer = cap_speeds(8.0, [wide, fast], "plain", 0.92)
    assert (infill.capped, infill.left_mm_s) == (False, 60)
    assert outer.asked_mm3_s == pytest.approx(150 * 0.45 * 0.2 * 0.92)
    assert outer.left_mm_s == pytest.approx(8.0 / (0.45 * 0.2 * 0.92))
    assert outer.lost == pytest.approx(1 - outer.left_mm_s / 150)


def test_the_price_of_a_ramp():
    # Two steps of 1 mm, 5 layers each, 20 mm³ a layer: 5·20/4 + 5·20/5 s.
    ramp = Stepped(4, step_mm3_s=1, every_mm=1, to_mm3_s=5)
    reach = Reach(Outline("square", 50), 1000)
    found = price(ramp, PrintedLine(0.5, 0.2), reach, 1.75)
    assert found.height_mm == 2
    assert found.time_s == pytest.approx(25 + 20)
    assert found.volume_mm3 == pytest.approx(200)
    assert found.filament_mm == pytest.approx(200 / (math.pi * 1.75**2 / 4))
    assert (found.from_mm_s, found.to_mm_s) == pytest.approx((40, 50))
    # With a foot of 1 mm, five layers more at the lowest flow.
    footed = price(ramp._replace(base_mm=1), PrintedLine(0.5, 0.2), reach, 1.75)
    assert footed.time_s == pytest.approx(25 + 20 + 25)


def test_how_fast_an_outline_is_gone_round():
    side = Reach(Outline("square", 50), 1000, 8)
    assert side.fastest_mm_s == pytest.approx(223.75, abs=5e-3)
    assert side.share(150) == pytest.approx(0.551, abs=5e-4)
    assert (side.share(5), side.share(224)) == (1, 0)
    circle = Reach(Outline("round", 25), 1000)
    assert circle.fastest_mm_s == pytest.approx(158.11, abs=5e-3)
    assert (circle.share(158), circle.share(159)) == (1, 0)


@pytest.mark.parametrize(
    ("outline", "accel", "fixed", "size", "line", "end"),
    [
        # 240 mm/s want r 57.6; half of that acceleration wants a thicker layer.
        (None, 1000, False, 60, (0.5, 0.2), 24),
        (None, 4000, False, 25, (0.5, 0.2), 24),
        (None, 500, False, 55, (0.5, 0.3), 24),
        # Layers end at 0.4 and lines at 0.7: 24 / 0.28 = 85.7 mm/s, and √(100 · 60) is 77.5.
        (None, 100, False, 60, (0.7, 0.4), 21.5),
        (None, 500, True, 60, (0.5, 0.2), 17),
        (Outline("round", 25), 1000, False, 25, (0.5, 0.35), 24),
        # √(8² + 0.4 · 1000 · 20) = 89.8 mm/s.
        (Outline("square", 20), 1000, True, 20, (0.5, 0.2), 8.5),
    ],
)
def test_a_planned_ramp_reaches_its_flow(outline, accel, fixed, size, line, end):
    ramp = Stepped(4, step_mm3_s=0.5, every_mm=2, to_mm3_s=24)
    found = reaching(
        ramp, PrintedLine(0.5, 0.2), outline, accel, 0.5, layer_fixed=fixed, width_fixed=fixed
    )
    assert found.outline.size_mm == size
    assert (found.line.width_mm, found.line.layer_mm) == pytest.approx(line)
    assert found.ramp.to_mm3_s == pytest.approx(end)
    assert bool(found.remarks) == (line != (0.5, 0.2) or end < 24)
    reach = Reach(found.outline, accel)
    assert reach.share(found.line.speed_mm_s(found.ramp.to_mm3_s)) >= 0.6


def test_a_ramp_too_slow_to_begin_with_is_refused():
    ramp = Stepped(10, step_mm3_s=0.5, every_mm=2, to_mm3_s=24)
    with pytest.raises(BadInput, match="larger --outline"):
        reaching(ramp, PrintedLine(0.5, 0.2), Outline("square", 10), 100, 0.5, layer_fixed=True,
                 width_fixed=True)  # fmt: skip


def test_nothing_above_the_flow_reached_was_tested():
    ramp = Stepped(4, step_mm3_s=0.5, every_mm=2, to_mm3_s=24)
    clean = limit_from_ramp(ramp, Seen(clean=True), reached_mm3_s=9.3)
    assert (clean.last_good_mm3_s, clean.limit_mm3_s, clean.held_mm3_s) == (9.3, 9.0, 9.3)
    assert "larger outline" in clean.verdict.remedies[0]
    late = limit_from_ramp(ramp, Seen(gaps=at(60)), reached_mm3_s=9.3)
    assert (late.last_good_mm3_s, late.onset.flow_mm3_s, late.limit_mm3_s) == (9.3, 9.3, 8.0)
    below = limit_from_ramp(ramp, Seen(gaps=at(20)), reached_mm3_s=9.3)
    assert below == limit_from_ramp(ramp, Seen(gaps=at(20)))


@pytest.mark.parametrize(
    ("ramp", "seen", "last_good", "onset"),
    [
        # 33 - 0.5 lies in step 13; a defect alone would say the step below.
        (STEPPED._replace(to_mm3_s=24), Seen(good=at(33)), 9.2, 9.0),
        (STEPPED._replace(to_mm3_s=24), Seen(good=at(33), gaps=at(34)), 9.2, 9.0),
        (STEEP, Seen(good=at(20.5, 22)), 16.0, 4 + 0.6 * 20.75),
        (STEPPED, Seen(good=flows(8.4)), 8.4, 8.6),
        (None, Seen(good=flows(10.0), gaps=flows(12.0)), 10.0, 11.0),
    ],
)
def test_how_far_it_looked_good_may_be_told_instead(ramp, seen, last_good, onset):
    found = limit_from_ramp(ramp, seen)
    assert found.last_good_mm3_s == pytest.approx(last_good)
    assert found.onset.flow_mm3_s == pytest.approx(onset)


def test_good_above_the_gaps_is_refused():
    with pytest.raises(BadInput, match="only one can be"):
        limit_from_ramp(STEEP, Seen(good=at(22), gaps=at(20)))


@given(
    st.one_of(st.none(), st.builds(Nearest, st.floats(0.5, 60), st.booleans(), st.booleans())),
    st.sampled_from([0.2, 0.4, 0.5, 0.8, 1.2]),
    st.sampled_from(["PLA", "TPU", "no name"]),
    st.booleans(),
)
def test_a_proposed_ramp_spans_what_is_known_and_stays_low(nearest, bore_mm, material, fast):
    melts = melts_mm3_s(material, bore_mm)
    low, high = propose_range(melts, nearest, fast=fast)
    similar = nearest.limit_mm3_s if nearest else melts
    searching = nearest is None or not nearest.told
    step, every_mm = propose_steps(low, high, 0.5, searching=searching)
    ramp = Stepped(low, step_mm3_s=step, every_mm=every_mm, to_mm3_s=high)
    assert ramp.end_mm <= 102
    if similar:
        assert low < max(similar, 0.6) < high


@pytest.mark.parametrize(
    ("now", "verdict", "said"),
    [
        (8.0, "correct", "8 mm³/s, is 20 % too low"),
        (10.9, "correct", "10.9 mm³/s, is 9 % too high"),
        (11.5, "correct", "11.5, is above the last good flow of 11"),
        (10.4, "keep", "as good as the one found"),
        (9.6, "keep", "as good as the one found"),
        (None, "correct", "no limit was in force yet"),
    ],
)
def test_the_limit_in_force_is_held_against_the_one_found(now, verdict, said):
    judged = judge_limit(10.0, None, 0.5, 11.0, now)
    assert judged.name == verdict
    assert said in judged.reason
