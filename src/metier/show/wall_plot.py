"""The picture of test cubes: readings as points, means with ±, the target as a line."""

from collections.abc import Sequence
from typing import NamedTuple

from matplotlib.artist import Artist
from matplotlib.axes import Axes

from metier.show.plot import BAND, INK, TARGET, new_figure, quieten, save

# One mark a side, told apart by shape as well as by colour.
_MARKS = ("o", "s", "^", "D", "v", "P", "X", "*")
_COLOURS = ("#3b6ea5", "#4f8a5b", "#8a5ba5", "#a58a3b", "#5b8a8a", "#a55b6e", "#6e6e6e", "#3b3ba5")


class WallPoint(NamedTuple):
    """A trial on a plot of walls: its readings by side, its mean, and the band that is kept.

    ``readings`` are the side and the reading, less what the instrument shows closed.
    """

    label: str
    wall_mm: float
    u95_mm: float
    target_mm: float
    low_mm: float
    high_mm: float
    readings: Sequence[tuple[str, float]]


def plot_walls(path: str, title: str, points: Sequence[WallPoint]) -> None:
    """Draw walls against trials, each with its target and the band that would be kept.

    Cubes of different targets get panels of their own, or the differences would not show.

    Raises:
        Refusal: see `check_plot_path`; or the file cannot be written.
    """
    panels: dict[float, list[WallPoint]] = {}
    for point in points:
        panels.setdefault(round(point.target_mm, 3), []).append(point)
    figure = new_figure(len(panels))
    labels: dict[str, Artist] = {}
    for number, panel in enumerate(panels.values(), 1):
        axes = figure.add_subplot(len(panels), 1, number)
        _draw_panel(axes, panel)
        for handle, label in zip(*axes.get_legend_handles_labels(), strict=True):
            labels.setdefault(label, handle)
    figure.axes[0].set_title(title, loc="left", color=INK)
    figure.axes[-1].set_xlabel("trial (number, flow it was printed at)")
    figure.legend(
        list(labels.values()), list(labels), loc="outside right upper", frameon=False, fontsize=9
    )
    save(figure, path)


def _draw_panel(axes: Axes, points: Sequence[WallPoint]) -> None:
    for place, point in enumerate(points):
        _draw_target(axes, place, point, first=place == 0)
        _draw_readings(axes, place, point)
    axes.errorbar(
        range(len(points)),
        [point.wall_mm for point in points],
        [point.u95_mm for point in points],
        fmt="o",
        color=INK,
        markersize=7,
        capsize=5,
        linewidth=1.6,
        label="mean ± U (95 %)",
        zorder=4,
    )
    axes.set_ylabel("wall (mm)")
    axes.set_xticks(range(len(points)), [point.label for point in points])
    axes.set_xlim(-0.6, len(points) - 0.4)
    quieten(axes, "y")


def _draw_target(axes: Axes, place: int, point: WallPoint, first: bool) -> None:
    left, right = place - 0.45, place + 0.45
    axes.fill_between(
        [left, right],
        point.low_mm,
        point.high_mm,
        color=BAND,
        label="kept" if first else None,
        zorder=1,
    )
    axes.hlines(
        point.target_mm,
        left,
        right,
        color=TARGET,
        linewidth=1.6,
        label="target" if first else "",
        zorder=2,
    )


def _draw_readings(axes: Axes, place: int, point: WallPoint) -> None:
    """Draw the readings beside the mean, side by side in their order round the part."""
    sides = list(dict.fromkeys(side for side, _ in point.readings))
    for number, side in enumerate(sides):
        values = [value for name, value in point.readings if name == side]
        shift = 0.08 + 0.34 * (number + 0.5) / len(sides)
        label = f"readings, side {number + 1}" if side else "readings"
        known = axes.get_legend_handles_labels()[1]
        axes.plot(
            [place + shift] * len(values),
            values,
            _MARKS[number % len(_MARKS)],
            color=_COLOURS[number % len(_COLOURS)],
            markersize=5,
            alpha=0.75,
            linestyle="none",
            label=None if label in known else label,
            zorder=3,
        )
