"""The picture of a real part: how far each place is off, beside its first print."""

from metier.core.proof import ProofFinding
from metier.show.plot import BAND, INK, QUIET, TARGET, new_axes, save

_LOW, _HIGH = -2.0, 3.0


def plot_places(
    path: str, title: str, found: ProofFinding, first: ProofFinding | None, number: int | None
) -> None:
    """Draw the places of a part in their order.

    Raises:
        Refusal: see `check_plot_path`; or the file cannot be written.
    """
    figure, axes = new_axes(title, "place", "off what it should be (%)")
    names = [one.name for one in found.places]
    axes.axhspan(_LOW, _HIGH, color=BAND, zorder=0, label="kept as it is, the mean")
    axes.axhline(2 * _LOW, color=TARGET, linestyle=":", linewidth=1.4, label="thin below that")
    axes.axhline(0, color=TARGET, linewidth=1.4, zorder=1)
    if first:
        before = {one.name: one for one in first.places}
        known = [(at, before[name]) for at, name in enumerate(names) if name in before]
        axes.errorbar(
            [at - 0.12 for at, _ in known],
            [100 * one.off for _, one in known],
            [100 * one.off_u95 for _, one in known],
            fmt="s", color=QUIET, markersize=6, capsize=4, linewidth=1.2,
            label=f"first print, trial {number}", zorder=3,
        )  # fmt: skip
    axes.errorbar(
        range(len(names)),
        [100 * one.off for one in found.places],
        [100 * one.off_u95 for one in found.places],
        fmt="o", color=INK, markersize=7, capsize=5, linewidth=1.6,
        label="this print, ± beside the other places", zorder=4,
    )  # fmt: skip
    axes.set_xticks(range(len(names)), names)
    axes.set_xlim(-0.6, len(names) - 0.4)
    axes.legend(frameon=False, fontsize=9, loc="best")
    save(figure, path)
