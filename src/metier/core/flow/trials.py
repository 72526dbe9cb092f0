"""Prints and their dose, and their walls as the posterior takes them."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.line.bead import rounding_mm, spacing_mm, wall_mm
from metier.core.measure.readings import Estimate, Instrument, estimate_sides, repeat_uncertainty
from metier.core.measure.student import NORMAL95, t95
from metier.core.values import LineModel

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


class Dose(NamedTuple):
    """The plastic asked for per mm of line, flow included, and how far lines lie apart.

    ``spacing_mm`` is None where only a single line needs it.
    """

    area_mm2: float
    spacing_mm: float | None

    @classmethod
    def of_model(cls, width_mm: float, layer_mm: float, flow: float, model: LineModel) -> "Dose":
        """Return the dose of a slicer that doses lines in that way."""
        apart_mm = spacing_mm(width_mm, layer_mm, model)
        return cls(flow * layer_mm * apart_mm, apart_mm)

    @classmethod
    def of_aim(cls, aim_mm: float, walls: int, layer_mm: float, flow: float) -> "Dose":
        """Return the dose at which a wall of another size than the slicer's comes out.

        Raises:
            BadInput: an aim thinner than the rounded sides of a line.
        """
        apart_mm = (aim_mm - rounding_mm(layer_mm) - TEXTURE_MM) / walls
        if not 0 < apart_mm < math.inf:
            raise BadInput(
                f"aim {aim_mm:g} mm is no wall: the rounded sides of a {layer_mm:g} mm layer "
                f"alone make {rounding_mm(layer_mm):.3f} mm"
            )
        return cls(flow * layer_mm * apart_mm, apart_mm)


class Section(NamedTuple):
    """The walls of one number of lines on a print: their mean, and what readings alone tell.

    ``part_dosed`` is what is dosed for its lines, as a part of the trial's dose: another than 1
    where its sections differ in flow.
    """

    walls: int
    wall: Estimate
    u_repeat_mm: float
    dof: int
    part_dosed: float = 1.0

    @classmethod
    def of(
        cls,
        walls: int,
        sides_mm: Sequence[Sequence[float]],
        instrument: Instrument,
        part_dosed: float = 1.0,
    ) -> "Section":
        """Return a section whose sides were read so.

        Raises:
            BadInput: no readings.
        """
        wall = estimate_sides(sides_mm, instrument)
        effective = len(sides_mm) ** 2 / math.fsum(1 / len(side) for side in sides_mm)
        repeat = repeat_uncertainty(wall.scatter, wall.n, instrument, effective)
        return cls(walls, wall, *repeat, part_dosed)


class FlowTrial(NamedTuple):
    """A print of one or several sections of walls.

    ``flow`` is what it was sliced at (None where only its dose is known), ``dose`` what a file or
    a preview says of it (None: by the line model and ``width_mm``). ``advised`` is the flow it
    advised then. ``rescale`` turns its dose into that of today's e-steps and strand diameter.
    """

    number: int
    flow: float | None
    layer_mm: float
    width_mm: float | None
    dose: Dose | None
    sections: tuple[Section, ...]
    accuracy_mm: float
    instrument: str
    advised: float | None = None
    rescale: float = 1.0

    def dosed(self, model: LineModel | None) -> Dose | None:
        """Return its dose, by that line model where nothing else tells it."""
        if self.dose or self.width_mm is None or self.flow is None or model is None:
            return self.dose
        return Dose.of_model(self.width_mm, self.layer_mm, self.flow, model)

    def targets_mm(self, model: LineModel | None) -> list[float | None]:
        """Return what its sections should measure where the dose just fills the lines."""
        apart_mm = self._spacing_mm(model)
        return [
            apart_mm and wall_mm(section.walls, apart_mm, self.layer_mm)
            for section in self.sections
        ]

    def as_walls(self, model: LineModel | None) -> list[DosedWall]:
        """Return its sections as the posterior takes them; none where the dose is not known."""
        dose, apart_mm = self.dosed(model), self._spacing_mm(model)
        if dose is None or apart_mm is None:
            return []
        return [
            DosedWall(
                wall_mm=section.wall.value,
                u_mm=section.u_repeat_mm * t95(section.dof) / NORMAL95,
                accuracy_mm=self.accuracy_mm,
                walls=section.walls,
                area_mm2=dose.area_mm2 * self.rescale * section.part_dosed,
                spacing_mm=apart_mm,
                layer_mm=self.layer_mm,
                print_number=self.number,
                instrument=self.instrument,
            )
            for section in self.sections
        ]

    def _spacing_mm(self, model: LineModel | None) -> float | None:
        """Return how far lines lie apart; for a dose without it, what its flow fills."""
        dose = self.dosed(model)
        if dose is None or dose.spacing_mm is not None:
            return dose and dose.spacing_mm
        return dose.area_mm2 / self.layer_mm / (self.flow or 1.0)


def dosed_walls(trials: Sequence[FlowTrial], model: LineModel | None) -> list[DosedWall]:
    """Return the walls of several trials."""
    return [wall for trial in trials for wall in trial.as_walls(model)]
