"""What holes and outlines of a file should measure, by what a plate has told."""

import math
from typing import NamedTuple

from metier.core.fit.repeats import PLATES_MM
from metier.core.measure.student import NORMAL95

# What one size reads like with calipers (1 u).
_READ_U_MM = 0.03


class PlateTold(NamedTuple):
    """What a plate told of this bench: by how much holes and outlines have to be changed per side
    to measure as drawn, how that grows with small holes, and the scale; ± as stated."""

    hole_mm: float | None
    hole_u95_mm: float
    kappa_mm2: float
    mean_inverse: float
    contour_mm: float | None
    contour_u95_mm: float
    scale: float


class Foreseen(NamedTuple):
    """A round thing of a file: what its lines enclose, and what it should measure, with ±."""

    kind: str
    pieces: int
    enclosed_mm: float
    measures_mm: float
    u95_mm: float


def hole_measures(enclosed_mm: float, told: PlateTold, pieces: int = 1) -> Foreseen | None:
    """Return what a hole should measure whose lines leave that much free; None where no plate had
    holes.

    >>> told = PlateTold(0.1, 0.02, 0.0, 0.1, None, 0.0, 1.0)
    >>> round(hole_measures(10.2, told).measures_mm, 3)
    10.0
    """
    if told.hole_mm is None:
        return None
    per_side = told.hole_mm + told.kappa_mm2 * (1 / enclosed_mm - told.mean_inverse)
    measures = told.scale * enclosed_mm - 2 * per_side
    return Foreseen("hole", pieces, enclosed_mm, measures, _u95(told.hole_u95_mm))


def outline_measures(enclosed_mm: float, told: PlateTold, pieces: int = 1) -> Foreseen | None:
    """Return what a round outline should measure; None where no plate had posts."""
    if told.contour_mm is None:
        return None
    measures = told.scale * enclosed_mm - 2 * told.contour_mm
    return Foreseen("outline", pieces, enclosed_mm, measures, _u95(told.contour_u95_mm))


def _u95(per_side_u95_mm: float) -> float:
    """Return the ± of a size: of what is known a side, of another print, and of its reading."""
    other = NORMAL95 * math.hypot(2 * PLATES_MM, _READ_U_MM)
    return math.hypot(2 * per_side_u95_mm, other)
