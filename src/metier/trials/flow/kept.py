"""What is kept of a cube, and how it is listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from metier.logbook.plain import from_plain
from metier.logbook.trials import Trial, latest_on
from metier.show.command import proposed
from metier.trials.kept import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.plain import Form
    from metier.trials.flow.settings import FlowSettings
    from metier.trials.on_bench import OnBench


class Found(NamedTuple):
    """What a cube was found to be, as far as later cubes and tables ask for it."""

    wall_mm: float
    wall_u95_mm: float
    wall_u_mm: float
    wall_readings: int
    target_mm: float
    flow_now_percent: float
    flow_new_percent: float
    flow_to_type_percent: float | None


class FlowKept(Kept):
    name = "flow"

    def form(self, settings: Mapping[str, object]) -> "Form[FlowSettings]":
        from metier.trials.flow.settings import FORM

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(Found, trial.findings)
        off = 100 * (found.wall_mm / found.target_mm - 1)
        return HistoryRow(
            f"{found.flow_now_percent:g} %",
            f"{found.wall_mm:.3f}",
            f"{off:+.1f} %",
            f"{found.flow_new_percent:.1f} %",
        )

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        found = from_plain(Found, trial.findings)
        return [
            CsvRow(
                self.name,
                found.flow_now_percent,
                found.wall_mm,
                found.target_mm,
                found.flow_new_percent,
                found.flow_to_type_percent,
            )
        ]

    def command(self, here: "OnBench") -> str:
        """The command that asks for walls; before the first cube, the one that plans it."""
        if here.setup is None or latest_on(here.book, here.setup, self.name, 1):
            return proposed(self.name)
        bore_mm = here.setup.nozzle.bore_mm
        layer_mm = max(0.05, round(0.4 * bore_mm / 0.05) * 0.05)
        words = ["--plan", "--width", f"{bore_mm:g}", "--walls", "1", "--layer", f"{layer_mm:.2g}"]
        if here.stands("flow").in_force is None:
            words += ["--flow", "100"]
        return proposed(self.name, *words)


KEPT = FlowKept()
