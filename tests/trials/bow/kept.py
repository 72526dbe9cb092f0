"""What is kept of a ledge."""

from typing import NamedTuple

from metier.logbook.plain import Form
from metier.logbook.trials import Trial
from metier.show.figures import proposed
from metier.trials.on_bench import OnBench
from metier.trials.registry import CsvRow, HistoryRow, Kept


class BowSettings(NamedTuple):
    span_mm: float
    lift_mm: float


class BowResult(NamedTuple):
    bow_mm: float
    lift_now_mm: float
    lift_to_type_mm: float


def _upgraded(kept: dict[str, object], version: int) -> dict[str, object]:
    return {"span_mm": kept["span_cm"] * 10, "lift_mm": 0.0} if version < 3 else kept


class BowKept(Kept[BowResult]):
    name = "bow"
    record = BowResult
    settings = Form(BowSettings, 3, _upgraded)

    def row(self, trial: Trial) -> HistoryRow:
        found = self.of(trial)
        return HistoryRow("", f"{found.bow_mm:.2f}", "", f"{found.lift_to_type_mm:.2f}")

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        bow_mm, now, to_type = self.of(trial)
        return [CsvRow(self.name, now, bow_mm, 0, now + bow_mm, to_type)]

    def command(self, here: OnBench) -> str:
        return proposed(self.name, "--plan", "--span", "40")


KEPT = BowKept()
