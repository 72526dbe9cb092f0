"""The walls that a file really prints, section by section."""

import math
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.errors import BadInput
from metier.core.job.layers import Layers, layers_of
from metier.core.job.moves import Moves
from metier.core.line.bead import rounding_mm
from metier.core.values import LineModel

# Shorter moves tell no direction; lines closer than this are one.
_STRAIGHT_MM = 2.0
_APART_MM = 0.05
_ALIGNED = math.radians(1.0)
# The layers looked at: above the bottom, below a top.
_FROM, _TO = 0.25, 0.9
_WIDTH_WITHIN_MM = 0.015
# Beyond this, in proportion, a flow is not the one that was sliced.
FLOW_WITHIN = 0.01


class SlicedWalls(NamedTuple):
    """The walls of a cube: lines a wall, side by side; all sizes in mm.

    ``line_distance_mm`` is None for a single line; it is known no better than ``rounded_to_mm``,
    the last decimal of the file's coordinates. ``filled`` is the share of the printed length in
    these layers that belongs to no wall. The layers of a ``spiral`` are its turns. ``from_mm``
    and ``to_mm`` are the heights between which they are so.
    """

    walls: int
    per_side: tuple[int, ...]
    layer_mm: float
    line_distance_mm: float | None
    rounded_to_mm: float
    dosed_area_mm2: float
    speed_mm_s: float
    layers: int
    closed_top: bool
    filled: float
    spiral: bool
    from_mm: float = 0.0
    to_mm: float = 0.0


class SlicedTarget(NamedTuple):
    """What the walls should measure, and what the file says of flow and line model.

    A single line fits both models: ``line_model`` is ``either`` then and ``flow`` None, unless
    the flow is given; ``flow_under`` says which flow it would be under each. None where the file
    tells no model at all.
    """

    bead_width_mm: float
    line_distance_mm: float | None
    flow: float | None
    line_model: LineModel | Literal["either"] | None
    flow_under: dict[LineModel, float]
    wall_should_measure_mm: float
    warnings: tuple[str, ...]


def walls_of(moves: Moves, layers: Layers, part: range, filament_diameter_mm: float) -> SlicedWalls:
    """Return the walls of these layers, looked at well above their floor and below what follows.

    Raises:
        BadInput: no straight walls.
    """
    dx, dy, _ = moves.steps()
    length = np.hypot(dx, dy)
    low = part.start + math.floor(_FROM * len(part))
    high = part.start + max(math.ceil(_TO * len(part)), 3)
    middle = layers.rows[(layers.layer >= low) & (layers.layer < high)]
    sides = sides_of(moves, middle, dx, dy, length)
    per_side = tuple(len(side) for side in sides.offsets)
    walls = max(set(per_side), key=per_side.count)
    gaps = [np.diff(np.sort(side)) for side in sides.offsets if len(side) == walls and walls > 1]
    along = middle[sides.wall]
    total_mm = float(length[middle].sum())
    order = np.argsort(moves.feed[along])
    half = np.searchsorted(np.cumsum(length[along][order]), length[along].sum() / 2)
    area = math.pi * filament_diameter_mm**2 / 4
    printed = np.bincount(layers.layer, moves.e[layers.rows])
    usual = float(np.median(printed[low:high]))
    return SlicedWalls(
        walls=walls,
        per_side=per_side,
        layer_mm=float(np.median(np.diff(layers.tops_mm[low:high]))),
        line_distance_mm=float(np.mean(np.concatenate(gaps))) if gaps else None,
        rounded_to_mm=_rounded_to_mm(moves.x[along], moves.y[along]),
        dosed_area_mm2=float(moves.e[along].sum() * area / length[along].sum()),
        speed_mm_s=float(moves.feed[along][order][min(int(half), len(order) - 1)]),
        layers=high - low,
        closed_top=bool(printed[-1] > 1.5 * usual),
        filled=1 - float(length[along].sum()) / total_mm,
        spiral=layers.turns is not None,
        from_mm=float(layers.tops_mm[part.start - 1]) if part.start else 0.0,
        to_mm=float(layers.tops_mm[part.stop - 1]),
    )


def whole(layers: Layers) -> range:
    """Return the layers of a cube.

    Raises:
        BadInput: too few.
    """
    first, end = layers.turns or (0, len(layers.tops_mm))
    if end - first < 4:
        what = "turns of a spiral" if layers.turns else "layers"
        raise BadInput(f"only {end - first} {what} are printed: a test cube has more")
    return range(first, end)


def _rounded_to_mm(x: NDArray[np.float64], y: NDArray[np.float64]) -> float:
    """Return the last decimal that coordinates are written to; 1e-5 stands for any finer."""
    places = np.concatenate((x, y))
    for decimals in (2, 3, 4):
        if np.all(np.abs(places - np.round(places, decimals)) < 1e-7):
            return float(10.0**-decimals)
    return 1e-5


def sides_of(
    moves: Moves,
    rows: NDArray[np.int64],
    dx: NDArray[np.float64],
    dy: NDArray[np.float64],
    length: NDArray[np.float64],
) -> "_Sides":
    """Return the sides that these moves draw."""
    x, y = moves.x[rows] - dx[rows] / 2, moves.y[rows] - dy[rows] / 2
    return _sides(x, y, dx[rows], dy[rows], length[rows])


class _Sides(NamedTuple):
    """The lines of each side by their distance from the origin, and the moves that belong."""

    offsets: list[NDArray[np.float64]]
    wall: NDArray[np.bool_]


def _sides(
    x: NDArray[np.float64],
    y: NDArray[np.float64],
    dx: NDArray[np.float64],
    dy: NDArray[np.float64],
    length: NDArray[np.float64],
) -> _Sides:
    """Find four straight sides: the direction that most of the length keeps to, and its normal."""
    straight = length > _STRAIGHT_MM
    if length[straight].sum() < 0.4 * length.sum():
        raise BadInput("no straight walls: this is no test cube")
    angle = np.arctan2(dy, dx)
    main = _mean_angle(angle[straight], length[straight])
    off = np.abs((angle - main + math.pi / 4) % (math.pi / 2) - math.pi / 4)
    main = _mean_angle(angle[straight & (off < _ALIGNED)], length[straight & (off < _ALIGNED)])
    off = np.abs((angle - main + math.pi / 4) % (math.pi / 2) - math.pi / 4)
    aligned = straight & (off < _ALIGNED)
    if length[aligned].sum() < 0.5 * length.sum():
        raise BadInput("no straight walls: this is no test cube")
    offsets = []
    wall = np.zeros(len(length), bool)
    quarter = np.round((angle - main) / (math.pi / 2)).astype(int) % 2
    for turn in (0, 1):
        mine = np.flatnonzero(aligned & (quarter == turn))
        if not len(mine):
            raise BadInput("only one direction of walls is printed: this is no test cube")
        direction = main + turn * math.pi / 2
        distance = -math.sin(direction) * x[mine] + math.cos(direction) * y[mine]
        middle = (distance.min() + distance.max()) / 2
        for side in (distance < middle, distance >= middle):
            if not side.any():
                raise BadInput("walls on one side only: this is no test cube")
            lines, belongs = _lines(distance[side], length[mine[side]])
            offsets.append(lines)
            wall[mine[side][belongs]] = True
    return _Sides(offsets, wall)


def _mean_angle(angle: NDArray[np.float64], length: NDArray[np.float64]) -> float:
    """Return the mean direction of lines that stand square to each other."""
    return float(np.angle(np.sum(length * np.exp(4j * angle)))) / 4


def _lines(
    distance: NDArray[np.float64], length: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Return where the lines of a side lie, and which moves belong to one of them.

    Short leftovers beside the lines, as infill leaves them, do not count.
    """
    order = np.argsort(distance)
    group = np.concatenate(([0], np.cumsum(np.diff(distance[order]) > _APART_MM)))
    total = np.bincount(group, length[order])
    place = np.bincount(group, length[order] * distance[order]) / total
    counts = total > 0.3 * total.max()
    belongs = np.zeros(len(distance), bool)
    belongs[order] = counts[group]
    return place[counts], belongs


def wall_target(walls: SlicedWalls, width_mm: float | None, flow: float | None) -> SlicedTarget:
    """Return what the walls should measure, the flow as sliced, and the line model.

    With lines at distance s, dosing ``h · s`` is flow 100 % whatever the model. A single line
    should measure what it doses; its flow and model are told by neither without the other.
    """
    layer_mm, area = walls.layer_mm, walls.dosed_area_mm2
    rounding = rounding_mm(layer_mm)
    bead_mm = area / layer_mm + rounding
    if walls.line_distance_mm is not None:
        return _of_several(walls, width_mm, bead_mm)
    under: dict[LineModel, float] = {}
    if width_mm is not None:
        under = {
            "rounded": area / layer_mm / (width_mm - rounding),
            "rectangular": area / layer_mm / width_mm,
        }
    if flow is None:
        model: Literal["either"] | None = "either" if under else None
        return SlicedTarget(bead_mm, None, None, model, under, bead_mm, ())
    nearest = min(under, key=lambda model: abs(under[model] - flow), default=None)
    warnings: tuple[str, ...] = ()
    if nearest and abs(under[nearest] / flow - 1) > FLOW_WITHIN:
        each = " or ".join(f"{100 * value:.1f} % if {model}" for model, value in under.items())
        warnings = (f"flow {100 * flow:g} % is no flow that was sliced: {each}",)
        nearest = None
    target_mm = area / layer_mm / flow + rounding
    return SlicedTarget(bead_mm, None, flow, nearest, under, target_mm, warnings)


def _of_several(walls: SlicedWalls, width_mm: float | None, bead_mm: float) -> SlicedTarget:
    distance_mm, rounding = walls.line_distance_mm, rounding_mm(walls.layer_mm)
    assert distance_mm is not None
    model = _model_of_distance(distance_mm, width_mm, rounding)
    warnings: tuple[str, ...] = ()
    if model and width_mm is not None:
        # Coordinates cut to hundredths say less of the distance than the model does.
        meant_mm = width_mm if model == "rectangular" else width_mm - rounding
        if abs(meant_mm - distance_mm) <= walls.rounded_to_mm + 1e-9:
            distance_mm = meant_mm
    elif width_mm is not None:
        warnings = (
            f"lines lie {distance_mm:.3f} mm apart, which is no line width of {width_mm:g} mm "
            "by any line model: another width was sliced",
        )
    flow = walls.dosed_area_mm2 / (walls.layer_mm * distance_mm)
    under: dict[LineModel, float] = {model: flow} if model else {}
    target_mm = walls.walls * distance_mm + rounding
    return SlicedTarget(bead_mm, distance_mm, flow, model, under, target_mm, warnings)


def _model_of_distance(
    distance_mm: float, width_mm: float | None, rounding: float
) -> LineModel | None:
    if width_mm is None:
        return None
    by_model: dict[LineModel, float] = {"rounded": width_mm - rounding, "rectangular": width_mm}
    model = min(by_model, key=lambda told: abs(by_model[told] - distance_mm))
    within = min(_WIDTH_WITHIN_MM, rounding / 2)
    return model if abs(by_model[model] - distance_mm) <= within else None


# A section has so many layers, and walls of so many lines at most; a test part so many layers.
_LEAST_LAYERS, _MOST_LINES, _MOST_LAYERS = 6, 12, 2000
# All sections together are nearly all of it.
_COVERED = 0.8


def read_sections(moves: Moves, filament_diameter_mm: float) -> tuple[SlicedWalls, ...]:
    """Return the walls of a tube section by section, from the lowest: where the number of lines or
    what is dosed for them changes with height, another begins. One for a cube, or any part with
    four straight sides.

    Raises:
        BadInput: too few layers, or no straight walls.
    """
    layers = layers_of(moves)
    sections = [
        walls_of(moves, layers, part, filament_diameter_mm) for part in _stretches(moves, layers)
    ]
    if not sections:
        return (walls_of(moves, layers, whole(layers), filament_diameter_mm),)
    apart = next(
        (section.line_distance_mm for section in sections if section.line_distance_mm), None
    )
    # One line has a distance, too, where there are others beside it above or below.
    return tuple(
        section._replace(line_distance_mm=apart) if section.line_distance_mm is None else section
        for section in sections
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
        except BadInput:
            seen.append(None)
            continue
        along = rows[sides.wall]
        dosed = float(moves.e[along].sum() / length[along].sum())
        per_side = [len(side) for side in sides.offsets]
        seen.append((max(set(per_side), key=per_side.count), dosed))
    stretches: list[range] = []
    begin = 0
    for number in range(1, count + 1):
        if number < count and _alike(seen[begin], seen[number]):
            continue
        first = seen[begin]
        if first and first[0] <= _MOST_LINES and number - begin >= _LEAST_LAYERS:
            stretches.append(range(begin, number))
        begin = number
    covered = sum(len(stretche) for stretche in stretches)
    return stretches if len(stretches) > 1 and covered > _COVERED * count else []


def _alike(wall: tuple[int, float] | None, other: tuple[int, float] | None) -> bool:
    if wall is None or other is None:
        return wall is other
    return wall[0] == other[0] and abs(other[1] / wall[1] - 1) < FLOW_WITHIN


class Walls(NamedTuple):
    """The lines of one head, in mm over the layers looked at: walls seen from outside, walls that
    are not, and all else."""

    tool: int
    outer_mm: float
    inner_mm: float
    other_mm: float

    @property
    def outer_share(self) -> float:
        """The part of its walls that is seen from outside."""
        walls = self.outer_mm + self.inner_mm
        return self.outer_mm / walls if walls else 0.0
