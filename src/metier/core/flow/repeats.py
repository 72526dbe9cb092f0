"""By how much prints of the same file differ, learnt from repeats (ISO 5725-2)."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.trials import FlowTrial, Section
from metier.core.flow.walls import PRINT_SCATTER
from metier.core.line.bead import rounding_mm
from metier.core.measure.readings import PRIOR_DOF


class Repeated(NamedTuple):
    """What prints of the same say: their variance relative to what is delivered, and its dof."""

    variance: float
    dof: int


def repeated(sections: Sequence[Section], layer_mm: float) -> Repeated:
    """Return by how much like sections of several prints differ beyond their own readings.

    ``(MS_between - MS_within)/n``, not below zero, over the square of what is delivered.
    """
    prints = len(sections)
    count = prints / math.fsum(1 / section.wall.n for section in sections)
    mean_mm = math.fsum(section.wall.value for section in sections) / prints
    squares = math.fsum((section.wall.value - mean_mm) ** 2 for section in sections)
    between = count * squares / (prints - 1)
    dof_within = sum(section.wall.n - 1 for section in sections)
    within = math.fsum((s.wall.n - 1) * s.wall.scatter**2 for s in sections) / max(1, dof_within)
    delivered_mm = mean_mm - rounding_mm(layer_mm)
    variance = max(0.0, between - within) / count / delivered_mm**2
    return Repeated(variance, prints - 1)


def print_scatter(trials: Sequence[FlowTrial]) -> float:
    """Return by how much prints differ (1 u, a ratio): what repeats say, pooled with the usual.

    Alike are prints of one flow, dose, width and layer, section by section.
    """
    groups: dict[tuple[object, ...], tuple[float, list[Section]]] = {}
    for trial in trials:
        for section in trial.sections:
            like = (trial.flow, trial.dose, trial.width_mm, trial.layer_mm, section.walls,
                    section.part_dosed)  # fmt: skip
            groups.setdefault(like, (trial.layer_mm, []))[1].append(section)
    found = [
        repeated(sections, layer_mm) for layer_mm, sections in groups.values() if len(sections) > 1
    ]
    dof = sum(one.dof for one in found)
    learnt = math.fsum(one.dof * one.variance for one in found)
    return math.sqrt((PRIOR_DOF * PRINT_SCATTER**2 + learnt) / (PRIOR_DOF + dof))
