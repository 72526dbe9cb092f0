"""What the next print should measure, from the walls measured so far; with its ±.

The errors that walls share, texture and jaws, are known from those measured as far as these tell
(the conditional mean and variance of jointly normal errors), averaged over the posterior.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.answer import Known
from metier.core.flow.posterior import STARVED, Pieces, posterior
from metier.core.flow.walls import TEXTURE_MM, DosedWall, covariance, dot, inverse
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import exceeds

# The shares looked at, evenly over what is likely.
_SHARES = 40
_UNLIKELY = 0.0005


class Forecast(NamedTuple):
    """What a wall should measure, with U at 95 %, and what it did."""

    walls: int
    wall_mm: float
    u95_mm: float
    measured_mm: float

    @property
    def came_so(self) -> bool:
        """Whether it measured what was forecast."""
        return not exceeds(abs(self.measured_mm - self.wall_mm), self.u95_mm)


def forecast(
    walls: Sequence[DosedWall], ahead: Sequence[DosedWall], known: Known
) -> tuple[Forecast, ...]:
    """Return what each wall ahead should measure; what it did measure is only set beside it."""
    return tuple(_of_one(walls, wall, known) for wall in ahead)


def _of_one(walls: Sequence[DosedWall], ahead: DosedWall, known: Known) -> Forecast:
    together = covariance([*walls, ahead], known.print_scatter)
    size = len(walls)
    weights = inverse([row[:size] for row in together[:size]])
    shared, own = together[size][:size], together[size][size]
    pull = [dot(row, shared) for row in weights]
    variance = own - dot(pull, shared)
    found = posterior(walls, known.prior, known.print_scatter)
    low, high = found.quantile(_UNLIKELY), found.quantile(1 - _UNLIKELY)
    shares = [low + (high - low) * i / _SHARES for i in range(_SHARES + 1)]
    squares: list[float] = []
    expected: list[float] = []
    for starved in STARVED:
        squares += Pieces(walls, weights, starved, known.prior).squares(shares)
        for share in shares:
            off = [w.wall_mm - w.lines_mm(share, starved) - TEXTURE_MM for w in walls]
            expected.append(ahead.lines_mm(share, starved) + TEXTURE_MM + dot(pull, off))
    least = min(squares)
    odds = [math.exp((least - one) / 2) for one in squares]
    total = math.fsum(odds)
    mean = dot(odds, expected) / total
    spread = dot(odds, [(one - mean) ** 2 for one in expected]) / total
    return Forecast(ahead.walls, mean, NORMAL95 * math.sqrt(variance + spread), ahead.wall_mm)
