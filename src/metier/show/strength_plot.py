"""The picture of coupons: mean strength with ± against flow, and the limit."""

from collections.abc import Sequence

from metier.core.limit.strength import KEPT, Group
from metier.show.plot import INK, QUIET, TARGET, new_axes, save

_COLOURS = {"slowest": "#2d3a43", "held": "#4f8a5b", "lost": "#b3541e", "cannot tell": "#8a979f"}
_MARKS = {"slowest": "s", "held": "o", "lost": "X", "cannot tell": "D"}


def plot_strength(
    path: str, title: str, groups: Sequence[Group], limit_mm3_s: float | None
) -> None:
    """Draw mean strength against flow.

    Raises:
        Refusal: the file cannot be written.
    """
    figure, axes = new_axes(title, "flow (mm³/s)", "strength (MPa)")
    slowest = groups[0].mean_mpa
    axes.axhline(
        KEPT * slowest, color=QUIET, linewidth=1.2, linestyle=":",
        label=f"{100 * KEPT:g} % of the slowest",
    )  # fmt: skip
    for verdict, colour in _COLOURS.items():
        found = [group for group in groups if group.verdict == verdict]
        if found:
            axes.errorbar(
                [group.flow_mm3_s for group in found],
                [group.mean_mpa for group in found],
                [group.u95_mpa for group in found],
                fmt=_MARKS[verdict], color=colour, ecolor=INK, markersize=8, capsize=5,
                linewidth=1.4, label=f"{verdict}, ± U (95 %)",
            )  # fmt: skip
    if limit_mm3_s is not None:
        axes.axvline(
            limit_mm3_s, color=TARGET, linewidth=1.8, zorder=1, label=f"strong to {limit_mm3_s:g}"
        )
    axes.set_xlim(0, max(group.flow_mm3_s for group in groups) * 1.08)
    axes.set_ylim(0, max(group.mean_mpa + group.u95_mpa for group in groups) * 1.08)
    figure.legend(loc="outside right upper", frameon=False, fontsize=9)
    save(figure, path)
