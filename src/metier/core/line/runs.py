"""What a printer is asked to lay down, line by line: runs of lines, and the layers they make."""

import math
from typing import NamedTuple

Point = tuple[float, float]


class Run(NamedTuple):
    """Lines laid down in one go, from point to point, in mm: ``area_mm2`` is dosed for each mm.

    ``inside`` tells that the straight way from the run before stays inside of what is printed.
    """

    points: tuple[Point, ...]
    area_mm2: float
    speed_mm_s: float
    inside: bool = False

    @property
    def length_mm(self) -> float:
        """How long it is."""
        return math.fsum(
            math.dist(point, other)
            for point, other in zip(self.points, self.points[1:], strict=False)
        )


class Layer(NamedTuple):
    """The runs of a layer in their order; ``top_mm`` is the height that they are laid at,
    ``nozzle_c`` the heat where that changes on the way."""

    top_mm: float
    runs: tuple[Run, ...]
    nozzle_c: float | None = None


class Extent(NamedTuple):
    """From where to where something reaches, in mm."""

    low_x: float
    low_y: float
    high_x: float
    high_y: float

    @property
    def size_mm(self) -> Point:
        """How wide and how deep it is."""
        return self.high_x - self.low_x, self.high_y - self.low_y

    def grown(self, by_mm: float) -> "Extent":
        """Return it with so much more on all sides."""
        return Extent(
            self.low_x - by_mm, self.low_y - by_mm, self.high_x + by_mm, self.high_y + by_mm
        )


def extent_of(layers: tuple[Layer, ...]) -> Extent:
    """Return where the middles of all lines lie."""
    points = [point for layer in layers for run in layer.runs for point in run.points]
    across, along = [x for x, _ in points], [y for _, y in points]
    return Extent(min(across), min(along), max(across), max(along))
