"""What is kept of e-steps that were measured, and how they are listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal, NamedTuple

from metier.core.measure.readings import Instrument
from metier.logbook.instruments import reach_of
from metier.logbook.plain import Form, from_plain
from metier.logbook.trials import Trial, latest_on_printer
from metier.show.figures import proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.trials.on_bench import OnBench


class Found(NamedTuple):
    """What an e-steps trial found, as far as tables show it."""

    steps_now: float
    moved_mm: float | None
    asked_mm: float
    steps_new: float | None
    steps_below: float | None
    steps_to_type: float | None
    slope: float | None = None
    steps_new_u95: float | None = None

    @property
    def moved_text(self) -> str:
        """What moved, as tables have it."""
        if self.slope is not None:
            return f"{100 * self.slope:.2f} %"
        return "swallowed" if self.moved_mm is None else f"{self.moved_mm:.2f} mm"


# Where nobody knows what the printer carries.
HOW_TO_READ_STEPS = (
    "M92 at the printer's console shows them, and so do many menus; where neither does, type any "
    "in (M92 E400, then M500) and measure from there"
)
# Two runs of each; the mark beyond the longer one.
_TWO_LENGTHS = ("50", "200", "50", "200")


class EstepsKept(Kept):
    name = "esteps"

    def form(self, settings: Mapping[str, object]) -> "Form[EstepsSettings]":

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(Found, trial.findings)
        if found.slope is not None and found.steps_new is not None:
            slope_off, at = f"{100 * (found.slope - 1):+.2f} %", f"{found.steps_now:g}"
            return HistoryRow(at, found.moved_text, slope_off, f"{found.steps_new:.2f}")
        if found.moved_mm is None:
            return HistoryRow(f"{found.steps_now:g}", "swallowed", "", f"< {found.steps_below:.1f}")
        off = 100 * (found.moved_mm / found.asked_mm - 1)
        new = f"{found.steps_new:.2f}"
        return HistoryRow(f"{found.steps_now:g}", f"{found.moved_mm:.2f}", f"{off:+.2f} %", new)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        found = from_plain(Found, trial.findings)
        now, new, to_type = found.steps_now, found.steps_new, found.steps_to_type
        u95 = found.steps_new_u95
        return [CsvRow(self.name, now, found.moved_mm, found.asked_mm, new, to_type, u95)]

    def command(self, here: "OnBench") -> str:
        """The command that asks for what is left; ask and mark as before, if there is a before.

        Two lengths where runs of one could not tell: play and a badly judged inlet drop out.
        """
        asked, mark = usual_ask(here)
        if here.setup and here.setup.printer.port:
            return proposed(self.name, "--feed")
        if here.setup:
            for trial in latest_on_printer(here.book, here.setup.printer, self.name, 1):
                slope = from_plain(Found, trial.findings).slope
                if trial.verdict in ("unclear", "recheck") and slope is None and asked == ("150",):
                    return proposed(self.name, "--asked", *_TWO_LENGTHS, "--mark", "230")
                if trial.settings.get("mark_mm"):
                    return proposed(self.name)
        return proposed(self.name, "--asked", *asked, "--mark", mark)

    def hand(self, here: "OnBench") -> str:
        asked, mark = usual_ask(here)
        if here.setup and here.setup.printer.port:
            return f"a pen and the calipers at hand: it feeds {asked[0]} mm and asks, run by run"
        return (
            f"pen a mark on the filament {mark} mm from where it goes in, feed {asked[0]} mm "
            "slowly through the hot nozzle, measure what is left to the mark; three times"
        )


def usual_ask(here: "OnBench") -> tuple[tuple[str, ...], str]:
    """Return what to ask and where to mark: within what the calipers reach."""
    reach_mm = reach_of(here.book, "calipers")
    if reach_mm is None or reach_mm >= 180:
        return ("150",), "180"
    if reach_mm >= 120:
        return ("100", "100"), "120"
    mark_mm = 10 * int(reach_mm / 10)
    return (f"{mark_mm - 20}",) * 2, f"{mark_mm}"


KEPT = EstepsKept()


Way = Literal["left", "cut", "short", "swallowed"]


WAYS: tuple[Way, ...] = ("left", "cut", "short", "swallowed")


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


class EstepsContext(NamedTuple):
    """The trials before on this printer, newest first, and the firmware's decimals."""

    earlier: list[Trial]
    decimals: int
    through: str | None


FORM = Form(EstepsSettings)
