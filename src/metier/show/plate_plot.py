"""The picture of a plate: how far holes and posts are off, against their size."""

from metier.core.fit.offsets import Offset, PlateFit
from metier.core.fit.plate import FeatureKind
from metier.show.plot import INK, QUIET, new_axes, save

_STYLE: dict[FeatureKind, tuple[str, str]] = {"hole": ("#3b6ea5", "o"), "post": ("#b3541e", "s")}


def plot_plate(
    path: str, title: str, fit: PlateFit, to_type: dict[FeatureKind, float | None]
) -> None:
    """Draw the error of each feature, the fitted lines with their ±, what to type, and zero.

    Raises:
        Refusal: the file cannot be written.
    """
    figure, axes = new_axes(title, "size drawn (mm)", "measured less drawn (mm)")
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
        axes.plot(ends, line, color=colour, linewidth=1.6, label=label)
        low = [value - 2 * offset.u95_mm for value in line]
        high = [value + 2 * offset.u95_mm for value in line]
        axes.fill_between(ends, low, high, color=colour, alpha=0.13, linewidth=0)
        for left_out in (False, True):
            rows = [
                row
                for row in fit.rows
                if row.measured.feature.kind == kind and row.left_out == left_out
            ]
            if rows:
                axes.plot(
                    [row.measured.drawn_mm for row in rows],
                    [row.measured.size_mm - row.measured.drawn_mm for row in rows],
                    "x" if left_out else mark, color=QUIET if left_out else colour, markersize=7,
                    linestyle="none", label=f"{kind}s, {'left out' if left_out else 'measured'}",
                )  # fmt: skip
    axes.set_xlim(0, ends[1])
    figure.legend(loc="outside right upper", frameon=False, fontsize=9)
    save(figure, path)
