"""Lengths fed at rising flow, on their sheet."""

from collections.abc import Sequence

from metier.core.limit.shortfall import SHORT, Fed, ShortfallFinding
from metier.show.figures import influences_text, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.kind import Measured
from metier.trials.limit.lines import limit_act, speed_table, what_next
from metier.trials.shortfall.kind import fed_of
from metier.trials.shortfall.settings import FeedSettings


def write(trial: Measured[FeedSettings, None, ShortfallFinding], sheet: Sheet) -> None:
    """Write lengths that were fed."""
    finding, settings = trial.finding, trial.settings
    sheet.lines(*_points(finding, fed_of(settings, trial.readings)))
    limit, rule = finding.limit_mm3_s, settings.reckoning.rule
    if finding.onset:
        begin = with_u95(finding.onset.flow_mm3_s, finding.onset.u95_mm3_s)
        sheet.row("onset", f"{begin} mm³/s", "where it begins to fall short")
        sheet.detail("± from", *influences_text(finding.onset.influences, "mm³/s"))
    if finding.last_good_mm3_s is not None:
        remark = f"where it first falls {100 * SHORT:g} % short"
        remark = "nothing falls short" if finding.bound else remark
        sheet.detail("last good", f"{finding.last_good_mm3_s:.4g} mm³/s", remark)
    if limit is not None:
        less = "" if finding.bound else f"less {100 * rule.margin:g} %, "
        remark = f"{less}rounded down to {rule.round_to_mm3_s:g}"
        sheet.row("limit", f"{limit:g} mm³/s", remark)
    sheet.judged(trial.verdict, trial.notes)
    limit_act(sheet, finding.verdict, limit, settings.on.limit_now_mm3_s)
    sheet.details(*speed_table(trial.bench, limit, settings.line))
    what_next(sheet, trial.number, finding.verdict, limit)


def _points(finding: ShortfallFinding, fed: Sequence[Fed]) -> list[str]:
    rows = []
    for point in finding.points:
        runs = [run for run in fed if run.flow_mm3_s == point.flow_mm3_s]
        moved = " ".join(f"{run.moved_mm:g}" for run in runs)
        short = f"{100 * point.shortfall:+.1f} ± {100 * point.u95:.1f} %"
        rows.append((f"{point.flow_mm3_s:g}", f"{runs[0].asked_mm:g}", moved, short))
    return table(("mm³/s", "asked mm", "moved mm", "short by"), rows, right=(0, 1, 2, 3))
