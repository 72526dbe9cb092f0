"""The picture of temperature steps: what was said of each, and the range that serves."""

from metier.core.heat import ASPECTS, WORDS, HeatFinding
from metier.show.plot import BAND, INK, TARGET, new_axes, save

# From good to worst: told apart by size as well as by colour.
_COLOURS = ("#4f8a5b", "#a58a3b", "#b3541e")
_SIZES = (14, 11, 8)


def plot_steps(path: str, title: str, found: HeatFinding, set_c: float | None) -> None:
    """Draw what was said of each step.

    Raises:
        Refusal: see `check_plot_path`; or the file cannot be written.
    """
    figure, axes = new_axes(title, "nozzle (°C)", "")
    if found.low and found.high:
        low, high = found.low.temperature_c, found.high.temperature_c
        apart = min(
            (b.temperature_c - a.temperature_c
             for a, b in zip(found.steps, found.steps[1:], strict=False)),
            default=5.0,
        )  # fmt: skip
        room = apart / 2
        low -= room if found.low.u95_c is None else 0.0
        high += room if found.high.u95_c is None else 0.0
        axes.axvspan(low, high, color=BAND, zorder=0, label="serves")
    for row, aspect in enumerate(reversed(ASPECTS)):
        for step in found.steps:
            rank = step.ranks[ASPECTS.index(aspect)]
            if rank is None:
                continue
            axes.plot(
                [step.temperature_c], [row], "o", color=_COLOURS[rank],
                markersize=_SIZES[rank], markeredgecolor=INK, zorder=3,
            )  # fmt: skip
            axes.annotate(
                WORDS[aspect][rank], (step.temperature_c, row), xytext=(0, -18),
                textcoords="offset points", ha="center", fontsize=9, color=INK, zorder=4,
                bbox={"facecolor": "white", "edgecolor": "none", "alpha": 0.75, "pad": 1.0},
            )  # fmt: skip
    if found.best_c is not None:
        axes.axvline(found.best_c, color=TARGET, linewidth=1.6, label=f"best: {found.best_c:g} °C")
    if set_c is not None:
        axes.axvline(set_c, color=INK, linestyle=":", linewidth=1.4, label=f"set: {set_c:g} °C")
    axes.set_yticks(range(len(ASPECTS)), list(reversed(ASPECTS)))
    axes.set_ylim(-0.6, len(ASPECTS) - 0.5)
    axes.set_xticks([one.temperature_c for one in found.steps])
    figure.legend(loc="outside lower center", ncols=3, frameon=False, fontsize=9)
    save(figure, path)
