"""What every part answers, and what a slicer moves its outlines by."""

from typing import Literal, NamedTuple, Protocol

from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer
from metier.parts.solid import Body

PacingWay = Literal["kept", "slower", "beside"]


class Dimension(NamedTuple):
    """A size to be shown in a picture, from one point of a view to another."""

    view: Literal["above", "front"]
    begin: tuple[float, float]
    end: tuple[float, float]
    text: str


class HeightRow(NamedTuple):
    """What is printed between two heights of a part: its flow and speed, or its heat."""

    from_mm: float
    to_mm: float
    flow_mm3_s: float | None = None
    speed_mm_s: float | None = None
    nozzle_c: float | None = None

    @property
    def told(self) -> dict[str, float]:
        """What is told of it, by name."""
        return {name: value for name, value in self._asdict().items() if value is not None}


class Part(Protocol):
    """The printed thing of a planned trial, its middle at 0, 0 and its front towards low y.

    ``name`` is what kind it is, ``number`` the trial's.
    """

    @property
    def name(self) -> str: ...
    @property
    def number(self) -> int: ...
    @property
    def line(self) -> PrintedLine: ...

    @property
    def best_as_gcode(self) -> bool:
        """Whether Metier's own lines tell more than a slicer's: not where what is looked for is
        typed into the slicer."""
        ...

    @property
    def pacing(self) -> "PacingWay":
        """What becomes of layers that would be printed too soon: their speeds are what is looked
        for and stay as they are, they are printed slower, or something is printed beside them."""
        ...

    @property
    def sliceable(self) -> bool:
        """Whether a slicer can print its mesh so."""
        ...

    def bodies(self) -> list[Body]:
        """Return its bodies, apart from each other, as they stand on the bed."""
        ...

    def layers(self) -> list[Layer]:
        """Return the lines that it is printed by, layer by layer."""
        ...

    def slicing(self) -> list[tuple[str, str]]:
        """Return how to slice its mesh, and what is what on it, line by line."""
        ...

    def dimensions(self) -> list[Dimension]:
        """Return the sizes that a picture of it shows."""
        ...

    def table(self) -> list[HeightRow]:
        """Return what is to be set by height where it is sliced; nothing for most."""
        ...


class Compensated(NamedTuple):
    """The compensations that are set: by how much holes and outlines grow, a side, in mm."""

    hole_mm: float = 0.0
    contour_mm: float = 0.0

    @property
    def words(self) -> str:
        """What is to be set in a slicer."""
        return f"hole {self.hole_mm:+.2f}, contour {self.contour_mm:+.2f} mm per side, as planned"
