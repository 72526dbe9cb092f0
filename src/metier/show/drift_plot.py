"""The picture of a record: a control chart, its middle and limits, the trend where it shows."""

from metier.core.drift import Drift
from metier.core.measure.student import NORMAL95
from metier.show.plot import BAND, INK, QUIET, TARGET, new_axes, save

_MARKS = ("o", "s", "^", "D", "v", "P", "X", "*")
_COLOURS = ("#3b6ea5", "#4f8a5b", "#8a5ba5", "#a58a3b", "#5b8a8a", "#a55b6e", "#6e6e6e", "#3b3ba5")
_MOST_NAMED = 12


def plot_drift(path: str, title: str, found: Drift, what: str, axis: str) -> None:
    """Draw values against days or metres, a mark and colour a batch, or a roll where none is known.

    Raises:
        Refusal: see `check_plot_path`; or the file cannot be written.
    """
    figure, axes = new_axes(title, axis, what)
    dots, chart, trend = found.dots, found.chart, found.trend
    low, high = dots[0].at, dots[-1].at
    if chart:
        axes.axhspan(chart.low, chart.high, color=BAND, zorder=0, label="what chance does")
        axes.axhline(chart.middle, color=QUIET, linewidth=1.2, zorder=1, label="middle")
    if trend and trend.shows:
        axes.plot(
            [low, high], [trend.at(low), trend.at(high)], "--", color=TARGET, linewidth=1.6,
            label="trend", zorder=2,
        )  # fmt: skip
    odd = {roll for batch in found.batches for roll in batch.rolls}
    groups = list(dict.fromkeys(one.batch or one.roll for one in dots))
    for number, group in enumerate(groups):
        mine = [one for one in dots if (one.batch or one.roll) == group]
        apart = any(one.roll in odd for one in mine)
        axes.errorbar(
            [one.at for one in mine],
            [one.value for one in mine],
            [NORMAL95 * one.u for one in mine],
            fmt=_MARKS[number % len(_MARKS)],
            color=TARGET if apart else _COLOURS[number % len(_COLOURS)],
            markeredgecolor=INK, markersize=7, capsize=3, linewidth=1.2, zorder=3,
            label=(f"{group}, apart" if apart else group) or None,
        )  # fmt: skip
    if len(groups) <= _MOST_NAMED:
        figure.legend(loc="outside right upper", frameon=False, fontsize=9)
    save(figure, path)
