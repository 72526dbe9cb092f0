"""Pictures of ramps and of strength."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.limit.ramp import Ramp
from metier.core.limit.strength import KEPT, Group
from metier.show.plot import BAND, INK, QUIET, TARGET, new_axes, save


class RampPicture(NamedTuple):
    """What to draw. ``seen`` has the height and the last good flow of each thing seen.

    ``asked`` has the flow that each set speed asks for; all flows in mm³/s.
    """

    ramp: Ramp
    seen: dict[str, tuple[float, float | None]]
    limit_mm3_s: float | None
    onset: tuple[float, float] | None
    even_looks_mm3_s: float | None
    asked: dict[str, float]


_SEEN_COLOURS = {"surface changes": "#a58a3b", "first gaps": "#b3541e", "failed": "#7a1f1f"}


def plot_ramp(path: str, title: str, picture: RampPicture) -> None:
    """Draw flow against height.

    Raises:
        BadInput: the file cannot be written.
    """
    ramp = picture.ramp
    figure, axes = new_axes(title, "height on the part (mm)", "flow (mm³/s)")
    highest = max([height for height, _ in picture.seen.values()] or [ramp.base_mm + 20])
    end_mm = ramp.end_mm if ramp.to_mm3_s is not None else highest * 1.25
    heights, flows = ramp.outline(end_mm)
    axes.plot(heights, flows, color=INK, linewidth=1.8, label="flow of the ramp")
    if ramp.base_mm:
        axes.axvspan(0, ramp.base_mm, color="#eef1f3", label="foot, does not count")
    lowest = min((good for _, good in picture.seen.values() if good is not None), default=None)
    for name, (height_mm, last_good) in picture.seen.items():
        colour = _SEEN_COLOURS[name]
        axes.axvline(height_mm, color=colour, linewidth=1.4, linestyle=(0, (4, 2)), label=name)
        if last_good is not None:
            label = "last good flow below it" if last_good == lowest else None
            axes.plot([height_mm], [last_good], "o", color=colour, markersize=7, label=label)
    right = end_mm * 1.02
    if picture.limit_mm3_s is not None:
        if picture.onset:
            flow, u95 = picture.onset
            axes.axhspan(flow - u95, flow + u95, color=BAND, zorder=0, label="gaps begin")
        label = f"limit {picture.limit_mm3_s:g}"
        axes.axhline(picture.limit_mm3_s, color=TARGET, linewidth=1.8, label=label)
    if picture.even_looks_mm3_s is not None:
        label = f"even looks to {picture.even_looks_mm3_s:g}"
        axes.axhline(
            picture.even_looks_mm3_s, color="#a58a3b", linewidth=1.4, linestyle=":", label=label
        )
    for number, (name, asked) in enumerate(picture.asked.items()):
        over = picture.limit_mm3_s is not None and asked > picture.limit_mm3_s
        axes.plot(
            [right], [asked], "<", color=TARGET if over else QUIET, markersize=7, clip_on=False,
            linestyle="none", label=None if number else "what a set speed asks for",
        )  # fmt: skip
        words = f"{name}, capped" if over else name
        axes.annotate(
            words, (right, asked), xytext=(-9, 0), textcoords="offset points",
            ha="right", va="center", fontsize=9, color=INK, zorder=5,
            bbox={"facecolor": "white", "edgecolor": "none", "pad": 1.5, "alpha": 0.9},
        )  # fmt: skip
    axes.set_xlim(0, right)
    axes.set_ylim(0, max([*flows, *picture.asked.values()]) * 1.06)
    figure.legend(loc="outside right upper", frameon=False, fontsize=9)
    save(figure, path)


_COLOURS = {"slowest": "#2d3a43", "held": "#4f8a5b", "lost": "#b3541e", "cannot tell": "#8a979f"}
_MARKS = {"slowest": "s", "held": "o", "lost": "X", "cannot tell": "D"}


def plot_strength(
    path: str, title: str, groups: Sequence[Group], limit_mm3_s: float | None
) -> None:
    """Draw mean strength against flow.

    Raises:
        BadInput: the file cannot be written.
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
