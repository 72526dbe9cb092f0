"""A real part on its sheet."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from metier.core.proof import ProofFinding
from metier.show.figures import short_date, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.kind import Measured
from metier.trials.proof.kept import ProofSettings

if TYPE_CHECKING:
    from metier.trials.proof.kind import Before


def write_sheet(
    trial: Measured[ProofSettings, Any, ProofFinding],
    sheet: Sheet,
    first: "Before | None",
    pairs: Sequence[tuple[str, float, float]],
) -> None:
    """Write a part that was just measured, beside its first print where this is another."""
    settings, found = trial.settings, trial.finding
    sheet.row("part", settings.part, settings.says or "")
    many = f"{found.mean.n} readings at {len(found.places)} places"
    sheet.row("mean wall", f"{with_u95(found.mean.value, found.mean.u95)} mm", many)
    source = settings.expected_from
    sheet.row("should be", f"{found.expected_mm:.3f} mm", source)
    sheet.row("uneven", f"{found.uneven_mm:.3f} mm", "between places, beyond what readings differ")
    thinnest = found.thinnest
    sheet.row("thinnest", thinnest.name, f"{thinnest.wall_mm:.3f} mm, {100 * thinnest.off:+.1f} %")
    _took(settings, found, sheet)
    if settings.photo:
        sheet.note(settings.photo, "photo")
    sheet.judged(found.verdict, trial.notes)
    sheet.gap()
    rows = [
        (one.name, f"{one.wall_mm:.3f}", f"{one.expected_mm:.3f}", f"{100 * one.off:+.1f} %",
         f"{100 * one.off_u95:.1f}", "thin" if one in found.thin else "")
        for one in found.places
    ]  # fmt: skip
    head = ("place", "mm", "should be", "off", "± beside others", "")
    sheet.lines(*table(head, rows, (1, 2, 3, 4)))
    if first and pairs:
        sheet.gap()
        beside = [
            (name, f"{100 * old:+.1f} %", f"{100 * new:+.1f} %", f"{100 * (new - old):+.1f} %")
            for name, old, new in pairs
        ]
        when = f"trial {first.number}, {short_date(first.at)}"
        sheet.lines(*table(("place", when, "now", "change"), beside, (1, 2, 3)))


def _took(settings: ProofSettings, found: ProofFinding, sheet: Sheet) -> None:
    if settings.grams:
        file = ""
        if settings.file_grams and found.grams_off is not None:
            file = f"the file says {settings.file_grams:.2f}: {100 * found.grams_off:+.1f} %"
        sheet.row("weighs", f"{settings.grams:.2f} g", file)
    if settings.minutes:
        file = ""
        if settings.file_minutes and found.factor:
            file = f"estimated {settings.file_minutes:.0f}: x {found.factor:.2f}"
        sheet.row("took", f"{settings.minutes:.0f} min", file)
