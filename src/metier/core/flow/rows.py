"""What tells of flow, as the posterior takes it: walls, weights, other rolls, and what their
errors have in common."""

import math
from collections.abc import Sequence
from operator import mul
from typing import NamedTuple

from metier.core.line.bead import rounding_mm

# Texture and squeezing, in mm: what walls measure beyond their lines, and how well that is known.
TEXTURE_MM, TEXTURE_U_MM = 0.008, 0.010
# Prints of the same differ by this, relative to what is delivered, until repeats say otherwise.
PRINT_SCATTER = 0.010
# Sides of a part differ by this; fused lines hold voids, relative to their spacing; a wide line
# fills its ends less, relative to what it is wider than the bore.
SIDE_U_MM, _VOIDS, _WIDE = 0.010, 0.012, 0.015


class DosedWall(NamedTuple):
    """A measured wall and what was dosed for it; lengths in mm.

    ``u_mm`` is the standard uncertainty of its own readings, ``accuracy_mm`` the limit of the
    instrument, ``sides`` how many sides were read. ``area_mm2`` is dosed per mm of line, flow
    included, ``dose_u`` how well (relative) where a preview tells; ``spacing_mm`` how far lines
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
    sides: float = 2
    bore_mm: float | None = None
    dose_u: float = 0.0

    @property
    def line_mm(self) -> float:
        """How wide its lines are, their rounded sides left out, where all is delivered."""
        return self.area_mm2 / self.layer_mm

    @property
    def delivered(self) -> float:
        """What it holds of plastic, in mm: what prints that differ scale."""
        return self.wall_mm - rounding_mm(self.layer_mm)

    @property
    def value(self) -> float:
        """What was measured, less what walls measure beyond their lines."""
        return self.wall_mm - TEXTURE_MM

    @property
    def touching_at(self) -> float | None:
        """The share at which its lines just touch; None for a single one."""
        return self.spacing_mm / self.line_mm if self.walls > 1 else None

    def lines_mm(self, share: float, starved: float = 0.5, rising: float = 0.25) -> float:
        """Return what its lines alone should measure when that share is delivered.

        Starved lines shrink together by a part ``starved`` of what is lacking; of a surplus a part
        ``rising`` goes up or into what was empty.
        """
        line_mm, apart_mm, others = share * self.line_mm, self.spacing_mm, self.walls - 1
        width_mm = line_mm + rounding_mm(self.layer_mm)
        if line_mm < apart_mm:
            return others * (apart_mm - starved * (apart_mm - line_mm)) + width_mm
        if not others:
            return width_mm
        return width_mm + others * line_mm - self.walls * rising * (line_mm - apart_mm)

    def slope(self, share: float, starved: float, rising: float) -> float:
        """Return by how much they measure more for each share more."""
        if self.walls == 1:
            return self.line_mm
        if share * self.line_mm < self.spacing_mm:
            return ((self.walls - 1) * starved + 1) * self.line_mm
        return self.walls * (1 - rising) * self.line_mm


class ToldShare(NamedTuple):
    """The share delivered over dosed as a scale tells it, or other rolls of the kind.

    ``u`` is its own uncertainty, ``density_u`` that of the plastic's density, which all weighings
    of a roll have in common. Only what was weighed has a ``print_number``. What other rolls' walls
    have in common with this one's is apart: ``bench_u`` is what texture and jaws make of a share,
    ``accuracy_mm`` and ``instrument`` are those jaws.
    """

    value: float
    u: float
    density_u: float = 0.0
    print_number: int | None = None
    bench_u: float = 0.0
    accuracy_mm: float = 0.0
    instrument: str = ""

    @property
    def whole_u(self) -> float:
        """Its u with all that it has in common with other rows."""
        return math.hypot(self.u, self.density_u, self.bench_u)

    @property
    def delivered(self) -> float:
        """What prints that differ scale: nothing where it is no print."""
        return 0.0 if self.print_number is None else 1.0

    @property
    def touching_at(self) -> None:
        """It has no lines."""

    def lines_mm(self, share: float, _starved: float = 0.5, _rising: float = 0.25) -> float:
        """Return what it should say when that share is delivered: just that."""
        return share

    def slope(self, _share: float, _starved: float, _rising: float) -> float:
        """Return by how much it says more for each share more."""
        return 1.0


def by_weight(
    grams: float,
    u_g: float,
    asked_mm: float,
    slicer_mm: float,
    density_g_cm3: float,
    density_u: float,
    print_number: int = 0,
) -> ToldShare:
    """Return what a print's mass says: delivered volume over that of the filament asked for.

    >>> told = by_weight(12.31, 0.007, 4123.0, 1.75, 1.24, 0.015)
    >>> round(told.value, 5)
    1.00105
    """
    volume_cm3 = asked_mm * math.pi * slicer_mm**2 / 4000
    share = grams / (density_g_cm3 * volume_cm3)
    return ToldShare(share, share * u_g / grams, share * density_u, print_number)


Row = DosedWall | ToldShare


def covariance(rows: Sequence[Row], print_scatter: float) -> list[list[float]]:
    """Return what the rows' errors have in common, pair by pair; in mm² between walls."""
    walls = [row for row in rows if isinstance(row, DosedWall)]
    bores_mm = [wall.bore_mm for wall in walls if wall.bore_mm]
    thinnest_mm = min((wall.line_mm for wall in walls if wall.walls == 1), default=0.0)
    bore_mm = min(bores_mm, default=thinnest_mm)
    table = [[0.0] * len(rows) for _ in rows]
    for i, row in enumerate(rows):
        for j, other in enumerate(rows[: i + 1]):
            shared = _shared(row, other, bore_mm)
            if row.print_number == other.print_number:
                shared += print_scatter**2 * row.delivered * other.delivered
            table[i][j] = table[j][i] = shared
        own = row.u_mm**2 + SIDE_U_MM**2 / row.sides if isinstance(row, DosedWall) else row.u**2
        table[i][i] += own
    return table


def _shared(row: Row, other: Row, bore_mm: float) -> float:
    if isinstance(row, DosedWall):
        if isinstance(other, DosedWall):
            return _between_walls(row, other, bore_mm)
        return _bench_with_wall(other, row)
    if isinstance(other, DosedWall):
        return _bench_with_wall(row, other)
    return row.density_u * other.density_u + row.bench_u * other.bench_u


def _between_walls(row: DosedWall, other: DosedWall, bore_mm: float) -> float:
    shared = TEXTURE_U_MM**2
    if row.instrument == other.instrument:
        shared += row.accuracy_mm * other.accuracy_mm / 3
    fused = (row.walls - 1) * row.spacing_mm * (other.walls - 1) * other.spacing_mm
    shared += _VOIDS**2 * fused
    if row.walls == other.walls == 1:
        shared += _WIDE**2 * (row.line_mm - bore_mm) * (other.line_mm - bore_mm)
    if row.print_number == other.print_number:
        shared += row.dose_u * other.dose_u * row.delivered * other.delivered
    return shared


def _bench_with_wall(told: ToldShare, wall: DosedWall) -> float:
    """What texture and jaws make of other rolls' walls they make of this one, too."""
    if not told.bench_u:
        return 0.0
    both = math.hypot(TEXTURE_U_MM, told.accuracy_mm / math.sqrt(3))
    jaws = told.accuracy_mm * wall.accuracy_mm / 3 if told.instrument == wall.instrument else 0.0
    return told.bench_u * (TEXTURE_U_MM**2 + jaws) / both


def texture_covariance(rows: Sequence[Row]) -> list[float]:
    """Return what each row has in common with texture, squeezing and jaws of its bench, in mm²."""
    return [
        TEXTURE_U_MM**2 + row.accuracy_mm**2 / 3
        if isinstance(row, DosedWall)
        else row.bench_u * math.hypot(TEXTURE_U_MM, row.accuracy_mm / math.sqrt(3))
        for row in rows
    ]


class Inverse(NamedTuple):
    """The inverse of a covariance, and the logarithm of the covariance's determinant."""

    rows: list[list[float]]
    log_det: float


def inverse(matrix: Sequence[Sequence[float]]) -> Inverse:
    """Return the inverse of a small positive definite matrix (Gauss and Jordan)."""
    size = len(matrix)
    rows = [[*row, *(float(i == j) for j in range(size))] for i, row in enumerate(matrix)]
    log_det = 0.0
    for at in range(size):
        pivot = rows[at][at]
        log_det += math.log(pivot)
        lead = rows[at] = [value / pivot for value in rows[at]]
        for other in range(size):
            if other != at and (factor := rows[other][at]):
                rows[other] = [
                    value - factor * part for value, part in zip(rows[other], lead, strict=True)
                ]
    return Inverse([row[size:] for row in rows], log_det)


def dot(row: Sequence[float], column: Sequence[float]) -> float:
    """Return the sum of products."""
    return math.fsum(map(mul, row, column))
