"""What is kept of walls that were measured, and how they are listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from metier.core.standing import Standing
from metier.core.values import LineModel
from metier.logbook.trials import Trial, with_bore
from metier.show.figures import proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.plain import Form
    from metier.trials.flow.settings import FlowSettings
    from metier.trials.on_bench import OnBench


class SectionResult(NamedTuple):
    """A section: lines a wall, what it measured, and what it should where lines just fill."""

    walls: int
    wall_mm: float
    wall_u95_mm: float
    readings: int
    target_mm: float | None
    width_mm: float | None = None
    flow_percent: float | None = None


class WallForecast(NamedTuple):
    """What a wall was expected to measure, and whether it came so."""

    walls: int
    wall_mm: float
    wall_u95_mm: float
    came_so: bool


class FlowResult(NamedTuple):
    """Walls of a print, and the flow that they call for. ``rough`` tells that the value to type is
    a best guess, ``line_model_percent`` how likely each line model is, where that bears on it."""

    wall_mm: float
    wall_u95_mm: float
    target_mm: float | None
    targets_mm: Mapping[str, float | None]
    sections: tuple[SectionResult, ...]
    line_model: LineModel | None
    flow_sliced_percent: float | None
    flow_now_percent: float | None
    flow_new_percent: float | None
    flow_new_u95_percent: float | None
    interval_percent: tuple[float, ...]
    sure_percent: float | None
    sure_from_percent: float | None
    sure_to_percent: float | None
    trials_pooled: int
    texture_mm: float | None
    response: float | None
    response_u95: float | None
    flow_plain_percent: float | None
    flow_under_percent: Mapping[str, float | None]
    flow_to_type_percent: float | None
    influences_percent: Mapping[str, float]
    rough: bool
    delivered_share: float | None
    delivered_share_u95: float | None
    forecasts: tuple[WallForecast, ...]
    sure_typed_percent: float | None = None
    line_model_percent: Mapping[str, float | None] = {}
    grams: float | None = None
    stands: bool = False

    @property
    def off_text(self) -> str:
        """By how much the flow that was set is off, as tables have it."""
        if self.flow_new_percent is None or self.flow_now_percent is None:
            return ""
        return f"{100 * (self.flow_now_percent / self.flow_new_percent - 1):+.1f} %"


class FlowKept(Kept[FlowResult]):
    name = "flow"
    record = FlowResult
    unit = "%"

    def form(self, settings: Mapping[str, object]) -> "Form[FlowSettings]":
        from metier.trials.flow.settings import FORM

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        result = self.of(trial)
        new = "" if result.flow_new_percent is None else f"{result.flow_new_percent:.1f} %"
        at = "" if result.flow_sliced_percent is None else f"{result.flow_sliced_percent:g} %"
        return HistoryRow(at, f"{result.wall_mm:.3f}", result.off_text, new)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        result = self.of(trial)
        new, to_type = result.flow_new_percent, result.flow_to_type_percent
        measured, expected = result.wall_mm, result.target_mm
        u95 = result.flow_new_u95_percent
        return [CsvRow(self.name, result.flow_now_percent, measured, expected, new, to_type, u95)]

    def lent(self, bench: "OnBench", standing: Standing) -> Standing:
        """All rolls of the same maker and material together say more than one."""
        from metier.trials.flow.earlier import known_rolls

        rolls = known_rolls(bench, bench.setup) if bench.setup else None
        if rolls is None:
            return standing
        expected = rolls.expected
        if len(rolls.rolls) == 1 and rolls.rolls[0].name in standing.why:
            # What was typed in for that one is known to serve.
            return standing._replace(u95=expected.flow_u95)
        value = round(expected.flow, 3)
        return standing._replace(value=value, u95=expected.flow_u95, why=f"from {rolls.words}")

    def command(self, bench: "OnBench") -> str:
        """The command that plans a tube ready to print, where all is known for that; else a mesh
        for the slicer, to be sliced as the last cube with a nozzle of this bore."""
        from metier.trials.on_bench import next_part, ready_to_print

        if ready_to_print(bench):
            return proposed(self.name, "--plan", *next_part(bench, "tube", ".gcode"))
        words = ["--plan", "--walls", "3"]
        for trial in with_bore(bench.book, bench.setup, self.name) if bench.setup else []:
            # As they are kept: to read them as settings takes what judging takes.
            width_mm, layer_mm = trial.settings.get("width_mm"), trial.settings.get("layer_mm")
            if width_mm and layer_mm:
                words += ["--width", f"{width_mm:g}", "--layer", f"{layer_mm:g}"]
                break
        return proposed(self.name, *words, *next_part(bench, "tube", ".3mf"))

    def before_measuring(self, trial: Trial) -> str:
        settings = self.form(trial.settings).read(trial.settings)
        if settings.dose and settings.dose.source == "part":
            return f"print the tube of trial {trial.number} as it was written, and let it cool"
        from metier.trials.flow.settings import lines_text

        walls = " and ".join(lines_text(section.walls) for section in settings.sections)
        at = "" if settings.flow_percent is None else f" at {settings.flow_percent:g} %"
        line = "" if settings.width_mm is None else f", {settings.width_mm:g} mm wide"
        return (
            f"slice the block hollow{at}, {walls} a wall{line}, {settings.layer_mm:g} mm high "
            f"(metier part {trial.number} FILE writes it); print it and let it cool"
        )


KEPT = FlowKept()
