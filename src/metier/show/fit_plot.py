"""The picture of mating parts: how each pair felt on a scale of clearance."""

from collections.abc import Sequence

from metier.core.fit.feel import FEELS, Begin, Feel
from metier.show.plot import BAND, INK, TARGET, new_axes, save

_COLOURS = ("#7a1f1f", "#b3541e", "#a58a3b", "#4f8a5b", "#3b6ea5")


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
        Refusal: the file cannot be written.
    """
    figure, axes = new_axes(title, "clearance on the diameter (mm)", "")
    if begin.tighter_mm is not None and begin.fits_mm is not None:
        axes.axvspan(*begin.interval_mm, color=BAND, zorder=0)
        label = f"{want} begins, {begin.begins_mm:.3g} ± {begin.u95_mm:.2g}"
        axes.axvline(begin.begins_mm or 0.0, color=TARGET, linewidth=1.8, label=label)
    if now_mm is not None:
        axes.axvline(
            now_mm, color=INK, linewidth=1.4, linestyle=(0, (4, 2)),
            label=f"there is {now_mm:.3g}",
        )  # fmt: skip
    odd = [one.clearance_mm for one in begin.contradictory]
    named = False
    for place, feel in enumerate(FEELS):
        found = [clearance for clearance, felt in pairs if felt == feel]
        # Equal ones stand above each other.
        above = [place + 0.16 * found[:number].count(mm) for number, mm in enumerate(found)]
        axes.plot(
            found, above, "o", color=_COLOURS[place], markersize=10, markeredgecolor=INK,
            markeredgewidth=0.6, label="a pair as it felt" if found and not named else None,
        )  # fmt: skip
        named = named or bool(found)
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
    figure.legend(loc="outside right upper", frameon=False, fontsize=9)
    save(figure, path)
