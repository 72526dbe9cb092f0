"""By how much plates of the same differ, learnt from plates printed again (ISO 5725-2)."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.measure.readings import PRIOR_DOF

# Plates of the same differ by this per side (1 u, mm), until repeats say otherwise.
PLATES_MM = 0.012


class Repeated(NamedTuple):
    """A compensation as one plate found it: what was set and still needed, and u of its fit."""

    new_mm: float
    u_fit_mm: float


def plates_differ_mm(groups: Sequence[Sequence[Repeated]]) -> float:
    """Return by how much plates differ per side (1 u), pooled with what is usual.

    Each group is the same compensation, found again by several plates of one bench.

    >>> round(plates_differ_mm([[Repeated(0.10, 0.0), Repeated(0.13, 0.0)]]), 4)
    0.014
    """
    weighted, dof = PRIOR_DOF * PLATES_MM**2, PRIOR_DOF
    for group in groups:
        count = len(group)
        if count < 2:
            continue
        mean = math.fsum(one.new_mm for one in group) / count
        squares = math.fsum((one.new_mm - mean) ** 2 for one in group)
        within = math.fsum(one.u_fit_mm**2 for one in group) / count
        weighted += (count - 1) * max(0.0, squares / (count - 1) - within)
        dof += count - 1
    return math.sqrt(weighted / dof)
