"""The limit: from the onset down to what is typed, with its verdict."""

import math
from itertools import pairwise
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.onset import (
    Height,
    Markers,
    Onset,
    PreviewFlow,
    Sighting,
    Threshold,
    at_most,
    onset_at,
    onset_between,
    threshold_of,
    threshold_of_good,
    threshold_of_markers,
)
from metier.core.limit.ramp import SIGHTED_WITHIN_MM, LimitRule, Ramp, Stepped, check_ramp
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.verdicts import Verdict

# No hobby hot end comes near.
MOST_MM3_S = 500.0


class Seen(NamedTuple):
    """What was seen on the ramp, each several times if wanted; ``clean`` if no gaps to its end.

    ``matte`` is where the surface changes, ``gaps`` where the first gaps show, ``failed`` where
    hardly anything is printed any more. ``clean_to_mm3_s`` is the end that it was clean to, where
    the ramp does not say. ``good`` is how far it still looked good. ``within_mm`` is how well a
    height is known.
    """

    gaps: tuple[Sighting, ...] = ()
    good: tuple[Sighting, ...] = ()
    matte: tuple[Sighting, ...] = ()
    failed: tuple[Sighting, ...] = ()
    markers: Markers | None = None
    clean: bool = False
    clean_to_mm3_s: float | None = None
    within_mm: float = SIGHTED_WITHIN_MM


class NextRamp(NamedTuple):
    """The range to print next where this one could not tell."""

    from_mm3_s: float
    to_mm3_s: float


class LimitFinding(NamedTuple):
    """The limit and what it rests on, all flows in mm³/s.

    ``limit_mm3_s`` is what to type, rounded down; ``bound`` tells that the true one lies above
    it (``lower``) or below ``limit_below_mm3_s`` (``upper``, and there is no limit then).
    ``even_looks_mm3_s`` is the flow up to which the surface stays as it is, ``onset`` where gaps
    begin: the limit itself is lowered on purpose and has no ±. ``held_mm3_s`` is the flow that
    acceleration held the ramp at, where that is less than it goes to.
    """

    last_good_mm3_s: float | None
    limit_mm3_s: float | None
    limit_unrounded_mm3_s: float | None
    limit_below_mm3_s: float | None
    bound: str | None
    even_looks_mm3_s: float | None
    spread_mm3_s: float
    gaps: Threshold | None
    matte: Threshold | None
    failed: Threshold | None
    next_ramp: NextRamp | None
    onset: Onset | None
    held_mm3_s: float | None
    verdict: Verdict
    notes: tuple[str, ...]


def limit_from_ramp(
    ramp: Ramp | None,
    seen: Seen,
    rule: LimitRule = LimitRule(),  # noqa: B008 (immutable)
    limit_now_mm3_s: float | None = None,
    reached_mm3_s: float | None = None,
    *,
    sliced: bool = True,
) -> LimitFinding:
    """Return the limit that a ramp shows.

    Without ``ramp`` the sightings are flows read off a preview. ``limit_now_mm3_s`` is the one
    in force, which the verdict compares with. ``reached_mm3_s`` is the highest flow that
    acceleration let the ramp be printed at, whatever it asks for; None where that is not known.
    ``sliced`` tells that a slicer made it, which may have kept it to the limit in force.

    >>> from metier.core.limit.ramp import Stepped
    >>> from metier.core.limit.onset import Height
    >>> ramp = Stepped(4, step_mm3_s=0.4, every_mm=2.5)
    >>> found = limit_from_ramp(ramp, Seen(gaps=(Height(31.5),)))
    >>> found.last_good_mm3_s, found.limit_mm3_s
    (8.4, 7.5)

    Raises:
        BadInput: a ramp that does not rise, a sighting that is not on it, or nothing seen.
    """
    if ramp:
        check_ramp(ramp)
    if not 0 <= rule.margin < 1 or not rule.round_to_mm3_s > 0:
        raise BadInput(
            "the margin is a part of the flow from 0 to below 1, the rounding above zero"
        )
    if not 0 < seen.within_mm < math.inf:
        raise BadInput(f"sightings within {seen.within_mm:g} mm: that must be above zero")
    thresholds = _thresholds(ramp, seen)
    gaps, matte, failed = (
        threshold and threshold.at_most(reached_mm3_s) for threshold in thresholds
    )
    asked = seen.clean_to_mm3_s or (ramp and ramp.to_mm3_s)
    end = asked if asked is None else at_most(asked, reached_mm3_s)
    most = max(
        (threshold.last_good_mm3_s or 0.0 for threshold in thresholds if threshold), default=0.0
    )
    most = max(most, (asked or 0.0) if not (gaps or failed) else 0.0)
    if seen.clean and (gaps or failed):
        raise BadInput("clean to the end and gaps seen: only one of the two can be")
    if seen.clean and end is None:
        raise BadInput("clean to its end: at which flow the ramp ends is needed")
    if not (gaps or matte or failed or seen.clean):
        raise BadInput("nothing was seen: say where gaps show, or that it is clean to its end")
    decisive = gaps or failed
    margin = rule.margin if gaps else min(2 * rule.margin, 0.99)
    last_good = limit = below = None
    bound = None
    if decisive is None:
        bound = "lower"
        last_good = end if end is not None else matte and matte.last_good_mm3_s
        limit = last_good
    elif decisive.last_good_mm3_s is None:
        bound = "upper"
        below = (ramp.from_mm3_s if ramp else 0.0) * (1 - margin)
    else:
        last_good = decisive.last_good_mm3_s
        limit = last_good * (1 - margin)
    if last_good is not None and exceeds(last_good, MOST_MM3_S):
        raise BadInput(f"{last_good:.4g} mm³/s is more than any hot end melts: a digit too many?")
    even = matte and matte.last_good_mm3_s
    finding = LimitFinding(
        last_good_mm3_s=last_good,
        limit_mm3_s=limit and round_down(limit, rule.round_to_mm3_s),
        limit_unrounded_mm3_s=limit,
        limit_below_mm3_s=below,
        bound=bound,
        even_looks_mm3_s=even and round_down(even, rule.round_to_mm3_s),
        spread_mm3_s=decisive.spread_mm3_s if decisive else 0.0,
        gaps=gaps,
        matte=matte,
        failed=failed,
        next_ramp=_next_ramp(ramp, bound, last_good),
        onset=_onset(ramp, seen, reached_mm3_s) if gaps and not bound else None,
        held_mm3_s=reached_mm3_s if reached_mm3_s and exceeds(most, reached_mm3_s) else None,
        verdict=Verdict("keep", ""),
        notes=(),
    )
    verdict = _verdict(finding, margin, rule, limit_now_mm3_s)
    held_to = limit_now_mm3_s if sliced else None
    return finding._replace(verdict=verdict, notes=_notes(finding, ramp, seen, rule, held_to))


def _onset(ramp: Ramp | None, seen: Seen, reached_mm3_s: float | None) -> Onset | None:
    """Return where gaps began, from heights or else from flows off a preview."""
    onset = _onset_asked(ramp, seen)
    return onset and onset._replace(flow_mm3_s=at_most(onset.flow_mm3_s, reached_mm3_s))


def _onset_asked(ramp: Ramp | None, seen: Seen) -> Onset | None:
    step = ramp.step_mm3_s if isinstance(ramp, Stepped) else 0.0
    good = [sighting.mm3_s for sighting in seen.good if isinstance(sighting, PreviewFlow)]
    heights_mm = [gap.mm for gap in seen.gaps or seen.good if isinstance(gap, Height)]
    if ramp and heights_mm:
        return onset_at(ramp, heights_mm)
    flows = [gap.mm3_s for gap in seen.gaps if isinstance(gap, PreviewFlow)]
    if flows:
        return onset_between(min(good, default=min(flows) - step), min(flows))
    return onset_between(min(good), min(good) + step) if good else None


def round_down(flow_mm3_s: float, step_mm3_s: float) -> float:
    """Round a limit down; by a finer step where that one would leave nothing of it."""
    while not (rounded := round_to(flow_mm3_s, step_mm3_s, "down")):
        step_mm3_s /= 10
    return rounded


def _thresholds(
    ramp: Ramp | None, seen: Seen
) -> tuple[Threshold | None, Threshold | None, Threshold | None]:
    gaps, matte, failed = (
        threshold_of(ramp, sightings, seen.within_mm) if sightings else None
        for sightings in (seen.gaps, seen.matte, seen.failed)
    )
    if seen.markers:
        if gaps:
            raise BadInput("gaps are told either by clean markers or by where they begin: give one")
        if ramp is None:
            raise BadInput("markers mean nothing without their ramp: say how it begins and rises")
        gaps = threshold_of_markers(ramp, seen.markers)
    if seen.good:
        gaps = threshold_of_good(ramp, seen.good, gaps, seen.within_mm)
    return gaps, matte, failed


def judge_limit(
    limit_mm3_s: float,
    u95: float | None,
    round_to_mm3_s: float,
    last_good: float,
    now: float | None,
) -> Verdict:
    """Return keep where the limit in force is as good as the one found, else correct."""
    if now is None:
        return Verdict("correct", "no limit was in force yet")
    apart = abs(now - limit_mm3_s)
    if exceeds(now, last_good):
        reason = (
            f"the limit in force, {now:g}, is above the last good flow of {last_good:.4g} mm³/s"
        )
        return Verdict("correct", reason)
    if exceeds(apart, max(u95 or 0.0, round_to_mm3_s)):
        side = "low" if now < limit_mm3_s else "high"
        lost = f"{100 * abs(now / limit_mm3_s - 1):.0f} %"
        return Verdict("correct", f"the limit in force, {now:g} mm³/s, is {lost} too {side}")
    return Verdict("keep", f"the limit in force, {now:g} mm³/s, is as good as the one found")


def _verdict(
    finding: LimitFinding, margin: float, rule: LimitRule, limit_now_mm3_s: float | None
) -> Verdict:
    disorder = _disorder(finding)
    if disorder:
        return Verdict("recheck", *disorder)
    following = finding.next_ramp
    onward = (
        f"a ramp from {following.from_mm3_s:g} to {following.to_mm3_s:g} mm³/s" if following else ""
    )
    if finding.held_mm3_s and onward:
        onward += " on a larger outline, or with more acceleration"
    if finding.bound == "upper":
        assert finding.limit_below_mm3_s is not None
        return Verdict(
            "unclear",
            "it shows from the very beginning: the limit lies below "
            f"{finding.limit_below_mm3_s:.3g}",
            (onward,),
        )
    if finding.bound == "lower":
        reason = "the surface changes from the beginning, and nothing was said of gaps"
        if finding.last_good_mm3_s is not None:
            reason = (
                f"no gaps to {finding.last_good_mm3_s:.4g} mm³/s: the limit lies there or higher"
            )
        return Verdict("unclear", reason, (onward or "looking for the first gaps further up",))
    assert finding.limit_mm3_s is not None
    assert finding.last_good_mm3_s is not None
    if finding.gaps is None:
        return Verdict(
            "unclear",
            "only where it failed was seen, not where gaps begin: twice the margin, "
            f"{100 * margin:g} %, is taken",
            ("looking for the first gaps, against the light, below where it failed",),
        )
    return judge_limit(
        finding.limit_mm3_s,
        finding.onset and finding.onset.u95_mm3_s * (1 - rule.margin),
        rule.round_to_mm3_s,
        finding.last_good_mm3_s,
        limit_now_mm3_s,
    )


def _disorder(finding: LimitFinding) -> tuple[str, tuple[str, ...]] | None:
    """Return the reason and the remedies when things show in an order that cannot be."""
    order = [
        ("the surface change", finding.matte),
        ("the first gaps", finding.gaps),
        ("the failure", finding.failed),
    ]
    known = [(name, onset.last_good_mm3_s or 0.0) for name, onset in order if onset]
    for (name, flow), (later, later_flow) in pairwise(known):
        if exceeds(flow, later_flow):
            return (
                f"{later} ({later_flow:.3g} mm³/s) came before {name} ({flow:.3g}): out of order",
                ("the heights: read off the same end of the part?", "a misread value"),
            )
    return None


def _next_ramp(ramp: Ramp | None, bound: str | None, last_good: float | None) -> NextRamp | None:
    if bound == "lower" and last_good is not None:
        return NextRamp(round_down(0.8 * last_good, 0.5), round_to(1.6 * last_good, 0.5, "up"))
    if bound == "upper" and ramp:
        return NextRamp(round_down(ramp.from_mm3_s / 4, 0.5), round_to(ramp.from_mm3_s, 0.5, "up"))
    return None


def _notes(
    finding: LimitFinding,
    ramp: Ramp | None,
    seen: Seen,
    rule: LimitRule,
    held_to_mm3_s: float | None,
) -> tuple[str, ...]:
    notes = []
    decisive = finding.gaps or finding.failed
    if decisive and decisive.sightings > 1:
        apart = f"lie {decisive.spread_mm3_s:.2g} mm³/s apart; the earliest counts"
        notes.append(
            f"{decisive.sightings} sightings {apart if decisive.spread_mm3_s else 'agree'}"
        )
    if decisive is None and finding.matte and not seen.clean and ramp and ramp.to_mm3_s is None:
        notes.append("where the ramp ends was not said: the limit may be far higher")
    apart_mm = seen.markers.every_mm if seen.markers else 2 * seen.within_mm
    tells = ramp and ramp.tells_apart_mm3_s(apart_mm)
    if tells and exceeds(tells, rule.round_to_mm3_s):
        notes.append(
            f"this ramp cannot tell flows less than {tells:.2g} mm³/s apart, coarser than the "
            f"{rule.round_to_mm3_s:g} rounded to: a slower rise would"
        )
    if finding.held_mm3_s is not None:
        notes.append(
            f"acceleration held the flow at {finding.held_mm3_s:.3g} mm³/s: nothing above was "
            "tested, whatever the ramp asks for"
        )
    top = finding.last_good_mm3_s
    if held_to_mm3_s is not None and top is not None and exceeds(top, held_to_mm3_s):
        notes.append(
            f"the limit in force is {held_to_mm3_s:g} mm³/s: unless it was lifted for this ramp, "
            "the slicer held the flow there and nothing above it was tested"
        )
    return tuple(notes)
