"""Pictures of walls, and of flow by speed and temperature."""

from collections.abc import Sequence
from statistics import median
from typing import NamedTuple

from matplotlib.axes import Axes

from metier.core.flow.mapped import MapFinding
from metier.core.flow.surface import Place
from metier.show import plot
from metier.show.plot_colours import BAND, COLOURS, INK, TARGET

# Nearer than this no reading is out of place.
_FAR_MM = 0.15
# Panels of no more prints stand side by side.
_FEW = 2


class WallPoint(NamedTuple):
    """A trial on a plot of walls: its readings by side, its mean, and the band that is kept.

    ``readings`` are the side and the reading, less what the instrument shows closed; ``advised``
    is what it says to type; ``own_mm`` what it should measure at the flow it was printed at on
    purpose, where that is another.
    """

    label: str
    wall_mm: float
    u95_mm: float
    target_mm: float
    low_mm: float
    high_mm: float
    readings: Sequence[tuple[str, float]]
    advised: str = ""
    own_mm: float | None = None


def plot_walls(path: str, title: str, points: Sequence[WallPoint]) -> None:
    """Draw walls against trials, each with its target and the band that would be kept.

    Cubes of different targets get panels of their own, or the differences would not show.

    Raises:
        BadInput: see `check_plot_path`; or the file cannot be written.
    """
    panels: dict[float, list[WallPoint]] = {}
    for point in points:
        panels.setdefault(round(point.target_mm, 3), []).append(point)
    beside = max(map(len, panels.values())) <= _FEW
    rows, columns = (1, len(panels)) if beside else (len(panels), 1)
    figure = plot.new_figure(rows)
    for number, panel in enumerate(panels.values(), 1):
        axes = figure.add_subplot(rows, columns, number)
        _draw_panel(axes, panel)
        if number == 1 or not beside:
            axes.set_ylabel("wall (mm)")
    figure.axes[0].set_title(title, loc="left", color=INK)
    figure.axes[-1].set_xlabel("trial (number, flow it was printed at)")
    plot.add_legend(figure, below=True)
    plot.save(figure, path)


def _draw_panel(axes: Axes, points: Sequence[WallPoint]) -> None:
    low, high = _span(points)
    for place, point in enumerate(points):
        _draw_target(axes, place, point)
        _draw_readings(axes, place, point, (low, high))
        if point.advised:
            plot.write_beside(axes, point.advised, (place, low), (0, 3), TARGET)
    axes.set_ylim(low, high)
    plot.draw_measured(
        axes, range(len(points)), [point.wall_mm for point in points],
        [point.u95_mm for point in points], label="mean ± U (95 %)", above=4,
    )  # fmt: skip
    axes.set_xticks(range(len(points)), [point.label for point in points])
    axes.set_xlim(-0.6, len(points) - 0.4)
    plot.quieten(axes, "y")


def _draw_target(axes: Axes, place: int, point: WallPoint) -> None:
    left, right = place - 0.45, place + 0.45
    axes.fill_between(
        [left, right], point.low_mm, point.high_mm, color=BAND, label="kept as it is", zorder=1
    )
    axes.hlines(point.target_mm, left, right, color=TARGET, linewidth=1.6, label="target", zorder=2)
    if point.own_mm is not None:
        axes.hlines(
            point.own_mm, left, right, color=TARGET, linewidth=1.6, linestyle="--",
            label="target of a print that is rich on purpose", zorder=2,
        )  # fmt: skip


def _span(points: Sequence[WallPoint]) -> tuple[float, float]:
    """Return the heights to show: an outlier must not squash all else."""
    marks = [point.low_mm for point in points] + [point.high_mm for point in points]
    marks += [point.own_mm for point in points if point.own_mm is not None]
    marks += [
        reading for point in points for _, reading in point.readings if not _odd(point, reading)
    ]
    for point in points:
        # The ± of a wall with an outlier in it is wide for that alone.
        if not any(_odd(point, reading) for _, reading in point.readings):
            marks += [point.wall_mm - point.u95_mm, point.wall_mm + point.u95_mm]
    room = 0.12 * (max(marks) - min(marks))
    return min(marks) - 1.4 * room, max(marks) + room


def _odd(point: WallPoint, reading_mm: float) -> bool:
    """Tell whether a reading lies far from the others of its wall."""
    middle = median(reading for _, reading in point.readings)
    away = median(abs(reading - middle) for _, reading in point.readings)
    return abs(reading_mm - middle) > max(8 * away, _FAR_MM)


def _spread(values: Sequence[float]) -> list[float]:
    """Return by how many marks each value is shifted, so that equal ones lie side by side."""
    seen: dict[float, int] = {}
    shifts = []
    for value in values:
        seen[value] = seen.get(value, -1) + 1
        shifts.append(float(seen[value]))
    return shifts


def _draw_readings(axes: Axes, place: int, point: WallPoint, span: tuple[float, float]) -> None:
    """Draw the readings beside the mean, side by side in their order round the part."""
    sides = list(dict.fromkeys(side for side, _ in point.readings))
    low, high = span
    for number, side in enumerate(sides):
        measured = [value for name, value in point.readings if name == side]
        values = [min(max(value, low), high) for value in measured]
        shift = 0.08 + 0.34 * (number + 0.5) / len(sides)
        for value, shown in zip(measured, values, strict=True):
            if value != shown:
                plot.write_beside(axes, f"{value:g}", (place + shift, shown), (6, 0))
        apart = min(0.03, 0.3 / len(sides) / max(1, len(values)))
        plot.draw_marks(
            axes, [place + shift + apart * beside for beside in _spread(values)], values,
            plot.MARKS[number % len(plot.MARKS)], COLOURS[number % len(COLOURS)], size=5,
            label=f"readings, {side}" if side else "readings",
        )  # fmt: skip


_STEPS = 60


def plot_map(path: str, title: str, finding: MapFinding) -> None:
    """Draw the flow each speed needs.

    Raises:
        BadInput: see `check_plot_path`; or the file cannot be written.
    """
    figure, axes = plot.new_axes(title, "speed (mm/s)", "flow (%)")
    points, needed = finding.surface.points, finding.surface.needed()
    heats = sorted({place.temperature_c for place in points.places}, key=lambda heat: heat or 0.0)
    speeds = [place.speed_mm_s for place in points.places]
    low, high = min(speeds), max(speeds)
    for number, heat in enumerate(heats):
        colour, mark = (COLOURS[number % len(COLOURS)], plot.MARKS[number % len(plot.MARKS)])
        label = "flow needed" if heat is None else f"at {heat:g} °C"
        at = [low + (high - low) * step / _STEPS for step in range(_STEPS + 1)]
        row = [flow for flow in (finding.surface.at(Place(speed, heat)) for speed in at) if flow]
        plot.draw_curve(
            axes, [flow.place.speed_mm_s for flow in row], [100 * flow.flow for flow in row],
            [100 * flow.flow_u95 for flow in row], colour, f"{label} ± U (95 %)",
        )  # fmt: skip
        mine = [i for i, place in enumerate(points.places) if place.temperature_c == heat]
        plot.draw_marks(
            axes, [points.places[i].speed_mm_s for i in mine], [100 * needed[i] for i in mine],
            mark, colour, label=f"walls {label}" if heat is not None else "walls", edge=INK,
        )  # fmt: skip
    level_percent = 100 * finding.one_flow
    axes.axhspan(
        level_percent / 1.03, level_percent / 0.98, color=BAND, zorder=0, label="one flow would do"
    )
    for edge in (level_percent / 1.03, level_percent / 0.98):
        # The curves lie over the band: its edges stay seen.
        axes.axhline(edge, color=TARGET, linestyle=":", linewidth=1.2, zorder=3)
    axes.axhline(
        level_percent, color=TARGET, linewidth=1.4, zorder=3, label=f"{level_percent:.3g} %"
    )
    plot.add_legend(figure, below=True)
    plot.save(figure, path)
