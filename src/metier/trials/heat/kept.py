"""What is kept of temperature steps, and how they are listed."""

from typing import TYPE_CHECKING, NamedTuple

from metier.logbook.plain import Form
from metier.logbook.trials import Trial
from metier.show.figures import proposed
from metier.trials.limit.settings import KeptLine
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.trials import Reading
    from metier.trials.on_bench import OnBench


class HeatSettings(NamedTuple):
    """The temperatures, hottest first; the temperature that is set; how steps are printed.

    ``nozzles`` are those that were looked at side by side, the bench's first.
    """

    temperatures_c: tuple[float, ...]
    set_c: float | None = None
    nozzles: tuple[str, ...] = ()
    line: KeptLine | None = None
    speed_mm_s: float | None = None
    step_mm: float | None = None


class StepResult(NamedTuple):
    """A step: the word about each aspect that was looked at, and whether it serves."""

    temperature_c: float
    strings: str | None
    surface: str | None
    bridge: str | None
    breaks: str | None
    serves: bool


class HeatResult(NamedTuple):
    """The range that serves, and the temperature to type in it."""

    low_c: float | None
    low_u95_c: float | None
    high_c: float | None
    high_u95_c: float | None
    temperature_c: float | None
    temperature_u95_c: float | None
    temperature_now_c: float | None
    temperature_to_type_c: float | None
    steps: tuple[StepResult, ...]


class HeatKept(Kept[HeatResult]):
    name = "heat"
    record = HeatResult
    unit = "°C"
    measured_unit = ""
    settings = Form(HeatSettings)

    def row(self, trial: Trial) -> HistoryRow:
        result = self.of(trial)
        now = "" if result.temperature_now_c is None else f"{result.temperature_now_c:g} °C"
        if result.low_c is None or result.high_c is None:
            return HistoryRow(now)
        best = "" if result.temperature_c is None else f"{result.temperature_c:g} °C"
        return HistoryRow(now, f"{result.low_c:.0f}-{result.high_c:.0f}", "", best)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        result = self.of(trial)
        best, u95 = result.temperature_c, result.temperature_u95_c
        return [CsvRow(self.name, result.temperature_now_c, None, None, best, best, u95)]

    def mended(self, old: "Reading", text: str) -> "Reading":
        """Take another word about the same thing of the same step."""
        from metier.core.errors import BadInput
        from metier.core.heat import ASPECTS, WORDS

        aspect = next(known_aspect for known_aspect in ASPECTS if f", {known_aspect}" in old.side)
        word = text.strip().lower()
        if word not in WORDS[aspect]:
            raise BadInput(f"{word[:20]!r} is no word for {aspect}: {', '.join(WORDS[aspect])}")
        return old._replace(value=float(WORDS[aspect].index(word)), typed=word)

    def hand(self, bench: "OnBench") -> str:
        return "print the columns, look at each step, break it off by hand"

    def command(self, bench: "OnBench") -> str:
        from metier.trials.on_bench import next_part, ready_to_print

        part = next_part(bench, "columns", ".gcode") if ready_to_print(bench) else ()
        return proposed(self.name, "--plan", *part)

    def before_measuring(self, trial: Trial) -> str:
        return (
            f"print the columns of trial {trial.number}; look at each step, then break the steps "
            "off by hand, from above"
        )


KEPT = HeatKept()
