"""What plastics are like, and what the usual parts take of them.

For PLA on a printer of 1,000 mm/s² where nothing else is chosen. A test draws them anew.
"""

import math
from bisect import bisect_left
from typing import NamedTuple


class Material(NamedTuple):
    """A plastic: its density where makers agree on one, the fan it takes, how much of it a plain
    hot end melts in a second through 0.4 mm, how long a layer takes at least so that it sets
    before the next: any, and a small one; and what nozzle and bed are mostly heated to, None where
    nothing is usual; and what it is dried at. A roll's own figures beat these."""

    density_g_cm3: float | None = None
    fan_percent: float = 0.0
    melts_mm3_s: float = 10.0
    least_layer_s: float = 8.0
    small_layer_s: float = 15.0
    nozzle_c: float | None = None
    bed_c: float | None = None
    drying_c: float = 50.0


# What takes no fan sets more slowly.
_BY_NAME = {
    "pla": Material(1.24, 100.0, 12.0, nozzle_c=210, bed_c=60, drying_c=45),
    "petg": Material(1.27, 40.0, nozzle_c=235, bed_c=80, drying_c=60),
    "pet": Material(1.34, 40.0, nozzle_c=250, bed_c=80),
    "abs": Material(1.04, 0.0, 12.0, 10.0, 20.0, 245, 100, 70),
    "asa": Material(1.07, 0.0, 12.0, 10.0, 20.0, 250, 100, 70),
    "tpu": Material(1.21, 60.0, 4.0, nozzle_c=225, bed_c=45),
    "pc": Material(1.20, 0.0, 8.0, 10.0, 20.0, 270, 105, 80),
    "pa": Material(1.13, 0.0, 10.0, 10.0, 20.0, 255, 75, 75),
    "nylon": Material(1.13, 0.0, 10.0, 10.0, 20.0, 255, 75, 75),
    "hips": Material(1.04, 0.0, 12.0, 10.0, 20.0, 235, 95),
    "pp": Material(0.90, 0.0, 8.0, 10.0, 20.0, 225, 85),
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


class PartCost(NamedTuple):
    """What printing a part takes."""

    minutes: float
    volume_cm3: float


_BORES_MM = (0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0)
_MINUTES = {
    "flow": (25.3, 18.0, 14.1, 11.7, 8.8, 7.6, 8.0),
    "volumetric": (14.5, 10.3, 9.2, 6.1, 5.2, 4.9, 5.8),
    "xy": (52.0, 30.6, 19.6, 16.2, 13.4, 12.1, 11.6),
    "fit": (36.2, 20.4, 12.9, 9.3, 8.0, 7.3, 8.0),
}
_VOLUMES_CM3 = {
    "flow": (1.54, 2.22, 2.89, 3.60, 4.22, 5.51, 7.03),
    "volumetric": (2.20, 2.34, 2.88, 2.32, 2.39, 2.77, 4.15),
    "xy": (4.13, 4.51, 4.49, 5.10, 5.71, 7.40, 9.04),
    "fit": (2.34, 2.55, 2.56, 2.57, 3.16, 4.35, 6.20),
}


# The kinds of trials whose usual part is here.
PRINTED = tuple(_MINUTES)


def part_cost(kind: str, bore_mm: float) -> PartCost | None:
    """Return what the usual part of a kind of trial takes with a bore; None where it has none.

    >>> part_cost("xy", 0.4)
    PartCost(minutes=19.6, volume_cm3=4.49)
    """
    if kind not in _MINUTES:
        return None
    return PartCost(*(_between(row[kind], bore_mm) for row in (_MINUTES, _VOLUMES_CM3)))


def _between(row: tuple[float, ...], bore_mm: float) -> float:
    """Return a value between those of the bores about it, by the logarithm of the bore."""
    at = min(max(1, bisect_left(_BORES_MM, bore_mm)), len(_BORES_MM) - 1)
    low, high = _BORES_MM[at - 1], _BORES_MM[at]
    part = math.log(bore_mm / low) / math.log(high / low)
    part = min(1.0, max(0.0, part))
    return round(row[at - 1] + part * (row[at] - row[at - 1]), 6)
