"""The sheet of a length of filament that was just measured."""

import math
from collections.abc import Sequence

from metier.core.esteps.measured import EstepsFinding
from metier.core.values import VALUES
from metier.show.figures import came_text, influences_text, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.esteps.kept import KEPT, EstepsResult, EstepsSettings
from metier.trials.esteps.kind import EstepsContext
from metier.trials.kind import Measured
from metier.trials.on_bench import OnBench


def write(trial: Measured[EstepsSettings, EstepsContext, EstepsFinding], sheet: Sheet) -> None:
    """Write a length: what moved, the new steps, what to type and where."""
    finding, bench, sources = trial.finding, trial.bench, trial.settled.sources
    result: EstepsResult = trial.result
    sheet.row("steps now", bench.worded("esteps", finding.steps_now), sources.get("steps", ""))
    each = trial.settings.asked_each_mm
    asked = " ".join(f"{run_mm:g}" for run_mm in each) if each else f"{finding.asked_mm:g}"
    sheet.row("asked", f"{asked} mm", sources.get("asked", ""))
    moved = finding.moved
    if moved is not None and finding.steps_new is not None:
        with_what = trial.settled.conditions.instrument
        runs = f"{moved.n} run{'s' if moved.n > 1 else ''}, {with_what}"
        sheet.row("moved", f"{with_u95(moved.value, moved.u95)} mm", runs)
        new = f"{with_u95(finding.steps_new, finding.steps_new_u95)} steps/mm"
        sheet.row("new steps", new, f"{100 * (finding.change or 0):+.2f} %")
        sheet.detail("± from", *influences_text(finding.influences, "steps/mm"))
    elif finding.line is not None and finding.steps_new is not None:
        line = finding.line
        moves = f"{100 * line.slope:.2f} ± {100 * line.u95:.2f} %"
        sheet.row("moves", moves, f"of what is asked, {line.play_mm:+.2f} mm a run besides")
        new = f"{with_u95(finding.steps_new, finding.steps_new_u95)} steps/mm"
        sheet.row("new steps", new, f"{100 * (finding.change or 0):+.2f} %")
    elif finding.steps_below is not None:
        below = f"below {bench.worded('esteps', finding.steps_below)}"
        sheet.row("new steps", below, "a bound, not a value")
    if result.mm_per_turn is not None:
        told = "of a motor turn, where the firmware stores that"
        sheet.row("moved by", f"{result.mm_per_turn:.5f} mm", told)
    earlier = trial.context.earlier
    like = [feed for feed in earlier if feed.conditions.through == trial.context.through]
    for feed in like[:1]:
        _came_so(sheet, KEPT.of(feed), finding)
    sheet.judged(trial.verdict, trial.notes)
    if like:
        listed = [(feed.number, KEPT.of(feed)) for feed in reversed(like)]
        sheet.details(*_so_far([*listed, (trial.number, result)], bench.writing.decimals))
    _what_to_do(sheet, bench, finding, trial.number)


def _came_so(sheet: Sheet, before: EstepsResult, finding: EstepsFinding) -> None:
    """Say whether as much moved as the trial before let expect at these steps."""
    moved, new, u95 = finding.moved, before.steps_new, before.steps_new_u95
    if moved is None or new is None or u95 is None:
        return
    expected_mm = finding.asked_mm * finding.steps_now / new
    within_mm = math.hypot(expected_mm * u95 / new, moved.u95)
    came = came_text(abs(moved.value - expected_mm) <= within_mm)
    sheet.row("forecast", f"{with_u95(expected_mm, within_mm)} mm", came)


def _so_far(trials: Sequence[tuple[int | None, EstepsResult]], decimals: int) -> list[str]:
    """Return the trials so far as a small table: set, moved, off by, next."""
    rows = []
    for number, feed in trials:
        to_type = feed.steps_to_type
        following = "?" if to_type is None else f"{to_type:.{decimals}f}"
        now = f"{feed.steps_now:.{decimals}f}"
        rows.append((str(number or ""), now, feed.moved_text, feed.off_text, following))
    return table(("trial", "set", "moved", "off by", "next"), rows, right=(0, 1, 2, 3, 4))


def _what_to_do(sheet: Sheet, bench: OnBench, finding: EstepsFinding, number: int | None) -> None:
    value, verdict = finding.steps_to_type, finding.verdict.name
    now = bench.worded("esteps", finding.steps_now)
    if verdict == "correct" and value is not None:
        text = f"{value:.{bench.writing.decimals}f}"
        sheet.act(
            "type",
            f"{text} {VALUES['esteps'].unit}",
            f"e-steps, in the printer (was {now.split()[0]})",
        )
        if bench.setup is None or bench.setup.printer.port is None:
            sheet.gap()
            sheet.lines(*_by_hand(text))
        if not number:
            sheet.next("type it in, then feed and measure once more at the new value.")
    elif verdict == "keep":
        sheet.act("leave", now, "nothing to type")
    elif verdict == "unclear":
        sheet.act("leave", now, "for now: nothing to type yet")


def _by_hand(text: str) -> list[str]:
    return [
        "  At the printer's console (a menu entry for e-steps does as well):",
        f"    {f'M92 E{text}':<14} set it",
        "    M500           store it, or it is lost at power-off",
        "    M92            read it back",
    ]
