"""The tube for flow: a square of walls, in sections of several numbers of lines or flows."""

from typing import NamedTuple

from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Point, Run
from metier.parts.fill import first_speed, hatched, layers_for, top_of
from metier.parts.part import Dimension, HeightRow, PacingWay
from metier.parts.solid import Body, Slab, square
from metier.parts.tab import Tab, with_tab

FLOOR_LAYERS = 2


class TubeSection(NamedTuple):
    """Walls of that many lines, printed at that flow, a ratio, and at that speed and that wide
    where this is not the tube's."""

    walls: int
    flow: float
    speed_mm_s: float | None = None
    width_mm: float | None = None


class Tube:
    """A square tube, its sections one above the other in their order, on a floor of two layers.

    Outside it measures ``side_mm`` where its lines just fill. The outer line runs through;
    inner lines end where a section has fewer, so that jaws let down inside touch the section
    they reach and none above it.
    """

    name = "tube"
    best_as_gcode = True
    pacing: PacingWay = "kept"

    def __init__(
        self,
        number: int,
        line: PrintedLine,
        sections: tuple[TubeSection, ...],
        speed_mm_s: float,
        side_mm: float,
        section_mm: float,
        inner_mm_s: float | None = None,
    ) -> None:
        self.number, self.line, self.sections = number, line, sections
        self.side_mm, self._speed_mm_s = side_mm, speed_mm_s
        # Nobody measures the floor.
        self._inner_mm_s = inner_mm_s or speed_mm_s
        self._layers_each = layers_for(section_mm, line.layer_mm)
        self._tab = Tab(str(number), line, -side_mm / 2, into_mm=line.width_mm / 2)

    @property
    def sliceable(self) -> bool:
        """Only one section is printed alike all the way up."""
        return len(self.sections) == 1

    @property
    def section_mm(self) -> float:
        """How high a section is: whole layers."""
        return self._layers_each * self.line.layer_mm

    @property
    def floor_mm(self) -> float:
        """How high its floor is."""
        return FLOOR_LAYERS * self.line.layer_mm

    @property
    def height_mm(self) -> float:
        """How high it is."""
        return self.floor_mm + len(self.sections) * self.section_mm

    def bodies(self) -> list[Body]:
        """A block that the slicer makes hollow; of several sections the hollow tube itself."""
        name = f"tube {self.number}"
        outside = square(self.side_mm)
        if len(self.sections) == 1:
            return [Body(name, (Slab(outside, 0.0, self.height_mm), *self._tab.slabs))]
        slabs = [Slab(outside, 0.0, self.floor_mm)]
        for place, section in enumerate(self.sections):
            low = self.floor_mm + place * self.section_mm
            line = self._line(section)
            inside = square(2 * self._half_mm(line, section.walls - 1) - line.width_mm)
            slabs.append(Slab(outside.difference(inside), low, low + self.section_mm))
        return [Body(name, (*slabs, *self._tab.slabs))]

    def layers(self) -> list[Layer]:
        layers = []
        for number in range(FLOOR_LAYERS + len(self.sections) * self._layers_each):
            place = max(0, number - FLOOR_LAYERS) // self._layers_each
            section = self.sections[place]
            line = self._line(section) if number >= FLOOR_LAYERS else self._line(self.sections[0])
            speed_mm_s = section.speed_mm_s or self._speed_mm_s
            if number < FLOOR_LAYERS:
                speed_mm_s = self._speed_mm_s
            if number == 0:
                speed_mm_s = first_speed(speed_mm_s)
            runs = [
                Run(_loop(self._half_mm(line, wall)), line.area_mm2, speed_mm_s)
                for wall in range(section.walls)
            ]
            if number < FLOOR_LAYERS:
                inside = square(2 * (self._half_mm(line, section.walls) + line.width_mm / 2))
                inner_mm_s = self._inner_mm_s
                if number == 0:
                    inner_mm_s = first_speed(inner_mm_s, inner=True)
                runs += hatched(inside, line, inner_mm_s, turned=number % 2 == 1, after=runs)
            layers.append(Layer(top_of(number, line.layer_mm), tuple(runs)))
        return with_tab(layers, self._tab, self.line, self._inner_mm_s)

    def _line(self, section: TubeSection) -> PrintedLine:
        """Return the line of a section."""
        width_mm = section.width_mm or self.line.width_mm
        return self.line._replace(flow=section.flow, width_mm=width_mm)

    def _half_mm(self, line: PrintedLine, wall: int) -> float:
        """Return how far from the middle a line runs, counted from outside."""
        return self.side_mm / 2 - line.width_mm / 2 - wall * line.apart_mm

    def slicing(self) -> list[tuple[str, str]]:
        if len(self.sections) > 1:
            named = ", ".join(self._named(section) for section in self.sections)
            return [("sections", f"{named}: the first lowest; as G-code only")]
        walls = self.sections[0].walls
        return [
            ("walls", f"{walls} line{'s' if walls > 1 else ''} each, sharp corners, seam in the "
             "back left corner"),
            ("flow", f"{100 * self.sections[0].flow:g} %"),
            ("bottom", f"{FLOOR_LAYERS} layers"),
            ("top", "none, and no infill: the slicer makes the block hollow"),
            ("sides", "front is where the tab is; right, back, left, as seen from above"),
        ]  # fmt: skip

    def _named(self, section: TubeSection) -> str:
        """Return «3 lines», or what sections differ in: «105 %», «40 mm/s»."""
        if len({(section.walls, section.width_mm) for section in self.sections}) > 1:
            of = f" of {section.width_mm:g}" if section.width_mm else ""
            return f"{section.walls} line{'s' if section.walls > 1 else ''}{of}"
        if len({section.speed_mm_s for section in self.sections}) > 1:
            return f"{section.speed_mm_s:g} mm/s"
        if len({section.flow for section in self.sections}) > 1:
            return f"{100 * section.flow:g} %"
        return f"{section.walls} line{'s' if section.walls > 1 else ''}"

    def table(self) -> list[HeightRow]:
        return []

    def dimensions(self) -> list[Dimension]:
        half, height = self.side_mm / 2, self.height_mm
        sizes = [
            Dimension("above", (-half, half), (half, half), f"{self.side_mm:g}"),
            Dimension("front", (half, 0), (half, height), f"{height:g}"),
        ]
        for place, section in enumerate(self.sections):
            low = self.floor_mm + place * self.section_mm
            text = f"{self._named(section)}, {self.section_mm:g}"
            sizes.append(Dimension("front", (-half, low), (-half, low + self.section_mm), text))
        return sizes


def _loop(half_mm: float) -> tuple[Point, ...]:
    """Return a square from its back left corner, against the clock."""
    return (
        (-half_mm, half_mm),
        (-half_mm, -half_mm),
        (half_mm, -half_mm),
        (half_mm, half_mm),
        (-half_mm, half_mm),
    )
