"""Rolls and batches that lie apart from their fellows (analysis of variance, ISO 5725-2)."""

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from metier.core.measure.readings import PRIOR_DOF
from metier.core.measure.student import t95, t_quantile
from metier.core.measure.thresholds import exceeds

# A jump or a batch is named where luck alone would do it once in a hundred looks at all of them.
_ALPHA = 0.01


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
    """A roll that lies apart from the one before: by how much, with ±."""

    roll: str
    after: str
    by: float
    u95: float


class Batch(NamedTuple):
    """A batch whose rolls lie below or above those of all others: by how much, with ±."""

    name: str
    rolls: tuple[str, ...]
    by: float
    u95: float


def _of_rolls(dots: Sequence[Dot]) -> list[tuple[str, str | None, float, float]]:
    """Return rolls in the order they first appear: name, batch, mean, u of that."""
    found: dict[str, list[Dot]] = {}
    for one in dots:
        if one.roll:
            found.setdefault(one.roll, []).append(one)
    rolls = []
    for name, mine in found.items():
        mean = math.fsum(one.value for one in mine) / len(mine)
        u = math.sqrt(math.fsum(one.u**2 for one in mine)) / len(mine)
        rolls.append((name, mine[0].batch, mean, u))
    return rolls


def jumps_of(dots: Sequence[Dot]) -> tuple[Jump, ...]:
    """Return rolls that surely differ from the one before, as rolls of one batch do not.

    Against what they are known to ± and what rolls of one batch scatter by, pooled.
    """
    rolls = _of_rolls(dots)
    if len(rolls) < 2:
        return ()
    spread, dof = _within(rolls)
    factor = t_quantile(1 - _ALPHA / 2 / (len(rolls) - 1), dof)
    found = []
    for (before, _, was, u_was), (name, _, now, u_now) in pairwise(rolls):
        u = math.sqrt(u_was**2 + u_now**2 + 2 * spread**2)
        if u > 0 and exceeds(abs(now - was), factor * u):
            found.append(Jump(name, before, now - was, t95(dof) * u))
    return tuple(found)


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
    left = [one for one in _of_rolls(dots) if one[1]]
    found: list[Batch] = []
    looks = len({one[1] for one in left})
    while len({one[1] for one in left}) > 2:
        tested = [_apart(left, str(name)) for name in dict.fromkeys(one[1] for one in left)]
        worst, ratio = max(tested, key=lambda pair: pair[1])
        _, dof = _between(left, worst.name)
        if ratio <= t_quantile(1 - _ALPHA / 2 / looks, dof):
            break
        found.append(worst)
        left = [one for one in left if one[1] != worst.name]
    return tuple(found)


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
    squares = math.fsum((one - middle) ** 2 for one in means)
    variance = max(0.0, squares / dof - math.fsum(own) / len(own)) if dof else 0.0
    return math.sqrt(variance), PRIOR_DOF + dof


def _apart(rolls: Sequence[tuple[str, str | None, float, float]], name: str) -> tuple[Batch, float]:
    """Return how far a batch lies from the others, and that in its standard deviations."""
    mine = [one for one in rolls if one[1] == name]
    others = [one for one in rolls if one[1] != name]
    spread, dof = _between(rolls, name)
    within, _ = _within(rolls)
    count = len({one[1] for one in others})
    mean = math.fsum(one[2] for one in mine) / len(mine)
    rest = math.fsum(one[2] for one in others) / len(others)
    own = math.fsum(one[3] ** 2 for one in mine) / len(mine) ** 2 + within**2 / len(mine)
    theirs = math.fsum(one[3] ** 2 for one in others) / len(others) ** 2
    u = math.sqrt(own + theirs + spread**2 * (1 + 1 / count) + 1e-18)
    batch = Batch(name, tuple(one[0] for one in mine), mean - rest, t95(dof) * u)
    return batch, abs(mean - rest) / u
