"""One quiet style for every picture: what it is drawn on, and how it is written to a file."""

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from metier.show.plot_path import check_plot_path

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
    """Write a figure to a png, svg or pdf.

    Raises:
        Refusal: see `check_plot_path`.
        OSError: the file cannot be written.
    """
    check_plot_path(path)
    try:
        figure.savefig(path)
    except OSError as error:
        raise OSError(error.errno, f"cannot be written: {error.strerror}", path) from None
