"""A real part on its sheet."""

from metier.core.proof import ProofFinding, later
from metier.show.figures import short_date, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.kind import Measured
from metier.trials.proof.kept import ProofSettings
from metier.trials.proof.kind import ProofContext

Trial = Measured[ProofSettings, ProofContext, ProofFinding]
_ACTS = {
    "keep": "its walls are as they should be",
    "correct": "print a cube first: metier flow",
    "unclear": "more readings would tell",
}


def write(trial: Trial, sheet: Sheet) -> None:
    """Write a part that was just measured, beside its first print where this is another."""
    first = trial.context.first
    pairs = later(first.finding, trial.finding) if first else []
    settings, finding = trial.settings, trial.finding
    sheet.row("part", settings.part, settings.says or "")
    many = f"{finding.mean.n} readings at {len(finding.places)} places"
    sheet.row("mean wall", f"{with_u95(finding.mean.value, finding.mean.u95)} mm", many)
    sheet.row("should be", f"{finding.expected_mm:.3f} mm", settings.expected_from)
    texture = f"{100 * finding.texture:+.1f} % of texture in it"
    sheet.row("off", f"{100 * finding.off:+.1f} %", texture)
    if finding.flow:
        low, high = (100 * end for end in finding.flow.interval)
        flow = f"{100 * finding.flow.flow_new:.1f} %"
        sheet.row("new flow", flow, f"{low:.1f} … {high:.1f} %, by these walls like any cube's")
    sheet.detail(
        "uneven", f"{finding.uneven_mm:.3f} mm", "between places, beyond what readings differ"
    )
    thinnest = finding.thinnest
    sheet.row("thinnest", thinnest.name, f"{thinnest.wall_mm:.3f} mm, {100 * thinnest.off:+.1f} %")
    _took(settings, finding, sheet)
    if settings.photo:
        sheet.note(settings.photo, "photo")
    sheet.judged(trial.verdict, trial.notes)
    if finding.verdict.name in _ACTS:
        sheet.act("type", "nothing", _ACTS[finding.verdict.name])
    sheet.gap()
    rows = [
        (place.name, f"{place.wall_mm:.3f}", f"{place.expected_mm:.3f}",
         f"{100 * place.off:+.1f} %", f"{100 * place.off_u95:.1f}",
         "thin" if place in finding.thin else "")
        for place in finding.places
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


def _took(settings: ProofSettings, finding: ProofFinding, sheet: Sheet) -> None:
    if settings.grams:
        file = ""
        if settings.file_grams and finding.grams_off is not None:
            file = f"the file says {settings.file_grams:.2f}: {100 * finding.grams_off:+.1f} %"
        sheet.row("weighs", f"{settings.grams:.2f} g", file)
    if settings.minutes:
        file = ""
        if settings.file_minutes and finding.factor:
            file = f"estimated {settings.file_minutes:.0f}: x {finding.factor:.2f}"
        sheet.row("took", f"{settings.minutes:.0f} min", file)


def draw(path: str, title: str, trial: Trial) -> None:
    """Draw its places, beside those of its first print."""
    from metier.show.size_plots import plot_places

    first = trial.context.first
    plot_places(path, title, trial.finding, first and first.finding, first and first.number)
