"""What is kept of e-steps that were measured, and how they are listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal, NamedTuple

from metier.core.measure.readings import Instrument
from metier.logbook.instruments import reach_of
from metier.logbook.plain import Form
from metier.logbook.trials import Trial, latest_on_printer
from metier.show.figures import proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.trials.on_bench import OnBench

Way = Literal["left", "cut", "short", "moved", "swallowed"]
WAYS: tuple[Way, ...] = ("left", "cut", "short", "moved", "swallowed")
# Two runs of each; the mark beyond the longer one.
_TWO_LENGTHS = ("50", "200", "50", "200")


class EstepsSettings(NamedTuple):
    """What was asked for, at which steps, and how it was measured.

    Full steps and microsteps of a motor turn are given where the firmware stores mm per turn.
    """

    way: Way
    asked_mm: float
    mark_mm: float | None
    steps: float
    # A plan does not say yet what it will be measured with.
    instrument_mm: Instrument | None = None
    full_steps: float | None = None
    microsteps: float | None = None
    # One for each run, where they are not all the same.
    asked_each_mm: tuple[float, ...] = ()
    accept_percent: float = 0.5


class EstepsResult(NamedTuple):
    """What a length says of the steps; ``slope`` and ``play_mm`` where two lengths were fed."""

    moved_mm: float | None
    moved_u95_mm: float | None
    asked_mm: float
    steps_now: float
    steps_new: float | None
    steps_new_u95: float | None
    steps_below: float | None
    steps_to_type: float | None
    change_percent: float | None
    mm_per_turn: float | None
    slope: float | None
    slope_u95: float | None
    play_mm: float | None
    influences: Mapping[str, float]

    @property
    def moved_text(self) -> str:
        """What moved, as tables have it."""
        if self.slope is not None:
            return f"{100 * self.slope:.2f} %"
        return "swallowed" if self.moved_mm is None else f"{self.moved_mm:.2f} mm"

    @property
    def off_text(self) -> str:
        """By how much that is off what was asked; empty where that is not known."""
        ratio = self.slope
        if ratio is None and self.moved_mm is not None:
            ratio = self.moved_mm / self.asked_mm
        return "" if ratio is None else f"{100 * (ratio - 1):+.2f} %"


class EstepsKept(Kept[EstepsResult]):
    name = "esteps"
    record = EstepsResult
    unit = "steps/mm"
    # Of version 1 are lengths that were judged by the estimate alone.
    settings = Form(EstepsSettings, 2)

    def row(self, trial: Trial) -> HistoryRow:
        result = self.of(trial)
        new = f"< {result.steps_below:.1f}" if result.steps_below is not None else ""
        if result.steps_new is not None:
            new = f"{result.steps_new:.2f}"
        moved = result.moved_text.removesuffix(" mm")
        return HistoryRow(f"{result.steps_now:g}", moved, result.off_text, new)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        result = self.of(trial)
        now, new, to_type = result.steps_now, result.steps_new, result.steps_to_type
        u95 = result.steps_new_u95
        return [CsvRow(self.name, now, result.moved_mm, result.asked_mm, new, to_type, u95)]

    def command(self, bench: "OnBench") -> str:
        """The command that asks for what is left; ask and mark as before, if there is a before."""
        if bench.setup and bench.setup.printer.port:
            return proposed(self.name, "--feed")
        last = self._last(bench)
        way = last.settings.get("way") if last else None
        if way in ("cut", "short"):
            return proposed(self.name, "--by", str(way))
        asked, mark = self._ask(bench)
        if last and asked != _TWO_LENGTHS and last.settings.get("mark_mm"):
            return proposed(self.name)
        return proposed(self.name, "--asked", *asked, "--mark", mark)

    def _last(self, bench: "OnBench") -> Trial | None:
        if bench.setup is None:
            return None
        return next(iter(latest_on_printer(bench.book, bench.setup.printer, self.name, 1)), None)

    def _ask(self, bench: "OnBench") -> tuple[tuple[str, ...], str]:
        """Return what to ask and where to mark: two lengths where twice runs of one could not
        tell, so that play and a badly judged inlet drop out."""
        asked, mark = usual_ask(bench)
        if bench.setup is None or asked != ("150",):
            return asked, mark
        told = latest_on_printer(bench.book, bench.setup.printer, self.name, 2)
        unsure = told and told[0].verdict in ("unclear", "recheck")
        if len(told) > 1 and unsure and self.of(told[0]).slope is None:
            return _TWO_LENGTHS, "230"
        return asked, mark

    def hand(self, bench: "OnBench") -> str:
        asked, mark = self._ask(bench)
        if bench.setup and bench.setup.printer.port:
            return f"a pen and the calipers at hand: it feeds {asked[0]} mm and asks, run by run"
        runs = "three times" if len(asked) == 1 else "from a fresh mark each time"
        return (
            f"pen a mark on the filament {mark} mm from where it goes in, feed {', '.join(asked)} "
            f"mm slowly through the hot nozzle, measure what is left to the mark; {runs}"
        )


def usual_ask(bench: "OnBench") -> tuple[tuple[str, ...], str]:
    """Return what to ask and where to mark: within what the calipers reach."""
    reach_mm = reach_of(bench.book, "calipers")
    if reach_mm is None or reach_mm >= 180:
        return ("150",), "180"
    if reach_mm >= 120:
        return ("100", "100"), "120"
    mark_mm = 10 * int(reach_mm / 10)
    return (f"{mark_mm - 20}",) * 2, f"{mark_mm}"


KEPT = EstepsKept()
