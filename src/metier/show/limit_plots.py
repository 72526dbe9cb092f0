"""Pictures of ramps and of strength."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.limit.ramp import Ramp
from metier.core.limit.strength import KEPT, Group
from metier.show import plot
from metier.show.plot_colours import BAND, COLOURS, FAILED, FOOT, INK, QUIET, TARGET


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


_SEEN_COLOURS = {"surface changes": COLOURS[3], "first gaps": TARGET, "failed": FAILED}


def plot_ramp(path: str, title: str, picture: RampPicture) -> None:
    """Draw flow against height.

    Raises:
        BadInput: the file cannot be written.
    """
    ramp = picture.ramp
    figure, axes = plot.new_axes(title, "height on the part (mm)", "flow (mm³/s)")
    highest = max([height for height, _ in picture.seen.values()] or [ramp.base_mm + 20])
    end_mm = ramp.end_mm if ramp.to_mm3_s is not None else highest * 1.25
    heights, flows = ramp.outline(end_mm)
    axes.plot(heights, flows, color=INK, linewidth=1.8, label="flow of the ramp")
    if ramp.base_mm:
        axes.axvspan(0, ramp.base_mm, color=FOOT, label="foot, does not count")
    lowest = min((good for _, good in picture.seen.values() if good is not None), default=None)
    for name, (height_mm, last_good) in picture.seen.items():
        colour = _SEEN_COLOURS[name]
        axes.axvline(height_mm, color=colour, linewidth=1.4, linestyle=(0, (4, 2)), label=name)
        if last_good is not None:
            label = "last good flow below it" if last_good == lowest else None
            plot.draw_marks(axes, [height_mm], [last_good], "o", colour, label=label)
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
            picture.even_looks_mm3_s, color=COLOURS[3], linewidth=1.4, linestyle=":", label=label
        )
    for number, (name, asked) in enumerate(picture.asked.items()):
        over = picture.limit_mm3_s is not None and asked > picture.limit_mm3_s
        plot.draw_marks(
            axes, [right], [asked], "<", TARGET if over else QUIET,
            label=None if number else "what a set speed asks for",
        )  # fmt: skip
        plot.write_beside(axes, f"{name}, capped" if over else name, (right, asked), (-9, 0))
    axes.set_xlim(0, right)
    axes.set_ylim(0, max([*flows, *picture.asked.values()]) * 1.06)
    plot.add_legend(figure)
    plot.save(figure, path)


_VERDICT_COLOURS = {"slowest": INK, "held": COLOURS[1], "lost": TARGET, "cannot tell": QUIET}
_VERDICT_MARKS = {"slowest": "s", "held": "o", "lost": "X", "cannot tell": "D"}


def plot_strength(
    path: str, title: str, groups: Sequence[Group], limit_mm3_s: float | None
) -> None:
    """Draw mean strength against flow.

    Raises:
        BadInput: the file cannot be written.
    """
    figure, axes = plot.new_axes(title, "flow (mm³/s)", "strength (MPa)")
    slowest = groups[0].mean_mpa
    axes.axhline(
        KEPT * slowest, color=QUIET, linewidth=1.2, linestyle=":",
        label=f"{100 * KEPT:g} % of the slowest",
    )  # fmt: skip
    for verdict, colour in _VERDICT_COLOURS.items():
        mine = [group for group in groups if group.verdict == verdict]
        if mine:
            plot.draw_measured(
                axes, [group.flow_mm3_s for group in mine], [group.mean_mpa for group in mine],
                [group.u95_mpa for group in mine], _VERDICT_MARKS[verdict], colour,
                label=f"{verdict}, ± U (95 %)", edge=INK,
            )  # fmt: skip
    if limit_mm3_s is not None:
        axes.axvline(
            limit_mm3_s, color=TARGET, linewidth=1.8, zorder=1, label=f"strong to {limit_mm3_s:g}"
        )
    axes.set_xlim(0, max(group.flow_mm3_s for group in groups) * 1.08)
    axes.set_ylim(0, max(group.mean_mpa + group.u95_mpa for group in groups) * 1.08)
    plot.add_legend(figure)
    plot.save(figure, path)
