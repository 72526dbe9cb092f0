"""The picture of a map: flow against speed, a line a temperature with its ±, the points it rests
on."""

from metier.core.flow.mapped import MapFinding
from metier.core.flow.points import Place
from metier.show.plot import BAND, INK, TARGET, new_axes, save

_MARKS = ("o", "s", "^", "D", "v", "P")
_COLOURS = ("#3b6ea5", "#a55b3b", "#4f8a5b", "#8a5ba5", "#a58a3b", "#5b8a8a")
_STEPS = 60


def plot_map(path: str, title: str, found: MapFinding) -> None:
    """Draw the flow each speed needs.

    Raises:
        Refusal: see `check_plot_path`; or the file cannot be written.
    """
    figure, axes = new_axes(title, "speed (mm/s)", "flow (%)")
    points, needed = found.surface.points, found.surface.needed()
    heats = sorted({one.temperature_c for one in points.places}, key=lambda heat: heat or 0.0)
    speeds = [one.speed_mm_s for one in points.places]
    low, high = min(speeds), max(speeds)
    for number, heat in enumerate(heats):
        colour = _COLOURS[number % len(_COLOURS)]
        label = "flow needed" if heat is None else f"at {heat:g} °C"
        at = [low + (high - low) * step / _STEPS for step in range(_STEPS + 1)]
        row = [one for one in (found.surface.at(Place(speed, heat)) for speed in at) if one]
        across = [one.place.speed_mm_s for one in row]
        flows = [100 * one.flow for one in row]
        u95s = [100 * one.flow_u95 for one in row]
        axes.fill_between(
            across,
            [flow - u for flow, u in zip(flows, u95s, strict=True)],
            [flow + u for flow, u in zip(flows, u95s, strict=True)],
            color=colour,
            alpha=0.13,
            linewidth=0,
            zorder=1,
        )
        axes.plot(across, flows, color=colour, linewidth=1.8, label=f"{label} ± U (95 %)", zorder=3)
        mine = [i for i, one in enumerate(points.places) if one.temperature_c == heat]
        axes.plot(
            [points.places[i].speed_mm_s for i in mine],
            [100 * needed[i] for i in mine],
            _MARKS[number % len(_MARKS)],
            color=colour,
            markeredgecolor=INK,
            markersize=6,
            linestyle="none",
            label=f"walls {label}" if heat is not None else "walls",
            zorder=4,
        )
    one = 100 * found.one_flow
    axes.axhspan(one / 1.03, one / 0.98, color=BAND, zorder=0, label="one flow would do")
    axes.axhline(one, color=TARGET, linewidth=1.4, zorder=2, label=f"{one:.4g} %")
    axes.legend(frameon=False, fontsize=9, loc="best")
    save(figure, path)
