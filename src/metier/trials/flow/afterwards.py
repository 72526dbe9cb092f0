"""Trials that were left open for want of the line model, judged once it is known."""

from typing import NamedTuple

from metier.core.verdicts import VerdictName
from metier.logbook.book import Logbook
from metier.logbook.machines import Printer
from metier.logbook.trials import latest_on_printer, readings
from metier.trials.flow.kept import KEPT
from metier.trials.judging import judged_again, keep_judged

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
