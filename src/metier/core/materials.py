"""What plastics are like: a row each."""

import math
from typing import NamedTuple


class Material(NamedTuple):
    """A plastic: its density where makers agree on one, the fan it takes, how much of it a plain
    hot end melts in a second through 0.4 mm, and how long a layer takes at least so that it sets
    before the next: any, and a small one. A roll's own figures beat these."""

    density_g_cm3: float | None = None
    fan_percent: float = 0.0
    melts_mm3_s: float = 10.0
    least_layer_s: float = 8.0
    small_layer_s: float = 15.0


# What takes no fan sets more slowly.
_BY_NAME = {
    "pla": Material(1.24, 100.0, 12.0),
    "petg": Material(1.27, 40.0),
    "pet": Material(1.34, 40.0),
    "abs": Material(1.04, 0.0, 12.0, 10.0, 20.0),
    "asa": Material(1.07, 0.0, 12.0, 10.0, 20.0),
    "tpu": Material(1.21, 60.0, 4.0),
    "pc": Material(1.20, 0.0, 8.0, 10.0, 20.0),
    "pa": Material(1.13, 0.0, 10.0, 10.0, 20.0),
    "nylon": Material(1.13, 0.0, 10.0, 10.0, 20.0),
    "hips": Material(1.04, 0.0, 12.0, 10.0, 20.0),
    "pp": Material(0.90, 0.0, 8.0, 10.0, 20.0),
}


DENSITIES = {
    name: row.density_g_cm3 for name, row in _BY_NAME.items() if row.density_g_cm3 is not None
}


def material_of(name: str) -> Material:
    """Return what a plastic of that name is like; of one that is not known, what most are."""
    return _BY_NAME.get(name.lower(), Material())


def melts_mm3_s(name: str, bore_mm: float) -> float:
    """Return what a plain hot end melts of it through a bore: a wider one lets more through, for
    its channel warms more plastic, but less than its area says."""
    return material_of(name).melts_mm3_s * math.pow(bore_mm / 0.4, 0.7)
