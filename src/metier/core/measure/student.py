"""How sure a mean is: Student's quantiles, and what makes a ±.

Independent parts add as squares (JCGM 100:2008, 5.1.2), so the largest decides and the small ones
hardly count.
"""

import math
from collections.abc import Iterable, Mapping
from typing import NamedTuple

# Two-sided 95 % points for 1 to 30 degrees of freedom (JCGM 100:2008, table G.2).
_TABLE = (
    *(12.706, 4.303, 3.182, 2.776, 2.571, 2.447, 2.365, 2.306, 2.262, 2.228),
    *(2.201, 2.179, 2.160, 2.145, 2.131, 2.120, 2.110, 2.101, 2.093, 2.086),
    *(2.080, 2.074, 2.069, 2.064, 2.060, 2.056, 2.052, 2.048, 2.045, 2.042),
)
# The 95 % coverage factor of a normal distribution, as it is written (JCGM 100:2008, 6.3.3).
NORMAL95 = 1.96
# Stands for a zero that is divided by.
_TINY = 1e-300
_NORMAL = 1.959963984540054


def t95(dof: float) -> float:
    """Return the 95 % coverage factor for ``dof`` degrees of freedom, to three decimals.

    Degrees of freedom are truncated to a whole number first (JCGM 100:2008, G.4.1). Above
    the table: the expansion of Abramowitz and Stegun (1964), 26.7.5.

    >>> t95(7), t95(7.9), t95(60), t95(float("inf"))
    (2.365, 2.365, 2.0, 1.96)

    Raises:
        ValueError: fewer than one degree of freedom.
    """
    if not dof >= 1:
        raise ValueError(f"t needs at least one degree of freedom, not {dof}")
    if math.isinf(dof):
        return round(_NORMAL, 3)
    whole = math.floor(dof)
    if whole <= len(_TABLE):
        return _TABLE[whole - 1]
    z = _NORMAL
    g1 = (z**3 + z) / 4
    g2 = (5 * z**5 + 16 * z**3 + 3 * z) / 96
    g3 = (3 * z**7 + 19 * z**5 + 17 * z**3 - 15 * z) / 384
    return round(z + g1 / whole + g2 / whole**2 + g3 / whole**3, 3)


def t_quantile(p: float, dof: float) -> float:
    """Return the t that a share ``p`` of Student's distribution lies below; any ``dof`` above 0.

    >>> round(t_quantile(0.95, 4.5), 4), round(t_quantile(0.975, 10), 3)
    (2.0656, 2.228)

    Raises:
        ValueError: a share not between 0 and 1, or no degrees of freedom.
    """
    if not 0 < p < 1 or not dof > 0:
        raise ValueError(f"no quantile of t for share {p} and {dof} degrees of freedom")
    if p < 0.5:
        return -t_quantile(1 - p, dof)
    # t is beyond a point with probability I(x; dof/2, 1/2)/2, x = dof/(dof + t²) (DLMF 8.17.2);
    # x is found by halving, to the last bit.
    low, high = 0.0, 1.0
    while (x := (low + high) / 2) not in (low, high):
        if beta_share(x, dof / 2, 0.5) < 2 * (1 - p):
            low = x
        else:
            high = x
    return math.sqrt(dof * (1 - x) / x)


def f_quantile(p: float, dof1: float, dof2: float) -> float:
    """Return the F that a share ``p`` of Fisher's distribution lies below.

    >>> round(f_quantile(0.9, 1, 5), 3), round(f_quantile(0.9, 3, 8), 3)
    (4.06, 2.924)

    Raises:
        ValueError: a share not between 0 and 1, or no degrees of freedom.
    """
    if not 0 < p < 1 or not (dof1 > 0 and dof2 > 0):
        raise ValueError(f"no quantile of F for share {p}, {dof1} and {dof2} degrees of freedom")
    # F is below a point with probability I(x; dof1/2, dof2/2), x = dof1·F/(dof1·F + dof2).
    low, high = 0.0, 1.0
    while (x := (low + high) / 2) not in (low, high):
        if beta_share(x, dof1 / 2, dof2 / 2) < p:
            low = x
        else:
            high = x
    return dof2 * x / (dof1 * (1 - x))


def beta_share(x: float, a: float, b: float) -> float:
    """Return the regularised incomplete beta function I(x; a, b).

    By its continued fraction (NIST DLMF 8.17.22), evaluated by the modified Lentz method.
    """
    if x <= 0 or x >= 1:
        return 0.0 if x <= 0 else 1.0
    if x > (a + 1) / (a + b + 2):
        return 1 - beta_share(1 - x, b, a)
    log_front = math.lgamma(a + b) - math.lgamma(a) - math.lgamma(b)
    front = math.exp(log_front + a * math.log(x) + b * math.log1p(-x)) / a
    # 1/(1 + d1/(1 + d2/(1 + …))): numerator and denominator as they grow with each part.
    top, bottom, fraction = 1.0, 0.0, 1.0
    for step in range(2000):
        m = step // 2
        if step == 0:
            part = 1.0
        elif step % 2:
            part = -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1))
        else:
            part = m * (b - m) * x / ((a + 2 * m - 1) * (a + 2 * m))
        bottom = 1 / (1 + part * bottom or _TINY)
        top = 1 + part / top or _TINY
        fraction *= top * bottom
        if abs(top * bottom - 1) < 1e-15:
            break
    return front * (fraction - 1)


def normal_within(low: float, high: float, mean: float, u: float) -> float:
    """Return how likely a normal quantity lies between two bounds.

    >>> round(normal_within(-1.96, 1.96, 0.0, 1.0), 3)
    0.95
    """
    return (
        math.erf((high - mean) / u / math.sqrt(2)) - math.erf((low - mean) / u / math.sqrt(2))
    ) / 2


class Influence(NamedTuple):
    """Something that makes a ±, and its own part of it, at 95 %."""

    name: str
    u95: float


def by_size(parts: Mapping[str, float]) -> tuple[Influence, ...]:
    """Return influences of these standard uncertainties, the largest first; none of zero.

    >>> [one.name for one in by_size({"readings": 0.1, "calipers": 0.2, "zero": 0.0})]
    ['calipers', 'readings']
    """
    made = [Influence(name, NORMAL95 * u) for name, u in parts.items() if u > 0]
    return tuple(sorted(made, key=lambda influence: -influence.u95))


def by_name(influences: Iterable[Influence]) -> dict[str, float]:
    """Return influences as they are kept: what makes a ±, and its part of it at 95 %."""
    return {influence.name: influence.u95 for influence in influences}
