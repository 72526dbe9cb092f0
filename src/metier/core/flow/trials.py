"""Prints and their dose, and the rows that the posterior takes them as."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.rows import TEXTURE_MM, DosedWall, Row, ToldShare
from metier.core.line.bead import rounding_mm, spacing_mm, wall_mm
from metier.core.measure.readings import Estimate, Instrument, estimate_sides, repeat_uncertainty
from metier.core.measure.student import NORMAL95, t95
from metier.core.values import LINE_MODELS, LineModel

# Readings all round that nobody told the sides of are of so many; a single one is of one.
_SIDES_UNTOLD = 2


class Dose(NamedTuple):
    """The plastic asked for per mm of line, flow included, and how far lines lie apart.

    ``spacing_mm`` is None where only a single line needs it; ``u`` is how well (relative) the
    digits of a preview tell it.
    """

    area_mm2: float
    spacing_mm: float | None
    u: float = 0.0

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

    ``flow`` is what it was printed at (None where only its dose is known), ``width_mm`` how wide
    its lines are, ``dose`` what a file or a preview says of it (None: by the line model).
    """

    walls: int
    wall: Estimate
    u_repeat_mm: float
    dof: int
    sides: int = _SIDES_UNTOLD
    flow: float | None = None
    width_mm: float | None = None
    dose: Dose | None = None

    @classmethod
    def of(
        cls,
        walls: int,
        sides_mm: Sequence[Sequence[float]],
        instrument: Instrument,
        sides: int | None = None,
        flow: float | None = None,
        width_mm: float | None = None,
        dose: Dose | None = None,
    ) -> "Section":
        """Return a section whose sides were read so; ``sides`` where that is told.

        Raises:
            BadInput: no readings.
        """
        wall = estimate_sides(sides_mm, instrument)
        effective = len(sides_mm) ** 2 / math.fsum(1 / len(side) for side in sides_mm)
        repeat = repeat_uncertainty(wall.scatter, wall.n, instrument, effective)
        untold = len(sides_mm) if len(sides_mm) > 1 else min(wall.n, _SIDES_UNTOLD)
        return cls(walls, wall, *repeat, sides or untold, flow, width_mm, dose)

    def dosed(self, layer_mm: float, model: LineModel | None) -> Dose | None:
        """Return its dose, by that line model where nothing else tells it."""
        if self.dose or self.width_mm is None or self.flow is None or model is None:
            return self.dose
        return Dose.of_model(self.width_mm, layer_mm, self.flow, model)

    def apart_mm(self, layer_mm: float, model: LineModel | None) -> float | None:
        """Return how far lines lie apart; for a dose without it, what its flow fills."""
        dose = self.dosed(layer_mm, model)
        if dose is None or dose.spacing_mm is not None:
            return dose and dose.spacing_mm
        return dose.area_mm2 / layer_mm / (self.flow or 1.0)


class FlowTrial(NamedTuple):
    """A print of one or several sections of walls, weighed perhaps.

    ``advised`` is the flow it advised then. ``rescale`` turns its dose into that of today's
    e-steps and strand diameter; ``weighed`` is what its mass says, in the dose of its own day.
    """

    number: int
    layer_mm: float
    sections: tuple[Section, ...]
    accuracy_mm: float
    instrument: str
    advised: float | None = None
    rescale: float = 1.0
    bore_mm: float | None = None
    weighed: ToldShare | None = None

    @classmethod
    def of_weight(cls, number: int, weighed: ToldShare, rescale: float = 1.0) -> "FlowTrial":
        """Return a print that was weighed and not measured."""
        return cls(number, 0.0, (), 0.0, "", rescale=rescale, weighed=weighed)

    @property
    def flow(self) -> float | None:
        """The flow of its first section."""
        return self.sections[0].flow if self.sections else None

    @property
    def needs_model(self) -> bool:
        """Whether what was dosed hangs on how the slicer doses a line."""
        return any(section.dose is None for section in self.sections)

    def targets_mm(self, model: LineModel | None) -> list[float | None]:
        """Return what its sections should measure where the dose just fills the lines."""
        targets: list[float | None] = []
        for section in self.sections:
            apart_mm = section.apart_mm(self.layer_mm, model)
            targets.append(apart_mm and wall_mm(section.walls, apart_mm, self.layer_mm))
        return targets

    def as_walls(self, model: LineModel | None) -> list[DosedWall]:
        """Return its sections as the posterior takes them; none where a dose is not known."""
        walls = []
        for section in self.sections:
            dose = section.dosed(self.layer_mm, model)
            apart_mm = section.apart_mm(self.layer_mm, model)
            if dose is None or apart_mm is None:
                return []
            walls.append(
                DosedWall(
                    wall_mm=section.wall.value,
                    u_mm=section.u_repeat_mm * t95(section.dof) / NORMAL95,
                    accuracy_mm=self.accuracy_mm,
                    walls=section.walls,
                    area_mm2=dose.area_mm2 * self.rescale,
                    spacing_mm=apart_mm,
                    layer_mm=self.layer_mm,
                    print_number=self.number,
                    instrument=self.instrument,
                    sides=section.sides,
                    bore_mm=self.bore_mm,
                    dose_u=dose.u,
                )
            )
        return walls

    def rows(self, model: LineModel | None) -> list[Row]:
        """Return its walls, and its mass where it was weighed."""
        rows: list[Row] = list(self.as_walls(model))
        if self.weighed:
            share, u = self.weighed.value / self.rescale, self.weighed.u / self.rescale
            rows.append(self.weighed._replace(value=share, u=u, print_number=self.number))
        return rows


def dosed_walls(trials: Sequence[FlowTrial], model: LineModel | None) -> list[DosedWall]:
    """Return the walls of several trials."""
    return [wall for trial in trials for wall in trial.as_walls(model)]


def rows_under(trials: Sequence[FlowTrial]) -> dict[LineModel, list[Row]]:
    """Return the rows of trials under each line model; under the first where none hangs on it."""
    needed = any(trial.needs_model for trial in trials)
    models = LINE_MODELS if needed else LINE_MODELS[:1]
    return {model: [row for trial in trials for row in trial.rows(model)] for model in models}
