"""Numbers as shapes: what is raised on a part so that nothing has to be penned.

Each sign is drawn by strokes of one width, round at their ends as a printer lays them down, in a
box as high as 1.
"""

import math
from functools import lru_cache

from shapely import LineString, affinity, unary_union

from metier.parts.solid import Region

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
