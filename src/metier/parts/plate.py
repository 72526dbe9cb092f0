"""The plate for hole and contour compensation: a row of holes, a row of posts behind it."""

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from shapely import unary_union

from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Point
from metier.parts.part import Compensated, Dimension, HeightRow, PacingWay
from metier.parts.rings import Label, Rib, Ring, RingPlate
from metier.parts.solid import Body
from metier.parts.tab import Tab, with_tab

_GAP_MM, _TEXT_MM = 3.0, 3.5
# Inside jaws of calipers go into no smaller hole.
JAWS_MM = 4.0


class DrawnSize(NamedTuple):
    """A hole or a post of that diameter; ``facets`` are the sides that a hole is drawn with."""

    kind: str
    diameter_mm: float
    facets: int | None = None


class Plate:
    """Rings: holes in front and posts behind, their sizes between them, all on one thin foot.

    Large holes have a floor, so that they are not pressed out of round. The tab in front tells
    which way the printer's x goes.
    """

    name = "plate"
    best_as_gcode = False
    sliceable = True
    pacing: PacingWay = "slower"

    def __init__(
        self,
        number: int,
        sizes: Sequence[DrawnSize],
        line: PrintedLine,
        speed_mm_s: float,
        compensated: Compensated,
        inner_mm_s: float | None = None,
    ) -> None:
        self.number, self.line = number, line
        self._sizes, self._speed_mm_s, self._compensated = sizes, speed_mm_s, compensated
        self._inner_mm_s = inner_mm_s or speed_mm_s
        drawn = self._plate(Compensated())
        front = min(drawn.rings, key=lambda ring: ring.at[1] - ring.outside_mm)
        self._tab = Tab(
            str(number), line, front.at[1] - front.outside_mm, front.at[0], front.held_mm
        )

    def _rings(self, kind: str, by: Compensated) -> list[Ring]:
        """Return the rings of a row, the smallest first, all about 0, 0."""
        grown_mm = by.hole_mm if kind == "hole" else by.contour_mm
        row = sorted(
            (size for size in self._sizes if size.kind == kind),
            key=lambda size: (size.diameter_mm, size.facets or 0),
        )
        return [
            Ring(kind, size.diameter_mm, (0.0, 0.0), self.line, size.facets, grown_mm)
            for size in row
        ]

    def _plate(self, by: Compensated) -> RingPlate:
        """Return the rings in their places: columns from the smallest to the largest."""
        rows = [row for row in (self._rings("hole", by), self._rings("post", by)) if row]
        # Places are those of what is drawn, whatever is compensated.
        reach = [[ring.drawn_mm for ring in row] for row in rows]
        columns = max(len(row) for row in rows)
        texts = [_text([row[at] for row in rows if at < len(row)]) for at in range(columns)]
        high_mm = max(_TEXT_MM, 7 * self.line.width_mm)
        pads = [Label(text, (0.0, 0.0), high_mm).pad.bounds for text in texts]
        x, xs = 0.0, []
        for at in range(columns):
            half = max([pads[at][2], *(row[at] for row in reach if at < len(row))])
            xs.append(x + half)
            x += 2 * half + _GAP_MM
        middle_x = (x - _GAP_MM) / 2
        deep_mm = pads[0][3] - pads[0][1]
        front = max(reach[0])
        back = max(reach[1]) if len(rows) > 1 else 0.0
        whole_mm = 2 * front + 2 * _GAP_MM / 2 + deep_mm + 2 * back
        ys = (front - whole_mm / 2, whole_mm / 2 - back)
        label_y = 2 * front + _GAP_MM / 2 + deep_mm / 2 - whole_mm / 2
        placed, ribs = [], []
        for row, reached, y in zip(rows, reach, ys, strict=False):
            ringed = [ring._replace(at=(xs[at] - middle_x, y)) for at, ring in enumerate(row)]
            for (left, near), (other, far) in pairwise(zip(ringed, reached, strict=True)):
                ribs.append(Rib((left.at[0] + near, y), (other.at[0] - far, y)))
            placed += ringed
        labels = []
        for at, text in enumerate(texts):
            label = Label(text, (xs[at] - middle_x, label_y), high_mm)
            labels.append(label)
            _, low_y, _, high_y = label.pad.bounds
            for behind, (reached, y) in enumerate(zip(reach, ys, strict=False)):
                if at < len(reached):
                    edge: Point = (label.at[0], high_y if behind else low_y)
                    ring_edge = y - reached[at] if behind else y + reached[at]
                    ribs.append(Rib((label.at[0], ring_edge), edge))
        return RingPlate(placed, labels, ribs, self.line)

    def places(self) -> list[tuple[DrawnSize, Point]]:
        """Return its holes and posts with the middle of each."""
        return [
            (DrawnSize(ring.kind, ring.diameter_mm, ring.facets), ring.at)
            for ring in self._plate(Compensated()).rings
        ]

    def bodies(self) -> list[Body]:
        slabs = self._plate(Compensated()).slabs()
        return [Body(f"plate {self.number}", (*slabs, *self._tab.slabs))]

    def layers(self) -> list[Layer]:
        layers = self._plate(self._compensated).layers(self._speed_mm_s, self._inner_mm_s)
        return with_tab(layers, self._tab, self.line, self._inner_mm_s)

    def slicing(self) -> list[tuple[str, str]]:
        lines = [
            ("walls", "3 lines or more, infill 100 %: rings are as thin as they stay stiff"),
            ("compensate", self._compensated.words),
            ("lies", "with the tab in front: rows go along the printer's x"),
            ("measure", "in the upper half, along the rows (x) and across them (y)"),
        ]
        holes = [size for size in self._sizes if size.kind == "hole"]
        if any(size.diameter_mm < JAWS_MM - 1e-9 for size in holes):
            lines.append(
                ("small", f"holes below {JAWS_MM:g} mm take pins: inside jaws do not go in")
            )
        if any(size.facets for size in holes):
            lines.append(("facets", "corners of faceted holes lie on the circle of their size"))
        return lines

    def table(self) -> list[HeightRow]:
        return []

    def dimensions(self) -> list[Dimension]:
        drawn = self._plate(Compensated())
        low_x, low_y, high_x, high_y = unary_union([slab.region for slab in drawn.slabs()]).bounds
        return [
            Dimension("above", (low_x, high_y), (high_x, high_y), f"{high_x - low_x:.4g}"),
            Dimension("above", (high_x, low_y), (high_x, high_y), f"{high_y - low_y:.4g}"),
            Dimension("front", (high_x, 0), (high_x, drawn.high_mm), f"{drawn.high_mm:.3g}"),
            Dimension("front", (low_x, 0), (low_x, drawn.foot_mm), f"{drawn.foot_mm:.3g}"),
        ]


def _text(rings: Sequence[Ring]) -> str:
    """Return what is raised between a hole and a post: their size, or both, the hole's first."""
    return "/".join(dict.fromkeys(f"{ring.diameter_mm:g}" for ring in rings))
