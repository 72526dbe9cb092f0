"""Pictures of plates, of pairs, and of real parts."""

from collections.abc import Sequence

from metier.core.fit.feel import FEELS, Begin, Feel
from metier.core.fit.offsets import Offset, PlateFit
from metier.core.fit.plate import FeatureKind
from metier.core.proof import ProofFinding
from metier.show import plot
from metier.show.plot_colours import BAND, COLOURS, FAILED, INK, QUIET, TARGET

_STYLE: dict[FeatureKind, tuple[str, str]] = {"hole": (COLOURS[0], "o"), "post": (TARGET, "s")}


def plot_plate(
    path: str, title: str, fit: PlateFit, to_type: dict[FeatureKind, float | None]
) -> None:
    """Draw the error of each feature, the fitted lines with their ±, what to type, and zero.

    Raises:
        BadInput: the file cannot be written.
    """
    figure, axes = plot.new_axes(title, "size drawn (mm)", "measured less drawn (mm)")
    axes.axhline(0, color=INK, linewidth=1.2)
    largest = max(row.measured.drawn_mm for row in fit.rows)
    ends = [0.0, largest * 1.05]
    offsets: dict[FeatureKind, Offset | None] = {"hole": fit.hole, "post": fit.contour}
    for kind, (colour, mark) in _STYLE.items():
        offset = offsets[kind]
        if offset is None:
            continue
        # What is still to be typed is what the features lack: they are off the other way.
        lack = -2 * offset.per_side_mm
        line = [(fit.scale - 1) * size + lack for size in ends]
        side = f"{offset.per_side_mm:+.3f} ± {offset.u95_mm:.3f}"
        typed = "" if to_type[kind] is None else f", type {to_type[kind]:+.2f}"
        label = f"{kind}s: {side} per side{typed}"
        plot.draw_curve(axes, ends, line, [2 * offset.u95_mm] * 2, colour, label)
        for left_out in (False, True):
            rows = [
                row
                for row in fit.rows
                if row.measured.feature.kind == kind and row.left_out == left_out
            ]
            if rows:
                plot.draw_marks(
                    axes, [row.measured.drawn_mm for row in rows],
                    [row.measured.size_mm - row.measured.drawn_mm for row in rows],
                    "x" if left_out else mark, QUIET if left_out else colour,
                    label=f"{kind}s, {'left out' if left_out else 'measured'}",
                )  # fmt: skip
    axes.set_xlim(0, ends[1])
    plot.add_legend(figure)
    plot.save(figure, path)


_FEEL_COLOURS = (FAILED, TARGET, COLOURS[3], COLOURS[1], COLOURS[0])


def plot_pairs(
    path: str,
    title: str,
    pairs: Sequence[tuple[float, Feel]],
    begin: Begin,
    want: Feel,
    now_mm: float | None,
    advised: str = "",
) -> None:
    """Draw feel against clearance, with where the wanted feel begins, what there is now, and what
    is advised.

    Raises:
        BadInput: the file cannot be written.
    """
    figure, axes = plot.new_axes(title, "clearance on the diameter (mm)", "")
    if begin.tighter_mm is not None and begin.fits_mm is not None:
        axes.axvspan(*begin.interval_mm, color=BAND, zorder=0)
        label = f"{want} begins, {begin.begins_mm:.3g} ± {begin.u95_mm:.2g}"
        axes.axvline(begin.begins_mm or 0.0, color=TARGET, linewidth=1.8, label=label)
    if now_mm is not None:
        axes.axvline(
            now_mm, color=INK, linewidth=1.4, linestyle=(0, (4, 2)),
            label=f"there is {now_mm:.3g}",
        )  # fmt: skip
    odd = [pair.clearance_mm for pair in begin.contradictory]
    for place, feel in enumerate(FEELS):
        clearances = [clearance for clearance, felt in pairs if felt == feel]
        # Equal ones stand above each other.
        above = [place + 0.16 * clearances[:at].count(mm) for at, mm in enumerate(clearances)]
        plot.draw_marks(
            axes,
            clearances,
            above,
            "o",
            _FEEL_COLOURS[place],
            label="a pair as it felt" if clearances else None,
            size=10,
            edge=INK,
        )
    if advised:
        axes.plot([], [], " ", label=advised)
    crossed = [(mm, FEELS.index(felt)) for mm, felt in pairs if mm in odd]
    if crossed:
        axes.plot(
            [mm for mm, _ in crossed], [rank for _, rank in crossed], "x", color=INK,
            markersize=13, markeredgewidth=2, linestyle="none", label="against the order",
        )  # fmt: skip
    axes.yaxis.set_ticks([float(rank) for rank in range(len(FEELS))], labels=list(FEELS))
    axes.set_ylim(-0.6, len(FEELS) - 0.4)
    values = [clearance for clearance, _ in pairs]
    values += [] if now_mm is None else [now_mm]
    room = 0.08 * (max(values) - min(values) or 0.1)
    axes.set_xlim(min(values) - room, max(values) + room)
    plot.add_legend(figure)
    plot.save(figure, path)


_LOW, _HIGH = -2.0, 3.0


def plot_places(
    path: str, title: str, finding: ProofFinding, first: ProofFinding | None, number: int | None
) -> None:
    """Draw the places of a part in their order.

    Raises:
        BadInput: see `check_plot_path`; or the file cannot be written.
    """
    figure, axes = plot.new_axes(title, "place", "off what it should be (%)")
    names = [place.name for place in finding.places]
    axes.axhspan(_LOW, _HIGH, color=BAND, zorder=0, label="kept as it is, the mean")
    axes.axhline(2 * _LOW, color=TARGET, linestyle=":", linewidth=1.4, label="thin below that")
    axes.axhline(0, color=TARGET, linewidth=1.4, zorder=1)
    if first:
        before = {place.name: place for place in first.places}
        known = [(at, before[name]) for at, name in enumerate(names) if name in before]
        plot.draw_measured(
            axes, [at - 0.12 for at, _ in known], [100 * place.off for _, place in known],
            [100 * place.off_u95 for _, place in known], "s", QUIET,
            label=f"first print, trial {number}",
        )  # fmt: skip
    plot.draw_measured(
        axes, range(len(names)), [100 * place.off for place in finding.places],
        [100 * place.off_u95 for place in finding.places],
        label="this print, ± beside the other places", above=4,
    )  # fmt: skip
    axes.set_xticks(range(len(names)), names)
    axes.set_xlim(-0.6, len(names) - 0.4)
    plot.add_legend(figure, below=True)
    plot.save(figure, path)
