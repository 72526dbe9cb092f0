"""The sheet of pairs that were just tried."""

from metier.core.fit.feel import FitFinding, Opening
from metier.formats.felt_pairs import read_feel
from metier.show.figures import proposed
from metier.show.sheet import Sheet
from metier.trials.fit.kept import FitSettings
from metier.trials.kind import Measured

Trial = Measured[FitSettings, None, FitFinding]


def write(trial: Trial, sheet: Sheet) -> None:
    """Write pairs: where the feel begins, what there is, what to type for it."""
    settings, finding = trial.settings, trial.finding
    begin, want = finding.begin, settings.want
    by_clearance = sorted(trial.readings, key=lambda reading: reading.value)
    tried = "  ".join(f"{reading.value:g} {reading.side}" for reading in by_clearance)
    source = trial.settled.sources.get("tried", "")
    if tried:
        sheet.note(tried + (f"   ({source})" if source else ""), "tried")
    if begin.begins_mm is not None:
        text = f"begins at {begin.begins_mm:.3f} ± {begin.u95_mm:.3f} mm"
        low, high = begin.interval_mm
        sheet.row(want, text, f"{low:.3f} … {high:.3f}, on the diameter")
    if begin.ends_mm is not None:
        sheet.row("looser", f"from {begin.ends_mm:g} mm", f"no longer just {want}")
    _clearance_rows(sheet, settings, finding)
    sheet.judged(trial.verdict, trial.notes)
    if finding.thread and finding.verdict.name == "correct":
        instead = f"classes {finding.looser} leave that much by design"
        if finding.looser is None:
            instead = "no usual class leaves that much: compensation has to"
        sheet.note(instead, "or")
    if finding.opening:
        _opening(sheet, settings, finding.opening, trial.bench.setup is not None)


def _clearance_rows(sheet: Sheet, settings: FitSettings, finding: FitFinding) -> None:
    """Write what there is, and how much more is needed."""
    thread, begin, needed_mm = finding.thread, finding.begin, finding.needed_mm
    if thread:
        pitch = f"pitch diameter {thread.pitch_diameter_mm:.3f} mm"
        sheet.row("thread", f"{thread.name} {thread.classes}", pitch)
        play = f"{thread.least_play_mm:.3f} to {thread.most_play_mm:.3f} mm"
        sheet.row("its play", play, "least and most, at the pitch diameter, by design")
        drawn = f"{thread.play_mm(settings.drawn):.3f} mm"
        sheet.row("drawn at", settings.drawn, f"{drawn} of it")
    elif settings.now_mm is not None:
        what = "opened by what is set" if settings.way == "tried" else "as it is drawn"
        sheet.row("there is", f"{settings.now_mm:.3f} mm", what)
    if finding.opening and needed_mm is not None and begin.sure_mm is not None:
        verb = "wider by" if needed_mm > 0 else "tighter by"
        surely_mm = begin.sure_mm - (settings.now_mm or 0.0)
        remark = f"{abs(needed_mm) / 2:.3f} per side in all; {surely_mm:.3f} to be sure"
        sheet.row(verb, f"{abs(needed_mm):.3f} mm", remark)


def _opening(sheet: Sheet, settings: FitSettings, opened: Opening, on_bench: bool) -> None:
    """Write the clearance to draw, and both compensations that come to the same."""
    more_mm = 2 * opened.total_mm
    sheet.act("draw", f"{more_mm:+.2f} mm", "on the diameter of this part: it alone changes")
    to_type = {}
    for name, set_mm, change_mm in (
        ("hole", settings.hole_set_mm, opened.hole_mm),
        ("contour", settings.contour_set_mm, opened.contour_mm),
    ):
        to_type[name] = f"{set_mm + change_mm:+.2f} mm per side (now {set_mm:+.2f})"
    both = ", ".join(f"{name} {text}" for name, text in to_type.items())
    sheet.note(
        f"the same for every part: in the slicer {both}. Every other hole and post moves, too", "or"
    )
    if on_bench:
        values = {
            "hole": settings.hole_set_mm + opened.hole_mm,
            "contour": settings.contour_set_mm + opened.contour_mm,
        }
        words = [word for name, mm in values.items() for word in (name, f"{mm:.2f}")]
        sheet.next("if you typed compensation in instead, say so:", proposed("entered", *words))


def draw(path: str, title: str, trial: Trial) -> None:
    """Draw pairs by their clearance."""
    from metier.show.size_plots import plot_pairs

    tried = [(reading.value, read_feel(reading.side)) for reading in trial.readings]
    settings, opened, advised = trial.settings, trial.finding.opening, ""
    if opened:
        advised = f"draw {2 * opened.total_mm:+.2f} mm more clearance"
    begin = trial.finding.begin
    plot_pairs(path, title, tried, begin, settings.want, settings.now_mm, advised)
