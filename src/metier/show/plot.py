"""One quiet style for every picture: what it is drawn on, and how it is written to a file."""

import logging
import os
from collections.abc import Callable, Sequence
from io import BytesIO
from tempfile import TemporaryDirectory

from matplotlib import rc_context
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from metier.show.plot_colours import GRID, INK
from metier.whole_file import write_whole

# What it says of fonts is nothing to the person who wants a picture.
logging.getLogger("matplotlib").addHandler(logging.NullHandler())

# No picture is higher than a page is seen, in inches.
_PAGE = 9.0
# What belongs together, told apart by shape as well as by colour.
MARKS = ("o", "s", "^", "D", "v", "P", "X", "*")
# Behind words that stand on lines.
_PAPER = {"facecolor": "white", "edgecolor": "none", "alpha": 0.8, "pad": 1.0}


def new_figure(panels: float = 1) -> Figure:
    """Return a figure about as wide as a screen, with room for that many panels of full height."""
    height = min(2.2 + 3.8 * panels, _PAGE)
    return Figure(figsize=(10, height), dpi=120, layout="constrained")


def quieten(axes: Axes, grid: str = "both") -> None:
    """Leave of the axes what helps reading: a pale grid, two edges."""
    axes.grid(axis="y" if grid == "y" else "both", color=GRID, linewidth=0.8)
    axes.set_axisbelow(True)
    for edge in ("top", "right"):
        axes.spines[edge].set_visible(False)


def new_axes(title: str, x: str, y: str) -> tuple[Figure, Axes]:
    """Return a figure of one panel, its title and both axes named with their units."""
    figure = new_figure()
    axes = figure.add_subplot()
    axes.set_title(title, loc="left", color=INK)
    axes.set_xlabel(x)
    axes.set_ylabel(y)
    quieten(axes)
    return figure, axes


def draw_measured(
    axes: Axes,
    at: Sequence[float],
    values: Sequence[float],
    u95s: Sequence[float],
    mark: str = "o",
    colour: str = INK,
    *,
    label: str | None = None,
    edge: str | None = None,
    above: int = 3,
) -> None:
    """Draw measured values with their ± (95 %)."""
    axes.errorbar(
        at, values, u95s, fmt=mark, color=colour, markersize=7,
        markeredgecolor=edge, capsize=5, linewidth=1.6, label=label, zorder=above,
    )  # fmt: skip


def draw_marks(
    axes: Axes,
    at: Sequence[float],
    values: Sequence[float],
    mark: str,
    colour: str,
    *,
    label: str | None = None,
    size: float = 7,
    edge: str | None = None,
    above: int = 3,
) -> None:
    """Draw values that have no ± of their own, or whose ± a curve has."""
    axes.plot(
        at, values, mark, color=colour, markersize=size, markeredgecolor=edge, linestyle="none",
        label=label, clip_on=False, zorder=above,
    )  # fmt: skip


def draw_curve(
    axes: Axes,
    at: Sequence[float],
    values: Sequence[float],
    u95s: Sequence[float],
    colour: str,
    label: str,
) -> None:
    """Draw a curve and what lies within its ± (95 %)."""
    low = [value - u for value, u in zip(values, u95s, strict=True)]
    high = [value + u for value, u in zip(values, u95s, strict=True)]
    axes.fill_between(at, low, high, color=colour, alpha=0.13, linewidth=0, zorder=1)
    axes.plot(at, values, color=colour, linewidth=1.8, label=label, zorder=2)


def write_beside(
    axes: Axes, text: str, at: tuple[float, float], apart: tuple[float, float], colour: str = INK
) -> None:
    """Write words so many points beside, above or below a place, on paper of their own."""
    right, up = apart
    axes.annotate(
        text, at, xytext=apart, textcoords="offset points", fontsize=9, color=colour, zorder=5,
        ha="center" if not right else "left" if right > 0 else "right",
        va="center" if not up else "bottom" if up > 0 else "top", bbox=_PAPER,
    )  # fmt: skip


def add_legend(figure: Figure, below: bool = False) -> None:
    """Say beside the picture, or below it, what is what in it: each name once."""
    artists: dict[str, Artist] = {}
    for axes in figure.axes:
        for artist, label in zip(*axes.get_legend_handles_labels(), strict=True):
            artists.setdefault(label, artist)
    figure.legend(
        list(artists.values()), list(artists), ncols=3 if below else 1, frameon=False, fontsize=9,
        loc="outside lower center" if below else "outside right upper",
    )  # fmt: skip


def _said_in(figure: Figure) -> list[str]:
    """Return what a picture has in words: its axes, and what is what in it."""
    said: dict[str, None] = {}
    for axes in figure.axes:
        for text in (axes.get_xlabel(), axes.get_ylabel(), *axes.get_legend_handles_labels()[1]):
            said[text] = None
    return [text for text in said if text]


def save(figure: Figure, path: str) -> None:
    """Write a figure to a png, svg or pdf, over the one that is there.

    Whether that may be was asked before anything was drawn: `check_plot_path`.

    Raises:
        BadInput: what is there now is no file to write over.
        OSError: the file cannot be written.
    """
    picture = BytesIO()
    ending, title = os.path.splitext(path)[1][1:].lower(), figure.axes[0].get_title(loc="left")
    told = {"Title": title} if title else {}
    if ending == "png":
        # What a reader of screens is told of it.
        told["Description"] = ", ".join([*told.values(), *_said_in(figure)])
    try:
        figure.savefig(picture, format=ending, metadata=told)
    except OSError as error:
        # Fonts are looked for on the disk, too.
        raise OSError(error.errno, f"cannot be written: {error.strerror}", path) from None
    write_whole(path, picture.getvalue(), overwrite=True)


def as_svg(draw: Callable[[str], None]) -> str:
    """Return what ``draw`` writes to a path as SVG, its words as words."""
    with TemporaryDirectory() as folder, rc_context({"svg.fonttype": "none"}):
        path = os.path.join(folder, "picture.svg")
        draw(path)
        with open(path, encoding="utf-8") as picture:
            return picture.read()
