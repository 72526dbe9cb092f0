"""The tab in front of a part, with the trial's number on it in strokes.

Each sign is drawn by strokes of one width, round at their ends as a printer lays them down, in a
box as high as 1.
"""

import math
from functools import lru_cache

from shapely import LineString, affinity, unary_union
from shapely.geometry import box

from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer, Run
from metier.parts.fill import covered, filled, first_speed
from metier.parts.solid import Region, Slab

# How wide strokes are, and how far signs keep from each other, in heights of a digit.
STROKE = 0.18
_APART = 0.16

_Place = tuple[float, float]
_Strokes = tuple[tuple[_Place, ...], ...]


def _arc(x: float, y: float, wide: float, high: float, start: int, end: int) -> tuple[_Place, ...]:
    """Return an arc about a middle, from one angle to another in degrees, in 15° steps."""
    steps = max(1, abs(end - start) // 15)
    angles = [math.radians(start + (end - start) * step / steps) for step in range(steps + 1)]
    return tuple((x + wide * math.cos(at), y + high * math.sin(at)) for at in angles)


# So wide and high a digit is between the middles of its outer strokes; half of that.
_WIDE, _HIGH = 0.46, 1 - STROKE
_MID, _TOP = _WIDE / 2, _HIGH - _WIDE / 2
_SIX = (
    *_arc(_MID, 0.25, _MID, 0.25, 180, -180),
    (0.02, 0.45),
    *_arc(0.42, 0.25, 0.42, 0.57, 150, 95),
)

_SIGNS: dict[str, _Strokes] = {
    "0": (
        (*_arc(_MID, _TOP, _MID, _MID, 180, 0), *_arc(_MID, _MID, _MID, _MID, 0, -180), (0, _TOP)),
    ),
    "1": (((0.02, 0.63), (0.24, _HIGH), (0.24, 0)),),
    "2": ((*_arc(_MID, _TOP, _MID, _MID, 170, -35), (0, 0), (_WIDE, 0)),),
    "3": (_arc(_MID, 0.61, 0.21, 0.21, 160, -90), _arc(_MID, 0.2, _MID, 0.2, 90, -160)),
    "4": (((0.35, 0), (0.35, _HIGH), (0, 0.22), (0.5, 0.22)),),
    "5": (((0.43, _HIGH), (0.06, _HIGH), (0.04, 0.45), *_arc(0.21, 0.25, 0.24, 0.25, 115, -150)),),
    "6": (_SIX,),
    "7": (((0, _HIGH), (_WIDE, _HIGH), (0.14, 0)),),
    "8": (_arc(_MID, 0.21, _MID, 0.21, 90, 450), _arc(_MID, 0.62, 0.2, 0.2, -90, 270)),
    "9": (tuple((_WIDE - x, _HIGH - y) for x, y in _SIX),),
    "/": (((0, -0.06), (0.3, _HIGH + 0.06)),),
    ".": (((0, 0), (0.06, 0), (0.06, 0.06), (0, 0.06), (0, 0)),),
}


@lru_cache(maxsize=256)
def text_region(text: str, height_mm: float) -> Region:
    """Return a text as a region whose digits are so high; its lower left corner at 0, 0.

    Raises:
        KeyError: a sign that no part has needed so far.
    """
    signs, x = [], 0.0
    for sign in text:
        strokes = [LineString(stroke) for stroke in _SIGNS[sign]]
        drawn = unary_union([stroke.buffer(STROKE / 2, quad_segs=4) for stroke in strokes])
        low_x, _, high_x, _ = drawn.bounds
        signs.append(affinity.translate(drawn, x - low_x))
        x += high_x - low_x + _APART
    region = affinity.scale(unary_union(signs), height_mm, height_mm, origin=(0, 0))
    low_x, low_y, *_ = region.bounds
    return affinity.translate(region, -low_x, -low_y)


# Its size, how high it is and its number stands above it, and how far it keeps from the wall.
WIDE_MM, DEEP_MM, HIGH_MM, RAISED_MM, GAP_MM = 14.0, 9.0, 0.8, 0.6, 1.0
_DIGITS_MM, _MARGIN_MM = 6.0, 1.5


class Tab:
    """A tab with a text, in front of a part whose front lies at ``front_y``.

    Its lowest layer reaches the part, ``into_mm`` into it; what is above keeps off, so that no
    wall is another one there.
    """

    def __init__(
        self, text: str, line: PrintedLine, front_y: float, at_x: float = 0.0, into_mm: float = 0.0
    ) -> None:
        # A stroke takes a line.
        scale = max(1.0, line.width_mm / (STROKE * _DIGITS_MM))
        letters = text_region(text, _DIGITS_MM * scale)
        *_, across, high = letters.bounds
        self.deep_mm = max(DEEP_MM, high + 2 * _MARGIN_MM)
        wide = max(WIDE_MM, across + 2 * _MARGIN_MM)
        low = front_y - GAP_MM - self.deep_mm
        self._line = line
        self._plate = box(at_x - wide / 2, low, at_x + wide / 2, front_y - GAP_MM)
        self._bridge = box(at_x - wide / 2, front_y - GAP_MM, at_x + wide / 2, front_y + into_mm)
        shift = (at_x - across / 2, low + (self.deep_mm - high) / 2)
        self._digits = affinity.translate(letters, *shift)
        self.layers_high = max(2, round(HIGH_MM / line.layer_mm))
        self.layers_raised = max(2, round(RAISED_MM / line.layer_mm))

    @property
    def slabs(self) -> list[Slab]:
        """It as slabs: what reaches the part is as high as a layer."""
        first_mm = self._line.layer_mm
        top_mm = self.layers_high * first_mm
        return [
            Slab(self._bridge, 0.0, first_mm),
            Slab(self._plate, 0.0, top_mm),
            Slab(self._digits, top_mm, top_mm + self.layers_raised * first_mm),
        ]

    @property
    def foot(self) -> Region:
        """What its lowest layer covers."""
        return self._plate.union(self._bridge)

    def runs(self, layer: int, speed_mm_s: float, beside: Region | None = None) -> list[Run]:
        """Return its lines in a layer, counted from 0; none above it, and on the lowest none where
        there is something else, ``beside`` which it lies."""
        if layer == 0:
            region = self.foot if beside is None else self.foot.difference(beside)
        elif layer < self.layers_high:
            region = self._plate
        elif layer < self.layers_high + self.layers_raised:
            region = self._digits
        else:
            return []
        return filled(region, self._line, speed_mm_s, turned=layer % 2 == 1)


def with_tab(
    layers: list[Layer], tab: Tab, line: PrintedLine, speed_mm_s: float | None = None
) -> list[Layer]:
    """Return layers with a tab's lines after their own, at that speed, else at that of the slowest
    of these."""
    beside = covered(layers[0].runs, line)
    tabbed = []
    for number, layer in enumerate(layers):
        speed = speed_mm_s or min(run.speed_mm_s for run in layer.runs)
        if number == 0:
            speed = first_speed(speed, inner=True)
        runs = tab.runs(number, speed, beside)
        tabbed.append(layer._replace(runs=(*layer.runs, *runs)))
    return tabbed
