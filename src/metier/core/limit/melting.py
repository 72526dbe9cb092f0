"""How a limit rises with temperature, from two that are known.

One-term solution of heat conduction into a cylinder (Carslaw and Jaeger, Conduction of Heat in
Solids, 1959): the core reaches the melting temperature T_m after a time that grows with
``ln(1.602·(T - 25)/(T - T_m))``, and so ``q = K/ln(…)``.
"""

import math
from typing import NamedTuple

# What a limit is rounded down to, where nobody says otherwise.
ROUND_TO_MM3_S = 0.5
_ROOM_C = 25.0
_FIRST_TERM = 1.602
# Beyond what is known by more than this, nothing is said.
BEYOND_C = 10.0


class Melting(NamedTuple):
    """The curve through two limits: where it melts, and how fast, in °C and mm³/s."""

    melts_c: float
    k_mm3_s: float

    def limit_mm3_s(self, temperature_c: float) -> float:
        """Return the limit at a temperature above the melting one."""
        return self.k_mm3_s / _log(temperature_c, self.melts_c)


def melting(cool: tuple[float, float], hot: tuple[float, float]) -> Melting | None:
    """Return the curve through two (temperature, limit), the cooler first.

    None where the hotter one does not melt more, or more than any such curve could.

    >>> found = melting((205, 11.5), (220, 14))
    >>> round(found.melts_c, 3), round(found.k_mm3_s, 4), round(found.limit_mm3_s(230), 2)
    (184.752, 30.5459, 15.41)
    """
    (cool_c, cool_limit), (hot_c, hot_limit) = cool, hot
    wanted = hot_limit / cool_limit
    low, high = _ROOM_C, cool_c - 1.0

    def ratio(melts_c: float) -> float:
        return _log(cool_c, melts_c) / _log(hot_c, melts_c)

    if wanted <= 1 or not ratio(low) < wanted < ratio(high):
        return None
    for _ in range(200):
        middle = (low + high) / 2
        low, high = (middle, high) if ratio(middle) < wanted else (low, middle)
    return Melting(low, cool_limit * _log(cool_c, low))


def _log(temperature_c: float, melts_c: float) -> float:
    return math.log(_FIRST_TERM * (temperature_c - _ROOM_C) / (temperature_c - melts_c))
