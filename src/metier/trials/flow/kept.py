"""What is kept of walls that were measured, and how they are listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from metier.core.standing import Standing
from metier.logbook.plain import from_plain
from metier.logbook.trials import Trial, with_bore
from metier.show.figures import proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.plain import Form
    from metier.trials.flow.settings import FlowSettings
    from metier.trials.on_bench import OnBench


class Found(NamedTuple):
    """What a print was found to be, as far as tables ask for it; all but its wall may be open."""

    wall_mm: float
    wall_u95_mm: float
    target_mm: float | None
    flow_now_percent: float | None
    flow_new_percent: float | None
    flow_to_type_percent: float | None
    flow_sliced_percent: float | None
    flow_new_u95_percent: float | None
    delivered_share: float | None
    delivered_share_u95: float | None

    @property
    def off_text(self) -> str:
        """By how much the flow that was set is off, as tables have it."""
        if self.flow_new_percent is None or self.flow_now_percent is None:
            return ""
        return f"{100 * (self.flow_now_percent / self.flow_new_percent - 1):+.1f} %"


class FlowKept(Kept):
    name = "flow"

    def form(self, settings: Mapping[str, object]) -> "Form[FlowSettings]":
        from metier.trials.flow.settings import FORM

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(Found, trial.findings)
        new = "" if found.flow_new_percent is None else f"{found.flow_new_percent:.1f} %"
        at = "" if found.flow_sliced_percent is None else f"{found.flow_sliced_percent:g} %"
        return HistoryRow(at, f"{found.wall_mm:.3f}", found.off_text, new)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        found = from_plain(Found, trial.findings)
        new, to_type = found.flow_new_percent, found.flow_to_type_percent
        measured, expected = found.wall_mm, found.target_mm
        u95 = found.flow_new_u95_percent
        return [CsvRow(self.name, found.flow_now_percent, measured, expected, new, to_type, u95)]

    def lent(self, here: "OnBench", found: Standing) -> Standing:
        """All rolls of the same maker and material together say more than one."""
        from metier.trials.flow.earlier import known_rolls

        rolls = known_rolls(here, here.setup) if here.setup else None
        if rolls is None:
            return found
        expected = rolls.expected
        if len(rolls.rolls) == 1 and rolls.rolls[0].name in found.why:
            # What was typed in for that one is known to serve.
            return found._replace(u95=expected.flow_u95)
        value = round(expected.flow, 3)
        return found._replace(value=value, u95=expected.flow_u95, why=f"from {rolls.words}")

    def command(self, here: "OnBench") -> str:
        """The command that plans a tube ready to print, where all is known for that; else a mesh
        for the slicer, to be sliced as the last cube with a nozzle of this bore."""
        from metier.trials.part_path import next_part, ready_to_print

        if ready_to_print(here):
            return proposed(self.name, "--plan", *next_part(here, "tube", ".gcode"))
        words = ["--plan", "--walls", "3"]
        for trial in with_bore(here.book, here.setup, self.name) if here.setup else []:
            # As they are kept: to read them as settings takes what judging takes.
            width_mm, layer_mm = trial.settings.get("width_mm"), trial.settings.get("layer_mm")
            if width_mm and layer_mm:
                words += ["--width", f"{width_mm:g}", "--layer", f"{layer_mm:g}"]
                break
        return proposed(self.name, *words, *next_part(here, "tube", ".3mf"))

    def before_measuring(self, trial: Trial) -> str:
        settings = self.form(trial.settings).read(trial.settings)
        if settings.dose and settings.dose.source == "part":
            return f"print the tube of trial {trial.number} as it was written, and let it cool"
        walls = " and ".join(str(one.walls) for one in settings.sections)
        at = "" if settings.flow_percent is None else f" at {settings.flow_percent:g} %"
        line = "" if settings.width_mm is None else f", {settings.width_mm:g} mm wide"
        return (
            f"slice the block hollow{at}, {walls} lines a wall{line}, {settings.layer_mm:g} mm "
            f"high (metier part {trial.number} FILE writes it); print it and let it cool"
        )


KEPT = FlowKept()
