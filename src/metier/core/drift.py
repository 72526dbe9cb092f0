"""Values over time, and rolls and batches that lie apart.

Rolls differ, and readings of one roll are nearer to each other: limits and tests are of the means
of rolls (one-way random effects; ISO 5725-2). A trend is a straight line by least squares (Draper
and Smith, Applied Regression Analysis), a jump the best split in two; of those that show, the one
that leaves less is named.
"""

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from metier.core.measure.readings import PRIOR_DOF
from metier.core.measure.student import NORMAL95, t95, t_quantile
from metier.core.measure.thresholds import exceeds

# A batch is named where luck alone would do it once in a hundred looks at all of them; a jump and a
# trend once in forty each, a roll apart once in fifty.
_ALPHA, _SHIFTED, _ALONE = 0.01, 0.025, 0.02


class Dot(NamedTuple):
    """One value found: where on the axis (days, or metres of a roll), how much, the u of it beside
    the others (what all share moves nothing), the roll and batch it is of, and the trial."""

    at: float
    value: float
    u: float
    roll: str = ""
    batch: str | None = None
    trial: int = 0


class Jump(NamedTuple):
    """From one roll on values are others than before: by how much, with ±."""

    roll: str
    after: str
    by: float
    u95: float


class Apart(NamedTuple):
    """A roll that lies apart from all others: by how much, with ±."""

    roll: str
    by: float
    u95: float


class Change(NamedTuple):
    """Values before and after something was changed: both means, the difference and its ±."""

    before: float
    after: float
    u95: float

    @property
    def by(self) -> float:
        """The difference."""
        return self.after - self.before

    @property
    def shows(self) -> bool:
        """Whether that is surely no chance."""
        return exceeds(abs(self.by), self.u95)


def change_of(dots: Sequence[Dot], at: float) -> Change | None:
    """Return what values were before and after a moment; None of fewer than two on either side.

    Two means of unequal scatter (Welch, Biometrika 34, 1947).
    """
    sides = [dot.value for dot in dots if dot.at < at], [dot.value for dot in dots if dot.at >= at]
    if min(map(len, sides)) < 2:
        return None
    means = [math.fsum(side) / len(side) for side in sides]
    parts = [
        math.fsum((value - mean) ** 2 for value in side) / (len(side) - 1) / len(side)
        for side, mean in zip(sides, means, strict=True)
    ]
    whole = sum(parts)
    if whole <= 0:
        return Change(means[0], means[1], 0.0)
    dof = whole**2 / math.fsum(
        part**2 / (len(side) - 1) for part, side in zip(parts, sides, strict=True)
    )
    return Change(means[0], means[1], t95(math.floor(dof + 1e-9)) * math.sqrt(whole))


class Batch(NamedTuple):
    """A batch whose rolls lie below or above those of all others: by how much, with ±."""

    name: str
    rolls: tuple[str, ...]
    by: float
    u95: float


def _of_rolls(dots: Sequence[Dot]) -> list[tuple[str, str | None, float, float]]:
    """Return rolls in the order they first appear: name, batch, mean, u of that."""
    by_roll: dict[str, list[Dot]] = {}
    for dot in dots:
        if dot.roll:
            by_roll.setdefault(dot.roll, []).append(dot)
    rolls = []
    for name, mine in by_roll.items():
        mean = math.fsum(dot.value for dot in mine) / len(mine)
        u = math.sqrt(math.fsum(dot.u**2 for dot in mine)) / len(mine)
        rolls.append((name, mine[0].batch, mean, u))
    return rolls


def jump_of(dots: Sequence[Dot]) -> tuple[Jump, float] | None:
    """Return the best split of rolls in two groups of at least two each, and the squares that it
    leaves, where its t shows; None where it does not."""
    rolls = _of_rolls(dots)
    splits = len(rolls) - 3
    best: tuple[Jump, float] | None = None
    for at in range(2, len(rolls) - 1):
        sides = [[mean for *_, mean, _ in part] for part in (rolls[:at], rolls[at:])]
        means = [math.fsum(side) / len(side) for side in sides]
        rest = math.fsum(
            (value - mean) ** 2 for side, mean in zip(sides, means, strict=True) for value in side
        )
        if best is None or rest < best[1]:
            dof = len(rolls) - 2
            u = math.sqrt(rest / dof * (1 / len(sides[0]) + 1 / len(sides[1])))
            jump = Jump(rolls[at][0], rolls[at - 1][0], means[1] - means[0], t95(dof) * u)
            best = jump, rest
    if best is None:
        return None
    jump, rest = best
    dof = len(rolls) - 2
    least = t_quantile(1 - _SHIFTED / 2 / splits, dof) / t95(dof) * jump.u95
    return best if exceeds(abs(jump.by), least) else None


def apart_of(dots: Sequence[Dot]) -> Apart | None:
    """Return the roll that lies furthest from all others, where its deletion t shows."""
    rolls = _of_rolls(dots)
    count = len(rolls)
    if count < 4:
        return None
    furthest: tuple[float, Apart] | None = None
    for roll, _, mean, _ in rolls:
        others = [value for name, _, value, _ in rolls if name != roll]
        middle = math.fsum(others) / len(others)
        variance = math.fsum((value - middle) ** 2 for value in others) / (len(others) - 1)
        u = math.sqrt(variance * (1 + 1 / len(others)) + 1e-18)
        ratio = abs(mean - middle) / u
        if furthest is None or ratio > furthest[0]:
            furthest = ratio, Apart(roll, mean - middle, t95(count - 2) * u)
    assert furthest is not None
    return furthest[1] if furthest[0] > t_quantile(1 - _ALONE / 2 / count, count - 2) else None


def _within(rolls: Sequence[tuple[str, str | None, float, float]]) -> tuple[float, float]:
    """Return by how much rolls of one batch differ beyond what each is known to, and its dof; where
    no batch has two, by how much all do, the middle half of them (a robust scatter)."""
    groups: dict[str, list[tuple[float, float]]] = {}
    for name, batch, mean, u in rolls:
        groups.setdefault(batch or f" {name}", []).append((mean, u))
    squares, dof, own = 0.0, 0, 0.0
    for each in groups.values():
        middle = math.fsum(mean for mean, _ in each) / len(each)
        squares += math.fsum((mean - middle) ** 2 for mean, _ in each)
        own += math.fsum(u**2 for _, u in each) * (len(each) - 1) / len(each)
        dof += len(each) - 1
    if dof:
        return math.sqrt(max(0.0, squares - own) / dof), PRIOR_DOF + dof
    steps = sorted(abs(b[2] - a[2]) for a, b in pairwise(rolls))
    middle = steps[(len(steps) - 1) // 2] / (0.6745 * math.sqrt(2))
    known = math.fsum(u**2 for *_, u in rolls) / len(rolls)
    return math.sqrt(max(0.0, middle**2 - known)), PRIOR_DOF + len(rolls) - 1


def batches_of(dots: Sequence[Dot]) -> tuple[Batch, ...]:
    """Return batches whose mean surely lies apart from the mean of the others.

    The one that lies furthest is taken away before the next is looked at, so that one odd batch
    does not make all the others look odd.
    """
    left = [roll for roll in _of_rolls(dots) if roll[1]]
    batches: list[Batch] = []
    looks = len({value[1] for value in left})
    while len({value[1] for value in left}) > 2:
        tested = [_apart(left, str(name)) for name in dict.fromkeys(value[1] for value in left)]
        worst, ratio = max(tested, key=lambda pair: pair[1])
        _, dof = _between(left, worst.name)
        if ratio <= t_quantile(1 - _ALPHA / 2 / looks, dof):
            break
        batches.append(worst)
        left = [value for value in left if value[1] != worst.name]
    return tuple(batches)


def _between(
    rolls: Sequence[tuple[str, str | None, float, float]], but: str
) -> tuple[float, float]:
    """Return by how much the batches besides one differ among each other, beyond what each is
    known to, and its dof."""
    groups: dict[str, list[tuple[float, float]]] = {}
    for _, batch, mean, u in rolls:
        if batch != but:
            groups.setdefault(str(batch), []).append((mean, u))
    means = [math.fsum(mean for mean, _ in each) / len(each) for each in groups.values()]
    own = [math.fsum(u**2 for _, u in each) / len(each) ** 2 for each in groups.values()]
    middle = math.fsum(means) / len(means)
    dof = len(means) - 1
    squares = math.fsum((mean - middle) ** 2 for mean in means)
    variance = max(0.0, squares / dof - math.fsum(own) / len(own)) if dof else 0.0
    return math.sqrt(variance), PRIOR_DOF + dof


def _apart(rolls: Sequence[tuple[str, str | None, float, float]], name: str) -> tuple[Batch, float]:
    """Return how far a batch lies from the others, and that in its standard deviations."""
    mine = [roll for roll in rolls if roll[1] == name]
    others = [roll for roll in rolls if roll[1] != name]
    spread, dof = _between(rolls, name)
    within, _ = _within(rolls)
    count = len({other[1] for other in others})
    mean = math.fsum(dot[2] for dot in mine) / len(mine)
    rest = math.fsum(other[2] for other in others) / len(others)
    own = math.fsum(dot[3] ** 2 for dot in mine) / len(mine) ** 2 + within**2 / len(mine)
    theirs = math.fsum(other[3] ** 2 for other in others) / len(others) ** 2
    u = math.sqrt(own + theirs + spread**2 * (1 + 1 / count) + 1e-18)
    batch = Batch(name, tuple(dot[0] for dot in mine), mean - rest, t95(dof) * u)
    return batch, abs(mean - rest) / u


_FEWEST = 3
# Checks nearer to each other, in days or metres, tell nothing of a walk.
_APART = 1.0


class Trend(NamedTuple):
    """A straight line: its value at the middle, its slope per unit of the axis with ±, and whether
    that shows."""

    middle_at: float
    middle: float
    slope: float
    slope_u95: float
    squares: float
    dof: int

    @property
    def shows(self) -> bool:
        """Whether the slope is surely none by chance."""
        least = t_quantile(1 - _SHIFTED / 2, self.dof) / t95(self.dof) * self.slope_u95
        return exceeds(abs(self.slope), least)

    def at(self, at: float) -> float:
        """Return the value on the line."""
        return self.middle + self.slope * (at - self.middle_at)


class Chart(NamedTuple):
    """The middle of all values, and the limits that chance alone keeps to; those outside."""

    middle: float
    low: float
    high: float
    outside: tuple[Dot, ...]


class Drift(NamedTuple):
    """What a record says; ``due_in`` is how far along the axis it lasts until the value may have
    moved by more than what is kept (below zero: it is due), None where nothing tells."""

    dots: tuple[Dot, ...]
    trend: Trend | None
    chart: Chart | None
    jump: Jump | None
    apart: Apart | None
    batches: tuple[Batch, ...]
    due_in: float | None


def drift(dots: Sequence[Dot], band: float, now: float) -> Drift:
    """Return what values say over time; ``band`` is how much of it may move, in its unit."""
    ordered = tuple(sorted(dots, key=lambda dot: dot.at))
    batches = batches_of(ordered)
    # A batch that is named explains its rolls: they are not named once more.
    odd = {roll for batch in batches for roll in batch.rolls}
    kept = [dot for dot in ordered if dot.roll not in odd]
    # What lies apart moves neither the middle nor what chance does.
    chart = chart_of(kept)
    trend, split = trend_of(_grouped(kept)), jump_of(kept)
    jump = split and split[0]
    if split and trend and trend.shows:
        # Both would say it; the one that leaves less does.
        if trend.squares < split[1]:
            jump = None
        else:
            trend = None
    named = jump or (trend and trend.shows)
    apart = None if named else apart_of(kept)
    return Drift(ordered, trend, chart, jump, apart, batches, _due_in(ordered, band, now))


def trend_of(dots: Sequence[Dot]) -> Trend | None:
    """Return the straight line through values; None of fewer than three, or all at one place.

    >>> metres = [0, 40, 90, 150, 210, 260]
    >>> shares = [1.000, 0.998, 0.995, 0.992, 0.990, 0.985]
    >>> found = trend_of([Dot(at, share, 0.0) for at, share in zip(metres, shares)])
    >>> round(1e4 * found.slope, 3), round(1e4 * found.slope_u95, 3)
    (-0.544, 0.102)
    """
    if len(dots) < _FEWEST:
        return None
    middle_at = math.fsum(dot.at for dot in dots) / len(dots)
    middle = math.fsum(dot.value for dot in dots) / len(dots)
    squares = math.fsum((dot.at - middle_at) ** 2 for dot in dots)
    if squares < 1e-9:
        return None
    slope = math.fsum((dot.at - middle_at) * (dot.value - middle) for dot in dots) / squares
    rest = math.fsum((dot.value - middle - slope * (dot.at - middle_at)) ** 2 for dot in dots)
    dof = len(dots) - 2
    # Where values are known to scatter by more than they happened to, that counts.
    variance = max(rest / dof, math.fsum(dot.u**2 for dot in dots) / len(dots))
    u95 = t95(dof) * math.sqrt(variance / squares)
    return Trend(middle_at, middle, slope, u95, rest, dof)


def _grouped(dots: Sequence[Dot]) -> list[Dot]:
    """Return means of rolls where several have values, each at the middle of its own: what sets a
    roll apart from the next is no trend, however often it was measured."""
    groups: dict[str, list[Dot]] = {}
    for dot in dots:
        groups.setdefault(dot.roll, []).append(dot)
    if not 1 < len(groups) < len(dots) or not all(groups):
        return list(dots)
    return [
        Dot(
            math.fsum(dot.at for dot in mine) / len(mine),
            math.fsum(dot.value for dot in mine) / len(mine),
            math.sqrt(math.fsum(dot.u**2 for dot in mine)) / len(mine),
        )
        for mine in groups.values()
    ]


def chart_of(dots: Sequence[Dot]) -> Chart | None:
    """Return the limits of single values, three standard deviations by the scatter between rolls
    and within them; None of fewer than three."""
    if len(dots) < _FEWEST:
        return None
    groups: dict[str, list[float]] = {}
    for at, dot in enumerate(dots):
        groups.setdefault(dot.roll or f" {at}", []).append(dot.value)
    if len(groups) == 1:
        groups = {f" {at}": [dot.value] for at, dot in enumerate(dots)}
    means = [math.fsum(mine) / len(mine) for mine in groups.values()]
    middle = math.fsum(means) / len(means)
    between = math.fsum((mean - middle) ** 2 for mean in means) / (len(means) - 1)
    dof = len(dots) - len(groups)
    squares = math.fsum(
        (value - mean) ** 2
        for mine, mean in zip(groups.values(), means, strict=True)
        for value in mine
    )
    within = squares / dof if dof else 0.0
    known = math.fsum(dot.u**2 for dot in dots) / len(dots)
    # A mean of n holds the n-th part of what is within.
    share = math.fsum(1 / len(mine) for mine in groups.values()) / len(groups)
    spread = math.sqrt(max(between + within * (1 - share), known))
    low, high = middle - 3 * spread, middle + 3 * spread
    outside = tuple(dot for dot in dots if exceeds(low, dot.value) or exceeds(dot.value, high))
    return Chart(middle, low, high, outside)


def _due_in(dots: Sequence[Dot], band: float, now: float) -> float | None:
    """Return how far along the axis the newest value lasts by its own record.

    What it moved by from check to check of one roll, beyond what checks scatter by, is taken as a
    walk: so much variance a unit of the axis. Due is when that, with the slope, reaches the band
    at 95 %.
    """
    dots = [dot for dot in dots if dot.roll == dots[-1].roll]
    if len(dots) < _FEWEST:
        return None
    trend = trend_of(dots)
    slope = abs(trend.slope) if trend and trend.shows else 0.0
    walked = []
    for before, other in pairwise(dots):
        apart = other.at - before.at
        if apart >= _APART:
            moved = (other.value - before.value) ** 2 - before.u**2 - other.u**2
            walked.append((moved, apart))
    span = math.fsum(apart for _, apart in walked)
    if not walked or span <= 0:
        return None
    variance = max(0.0, math.fsum(moved for moved, _ in walked) / span)
    low, high = 0.0, 100 * span
    if _moved(slope, variance, high) <= band:
        return None
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if _moved(slope, variance, middle) <= band else (low, middle)
    return low - (now - dots[-1].at)


def _moved(slope: float, variance: float, along: float) -> float:
    return slope * along + NORMAL95 * math.sqrt(variance * along)
