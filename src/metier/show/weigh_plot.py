"""The picture of a weighing: what each witness says, beside what is set."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.show.figures import with_u95
from metier.show.plot import BAND, INK, QUIET, TARGET, new_axes, save


class Said(NamedTuple):
    """What one witness says, with its ± (95 %), in the unit of the axis; a single reading has
    none."""

    who: str
    value: float
    u95: float | None = None


def plot_witnesses(
    path: str,
    title: str,
    axis: str,
    said: Sequence[Said],
    is_set: float | None,
    serves: tuple[float, float] | None,
) -> None:
    """Draw what witnesses say, one a row; what is set, and between what it would be kept.

    Raises:
        Refusal: see `check_plot_path`; or the file cannot be written.
    """
    figure, axes = new_axes(title, axis, "")
    if serves:
        axes.axvspan(*serves, color=BAND, zorder=0, label="kept, if it is needed there")
    if is_set is not None:
        axes.axvline(is_set, color=TARGET, linewidth=1.6, zorder=1, label=f"set: {is_set:g}")
    for row, one in enumerate(reversed(said)):
        single = one.u95 is None
        axes.errorbar(
            [one.value], [row], xerr=None if one.u95 is None else [one.u95],
            fmt="x" if single else "o", color=QUIET if single else INK,
            markersize=8, capsize=6, linewidth=1.8, zorder=3,
        )  # fmt: skip
        axes.annotate(
            with_u95(one.value, one.u95), (one.value, row), xytext=(0, 12),
            textcoords="offset points", ha="center", fontsize=10, color=INK,
            bbox={"facecolor": "white", "edgecolor": "none", "alpha": 0.75, "pad": 1.0},
        )  # fmt: skip
    axes.set_yticks(range(len(said)), [one.who for one in reversed(said)])
    axes.set_ylim(-0.6, len(said) - 0.3)
    axes.margins(x=0.15)
    if is_set is not None:
        figure.legend(loc="outside lower center", ncols=2, frameon=False, fontsize=9)
    save(figure, path)
