"""The limit from lengths of filament: asked for at rising flow, and what really moved."""

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.onset import Onset
from metier.core.limit.ramp import LimitRule
from metier.core.limit.verdict import judge_limit, round_down
from metier.core.measure.readings import Instrument, standard_uncertainty
from metier.core.measure.student import by_size, t95
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

# Short by more than this, relative to the slowest: the hot end no longer keeps up.
SHORT = 0.03
# A moved length is the difference of two distances to a pen mark.
_MARKS = math.sqrt(2)


class Fed(NamedTuple):
    """A length asked for at a flow, and the one that moved."""

    flow_mm3_s: float
    asked_mm: float
    moved_mm: float


class Point(NamedTuple):
    """The part by which a flow falls short of the slowest two, with u, and U at 95 %."""

    flow_mm3_s: float
    shortfall: float
    u: float
    u95: float
    runs: int


class ShortfallFinding(NamedTuple):
    """What the lengths say: ``alike`` is the part by which even the slowest fall short."""

    points: tuple[Point, ...]
    alike: float
    last_good_mm3_s: float | None
    limit_mm3_s: float | None
    limit_unrounded_mm3_s: float | None
    onset: Onset | None
    bound: str | None
    verdict: Verdict
    notes: tuple[str, ...]


def limit_from_feed(
    fed: Sequence[Fed],
    instrument: Instrument,
    rule: LimitRule = LimitRule(),  # noqa: B008 (immutable)
    limit_now_mm3_s: float | None = None,
) -> ShortfallFinding:
    """Return the flow where what moves first falls 3 % short of the mean of the two slowest.

    Short only when fast is melting; short at all flows alike is slip or wrong e-steps.

    >>> fed = [Fed(q, 100, m) for q, m in ((2, 100), (4, 100), (8, 99), (10, 95))]
    >>> found = limit_from_feed(fed, Instrument(0.25, 0.03, 0.01))
    >>> round(found.last_good_mm3_s, 6), found.limit_mm3_s
    (9.0, 8.0)

    Raises:
        BadInput: fewer than three flows, or a length that cannot be.
    """
    flows = _by_flow(fed)
    ratios = {
        flow: math.fsum(run.moved_mm / run.asked_mm for run in runs) / len(runs)
        for flow, runs in flows.items()
    }
    base = math.fsum(list(ratios.values())[:2]) / 2
    points = tuple(
        _point(flow, 1 - ratio / base, flows[flow], instrument, base)
        for flow, ratio in ratios.items()
    )
    finding = ShortfallFinding(
        points=points,
        alike=1 - base,
        last_good_mm3_s=None,
        limit_mm3_s=None,
        limit_unrounded_mm3_s=None,
        onset=None,
        bound=None,
        verdict=Verdict("keep", ""),
        notes=_notes(base, points),
    )
    return _judged(finding, rule, limit_now_mm3_s, math.hypot(points[0].u, points[1].u) / 2)


def _by_flow(fed: Sequence[Fed]) -> dict[float, list[Fed]]:
    flows: dict[float, list[Fed]] = {}
    for flow in sorted(fed):
        if not (0 < flow.flow_mm3_s < math.inf and 0 < flow.asked_mm < math.inf):
            raise BadInput(
                f"{flow.asked_mm:g} mm asked at {flow.flow_mm3_s:g} mm³/s: both must be above zero"
            )
        if not 0 < flow.moved_mm <= 1.5 * flow.asked_mm:
            raise BadInput(
                f"at {flow.flow_mm3_s:g} mm³/s {flow.moved_mm:g} mm moved for {flow.asked_mm:g} "
                "asked: more than nothing moves, and at most half as much again"
            )
        flows.setdefault(flow.flow_mm3_s, []).append(flow)
    if len(flows) < 3:
        raise BadInput(
            f"{len(flows)} different flow{'s' if len(flows) != 1 else ''}: at least three are "
            "needed, the two slowest as what is normal"
        )
    return flows


def _point(
    flow_mm3_s: float, shortfall: float, runs: list[Fed], instrument: Instrument, base: float
) -> Point:
    marked = instrument._replace(repeatability_mm=_MARKS * instrument.repeatability_mm)
    mean = math.fsum(run.moved_mm for run in runs) / len(runs)
    asked = math.fsum(run.asked_mm for run in runs) / len(runs)
    squares = math.fsum((run.moved_mm - mean) ** 2 for run in runs)
    scatter = math.sqrt(squares / (len(runs) - 1)) if len(runs) > 1 else 0.0
    if len({run.asked_mm for run in runs}) > 1:
        scatter = 0.0
    u, dof = standard_uncertainty(scatter, len(runs), marked)
    u /= asked * base
    return Point(flow_mm3_s, shortfall, u, t95(dof) * u, len(runs))


def _notes(base: float, points: tuple[Point, ...]) -> tuple[str, ...]:
    notes = []
    if exceeds(abs(1 - base), SHORT):
        word = "short" if base < 1 else "long"
        notes.append(
            f"even the slowest come out {100 * abs(1 - base):.1f} % {word}: that is not melting "
            "but e-steps, or filament that slips; settle them first (metier esteps)"
        )
    coarse = [point for point in points if exceeds(point.u95, SHORT)]
    if coarse:
        notes.append(
            f"a shortfall is known to ±{100 * coarse[0].u95:.1f} % only: ask for more length a run"
        )
    return tuple(notes)


def _onset(points: Sequence[Point], at: int, crossed: float, slope: float, u_base: float) -> Onset:
    """Return where what moves begins to fall short: convex, so not before the chord says so.

    Nor after the next flow, nor where the line through the points on either side, drawn on, does.
    """
    latest = points[at + 1].flow_mm3_s
    for start, other in ((at - 1, at), (at + 1, at + 2)):
        if start >= 0 and other < len(points):
            low, high = points[start], points[other]
            rise = (high.shortfall - low.shortfall) / (high.flow_mm3_s - low.flow_mm3_s)
            if rise > 0:
                there = low.flow_mm3_s + (SHORT - low.shortfall) / rise
                latest = min(latest, there) if there > crossed else latest
    parts = {
        "flows apart": (latest - crossed) / math.sqrt(12),
        "lengths": math.hypot(points[at + 1].u, u_base) / slope,
    }
    u95 = t95(math.inf) * math.hypot(*parts.values())
    return Onset((crossed + latest) / 2, u95, by_size(parts))


def _judged(
    finding: ShortfallFinding, rule: LimitRule, now: float | None, u_base: float
) -> ShortfallFinding:
    points = finding.points
    short = [exceeds(point.shortfall, SHORT) for point in points]
    if short[0] or short[1]:
        return finding._replace(
            verdict=Verdict(
                "recheck",
                "the two slowest differ by more than 6 %: there is no telling what is normal",
                ("one of the two lengths", "a filament that slips at times"),
            )
        )
    if not any(short):
        fastest = points[-1].flow_mm3_s
        if exceeds(abs(finding.alike), SHORT):
            verdict = Verdict(
                "recheck",
                f"all flows come out {100 * finding.alike:.1f} % short alike: slip or e-steps, not "
                "melting",
                ("e-steps: metier esteps", "the grip on the filament, a knot on the spool"),
            )
        else:
            onward = f"lengths at {1.25 * fastest:.3g} and {1.5 * fastest:.3g} mm³/s"
            reason = f"nothing falls short up to {fastest:g} mm³/s: the limit lies there or higher"
            verdict = Verdict("unclear", reason, (onward,))
        return finding._replace(
            last_good_mm3_s=fastest,
            limit_mm3_s=round_down(fastest, rule.round_to_mm3_s),
            limit_unrounded_mm3_s=fastest,
            bound="lower",
            verdict=verdict,
        )
    before, after = next(
        pair for pair, is_short in zip(pairwise(points), short[1:], strict=True) if is_short
    )
    slope = (after.shortfall - before.shortfall) / (after.flow_mm3_s - before.flow_mm3_s)
    last_good = before.flow_mm3_s + (SHORT - before.shortfall) / slope
    limit = last_good * (1 - rule.margin)
    onset = _onset(points, points.index(before), last_good, slope, u_base)
    rounded = round_down(limit, rule.round_to_mm3_s)
    u95 = onset.u95_mm3_s * (1 - rule.margin)
    verdict = judge_limit(rounded, u95, rule.round_to_mm3_s, last_good, now)
    return finding._replace(
        last_good_mm3_s=last_good,
        limit_mm3_s=rounded,
        limit_unrounded_mm3_s=limit,
        onset=onset,
        verdict=verdict,
    )
