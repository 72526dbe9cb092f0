"""What other rolls of the same maker and material say of a new one: rolls differ, so with a ±.

The scatter between rolls pooled with what is usual, then the mean weighted by it (a random
effects model; ISO 5725-2 has the same variance components).
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.measure.readings import PRIOR_DOF
from metier.core.measure.student import NORMAL95

# Rolls of one maker and material deliver alike to this (1 u, a ratio) until more are known.
ROLL_SCATTER = 0.02


class Roll(NamedTuple):
    """A roll: its name, the share delivered over dosed with it, and the u of that."""

    name: str
    share: float
    u: float


class Kindred(NamedTuple):
    """What rolls say of a new one of their kind: the share to expect, its u, how they scatter."""

    share: float
    u: float
    scatter: float

    @property
    def flow(self) -> float:
        """The flow to expect, a ratio."""
        return 1 / self.share

    @property
    def flow_u95(self) -> float:
        """Its U at 95 %."""
        return NORMAL95 * self.u / self.share**2


def kindred(rolls: Sequence[Roll]) -> Kindred:
    """Return what to expect of another roll; at least one must be known.

    >>> found = kindred([Roll("fern-1", 1.062, 0.012)])
    >>> found.share, round(found.u, 4)
    (1.062, 0.0307)
    """
    count = len(rolls)
    own = math.fsum(roll.u**2 for roll in rolls) / count
    between = 0.0
    if count > 1:
        mean = math.fsum(roll.share for roll in rolls) / count
        squares = math.fsum((roll.share - mean) ** 2 for roll in rolls)
        between = max(0.0, squares / (count - 1) - own)
    variance = (PRIOR_DOF * ROLL_SCATTER**2 + (count - 1) * between) / (count + PRIOR_DOF - 1)
    weights = [1 / (variance + roll.u**2) for roll in rolls]
    total = math.fsum(weights)
    share = math.fsum(w * roll.share for w, roll in zip(weights, rolls, strict=True)) / total
    return Kindred(share, math.sqrt(variance + 1 / total), math.sqrt(variance))
