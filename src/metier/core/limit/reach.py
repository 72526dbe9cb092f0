"""How fast an outline can really be gone round: acceleration bounds what a speed set there means.

On a straight of length L between corners taken at v_c the speed rises to √(v_c² + a·L) at most,
as uniform acceleration has it; round a circle of radius r it stays below √(a·r).
"""

import math
from typing import Literal, NamedTuple

from metier.core.refusal import Refusal

# A speed counts as printed where this share of each side runs at it.
MOSTLY = 0.6
# What an ordinary printer of the hobby does, where nobody says.
ACCELERATION_MM_S2 = 1000.0
CORNERING_MM_S = 8.0
# The longest side and the largest radius that any bed holds.
_LARGEST_MM = 500.0


class Outline(NamedTuple):
    """What is gone round: a ``square`` whose straight sides measure ``size_mm`` between their
    corners, or a ``round`` of that radius."""

    shape: Literal["square", "round"]
    size_mm: float

    @property
    def around_mm(self) -> float:
        """The length of it."""
        return (4 if self.shape == "square" else 2 * math.pi) * self.size_mm


class Reach(NamedTuple):
    """An outline, and what the printer's moves along it are bounded by.

    >>> reach = Reach(Outline("square", 50.0), 1000.0, 8.0)
    >>> round(reach.fastest_mm_s, 2), round(reach.share(150.0), 3)
    (223.75, 0.551)
    """

    outline: Outline
    accel_mm_s2: float
    cornering_mm_s: float = CORNERING_MM_S

    @property
    def fastest_mm_s(self) -> float:
        """The highest speed anywhere on it."""
        corner = 0.0 if self.outline.shape == "round" else self.cornering_mm_s
        return math.sqrt(corner**2 + self.accel_mm_s2 * self.outline.size_mm)

    def share(self, speed_mm_s: float) -> float:
        """Return the share of it that runs at a speed set there."""
        if self.outline.shape == "round":
            return 1.0 if speed_mm_s <= self.fastest_mm_s + 1e-9 else 0.0
        ramps_mm = (speed_mm_s**2 - self.cornering_mm_s**2) / self.accel_mm_s2
        return min(1.0, max(0.0, 1 - ramps_mm / self.outline.size_mm))


def check_reach(reach: Reach) -> None:
    """Refuse what no printer has.

    Raises:
        Refusal: names what is wrong.
    """
    if not 0 < reach.outline.size_mm <= _LARGEST_MM:
        raise Refusal(
            f"an outline of {reach.outline.size_mm:g} mm: from above 0 to {_LARGEST_MM:g}"
        )
    if not 0 < reach.accel_mm_s2 < math.inf or not 0 < reach.cornering_mm_s < math.inf:
        raise Refusal("acceleration and the speed of corners must be above zero")
