"""What follows from a print later on: walls to expect, and trials no longer open."""

from typing import NamedTuple

from metier.core.flow.settling import forecast
from metier.core.flow.trials import dosed_walls
from metier.core.verdicts import VerdictName
from metier.logbook.book import Logbook
from metier.logbook.machines import Printer
from metier.logbook.trials import latest_on, latest_on_printer, readings
from metier.trials.flow.judging import context_of, known_of
from metier.trials.flow.kept import KEPT
from metier.trials.flow.settings import FORM, lines_text
from metier.trials.judging import judged_again, keep_judged
from metier.trials.kind import Expected
from metier.trials.on_bench import OnBench


def expected_walls(bench: OnBench, flow: float) -> list[Expected]:
    """Return what walls like those of the newest print should measure at another flow.

    Nothing where no print tells: none there is, none that its dose is known of, or all of them
    before something changed that flow hangs on.
    """
    trials = latest_on(bench.book, bench.setup, KEPT.name, 1) if bench.setup else []
    if not trials:
        return []
    settings = FORM.of(bench.book, trials[0])
    context = context_of(bench, settings, trials[0].conditions, None)
    model = settings.line_model or context.line_model
    pooled = context.pooled_trials(settings)
    walls = dosed_walls(pooled, model)
    if not walls or pooled[-1].number != trials[0].number or settings.flow is None:
        return []
    ahead = [
        wall._replace(area_mm2=wall.area_mm2 * flow / settings.flow, print_number=0)
        for wall in pooled[-1].as_walls(model)
    ]
    return [
        Expected(f"a wall of {lines_text(one.walls)}", one.wall_mm, one.u95_mm, "mm")
        for one in forecast(walls, ahead, known_of(context, pooled))
    ]


# How many of the newest are looked at.
_NEWEST = 12


class JudgedAnew(NamedTuple):
    """An open trial and what it says now."""

    number: int
    verdict: VerdictName


def judge_open(book: Logbook, printer: Printer) -> list[JudgedAnew]:
    """Judge the trials of a printer that were left open by its line model; the oldest first."""
    anews = []
    for trial in reversed(latest_on_printer(book, printer, KEPT.name, _NEWEST)):
        open_still = trial.verdict == "unclear" and trial.findings is not None
        if not open_still or trial.findings.get("flow_new_percent", 0) is not None:
            continue
        judged = judged_again(book, trial, readings(book, trial.number))
        if judged.result.flow_new_percent is None:
            continue
        keep_judged(book, trial.number, judged)
        anews.append(JudgedAnew(trial.number, judged.verdict.name))
    return anews
