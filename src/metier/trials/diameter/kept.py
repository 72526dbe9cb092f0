"""What is kept of a strand that was measured, and what other rooms ask of it."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from metier.core.measure.readings import Instrument
from metier.logbook.plain import Form
from metier.logbook.trials import Trial, latest_of_spool
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.book import Logbook
    from metier.logbook.machines import Spool
    from metier.trials.on_bench import OnBench


class DiameterSettings(NamedTuple):
    """What the slicer reckons with, what the strand was measured with, how far along the roll that
    was, in m, and the maker's nominal diameter."""

    slicer_mm: float
    instrument_mm: Instrument
    along_m: float | None = None
    nominal_mm: float | None = None


class DiameterResult(NamedTuple):
    """A strand: its diameter, what is odd about it, and the factor that it calls for on flow.

    ``diameter_mm`` is pooled with the nominal one, ``measured_mm`` is by the readings alone."""

    diameter_mm: float
    diameter_u95_mm: float
    slicer_mm: float
    out_of_round_mm: float | None
    uneven_mm: float
    flow_factor: float
    flow_factor_u95: float
    influences_mm: Mapping[str, float]
    measured_mm: float | None = None
    measured_u95_mm: float | None = None
    sure_percent: float | None = None


def measured_diameter(book: "Logbook", spool: "Spool") -> tuple[Trial, DiameterResult] | None:
    """Return the newest diameter trial of a roll and what it found; None if there is none."""
    newest = latest_of_spool(book, spool, KEPT.name, 1)
    return (newest[0], KEPT.of(newest[0])) if newest else None


class DiameterKept(Kept[DiameterResult]):
    name = "diameter"
    record = DiameterResult
    # Of version 1 are strands that were judged by their readings alone.
    settings = Form(DiameterSettings, 2)

    def row(self, trial: Trial) -> HistoryRow:
        result = self.of(trial)
        measured = f"{result.measured_mm or result.diameter_mm:.3f}"
        # By its area, as the verdict has it.
        off = (result.diameter_mm / result.slicer_mm) ** 2 - 1
        new = f"{result.diameter_mm:.3f}"
        return HistoryRow(f"{result.slicer_mm:g}", measured, f"{100 * off:+.1f} %", new)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        result = self.of(trial)
        mm, u95, slicer_mm, *_ = result
        return [CsvRow(self.name, slicer_mm, result.measured_mm or mm, slicer_mm, mm, mm, u95)]

    def command(self, bench: "OnBench") -> str:
        return "metier diameter"

    def hand(self, bench: "OnBench") -> str:
        return "cut a metre off the roll; measure at five places, each twice at right angles"


KEPT = DiameterKept()
