"""Round holes and posts of a print, found by their outlines."""

from typing import NamedTuple

import numpy as np

from metier.standin.printed import Printed
from metier.standin.shape import hole_mm, line_mm, post_mm
from metier.standin.truth import Frame

_JOINED_MM = 1e-3
# Rounder than this counts as a circle, and so many chords at least.
_ROUND, _CHORDS = 0.02, 12
# Outlines about one middle.
_ONE_MIDDLE_MM = 0.3
# Above the foot that rings stand on, and below the tip of a pin.
_MIDDLE = 0.6
# A ring has so many lines at least; one line round is none.
_LINES = 2


class Circle(NamedTuple):
    """One outline: its middle, the radius its middle line is drawn at, a line's width there."""

    x_mm: float
    y_mm: float
    radius_mm: float
    wide_mm: float


class Round(NamedTuple):
    """A hole or a post as it came out along x and y, the size that its lines leave it, and where it
    stands."""

    kind: str
    drawn_mm: float
    along_x_mm: float
    along_y_mm: float
    x_mm: float
    y_mm: float


def holes_at_foot(printed: Printed) -> list[Round]:
    """Return the holes that go through, as they are at the first layer, which bulges into them."""
    frame = printed.luck.frame
    frame = frame._replace(hole_mm=frame.hole_mm + frame.foot_mm)
    first_mm = float(printed.tops[0])
    below = [ring for ring in _rings(printed, first_mm) if not _closed(printed, first_mm, ring)]
    found = []
    for ring in _rings(printed, _middle_mm(printed)):
        through = any(_near(ring[0], other[0]) for other in below)
        if through and not _closed(printed, _middle_mm(printed), ring):
            found.append(_hole(ring, frame))
    return sorted(found, key=lambda one: one.drawn_mm)


def rounds_of(printed: Printed) -> list[Round]:
    """Return the holes and the posts of a print, smaller ones first.

    A ring is a post where it has something inside, and a hole where it is empty.
    """
    frame, middle_mm = printed.luck.frame, _middle_mm(printed)
    found = []
    for ring in _rings(printed, middle_mm):
        if not _closed(printed, middle_mm, ring):
            found.append(_hole(ring, frame))
            continue
        outer = max(ring, key=lambda one: one.radius_mm)
        drawn_mm = 2 * outer.radius_mm + outer.wide_mm
        x_mm, y_mm = post_mm(drawn_mm, frame, "x"), post_mm(drawn_mm, frame, "y")
        found.append(Round("post", drawn_mm, x_mm, y_mm, outer.x_mm, outer.y_mm))
    return sorted(found, key=lambda one: (one.kind, one.drawn_mm))


def _middle_mm(printed: Printed) -> float:
    tops = printed.tops
    return float(tops[int(_MIDDLE * (len(tops) - 1))])


def _rings(printed: Printed, top_mm: float) -> list[list[Circle]]:
    return [ring for ring in _groups(_circles(printed, top_mm)) if len(ring) >= _LINES]


def _hole(ring: list[Circle], frame: Frame) -> Round:
    inner = min(ring, key=lambda one: one.radius_mm)
    drawn_mm = 2 * inner.radius_mm - inner.wide_mm
    x_mm, y_mm = hole_mm(drawn_mm, frame, "x"), hole_mm(drawn_mm, frame, "y")
    return Round("hole", drawn_mm, x_mm, y_mm, inner.x_mm, inner.y_mm)


def _closed(printed: Printed, top_mm: float, ring: list[Circle]) -> bool:
    """Tell whether anything lies within a ring, or no room is left there."""
    inner = min(ring, key=lambda one: one.radius_mm)
    room_mm = inner.radius_mm - inner.wide_mm
    if room_mm < inner.wide_mm / 2:
        return True
    layer = np.abs(printed.z - top_mm) < _JOINED_MM
    x = (printed.x0[layer] + printed.x1[layer]) / 2 - inner.x_mm
    y = (printed.y0[layer] + printed.y1[layer]) / 2 - inner.y_mm
    return bool((np.hypot(x, y) < room_mm).any())


def _circles(printed: Printed, top_mm: float) -> list[Circle]:
    here = np.flatnonzero(np.abs(printed.z - top_mm) < _JOINED_MM)
    if not len(here):
        return []
    index = int(np.argmin(np.abs(printed.tops - top_mm)))
    layer_mm = float(printed.layer[index])
    x0, y0, x1, y1 = (one[here] for one in (printed.x0, printed.y0, printed.x1, printed.y1))
    follows = (np.abs(x1[:-1] - x0[1:]) < _JOINED_MM) & (np.abs(y1[:-1] - y0[1:]) < _JOINED_MM)
    runs = np.split(np.arange(len(here)), np.flatnonzero(~follows) + 1)
    found = []
    for run in runs:
        first, last = run[0], run[-1]
        closed = abs(x0[first] - x1[last]) < 0.1 and abs(y0[first] - y1[last]) < 0.1
        if len(run) < _CHORDS or not closed:
            continue
        x, y = x0[run], y0[run]
        middle_x, middle_y = (x.min() + x.max()) / 2, (y.min() + y.max()) / 2
        radii = np.hypot(x - middle_x, y - middle_y)
        # The corners of a square are as far from its middle, too.
        longest_mm = float(printed.length[here[run]].max())
        if np.ptp(radii) > _ROUND * radii.mean() or longest_mm > radii.mean():
            continue
        wide_mm = line_mm(float(printed.area[here[run]].mean()) / layer_mm, layer_mm)
        found.append(Circle(float(middle_x), float(middle_y), float(radii.mean()), wide_mm))
    return found


def _groups(circles: list[Circle]) -> list[list[Circle]]:
    found: list[list[Circle]] = []
    for circle in circles:
        for group in found:
            if _near(group[0], circle):
                group.append(circle)
                break
        else:
            found.append([circle])
    return found


def _near(one: Circle, other: Circle) -> bool:
    apart = np.hypot(one.x_mm - other.x_mm, one.y_mm - other.y_mm)
    return bool(apart < _ONE_MIDDLE_MM)
