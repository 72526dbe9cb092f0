"""One quiet style for every picture: what it is drawn on, and how it is written to a file."""

import logging
import os
from io import BytesIO

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from metier.whole_file import write_whole

# What it says of fonts is nothing to the person who wants a picture.
logging.getLogger("matplotlib").addHandler(logging.NullHandler())

INK, QUIET, TARGET, BAND = "#26323a", "#8a979f", "#b3541e", "#f3e3d7"
_GRID = "#e3e7ea"


def new_figure(panels: float = 1) -> Figure:
    """Return a figure about as wide as a screen, with room for that many panels of full height."""
    return Figure(figsize=(10, 2.2 + 3.8 * panels), dpi=120, layout="constrained")


def quieten(axes: Axes, grid: str = "both") -> None:
    """Leave of the axes what helps reading: a pale grid, two edges."""
    axes.grid(axis="y" if grid == "y" else "both", color=_GRID, linewidth=0.8)
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


def save(figure: Figure, path: str) -> None:
    """Write a figure to a png, svg or pdf, over the one that is there.

    Whether that may be was asked before anything was drawn: `check_plot_path`.

    Raises:
        BadInput: what is there now is no file to write over.
        OSError: the file cannot be written.
    """
    picture = BytesIO()
    try:
        figure.savefig(picture, format=os.path.splitext(path)[1][1:].lower())
    except OSError as error:
        # Fonts are looked for on the disk, too.
        raise OSError(error.errno, f"cannot be written: {error.strerror}", path) from None
    write_whole(path, picture.getvalue(), overwrite=True)
