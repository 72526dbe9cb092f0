"""Strength: coupons pulled or bent, and what they say of the limit.

Parts printed near the limit look fine and break between the layers. Each flow is compared with all
slower ones that are as strong, by Student's one-sided t with the scatter of all; and because many
comparisons find something by chance, their p-values are judged together (Holm, Scandinavian
Journal of Statistics 6, 1979).
"""

import math
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.plan import Outline, Reach
from metier.core.measure.student import t_quantile
from metier.core.measure.thresholds import TOLERANCE, exceeds
from metier.core.verdicts import Verdict

# A flow keeps the strength when it is proven not to fall below this part of the strongest.
KEPT = 0.95
_SURE = 0.95
_MOST_COUPONS = 50
_STRONGEST_MPA = 500.0

GroupVerdict = Literal["slowest", "held", "lost", "cannot tell"]


class Group(NamedTuple):
    """The coupons of one flow: mean strength in MPa with U, and how it compares.

    ``against_mm3_s`` are the slower flows compared with, together; ``t`` is how far its mean lies
    from 95 % of theirs, in standard uncertainties. ``more_coupons`` tells how many more of each
    would tell (None: none within reason).
    """

    flow_mm3_s: float
    n: int
    mean_mpa: float
    scatter_mpa: float
    u95_mpa: float
    against_mm3_s: tuple[float, ...]
    ratio: float
    t: float | None
    verdict: GroupVerdict
    more_coupons: int | None


class StrengthFinding(NamedTuple):
    """What the coupons say; ``limit_mm3_s`` is the highest flow below the first that is lost."""

    groups: tuple[Group, ...]
    limit_mm3_s: float | None
    bound: str | None
    verdict: Verdict
    notes: tuple[str, ...]

    @property
    def told(self) -> bool:
        """Whether the coupons of the limit's own flow tell; else it is no value to type."""
        at_limit = next(g for g in self.groups if g.flow_mm3_s == self.limit_mm3_s)
        return at_limit.verdict != "cannot tell"


def judge_strength(
    coupons_mpa: Mapping[float, Sequence[float]], limit_now_mm3_s: float | None = None
) -> StrengthFinding:
    """Judge the strength of coupons by flow (mm³/s).

    For each flow D = mean - 0.95 · mean of all slower ones not found lower, with the scatter of
    all groups pooled: held when D is proven above zero, lost when proven below it, at 95 % for
    all flows together, else it cannot be told. The slowest is what the others are held against.

    Raises:
        BadInput: fewer than two flows, one coupon in a group, or an impossible number.
    """
    _check(coupons_mpa)
    flows = sorted(coupons_mpa)
    groups = _groups({flow: coupons_mpa[flow] for flow in flows})
    lost = [group.flow_mm3_s for group in groups if group.verdict == "lost"]
    below = [flow for flow in flows if not lost or flow < lost[0]]
    # The slowest is never compared with a slower one: it always stands below the first lost.
    limit = below[-1]
    bound = None if lost else "lower"
    return StrengthFinding(
        tuple(groups),
        limit,
        bound,
        _verdict(groups, lost, limit, limit_now_mm3_s),
        _notes(groups, limit, bool(lost)),
    )


def _check(coupons_mpa: Mapping[float, Sequence[float]]) -> None:
    if len(coupons_mpa) < 2:
        raise BadInput("coupons of one flow only: at least two flows are needed to compare")
    for flow, values in coupons_mpa.items():
        if not 0 < flow < math.inf:
            raise BadInput(f"coupons at {flow:g} mm³/s: the flow must be above zero")
        if len(values) < 2:
            raise BadInput(
                f"one coupon at {flow:g} mm³/s: at least two of each flow, or nothing is known "
                "of their scatter"
            )
        if not all(0 < value < math.inf for value in values):
            raise BadInput(f"a coupon at {flow:g} mm³/s has no strength above zero")
        if max(values) > _STRONGEST_MPA:
            raise BadInput(
                f"a coupon at {flow:g} mm³/s of {max(values):g} MPa is stronger than any plastic: "
                "a digit too many, or newtons?"
            )


def _mean(values: Sequence[float]) -> float:
    return math.fsum(values) / len(values)


def _scatter(values: Sequence[float]) -> float:
    mean = _mean(values)
    return math.sqrt(math.fsum((value - mean) ** 2 for value in values) / (len(values) - 1))


class _Comparison(NamedTuple):
    """A group against others, pooled: their means and counts, and the scatter of all."""

    mean: float
    n: int
    mean0: float
    n0: int
    scatter: float
    dof: int
    share: float = KEPT

    @property
    def t(self) -> float:
        """How far the mean lies from that share of the others', in standard uncertainties."""
        u = self.scatter * math.sqrt(1 / self.n + self.share**2 / self.n0)
        difference = self.mean - self.share * self.mean0
        if u <= TOLERANCE * self.mean0:
            return math.copysign(math.inf, difference) if difference else math.inf
        return difference / u

    def told(self, share: float) -> bool:
        """Tell whether it is told apart from that at a one-sided chance of error."""
        return abs(self.t) > t_quantile(1 - share, self.dof)


def _groups(coupons_mpa: Mapping[float, Sequence[float]]) -> list[Group]:
    """Return the groups, judged together, the slowest first."""
    total = sum(len(values) for values in coupons_mpa.values())
    dof = total - len(coupons_mpa)
    squares = math.fsum(
        (len(values) - 1) * _scatter(values) ** 2 for values in coupons_mpa.values()
    )
    scatter = math.sqrt(squares / dof)
    flows = list(coupons_mpa)
    strong, compared = [flows[0]], dict[float, tuple[_Comparison, tuple[float, ...]]]()
    for flow in flows[1:]:
        others = [value for other in strong for value in coupons_mpa[other]]
        values = coupons_mpa[flow]
        this = _Comparison(_mean(values), len(values), _mean(others), len(others), scatter, dof)
        compared[flow] = (this, tuple(strong))
        if not (this.t < 0 and this.told(1 - _SURE)):
            strong.append(flow)
    told = _told_together({flow: this for flow, (this, _) in compared.items()})
    groups = [_group(flows[0], coupons_mpa[flows[0]], None, (), False, 0.0)]
    for flow, (this, against) in compared.items():
        share = (1 - _SURE) / len(compared)
        groups.append(_group(flow, coupons_mpa[flow], this, against, flow in told, share))
    return groups


def _told_together(compared: Mapping[float, _Comparison], sides: int = 1) -> set[float]:
    """Return the flows told apart, by Holm's steps: the clearest first."""
    told: set[float] = set()
    order = sorted(compared, key=lambda flow: -abs(compared[flow].t))
    for step, flow in enumerate(order):
        if not compared[flow].told((1 - _SURE) / sides / (len(order) - step)):
            break
        told.add(flow)
    return told


def _group(
    flow: float,
    values: Sequence[float],
    this: _Comparison | None,
    against: tuple[float, ...],
    told: bool,
    share: float,
) -> Group:
    mean, scatter, count = _mean(values), _scatter(values), len(values)
    u95 = t_quantile((1 + _SURE) / 2, count - 1) * scatter / math.sqrt(count)
    group = Group(
        flow_mm3_s=flow,
        n=count,
        mean_mpa=mean,
        scatter_mpa=scatter,
        u95_mpa=u95,
        against_mm3_s=against,
        ratio=1.0,
        t=None,
        verdict="slowest",
        more_coupons=None,
    )
    if this is None:
        return group
    held: GroupVerdict = "held" if this.t > 0 else "lost"
    return group._replace(
        ratio=this.mean / this.mean0,
        t=this.t if math.isfinite(this.t) else None,
        verdict=held if told else "cannot tell",
        more_coupons=None if told else _more_coupons(this, len(against), share),
    )


def _more_coupons(this: _Comparison, others: int, share: float) -> int | None:
    """Return how many more coupons of each flow, scattering alike, would tell."""
    for more in range(1, _MOST_COUPONS + 1):
        then = this._replace(
            n=this.n + more, n0=this.n0 + others * more, dof=this.dof + (1 + others) * more
        )
        if then.told(share):
            return more
    return None


def _verdict(groups: list[Group], lost: list[float], limit: float, now: float | None) -> Verdict:
    reason = f"strength is lost at {lost[0]:.4g} mm³/s" if lost else ""
    high = lost and (now is None or exceeds(now, limit))
    bearing = [group for group in groups if not lost or group.flow_mm3_s <= (now or limit)]
    if high:
        bearing = [group for group in groups if group.flow_mm3_s == limit]
    if high and bearing[0].verdict != "cannot tell":
        return Verdict("correct", f"{reason}; {limit:.4g} is the fastest below that")
    unsure = [group for group in bearing if group.verdict == "cannot tell"]
    if lost and not unsure:
        return Verdict("keep", f"{reason}, and the limit in force, {now:g}, stays below")
    if unsure:
        below = f"{reason}, " if high else ""
        told = min((group.more_coupons for group in unsure if group.more_coupons), default=None)
        remedies = [] if high else ["coupons at a faster flow, to see strength go"]
        if told:
            remedies.insert(0, f"{told} more coupon{'s' if told > 1 else ''} of each flow in doubt")
        flows = ", ".join(f"{group.flow_mm3_s:.4g}" for group in unsure)
        return Verdict(
            "unclear", f"{below}too few coupons to tell at {flows} mm³/s", tuple(remedies)
        )
    if now is not None and not exceeds(now, limit):
        return Verdict(
            "keep", f"strength holds up to {limit:.4g} mm³/s, the limit in force is {now:g}"
        )
    return Verdict(
        "unclear",
        f"strength holds at every flow, up to {limit:.4g} mm³/s: nothing shows where it goes",
        ("coupons at a faster flow",),
    )


def _notes(groups: list[Group], limit: float, lost: bool) -> tuple[str, ...]:
    notes = []
    unproven = [
        g.flow_mm3_s for g in groups if g.verdict == "cannot tell" and g.flow_mm3_s <= limit
    ]
    if lost and unproven:
        flows = ", ".join(f"{flow:.4g}" for flow in unproven)
        notes.append(f"at {flows} mm³/s too few coupons tell whether strength holds")
    if lost:
        notes.append(
            "what helps where strength is lost: slower, hotter, less cooling, or a hot end that "
            "melts more"
        )
    return tuple(notes)


# Flows of two prints are one where they differ by no more than this part.
_SAME_FLOW = 0.02


class Beside(NamedTuple):
    """Coupons of one flow by two nozzles or at two temperatures: ``ratio`` is the strength of the
    one over that of the other."""

    flow_mm3_s: float
    ratio: float
    verdict: Literal["stronger", "weaker", "cannot tell"]


def strength_beside(groups: Sequence[Group], others: Sequence[Group]) -> list[Beside]:
    """Compare coupons with others of the same flows, by Student's two-sided t with the scatter of
    all of them pooled, and Holm's steps over the flows.

    >>> def of(*means):
    ...     return judge_strength({4.0 + 4 * n: (x - 1, x, x + 1) for n, x in enumerate(means)})
    >>> [row.verdict for row in strength_beside(of(40, 31).groups, of(30, 30).groups)]
    ['stronger', 'cannot tell']
    """
    every = [*groups, *others]
    dof = sum(group.n - 1 for group in every)
    squares = math.fsum((group.n - 1) * group.scatter_mpa**2 for group in every)
    compared = {
        this.flow_mm3_s: _Comparison(
            this.mean_mpa, this.n, other.mean_mpa, other.n, math.sqrt(squares / dof), dof, share=1
        )
        for this in groups
        for other in others
        if abs(this.flow_mm3_s / other.flow_mm3_s - 1) <= _SAME_FLOW + TOLERANCE
    }
    told = _told_together(compared, sides=2)
    rows = []
    for flow, pair in compared.items():
        verdict: Literal["stronger", "weaker"] = "stronger" if pair.t > 0 else "weaker"
        rows.append(
            Beside(flow, pair.mean / pair.mean0, verdict if flow in told else "cannot tell")
        )
    return rows


_MOSTLY_AT_SPEED = 0.8


class AtSpeed(NamedTuple):
    """A coupon's flow as set and as ``reached_mm3_s``, at least in the middle of its gauge
    length, and the share of that length printed so; ``layer_time`` tells that this held it
    back."""

    flow_mm3_s: float
    reached_mm3_s: float
    share: float
    layer_time: bool


def at_speed(
    flow_mm3_s: float,
    area_mm2: float,
    *,
    length_mm: float | None = None,
    accel_mm_s2: float | None = None,
    layer_path_mm: float | None = None,
    layer_time_s: float | None = None,
) -> AtSpeed:
    """Return what of a coupon's gauge length really runs at its flow.

    ``area_mm2`` is the line's cross-section times the flow in force. A layer done sooner than
    ``layer_time_s`` is slowed down to last that long.

    >>> found = at_speed(10, 0.1, length_mm=30, accel_mm_s2=1000)
    >>> round(found.share, 3), found.reached_mm3_s
    (0.669, 10)
    """
    slowed = flow_mm3_s
    if layer_path_mm and layer_time_s:
        slowed = min(slowed, layer_path_mm / layer_time_s * area_mm2)
    reached, share = slowed, 1.0
    if length_mm and accel_mm_s2:
        reach = Reach(Outline("square", length_mm), accel_mm_s2)
        share = reach.share(slowed / area_mm2)
        reached = min(slowed, reach.fastest_mm_s * area_mm2)
    return AtSpeed(flow_mm3_s, reached, share, exceeds(flow_mm3_s, slowed * 1.01))


def speed_notes(speeds: Sequence[AtSpeed]) -> list[str]:
    """Return the warnings due where coupons were printed slower than their flow says."""
    notes = []
    slowed = [speed for speed in speeds if speed.layer_time]
    if slowed:
        last = slowed[-1]
        notes.append(
            f"the layer time held {len(slowed)} of the flows back: {last.flow_mm3_s:g} was really "
            f"{last.reached_mm3_s:.3g} mm³/s, and counts as that; print several coupons at once"
        )
    short = [speed for speed in speeds if exceeds(_MOSTLY_AT_SPEED, speed.share)]
    if short:
        last = short[-1]
        reached = ""
        if exceeds(last.flow_mm3_s, last.reached_mm3_s) and not last.layer_time:
            reached = f", it counts as the {last.reached_mm3_s:.3g} that is reached"
        notes.append(
            f"acceleration held {len(short)} of the flows back: at {last.flow_mm3_s:g} mm³/s only "
            f"{100 * last.share:.0f} % of the gauge length ran at speed{reached}; longer coupons "
            "or more acceleration"
        )
    return notes
