"""Student's t for a two-sided 95 % interval, without SciPy."""

import math

# Two-sided 95 % points for 1 to 30 degrees of freedom (JCGM 100:2008, table G.2).
_TABLE = (
    *(12.706, 4.303, 3.182, 2.776, 2.571, 2.447, 2.365, 2.306, 2.262, 2.228),
    *(2.201, 2.179, 2.160, 2.145, 2.131, 2.120, 2.110, 2.101, 2.093, 2.086),
    *(2.080, 2.074, 2.069, 2.064, 2.060, 2.056, 2.052, 2.048, 2.045, 2.042),
)
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
