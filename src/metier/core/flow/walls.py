"""Walls beside what was dosed for them, and what their errors have in common."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.line.bead import rounding_mm

# Texture and squeezing, in mm: what walls measure beyond their lines, and how well that is known.
TEXTURE_MM, TEXTURE_U_MM = 0.008, 0.010
# Prints of the same differ by this, relative to what is delivered, until repeats say otherwise.
PRINT_SCATTER = 0.010


class DosedWall(NamedTuple):
    """A measured wall and what was dosed for it; lengths in mm.

    ``u_mm`` is the standard uncertainty of its own readings, ``accuracy_mm`` the limit of the
    instrument. ``area_mm2`` is dosed per mm of line, flow included; ``spacing_mm`` how far lines
    lie apart (of no account for one line). Walls of one print share ``print_number``, walls
    measured with one instrument its name.
    """

    wall_mm: float
    u_mm: float
    accuracy_mm: float
    walls: int
    area_mm2: float
    spacing_mm: float
    layer_mm: float
    print_number: int = 0
    instrument: str = ""

    @property
    def touching_at(self) -> float:
        """The share at which its lines just touch."""
        return self.spacing_mm * self.layer_mm / self.area_mm2

    def lines_mm(self, share: float, starved: float = 0.5) -> float:
        """Return what its lines alone should measure when that share is delivered."""
        line_mm = share * self.area_mm2 / self.layer_mm
        between_mm = line_mm
        if line_mm < self.spacing_mm:
            between_mm = self.spacing_mm - starved * (self.spacing_mm - line_mm)
        return (self.walls - 1) * between_mm + line_mm + rounding_mm(self.layer_mm)


def covariance(walls: Sequence[DosedWall], print_scatter: float) -> list[list[float]]:
    """Return what the walls' errors have in common, pair by pair, in mm²."""
    delivered = [wall.wall_mm - rounding_mm(wall.layer_mm) for wall in walls]
    rows = []
    for i, one in enumerate(walls):
        row = []
        for j, other in enumerate(walls):
            shared = TEXTURE_U_MM**2 + (one.u_mm**2 if i == j else 0.0)
            if one.instrument == other.instrument:
                shared += one.accuracy_mm * other.accuracy_mm / 3
            if one.print_number == other.print_number:
                shared += print_scatter**2 * delivered[i] * delivered[j]
            row.append(shared)
        rows.append(row)
    return rows


def solved(
    walls: Sequence[DosedWall], column: Sequence[float], print_scatter: float
) -> list[float]:
    """Return the covariance of the walls' errors, inverted, times a column."""
    return [dot(row, column) for row in inverse(covariance(walls, print_scatter))]


def inverse(matrix: Sequence[Sequence[float]]) -> list[list[float]]:
    """Return the inverse of a small positive definite matrix (Gauss and Jordan)."""
    size = len(matrix)
    rows = [[*row, *(float(i == j) for j in range(size))] for i, row in enumerate(matrix)]
    for at in range(size):
        pivot = rows[at][at]
        rows[at] = [value / pivot for value in rows[at]]
        for other in range(size):
            if other != at and (factor := rows[other][at]):
                rows[other] = [
                    value - factor * lead for value, lead in zip(rows[other], rows[at], strict=True)
                ]
    return [row[size:] for row in rows]


def dot(one: Sequence[float], other: Sequence[float]) -> float:
    """Return the sum of products."""
    return math.fsum(a * b for a, b in zip(one, other, strict=True))
