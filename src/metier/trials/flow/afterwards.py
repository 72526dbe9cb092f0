"""Trials that hang on the line model, judged once it is known."""

from typing import NamedTuple

from metier.core.values import LINE_MODELS
from metier.core.verdicts import VerdictName
from metier.logbook.book import Logbook
from metier.logbook.machines import Printer
from metier.logbook.trials import latest_on_printer, readings
from metier.trials.flow.kept import KEPT
from metier.trials.judging import judged_again, keep_judged

# How many of the newest are looked at.
_NEWEST = 12


class JudgedAnew(NamedTuple):
    """A trial and what it says now."""

    number: int
    verdict: VerdictName


def judge_open(book: Logbook, printer: Printer) -> list[JudgedAnew]:
    """Judge the trials of a printer again that depend on its line model; the oldest first."""
    anews = []
    for trial in reversed(latest_on_printer(book, printer, KEPT.name, _NEWEST)):
        likely = (trial.findings or {}).get("line_model_percent") or {}
        hangs = any(likely.get(model) for model in LINE_MODELS)
        if not KEPT.form(trial.settings).is_current(trial.settings) or not hangs:
            continue
        judged = judged_again(book, trial, readings(book, trial.number))
        keep_judged(book, trial.number, judged)
        anews.append(JudgedAnew(trial.number, judged.verdict.name))
    return anews
