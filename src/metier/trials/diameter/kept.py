"""What is kept of a strand that was measured, and what other rooms ask of it."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from metier.core.measure.readings import Instrument
from metier.core.verdicts import VerdictName
from metier.logbook.plain import Form, from_plain
from metier.logbook.trials import Trial, latest_of_spool
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.book import Logbook
    from metier.logbook.spools import Spool
    from metier.trials.on_bench import OnBench


class MeasuredDiameter(NamedTuple):
    """What a diameter trial found, in mm, as far as other rooms ask for it."""

    diameter_mm: float
    diameter_u95_mm: float
    slicer_mm: float
    flow_factor: float
    verdict: VerdictName


def measured_diameter(book: "Logbook", spool: "Spool") -> tuple[Trial, MeasuredDiameter] | None:
    """Return the newest diameter trial of a roll and what it found; None if there is none."""
    for trial in latest_of_spool(book, spool, KEPT.name, 1):
        return trial, from_plain(MeasuredDiameter, trial.findings)
    return None


class DiameterKept(Kept):
    name = "diameter"

    def form(self, settings: Mapping[str, object]) -> "Form[DiameterSettings]":

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(MeasuredDiameter, trial.findings)
        measured = f"{found.diameter_mm:.3f}"
        # By its area, as the verdict has it.
        off = (found.diameter_mm / found.slicer_mm) ** 2 - 1
        return HistoryRow(f"{found.slicer_mm:g}", measured, f"{100 * off:+.1f} %", measured)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        found = from_plain(MeasuredDiameter, trial.findings)
        diameter_mm = found.diameter_mm
        slicer_mm = found.slicer_mm
        u95 = found.diameter_u95_mm
        return [CsvRow(self.name, slicer_mm, diameter_mm, slicer_mm, diameter_mm, diameter_mm, u95)]

    def command(self, here: "OnBench") -> str:
        return "metier diameter"

    def hand(self, here: "OnBench") -> str:
        return "cut a metre off the roll; measure at five places, each twice at right angles"


KEPT = DiameterKept()


class DiameterSettings(NamedTuple):
    """What the slicer reckons with, what the strand was measured with, and how far along the roll
    that was, in m."""

    slicer_mm: float
    instrument_mm: Instrument
    along_m: float | None = None


FORM = Form(DiameterSettings)
