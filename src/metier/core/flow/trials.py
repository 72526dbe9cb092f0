"""Flow trials as the calculation takes them: prints of walls, and the plastic dosed for them."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.walls import TEXTURE_MM, DosedWall
from metier.core.line.bead import LineModel, rounding_mm, spacing_mm, wall_mm
from metier.core.measure.readings import Estimate, Instrument, estimate_sides, repeat_uncertainty
from metier.core.measure.student import NORMAL95, t95
from metier.core.refusal import Refusal


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
            Refusal: an aim thinner than the rounded sides of a line.
        """
        apart_mm = (aim_mm - rounding_mm(layer_mm) - TEXTURE_MM) / walls
        if not 0 < apart_mm < math.inf:
            raise Refusal(
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
            Refusal: no readings.
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
                section.wall.value,
                section.u_repeat_mm * t95(section.dof) / NORMAL95,
                self.accuracy_mm,
                section.walls,
                dose.area_mm2 * self.rescale * section.part_dosed,
                apart_mm,
                self.layer_mm,
                self.number,
                self.instrument,
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
