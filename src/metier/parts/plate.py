"""The plate for hole and contour compensation: holes through it, posts on it, sizes beside each."""

from collections.abc import Sequence
from typing import NamedTuple

from shapely import affinity
from shapely.geometry import Polygon, box

from metier.core.line.printed import PrintedLine
from metier.core.line.runs import Layer
from metier.parts.flat import WALLS, Compensated, flat_layers
from metier.parts.letters import text_region
from metier.parts.part import Dimension, HeightRow
from metier.parts.solid import Body, Region, Slab, disc
from metier.parts.tab import Tab

THICK_MM, POST_MM, GAP_MM, RAISED_MM = 3.0, 8.0, 4.0, 0.6
_TEXT_MM, _CORNER_MM = 4.0, 3.0
# Inside jaws of calipers go into no smaller hole.
JAWS_MM = 4.0


class DrawnSize(NamedTuple):
    """A hole or a post of that diameter; ``facets`` are the sides that a hole is drawn with."""

    kind: str
    diameter_mm: float
    facets: int | None = None

    @property
    def text(self) -> str:
        """What is raised beside it."""
        return f"{self.diameter_mm:g}"


class _Placed(NamedTuple):
    size: DrawnSize
    x: float
    y: float


class Plate:
    """A plate with a row of holes in front and a row of posts behind, an arrow along x."""

    name = "plate"
    best_as_gcode = False
    sliceable = True

    def __init__(
        self,
        number: int,
        sizes: Sequence[DrawnSize],
        line: PrintedLine,
        speed_mm_s: float,
        compensated: Compensated,
    ) -> None:
        self.number, self.line = number, line
        self._speed_mm_s, self._compensated = speed_mm_s, compensated
        self._text_mm = max(_TEXT_MM, 7 * line.width_mm)
        holes = [one for one in sizes if one.kind == "hole"]
        posts = [one for one in sizes if one.kind == "post"]
        rows = [row for row in (holes, posts) if row]
        self._placed: list[_Placed] = []
        y, width = GAP_MM, 0.0
        for row in rows:
            deep, x = max(one.diameter_mm for one in row), GAP_MM
            for one in sorted(row, key=lambda one: one.diameter_mm):
                room = max(one.diameter_mm, self._text(one).bounds[2])
                self._placed.append(_Placed(one, x + room / 2, y + deep / 2))
                x += room + GAP_MM
            y += deep + self._text_mm + 1.5 + GAP_MM
            width = max(width, x)
        self._arrow = self._arrow_at(0.0, 0.0)
        high = self._arrow.bounds[3]
        self.wide_mm, self.deep_mm = max(width, 24.0), y + high + 1.0
        self._middle = (self.wide_mm / 2, self.deep_mm / 2)
        self._arrow = affinity.translate(
            self._arrow, GAP_MM - self._middle[0], self.deep_mm / 2 - high - 2.0
        )
        self._tab = Tab(str(number), line, -self.deep_mm / 2, into_mm=WALLS * line.width_mm)

    def _text(self, one: DrawnSize) -> Region:
        return text_region(one.text, self._text_mm)

    def _arrow_at(self, x: float, y: float) -> Region:
        """Return an arrow along x, and the letter beside it."""
        w = max(1.2, 1.2 * self.line.width_mm)
        middle = y + self._text_mm / 2
        shaft = box(x, middle - w / 2, x + 12, middle + w / 2)
        head = Polygon([(x + 12, middle - 2.2), (x + 16, middle), (x + 12, middle + 2.2)])
        letter = affinity.translate(text_region("x", self._text_mm * 0.8), x + 18, y)
        return shaft.union(head).union(letter)

    def places(self) -> list[tuple[DrawnSize, tuple[float, float]]]:
        """Return its holes and posts with the middle of each."""
        return [
            (one.size, (one.x - self._middle[0], one.y - self._middle[1])) for one in self._placed
        ]

    def bodies(self) -> list[Body]:
        return [self._body(Compensated())]

    def _body(self, by: Compensated) -> Body:
        edge = box(*(-half for half in self._middle), *self._middle)
        # Round corners lift off the bed less.
        plate = edge.buffer(-_CORNER_MM).buffer(_CORNER_MM, quad_segs=16)
        plate = plate.buffer(by.contour_mm, join_style="mitre")
        slabs = []
        # At least a layer of it, however high layers are.
        top = THICK_MM + max(RAISED_MM, self.line.layer_mm)
        for size, (x, y) in self.places():
            grown = 2 * (by.hole_mm if size.kind == "hole" else by.contour_mm)
            shape = disc(size.diameter_mm + grown, (x, y), size.facets)
            text = self._text(size)
            beside = affinity.translate(
                text, x - text.bounds[2] / 2, y + size.diameter_mm / 2 + 1.5
            )
            slabs.append(Slab(beside, THICK_MM, top))
            if size.kind == "hole":
                plate = plate.difference(shape)
            else:
                slabs.append(Slab(shape, THICK_MM, THICK_MM + POST_MM))
        slabs += [Slab(plate, 0.0, THICK_MM), Slab(self._arrow, THICK_MM, top)]
        return Body(f"plate {self.number}", (*slabs, *self._tab.slabs))

    def layers(self) -> list[Layer]:
        return flat_layers([self._body(self._compensated)], self.line, self._speed_mm_s)

    def slicing(self) -> list[tuple[str, str]]:
        found = [
            ("walls", f"{WALLS} lines, top and bottom of 3 layers, 15 % infill"),
            ("compensate", self._compensated.words),
            ("lies", "with the arrow along the printer's x, the tab in front"),
        ]
        small = [
            one.size
            for one in self._placed
            if one.size.kind == "hole" and one.size.diameter_mm < JAWS_MM - 1e-9
        ]
        if small:
            found.append(
                ("small", f"holes below {JAWS_MM:g} mm take pins: inside jaws do not go in")
            )
        if any(one.size.facets for one in self._placed):
            found.append(("facets", "corners of faceted holes lie on the circle of their size"))
        return found

    def table(self) -> list[HeightRow]:
        return []

    def dimensions(self) -> list[Dimension]:
        x, y = self._middle
        top = THICK_MM + (POST_MM if any(one.size.kind == "post" for one in self._placed) else 0)
        return [
            Dimension("above", (-x, y), (x, y), f"{2 * x:.4g}"),
            Dimension("above", (x, -y), (x, y), f"{2 * y:.4g}"),
            Dimension("front", (x, 0), (x, top), f"{top:g}"),
            Dimension("front", (-x, 0), (-x, THICK_MM), f"{THICK_MM:g}"),
        ]
