"""What walls and weights say of flow by Bayes: the posterior of the share delivered over dosed.

A wall of one line with cross-section A dosed measures ``a + c + texture`` with ``a = e·A/h``,
where e is the share and c what a line's rounded sides add. Lines that touch push each other out,
but a part of the surplus goes up or into voids; starved lines keep their distance, shrink together
or do something between: each with equal odds. A scale tells e itself. How the slicer doses a line
is an unknown like e wherever a row hangs on it. Bayes' rule over all of these (JCGM 101:2008;
probability of conformity by JCGM 106:2012).
"""

import math
from bisect import bisect_left
from collections.abc import Iterator, Mapping, Sequence
from itertools import accumulate, pairwise
from operator import mul
from typing import NamedTuple

from metier.core.flow.rows import (
    PRINT_SCATTER,
    TEXTURE_MM,
    Row,
    covariance,
    dot,
    inverse,
    texture_covariance,
)
from metier.core.measure.student import NORMAL95
from metier.core.values import LineModel

# How starved lines share what is lacking, and how much of a surplus goes up or into voids.
STARVED = (0.0, 0.5, 1.0)
RISING = (0.0, 0.25, 0.5)
WAYS = tuple((starved, rising) for starved in STARVED for rising in RISING)
_LEAST, _MOST = 0.3, 3.2
_COARSE, _FINE = 240, 600
# Beyond this the weight is below 1e-9 of the largest.
_NEGLIGIBLE = 42.0
_HALVED_TO = 1e-6


class Prior(NamedTuple):
    """What is known of the share beforehand (1 u); None where nothing is."""

    share: float = 1.0
    u: float | None = 0.08

    @property
    def interval(self) -> tuple[float, float]:
        """The shares between which it lies, at 95 %."""
        wide = NORMAL95 * (math.inf if self.u is None else self.u)
        return self.share - wide, self.share + wide


class Posterior(NamedTuple):
    """The share as a table: ``below[i]`` is how likely it lies below ``shares[i]``."""

    shares: tuple[float, ...]
    below: tuple[float, ...]

    def quantile(self, p: float) -> float:
        """Return the share that lies above a part ``p`` of the probability."""
        at = max(1, bisect_left(self.below, p))
        low, high = self.below[at - 1], self.below[at]
        part = (p - low) / (high - low) if high > low else 0.0
        return self.shares[at - 1] + part * (self.shares[at] - self.shares[at - 1])

    def probability_below(self, share: float) -> float:
        """Return how likely the share lies below one."""
        if share <= self.shares[0]:
            return 0.0
        if share >= self.shares[-1]:
            return 1.0
        at = bisect_left(self.shares, share)
        part = (share - self.shares[at - 1]) / (self.shares[at] - self.shares[at - 1])
        return self.below[at - 1] + part * (self.below[at] - self.below[at - 1])

    @property
    def flow(self) -> float:
        """The flow to type: one over the median share."""
        return 1 / self.quantile(0.5)

    @property
    def interval(self) -> tuple[float, float]:
        """The flows between which the right one lies, at 95 %."""
        return 1 / self.quantile(0.975), 1 / self.quantile(0.025)

    @property
    def share_u95(self) -> float:
        """Half the length of the shares' interval."""
        return (self.quantile(0.975) - self.quantile(0.025)) / 2

    def sure(self, flow: float, band: tuple[float, float]) -> float:
        """Return how likely what a flow delivers lies within ``band`` of what is right.

        ``band`` is relative, as (-0.02, 0.03).
        """
        low, high = ((1 + edge) / flow for edge in band)
        return self.probability_below(high) - self.probability_below(low)


class Joint(NamedTuple):
    """The share under each line model, and how likely each model is: together a mixture.

    ``own`` is the share under each without what other rolls say. Where what was measured and what
    was known beforehand contradict each other, the measured alone decides, and ``contradicts``
    tells so.
    """

    under: dict[LineModel, Posterior]
    odds: dict[LineModel, float]
    own: dict[LineModel, Posterior]
    contradicts: bool = False

    @property
    def likelier(self) -> LineModel:
        """The likelier line model; the first of equals."""
        return max(self.odds, key=lambda model: self.odds[model])

    @property
    def flow(self) -> float:
        """The best estimate of the flow to type: under the likelier line model."""
        return self.under[self.likelier].flow

    def probability_below(self, share: float) -> float:
        """Return how likely the share lies below one, over both line models."""
        return sum(self.odds[m] * each.probability_below(share) for m, each in self.under.items())

    def quantile(self, p: float) -> float:
        """Return the share that lies above a part ``p`` of the probability, by halving."""
        ends = [each.quantile(p) for each in self.under.values()]
        low, high = min(ends), max(ends)
        while high - low > _HALVED_TO:
            middle = (low + high) / 2
            low, high = (middle, high) if self.probability_below(middle) < p else (low, middle)
        return (low + high) / 2

    @property
    def interval(self) -> tuple[float, float]:
        """The flows between which the right one lies, at 95 %."""
        return 1 / self.quantile(0.975), 1 / self.quantile(0.025)

    def sure(self, flow: float, band: tuple[float, float]) -> float:
        """Return how likely what a flow delivers lies within ``band`` of what is right.

        ``band`` is relative, as (-0.02, 0.03).
        """
        low, high = ((1 + edge) / flow for edge in band)
        return self.probability_below(high) - self.probability_below(low)

    def wanting(self, part: Mapping[LineModel, float]) -> "Joint":
        """Return it for a wall of another size, which takes so much of what just fills lines."""
        under = {
            model: each._replace(shares=tuple(share / part[model] for share in each.shares))
            for model, each in self.under.items()
        }
        return self._replace(under=under)


def joint(
    rows_under: Mapping[LineModel, Sequence[Row]],
    odds: Mapping[LineModel, float],
    prior: Prior,
    print_scatter: float = PRINT_SCATTER,
) -> Joint:
    """Return what rows say of the share delivered over dosed.

    ``rows_under`` are the rows by each line model that it could be, ``odds`` how likely each is
    beforehand.

    >>> from metier.core.line.bead import rounding_mm
    >>> from metier.core.flow.rows import DosedWall
    >>> area = 0.2 * (0.44 - rounding_mm(0.2))
    >>> wall = DosedWall(0.4725, 0.005, 0.02, 1, area, 0.397, 0.2)
    >>> round(joint({"rounded": [wall]}, {"rounded": 1.0}, Prior(1.0, 0.05)).flow, 3)
    0.967
    """
    likelihoods = {
        model: _Likelihood(rows, print_scatter)
        for model, rows in rows_under.items()
        if odds.get(model)
    }
    shares = _looked_at(list(likelihoods.values()))
    squares = {model: each.squares(shares) for model, each in likelihoods.items()}
    least = min(min(map(min, ways)) for ways in squares.values())
    heights = {
        model: [odds[model] * height for height in _heights(ways, least)]
        for model, ways in squares.items()
    }
    flat = _tables(shares, heights)
    if prior.u is None:
        return flat
    low, high = flat.quantile(0.025), flat.quantile(0.975)
    if prior.interval[1] < low or high < prior.interval[0]:
        return flat._replace(contradicts=True)
    known = [math.exp(-(((share - prior.share) / prior.u) ** 2) / 2) for share in shares]
    weighed = {model: list(map(mul, each, known)) for model, each in heights.items()}
    return _tables(shares, weighed)


def texture_mm(rows: Sequence[Row], share: Posterior, print_scatter: float) -> float:
    """Return what walls measure beyond their lines, over what the share may be."""
    likelihood = _Likelihood(rows, print_scatter)
    between = [(low + high) / 2 for low, high in pairwise(share.shares)]
    density = [high - low for low, high in pairwise(share.below)]
    squares = likelihood.squares(between)
    least = list(map(min, zip(*squares, strict=True)))
    ways = [list(map(lambda a, b: math.exp((a - b) / 2), least, way)) for way in squares]
    whole = [sum(heights) for heights in zip(*ways, strict=True)]
    textures = likelihood.textures_mm(between)
    means = [
        dot(heights, mine) / total
        for heights, mine, total in zip(
            zip(*ways, strict=True), zip(*textures, strict=True), whole, strict=True
        )
    ]
    return dot(density, means)


def _looked_at(likelihoods: Sequence["_Likelihood"]) -> list[float]:
    """Return shares that lie evenly over where anything of weight lies."""
    step = (_MOST - _LEAST) / _COARSE
    coarse = [_LEAST + step * i for i in range(_COARSE + 1)]
    ways = [way for each in likelihoods for way in each.squares(coarse)]
    lowest = list(map(min, zip(*ways, strict=True)))
    least = min(lowest)
    kept = [x for x, low in zip(coarse, lowest, strict=True) if low - least < _NEGLIGIBLE]
    low, high = max(_LEAST, kept[0] - step), min(_MOST, kept[-1] + step)
    return [low + (high - low) * i / _FINE for i in range(_FINE + 1)]


def _heights(ways: Sequence[Sequence[float]], least: float) -> list[float]:
    """Return how likely rows are at each share: the mean over the ways, relative to ``least``."""
    exp, half, count = math.exp, least / 2, len(ways)
    each = [[exp(half - square / 2) for square in way] for way in ways]
    return [sum(heights) / count for heights in zip(*each, strict=True)]


def _tables(shares: Sequence[float], heights: Mapping[LineModel, Sequence[float]]) -> Joint:
    """Return the share under each line model, from its heights."""
    under, mass = {}, {}
    for model, mine in heights.items():
        below = [0.0, *accumulate((height + other) / 2 for height, other in pairwise(mine))]
        mass[model] = below[-1]
        whole = below[-1] or 1.0
        under[model] = Posterior(tuple(shares), tuple(part / whole for part in below))
    total = sum(mass.values())
    return Joint(under, {model: part / total for model, part in mass.items()}, under)


class _Piece(NamedTuple):
    """Weighted squares of the residuals between two shares e, ``(square·e + linear)·e + constant``,
    and texture, ``texture_mm + slope_mm·e``."""

    square: float
    linear: float
    constant: float
    texture_mm: float
    slope_mm: float


class _Likelihood:
    """How likely rows are at a share, under one line model: squares of the residuals, weighted by
    the inverse of their covariance, each way lines may share a surplus or a lack.

    Between the shares where lines touch they are quadratic.
    """

    def __init__(self, rows: Sequence[Row], print_scatter: float) -> None:
        self._rows = rows
        self._weights, self._log_det = inverse(covariance(rows, print_scatter))
        self._textures = texture_covariance(rows)
        touching = {row.touching_at for row in rows}
        self._bounds = sorted(bound for bound in touching if bound is not None)
        ways = WAYS if self._bounds else WAYS[:1]
        edges = list(pairwise([0.0, *self._bounds, math.inf]))
        self._pieces = [[self._piece(*edge, *way) for edge in edges] for way in ways]

    def _piece(self, low: float, high: float, starved: float, rising: float) -> _Piece:
        inside = low + 0.5 if math.isinf(high) else (low + high) / 2
        # Each residual is constant - slope·e here.
        slopes = [row.slope(inside, starved, rising) for row in self._rows]
        constants = [
            row.value - row.lines_mm(inside, starved, rising) + slope * inside
            for row, slope in zip(self._rows, slopes, strict=True)
        ]
        by_slopes = [dot(row, slopes) for row in self._weights]
        by_constants = [dot(row, constants) for row in self._weights]
        return _Piece(
            dot(slopes, by_slopes),
            -2 * dot(constants, by_slopes),
            dot(constants, by_constants) + self._log_det,
            TEXTURE_MM + dot(self._textures, by_constants),
            -dot(self._textures, by_slopes),
        )

    def squares(self, shares: Sequence[float]) -> list[list[float]]:
        """Return the squares at rising shares, way by way; the determinant's logarithm added."""
        return [
            [
                (square * x + linear) * x + constant
                for run, (square, linear, constant, *_) in self._runs(shares, way)
                for x in run
            ]
            for way in self._pieces
        ]

    def textures_mm(self, shares: Sequence[float]) -> list[list[float]]:
        """Return what walls measure beyond their lines at rising shares, way by way."""
        return [
            [
                piece.texture_mm + piece.slope_mm * x
                for run, piece in self._runs(shares, way)
                for x in run
            ]
            for way in self._pieces
        ]

    def _runs(
        self, shares: Sequence[float], pieces: Sequence[_Piece]
    ) -> Iterator[tuple[Sequence[float], _Piece]]:
        edges = [0, *(bisect_left(shares, bound) for bound in self._bounds), len(shares)]
        runs = [shares[low:high] for low, high in pairwise(edges)]
        return zip(runs, pieces, strict=True)
