"""Comparing and rounding so that 0.46 0.48 0.50 and 0.41 0.43 0.45 behave alike.

Decimal readings are not exact in binary, so every comparison with a threshold, and every
rounding to a step, forgives an error of ``TOLERANCE``.
"""

import math
from typing import Literal

TOLERANCE = 1e-9

Rounding = Literal["nearest", "down", "up"]


def exceeds(value: float, threshold: float) -> bool:
    """Tell whether ``value`` lies above ``threshold`` by more than binary noise."""
    return value > threshold + TOLERANCE


def same(value: float, other: float) -> bool:
    """Tell whether two numbers differ by binary noise at most."""
    return abs(value - other) <= TOLERANCE


def round_to(value: float, step: float, rounding: Rounding = "nearest") -> float:
    """Round to a multiple of ``step``; ties of ``nearest`` go up.

    >>> round_to(92.5, 1), round_to(92.43, 1, "up"), round_to(92.43, 0.1)
    (93.0, 93.0, 92.4)
    """
    steps = value / step
    if rounding == "down":
        count = math.floor(steps + TOLERANCE)
    elif rounding == "up":
        count = math.ceil(steps - TOLERANCE)
    else:
        count = math.floor(steps + 0.5 + TOLERANCE)
    # A multiple of 0.1 is not exact either: drop what is far below any step.
    return round(float(count * step), 10)
