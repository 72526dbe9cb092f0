"""What a sliced file takes, as a picture."""

from collections.abc import Sequence

from matplotlib.axes import Axes

from metier.core.job.cost import JobCost
from metier.show.plot import add_legend, new_figure, quieten, save
from metier.show.plot_colours import COLOURS, INK, TARGET

_COLOURS = (COLOURS[0], COLOURS[1])
_LOOKS = COLOURS[3]


def plot_job(
    path: str,
    title: str,
    jobs: Sequence[tuple[str, JobCost]],
    limits_mm3_s: Sequence[float],
    even_looks_mm3_s: float | None,
) -> None:
    """Draw time by flow above, flow by layer below; bands over the threshold look dull.

    Raises:
        BadInput: the file cannot be written.
    """
    figure = new_figure(1.2)
    share, layers = figure.subplots(2, 1)
    share.set_title(title, loc="left", color=INK)
    share.set_xlabel("flow (mm³/s)")
    share.set_ylabel("printing time (%)")
    layers.set_xlabel("height (mm)")
    layers.set_ylabel("flow (mm³/s)")
    for place, (name, cost) in enumerate(jobs):
        colour = _COLOURS[place % len(_COLOURS)]
        for bar in cost.histogram:
            wide = (bar.high_mm3_s - bar.low_mm3_s) / len(jobs)
            share.bar(
                bar.low_mm3_s + wide * (place + 0.5), 100 * bar.share, 0.9 * wide, color=colour,
                label=name if bar is cost.histogram[0] else None,
            )  # fmt: skip
        heights = [layer.z_mm for layer in cost.layers]
        layers.plot(
            heights, [layer.most_mm3_s for layer in cost.layers], color=colour, linewidth=1.4,
            label=f"{name}: most in a layer",
        )  # fmt: skip
        layers.plot(
            heights, [layer.mean_mm3_s for layer in cost.layers], color=colour, linewidth=1.2,
            linestyle=":", label=f"{name}: mean of a layer",
        )  # fmt: skip
    for limit in limits_mm3_s:
        share.axvline(limit, color=TARGET, linewidth=1.6)
        layers.axhline(limit, color=TARGET, linewidth=1.6, label=f"limit {limit:g}")
    if even_looks_mm3_s is not None:
        share.axvline(even_looks_mm3_s, color=_LOOKS, linewidth=1.4, linestyle=":")
        layers.axhline(
            even_looks_mm3_s, color=_LOOKS, linewidth=1.4, linestyle=":",
            label=f"surface changes above {even_looks_mm3_s:g}",
        )  # fmt: skip
        _shade_dull(layers, jobs[-1][1], even_looks_mm3_s)
    for axes in (share, layers):
        quieten(axes)
        axes.set_ylim(bottom=0)
    share.set_xlim(left=0)
    layers.set_xlim(left=0)
    add_legend(figure)
    save(figure, path)


def _shade_dull(axes: Axes, cost: JobCost, even_looks_mm3_s: float) -> None:
    """Shade the heights where some line lies above the threshold."""
    dull = [layer.most_mm3_s > even_looks_mm3_s * 1.005 for layer in cost.layers]
    if not any(dull):
        return
    axes.fill_between(
        [layer.z_mm for layer in cost.layers],
        0,
        1,
        where=dull,
        transform=axes.get_xaxis_transform(),
        color=_LOOKS,
        alpha=0.12,
        linewidth=0,
        label="looks dull there",
    )
