"""What is kept of a ledge."""

from collections.abc import Mapping
from typing import NamedTuple

from metier.logbook.plain import Form, from_plain
from metier.logbook.trials import Trial
from metier.show.figures import proposed
from metier.trials.on_bench import OnBench
from metier.trials.registry import CsvRow, HistoryRow, Kept
from tests.trials.bow.settings import FORM, BowSettings


class Found(NamedTuple):
    bow_mm: float
    lift_now_mm: float
    lift_to_type_mm: float


class BowKept(Kept):
    name = "bow"

    def form(self, settings: Mapping[str, object]) -> Form[BowSettings]:
        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(Found, trial.findings)
        return HistoryRow("", f"{found.bow_mm:.2f}", "", f"{found.lift_to_type_mm:.2f}")

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        bow_mm, now, to_type = from_plain(Found, trial.findings)
        return [CsvRow(self.name, now, bow_mm, 0, now + bow_mm, to_type)]

    def command(self, here: OnBench) -> str:
        return proposed(self.name, "--plan", "--span", "40")


KEPT = BowKept()
