"""What is kept of a map of flow, and how it is listed."""

from typing import TYPE_CHECKING, NamedTuple

from metier.core.flow.mapped import Heat
from metier.core.flow.surface import Place
from metier.logbook.plain import Form
from metier.logbook.trials import Trial
from metier.show.figures import proposed
from metier.trials.flow.settings import FlowSettings
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.trials.on_bench import OnBench


class FlowAtSpeed(NamedTuple):
    """The flow that a speed needs at a temperature, with its ±, and what to type of it."""

    speed_mm_s: float
    temperature_c: float | None
    flow_percent: float
    u95_percent: float
    to_type_percent: float


class MapEffect(NamedTuple):
    """What going from the lowest to the highest of something does to what is delivered."""

    name: str
    low: float
    high: float
    share_change_percent: float
    u95_percent: float
    matters: bool


class FlowAtPlace(NamedTuple):
    """A place on the map that was printed, and the flow that it needs."""

    speed_mm_s: float
    temperature_c: float | None
    flow_percent: float


class MapResult(NamedTuple):
    """A map: the flow that each speed needs, how sure one flow is at each, the temperatures at
    which it serves, and what would narrow it most."""

    flows: tuple[FlowAtSpeed, ...]
    sure_percent: tuple[float, ...]
    one_flow_percent: float
    temperatures: tuple[Heat, ...]
    level_temperature_c: float | None
    level_temperature_u95_c: float | None
    effects: tuple[MapEffect, ...]
    narrows: Place | None
    points: tuple[FlowAtPlace, ...]


class MapKept(Kept[MapResult]):
    name = "map"
    unit = "%"
    measured_unit = ""

    record = MapResult
    # Of version 1 are maps by walls whose surplus all went sideways.
    settings = Form(FlowSettings, 2)

    def row(self, trial: Trial) -> HistoryRow:
        flows = self.of(trial).flows
        if not flows:
            return HistoryRow()
        speeds = f"{flows[0].speed_mm_s:g}-{flows[-1].speed_mm_s:g}"
        return HistoryRow(speeds, "", "", f"{flows[0].to_type_percent:g}-"
                          f"{flows[-1].to_type_percent:g} %")  # fmt: skip

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        return [
            CsvRow(self.name, flow.speed_mm_s, None, None, flow.flow_percent, flow.to_type_percent,
                   flow.u95_percent)
            for flow in self.of(trial).flows
        ]  # fmt: skip

    def command(self, bench: "OnBench") -> str:
        from metier.trials.on_bench import next_part, ready_to_print

        part = next_part(bench, "speeds", ".gcode") if ready_to_print(bench) else ()
        return proposed(self.name, "--plan", *part)

    def before_measuring(self, trial: Trial) -> str:
        return f"print the tube of trial {trial.number} as it was written, and let it cool"


KEPT = MapKept()
