"""A tube as it was sliced: where with height its walls become others, and the walls in between."""

import numpy as np

from metier.core.job.layers import Layers, layers_of
from metier.core.job.moves import Moves
from metier.core.job.sliced_walls import FLOW_WITHIN, SlicedWalls, sides_of, walls_of, whole
from metier.core.refusal import Refusal

# A section has so many layers, and walls of so many lines at most; a test part so many layers.
_LEAST_LAYERS, _MOST_LINES, _MOST_LAYERS = 6, 12, 2000
# All sections together are nearly all of it.
_COVERED = 0.8


def read_sections(moves: Moves, filament_diameter_mm: float) -> tuple[SlicedWalls, ...]:
    """Return the walls of a tube section by section, from the lowest: where the number of lines or
    what is dosed for them changes with height, another begins. One for a cube, or any part with
    four straight sides.

    Raises:
        Refusal: too few layers, or no straight walls.
    """
    layers = layers_of(moves)
    found = [
        walls_of(moves, layers, part, filament_diameter_mm) for part in _stretches(moves, layers)
    ]
    if not found:
        return (walls_of(moves, layers, whole(layers), filament_diameter_mm),)
    apart = next((one.line_distance_mm for one in found if one.line_distance_mm), None)
    # One line has a distance, too, where there are others beside it above or below.
    return tuple(
        one._replace(line_distance_mm=apart) if one.line_distance_mm is None else one
        for one in found
    )


def _stretches(moves: Moves, layers: Layers) -> list[range]:
    """Return the layers of each section; none where all are alike, or no sections are seen."""
    count = len(layers.tops_mm)
    if layers.turns or not 2 * _LEAST_LAYERS <= count <= _MOST_LAYERS:
        return []
    dx, dy, _ = moves.steps()
    length = np.hypot(dx, dy)
    order = np.argsort(layers.layer, kind="stable")
    ends = np.searchsorted(layers.layer[order], np.arange(count + 1))
    seen: list[tuple[int, float] | None] = []
    for number in range(count):
        rows = layers.rows[order[ends[number] : ends[number + 1]]]
        try:
            sides = sides_of(moves, rows, dx, dy, length)
        except Refusal:
            seen.append(None)
            continue
        along = rows[sides.wall]
        dosed = float(moves.e[along].sum() / length[along].sum())
        per_side = [len(side) for side in sides.offsets]
        seen.append((max(set(per_side), key=per_side.count), dosed))
    found: list[range] = []
    begin = 0
    for number in range(1, count + 1):
        if number < count and _alike(seen[begin], seen[number]):
            continue
        first = seen[begin]
        if first and first[0] <= _MOST_LINES and number - begin >= _LEAST_LAYERS:
            found.append(range(begin, number))
        begin = number
    covered = sum(len(one) for one in found)
    return found if len(found) > 1 and covered > _COVERED * count else []


def _alike(one: tuple[int, float] | None, other: tuple[int, float] | None) -> bool:
    if one is None or other is None:
        return one is other
    return one[0] == other[0] and abs(other[1] / one[1] - 1) < FLOW_WITHIN
