"""Pictures of values over time, of temperature steps, and of what was weighed."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.drift import Drift
from metier.core.heat import ASPECTS, WORDS, HeatFinding
from metier.core.measure.student import NORMAL95
from metier.show import plot
from metier.show.figures import with_u95
from metier.show.plot_colours import BAND, COLOURS, INK, QUIET, TARGET

_MOST_NAMED = 12


def plot_drift(path: str, title: str, drift: Drift, what: str, axis: str) -> None:
    """Draw values against days or metres, a mark and colour a batch, or a roll where none is known.

    Raises:
        BadInput: see `check_plot_path`; or the file cannot be written.
    """
    dots, chart, trend = drift.dots, drift.chart, drift.trend
    low, high = dots[0].at, dots[-1].at
    if axis.startswith("days") and high - low < 1:
        # A day is no time to see anything over: trial by trial then.
        axis = "trial, all of one day"
        dots = tuple(dot._replace(at=float(at)) for at, dot in enumerate(dots, 1))
    figure, axes = plot.new_axes(title, axis, what)
    if axis.startswith("trial"):
        axes.set_xticks([dot.at for dot in dots], [str(dot.trial or "") for dot in dots])
    if chart:
        axes.axhspan(chart.low, chart.high, color=BAND, zorder=0, label="what chance does")
        axes.axhline(chart.middle, color=QUIET, linewidth=1.2, zorder=1, label="middle")
    if trend and trend.shows:
        axes.plot(
            [low, high], [trend.at(low), trend.at(high)], "--", color=TARGET, linewidth=1.6,
            label="trend", zorder=2,
        )  # fmt: skip
    odd = {roll for batch in drift.batches for roll in batch.rolls}
    groups = list(dict.fromkeys(dot.batch or dot.roll for dot in dots))
    for number, group in enumerate(groups):
        mine = [dot for dot in dots if (dot.batch or dot.roll) == group]
        apart = any(dot.roll in odd for dot in mine)
        plot.draw_measured(
            axes, [dot.at for dot in mine], [dot.value for dot in mine],
            [NORMAL95 * dot.u for dot in mine], plot.MARKS[number % len(plot.MARKS)],
            TARGET if apart else COLOURS[number % len(COLOURS)],
            label=(f"{group}, apart" if apart else group) or None, edge=INK,
        )  # fmt: skip
    if len(groups) <= _MOST_NAMED:
        plot.add_legend(figure)
    plot.save(figure, path)


# From good to worst: told apart by size as well as by colour.
_RANK_COLOURS = (COLOURS[1], COLOURS[3], TARGET)
_SIZES = (14, 11, 8)


def plot_steps(path: str, title: str, finding: HeatFinding, set_c: float | None) -> None:
    """Draw what was said of each step.

    Raises:
        BadInput: see `check_plot_path`; or the file cannot be written.
    """
    figure, axes = plot.new_axes(title, "nozzle (°C)", "")
    if finding.low and finding.high:
        low, high = finding.low.temperature_c, finding.high.temperature_c
        apart = min(
            (b.temperature_c - a.temperature_c
             for a, b in zip(finding.steps, finding.steps[1:], strict=False)),
            default=5.0,
        )  # fmt: skip
        room = apart / 2
        low -= room if finding.low.u95_c is None else 0.0
        high += room if finding.high.u95_c is None else 0.0
        axes.axvspan(low, high, color=BAND, zorder=0, label="works")
    for row, aspect in enumerate(reversed(ASPECTS)):
        for step in finding.steps:
            rank = step.ranks[ASPECTS.index(aspect)]
            if rank is None:
                continue
            plot.draw_marks(
                axes, [step.temperature_c], [row], "o", _RANK_COLOURS[rank],
                size=_SIZES[rank], edge=INK,
            )  # fmt: skip
            plot.write_beside(axes, WORDS[aspect][rank], (step.temperature_c, row), (0, -9))
    if finding.best_c is not None:
        axes.axvline(
            finding.best_c, color=TARGET, linewidth=1.6, label=f"best: {finding.best_c:g} °C"
        )
    if set_c is not None:
        axes.axvline(set_c, color=INK, linestyle=":", linewidth=1.4, label=f"set: {set_c:g} °C")
    axes.set_yticks(range(len(ASPECTS)), list(reversed(ASPECTS)))
    axes.set_ylim(-0.6, len(ASPECTS) - 0.5)
    axes.set_xticks([step.temperature_c for step in finding.steps])
    plot.add_legend(figure, below=True)
    plot.save(figure, path)


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
        BadInput: see `check_plot_path`; or the file cannot be written.
    """
    figure, axes = plot.new_axes(title, axis, "")
    if serves:
        axes.axvspan(*serves, color=BAND, zorder=0, label="kept, if it is needed there")
    if is_set is not None:
        axes.axvline(is_set, color=TARGET, linewidth=1.6, zorder=1, label=f"set: {is_set:g}")
    for row, witness in enumerate(reversed(said)):
        single = witness.u95 is None
        axes.errorbar(
            [witness.value], [row], xerr=None if witness.u95 is None else [witness.u95],
            fmt="x" if single else "o", color=QUIET if single else INK,
            markersize=8, capsize=6, linewidth=1.8, zorder=3,
        )  # fmt: skip
        plot.write_beside(axes, with_u95(witness.value, witness.u95), (witness.value, row), (0, 10))
    axes.set_yticks(range(len(said)), [witness.who for witness in reversed(said)])
    axes.set_ylim(-0.6, len(said) - 0.3)
    axes.margins(x=0.15)
    if is_set is not None:
        plot.add_legend(figure, below=True)
    plot.save(figure, path)
