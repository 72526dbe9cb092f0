"""Several parts as one print: side by side, one after the other where the head has room for that,
else all of them layer by layer."""

from collections.abc import Sequence
from itertools import groupby
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.line.runs import Extent, Layer, Point, Run

# So far apart parts stand that are printed layer by layer; what rounding of places takes.
_APART_MM, _ROUNDED_MM = 6.0, 0.002


class Block(NamedTuple):
    """A part that is ready to be printed: its trial, its layers, and what it covers of the bed."""

    number: int
    layers: tuple[Layer, ...]
    extent: Extent

    @property
    def high_mm(self) -> float:
        """How high it is."""
        return self.layers[-1].top_mm


class HeadRoom(NamedTuple):
    """How far round the nozzle, and how high above its tip, a head keeps clear of what stands."""

    round_mm: float
    above_mm: float


class Arranged(NamedTuple):
    """All layers in the order they are printed; ``order`` are the trials as they are finished,
    where each is finished before the next."""

    layers: list[Layer]
    order: tuple[int, ...]
    one_by_one: bool


def arranged(
    blocks: Sequence[Block], wide_mm: float, deep_mm: float, room: HeadRoom | None, nozzle_c: float
) -> Arranged:
    """Return parts side by side on a bed that has so much room.

    One after the other, the lowest first, where all but the last stay below what a head keeps
    clear of; else layer by layer.

    Raises:
        BadInput: they do not fit, or heat of their own is to change while others are printed.
    """
    order = sorted(blocks, key=lambda block: block.high_mm)
    names = ", ".join(str(block.number) for block in blocks)
    if room and all(block.high_mm <= room.above_mm + 1e-9 for block in order[:-1]):
        places = _placed(order, wide_mm, deep_mm, room.round_mm)
        if places:
            layers = [
                layer._replace(nozzle_c=layer.nozzle_c or nozzle_c)
                for block, place in zip(order, places, strict=True)
                for layer in _moved(block, place)
            ]
            return Arranged(layers, tuple(block.number for block in order), True)
    if any(layer.nozzle_c for block in blocks for layer in block.layers):
        raise BadInput(
            f"parts {names}: one of them changes its heat by height, so each is finished before "
            "the next, and the head has no room told for that: print it alone, or metier printer "
            "set --head-room"
        )
    places = _placed(order, wide_mm, deep_mm, _APART_MM)
    if places is None:
        raise BadInput(
            f"parts {names} do not fit on {wide_mm:g} x {deep_mm:g} mm together: print fewer at a "
            "time"
        )
    moved = [
        layer for block, place in zip(order, places, strict=True) for layer in _moved(block, place)
    ]
    moved.sort(key=lambda layer: layer.top_mm)
    layers = []
    for top_mm, alike in groupby(moved, key=lambda layer: layer.top_mm):
        layers.append(Layer(top_mm, tuple(run for layer in alike for run in layer.runs)))
    return Arranged(layers, tuple(block.number for block in blocks), False)


def _placed(
    blocks: Sequence[Block], wide_mm: float, deep_mm: float, apart_mm: float
) -> list[Point] | None:
    """Return how far each part moves, row by row from the deepest, all about 0, 0; None where they
    do not fit."""
    sizes = [block.extent.size_mm for block in blocks]
    places: dict[int, Point] = {}
    x = y = row_mm = used_mm = 0.0
    for at in sorted(range(len(blocks)), key=lambda at: -sizes[at][1]):
        wide, deep = sizes[at]
        if x and x + wide > wide_mm + 1e-9:
            x, y, row_mm = 0.0, y + row_mm + apart_mm + _ROUNDED_MM, 0.0
        places[at] = (x, y)
        row_mm, used_mm = max(row_mm, deep), max(used_mm, x + wide)
        x += wide + apart_mm + _ROUNDED_MM
    if used_mm > wide_mm + 1e-9 or y + row_mm > deep_mm + 1e-9:
        return None
    return [
        (
            round(places[at][0] - used_mm / 2 - block.extent.low_x, 3),
            round(places[at][1] - (y + row_mm) / 2 - block.extent.low_y, 3),
        )
        for at, block in enumerate(blocks)
    ]


def _moved(block: Block, by: Point) -> list[Layer]:
    # Runs that lie in many layers are one object, and stay one.
    known: dict[int, Run] = {}

    def moved(run: Run) -> Run:
        if id(run) not in known:
            points = tuple((round(x + by[0], 6), round(y + by[1], 6)) for x, y in run.points)
            known[id(run)] = run._replace(points=points)
        return known[id(run)]

    return [layer._replace(runs=tuple(moved(run) for run in layer.runs)) for layer in block.layers]
