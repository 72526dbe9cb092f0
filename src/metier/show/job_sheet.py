"""What a sliced file takes, as text."""

from collections.abc import Sequence
from typing import NamedTuple, Protocol

from metier.core.job.cost import JobCost
from metier.core.job.sliced_walls import Walls
from metier.show.figures import duration
from metier.show.sheet import Sheet, table

_BAR = 40


class Job(NamedTuple):
    """A file and what it costs; ``grams`` is None where the density is not known."""

    path: str
    cost: JobCost
    grams: float | None
    notes: tuple[str, ...]
    how: str
    colours: tuple[Walls, ...] = ()


class Longer(Protocol):
    """By what prints take longer than estimated, as so many told."""

    @property
    def factor(self) -> float: ...
    @property
    def prints(self) -> int: ...


def job_sheet(
    job: Job, other: Job | None, material: str, notes: tuple[str, ...], longer: Longer | None
) -> Sheet:
    """Return the sheet of a job, or of two beside each other."""
    cost = job.cost
    sheet = Sheet(f"Sliced job: {job.path}")
    sheet.row("time", duration(cost.time_s), f"an estimate: trapezoids, {job.how}")
    if longer:
        told = f"{longer.prints} proof{'s' if longer.prints > 1 else ''} on this printer took"
        really = duration(longer.factor * cost.time_s)
        sheet.row("really", really, f"x {longer.factor:.2f}, as {told}")
    weight = "" if job.grams is None else f", {job.grams:.1f} g ({material})"
    sheet.row(
        "filament", f"{cost.filament_mm / 1000:.2f} m", f"{cost.volume_mm3 / 1000:.2f} cm³{weight}"
    )
    quantiles = cost.quantiles_mm3_s
    most = f"nine tenths of the time below {quantiles[0.9]:.3g}, at most {quantiles[1.0]:.3g}"
    sheet.row("flow", f"{quantiles[0.5]:.3g} mm³/s", f"in the middle; {most}")
    for note in notes:
        sheet.note(note)
    sheet.gap()
    sheet.lines("  Printing time by flow:", *_bars(cost))
    if cost.limits and not other:
        sheet.gap()
        sheet.lines(*_limit_rows(cost))
    if other:
        sheet.gap()
        sheet.lines(*_beside(job, other))
        for note in other.notes:
            sheet.note(note)
    if job.colours:
        sheet.gap()
        sheet.lines(*_colours(job.colours))
    return sheet


def _colours(colours: Sequence[Walls]) -> list[str]:
    """Return what of each head's walls is seen from outside; inner ones no jaws reach."""
    rows = [
        (
            f"T{colour.tool}",
            f"{100 * colour.outer_share:.0f} %",
            f"{100 * (1 - colour.outer_share):.0f} %",
            "" if colour.outer_mm else "its colour is never seen",
        )
        for colour in colours
    ]
    return table(("head", "outer walls", "inner walls", ""), rows, right=(1, 2))


def _bars(cost: JobCost) -> list[str]:
    most = max(share.share for share in cost.histogram)
    shown = list(cost.histogram)
    while len(shown) > 1 and shown[0].share < 0.0005:
        shown.pop(0)
    lines = []
    for share in shown:
        bar = "#" * round(_BAR * share.share / most)
        span = f"{share.low_mm3_s:.3g}-{share.high_mm3_s:.3g}"
        lines.append(f"  {span:>8} mm³/s  {100 * share.share:5.1f} %  {bar}".rstrip())
    return lines


def _limit_rows(cost: JobCost) -> list[str]:
    rows = [
        (
            f"{limit.limit_mm3_s:g}",
            f"{100 * limit.share_of_time:.1f} %",
            f"{100 * limit.share_of_length:.1f} %",
            duration(limit.time_s),
            f"+{duration(limit.time_s - cost.time_s)}",
        )
        for limit in cost.limits
    ]
    header = ("limit mm³/s", "of time over", "of length", "time with it", "longer by")
    return table(header, rows, right=(0, 1, 2, 3, 4))


def _beside(job: Job, other: Job) -> list[str]:
    mine, two = job.cost, other.cost
    rows = [
        _time_row("time", mine.time_s, two.time_s),
        *(
            _time_row(f"held to {first.limit_mm3_s:g} mm³/s", first.time_s, second.time_s)
            for first, second in zip(mine.limits, two.limits, strict=True)
        ),
        (
            "filament",
            f"{mine.filament_mm / 1000:.2f} m",
            f"{two.filament_mm / 1000:.2f} m",
            f"{(two.filament_mm - mine.filament_mm) / 1000:+.2f} m",
        ),
        (
            "highest flow",
            f"{mine.quantiles_mm3_s[1.0]:.3g} mm³/s",
            f"{two.quantiles_mm3_s[1.0]:.3g} mm³/s",
            "",
        ),
    ]
    if job.grams is not None and other.grams is not None:
        change = f"{other.grams - job.grams:+.1f} g"
        rows.insert(-1, ("weight", f"{job.grams:.1f} g", f"{other.grams:.1f} g", change))
    return table(("", _short(job.path), _short(other.path), "difference"), rows, right=(1, 2, 3))


def _time_row(what: str, one_s: float, two_s: float) -> tuple[str, str, str, str]:
    change_s = two_s - one_s
    sign, percent = "-" if change_s < 0 else "+", f"{100 * change_s / one_s:+.0f} %"
    return (what, duration(one_s), duration(two_s), f"{sign}{duration(abs(change_s))} ({percent})")


def _short(path: str) -> str:
    name = path.rsplit("/", 1)[-1]
    return name if len(name) <= 20 else f"…{name[-19:]}"
