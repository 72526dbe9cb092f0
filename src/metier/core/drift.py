"""Values over time: trend, jumps from roll to roll, batches thinner than their fellows, and when a
value is due for a check by its own record.

The trend is a straight line by least squares (Draper and Smith, Applied Regression Analysis), the
limits of the chart are those of single values (ISO 7870-2): three standard deviations by the moving
range, where nothing but chance moves them.
"""

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from metier.core.batches import Batch, Dot, Jump, batches_of, jumps_of
from metier.core.measure.student import NORMAL95, t95
from metier.core.measure.thresholds import exceeds

# The mean moving range of two, in standard deviations (ISO 7870-2).
_RANGE_OF_TWO = 1.128
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

    @property
    def shows(self) -> bool:
        """Whether the slope is surely none by chance."""
        return exceeds(abs(self.slope), self.slope_u95)

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
    jumps: tuple[Jump, ...]
    batches: tuple[Batch, ...]
    due_in: float | None


def drift(dots: Sequence[Dot], band: float, now: float) -> Drift:
    """Return what values say over time; ``band`` is how much of it may move, in its unit."""
    ordered = tuple(sorted(dots, key=lambda one: one.at))
    batches = batches_of(ordered)
    # A batch that is named explains its rolls: they are not named once more.
    odd = {roll for batch in batches for roll in batch.rolls}
    chart = chart_of(ordered)
    if chart:
        chart = chart._replace(outside=tuple(one for one in chart.outside if one.roll not in odd))
    jumps = tuple(one for one in jumps_of(ordered) if one.roll not in odd and one.after not in odd)
    return Drift(
        ordered, trend_of(_grouped(ordered)), chart, jumps, batches, _due_in(ordered, band, now)
    )


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
    middle_at = math.fsum(one.at for one in dots) / len(dots)
    middle = math.fsum(one.value for one in dots) / len(dots)
    squares = math.fsum((one.at - middle_at) ** 2 for one in dots)
    if squares < 1e-9:
        return None
    slope = math.fsum((one.at - middle_at) * (one.value - middle) for one in dots) / squares
    rest = math.fsum((one.value - middle - slope * (one.at - middle_at)) ** 2 for one in dots)
    dof = len(dots) - 2
    # Where values are known to scatter by more than they happened to, that counts.
    known = math.fsum(one.u**2 for one in dots) / len(dots)
    variance = max(rest / dof, known)
    return Trend(middle_at, middle, slope, t95(dof) * math.sqrt(variance / squares))


def _grouped(dots: Sequence[Dot]) -> list[Dot]:
    """Return means of batches, or of rolls, where some have several values: what sets a batch apart
    from the next is no trend, however often it was measured."""
    for by_batch in (True, False):
        groups: dict[str, list[Dot]] = {}
        for one in dots:
            name = (one.batch or one.roll) if by_batch else one.roll
            groups.setdefault(name, []).append(one)
        if 1 < len(groups) < len(dots) and all(groups):
            return [
                Dot(
                    math.fsum(one.at for one in mine) / len(mine),
                    math.fsum(one.value for one in mine) / len(mine),
                    math.sqrt(math.fsum(one.u**2 for one in mine)) / len(mine),
                )
                for mine in groups.values()
            ]
    return list(dots)


def chart_of(dots: Sequence[Dot]) -> Chart | None:
    """Return the limits of single values, by the moving range; None of fewer than three."""
    if len(dots) < _FEWEST:
        return None
    middle = math.fsum(one.value for one in dots) / len(dots)
    ranges = [abs(other.value - one.value) for one, other in pairwise(dots)]
    spread = math.fsum(ranges) / len(ranges) / _RANGE_OF_TWO
    known = math.sqrt(math.fsum(one.u**2 for one in dots) / len(dots))
    spread = max(spread, known)
    low, high = middle - 3 * spread, middle + 3 * spread
    outside = tuple(one for one in dots if exceeds(low, one.value) or exceeds(one.value, high))
    return Chart(middle, low, high, outside)


def _due_in(dots: Sequence[Dot], band: float, now: float) -> float | None:
    """Return how far along the axis the newest value lasts by its own record.

    What it moved by from check to check of one roll, beyond what checks scatter by, is taken as a
    walk: so much variance a unit of the axis. Due is when that, with the slope, reaches the band
    at 95 %.
    """
    dots = [one for one in dots if one.roll == dots[-1].roll]
    if len(dots) < _FEWEST:
        return None
    found = trend_of(dots)
    slope = abs(found.slope) if found and found.shows else 0.0
    walked = []
    for one, other in pairwise(dots):
        apart = other.at - one.at
        if apart >= _APART:
            moved = (other.value - one.value) ** 2 - one.u**2 - other.u**2
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
