"""What is kept of a map of flow, and how it is listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from metier.logbook.plain import Form, from_plain
from metier.logbook.trials import Trial
from metier.show.figures import proposed
from metier.trials.flow.settings import FlowSettings
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.trials.on_bench import OnBench


# How many of the newest prints are looked at, of each kind.
NEWEST = 24


class FlowAtSpeed(NamedTuple):
    """The flow that a speed needs at a temperature, with its ±, and what to type of it."""

    speed_mm_s: float
    temperature_c: float | None
    flow_percent: float
    u95_percent: float
    to_type_percent: float


class Found(NamedTuple):
    """What a map found, as far as tables ask for it."""

    flows: tuple[FlowAtSpeed, ...]


class MapKept(Kept):
    name = "map"

    def form(self, settings: Mapping[str, object]) -> "Form[FlowSettings]":

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        flows = from_plain(Found, trial.findings).flows
        if not flows:
            return HistoryRow()
        speeds = f"{flows[0].speed_mm_s:g}-{flows[-1].speed_mm_s:g}"
        return HistoryRow(speeds, "", "", f"{flows[0].to_type_percent:g}-"
                          f"{flows[-1].to_type_percent:g} %")  # fmt: skip

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        return [
            CsvRow(self.name, one.speed_mm_s, None, None, one.flow_percent, one.to_type_percent,
                   one.u95_percent)
            for one in from_plain(Found, trial.findings).flows
        ]  # fmt: skip

    def command(self, here: "OnBench") -> str:
        from metier.trials.part_path import next_part, ready_to_print

        part = next_part(here, "speeds", ".gcode") if ready_to_print(here) else ()
        return proposed(self.name, "--plan", *part)

    def before_measuring(self, trial: Trial) -> str:
        return f"print the tube of trial {trial.number} as it was written, and let it cool"


KEPT = MapKept()


MapSettings = FlowSettings
FORM = Form(FlowSettings)
