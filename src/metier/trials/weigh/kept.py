"""What is kept of what was weighed, and what other rooms ask of it."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal, NamedTuple

from metier.core.measure.instruments import Scale
from metier.core.weighing import Diameters
from metier.logbook.plain import Form, from_plain
from metier.logbook.trials import Trial, latest_of_spool
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.book import Logbook
    from metier.logbook.spools import Spool
    from metier.logbook.trials import Reading
    from metier.trials.on_bench import OnBench


# How many weighings of a roll are looked at for one of its strand.
_NEWEST = 12


class Found(NamedTuple):
    """What was weighed, as far as tables and other rooms ask for it."""

    strand_g_per_m: float
    strand_u95_g_per_m: float
    strand_trial: int | None = None
    part_g: float | None = None
    asked_mm: float | None = None
    delivered_percent: float | None = None
    delivered_u95_percent: float | None = None
    flow_now_percent: float | None = None
    flow_new_percent: float | None = None
    flow_new_u95_percent: float | None = None


def weighed_strand(
    book: "Logbook", spool: "Spool", before: int | None = None
) -> tuple[int, Found] | None:
    """Return the newest weighing of a roll's strand, before a trial's number; None for none."""
    for trial in latest_of_spool(book, spool, KEPT.name, _NEWEST, before):
        found = from_plain(Found, trial.findings)
        if found.strand_trial is None:
            return trial.number, found
    return None


class WeighKept(Kept):
    name = "weigh"

    def form(self, settings: Mapping[str, object]) -> "Form[WeighSettings]":

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(Found, trial.findings)
        if found.part_g is None or found.delivered_percent is None:
            return HistoryRow("strand", f"{found.strand_g_per_m:.3f} g/m")
        new = "" if found.flow_new_percent is None else f"{found.flow_new_percent:.1f} %"
        off = f"{found.delivered_percent - 100:+.1f} %"
        return HistoryRow(f"{found.asked_mm:.0f} mm", f"{found.part_g:.2f} g", off, new)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        found = from_plain(Found, trial.findings)
        rows = []
        if found.strand_trial is None:
            mass = found.strand_g_per_m
            rows.append(CsvRow("strand", None, mass, None, mass, None, found.strand_u95_g_per_m))
        if found.part_g is not None:
            new, u95 = found.flow_new_percent, found.flow_new_u95_percent
            rows.append(
                CsvRow(self.name, found.flow_now_percent, found.part_g, None, new, new, u95)
            )
        return rows

    def mended(self, old: "Reading", text: str) -> "Reading":
        from metier.formats.quantity import read_positive

        return old._replace(value=read_positive(text, "reading", ("g",)), typed=text.strip())

    def command(self, here: "OnBench") -> str:
        return "metier weigh"

    def before_measuring(self, trial: Trial) -> str:
        return "weigh a metre of strand and the print, without the line that primed the nozzle"


KEPT = WeighKept()


# What a reading is of.
STRAND, PRINT = "strand", "print"


class WeighSettings(NamedTuple):
    """The scale, the strand's length, the filament that the file asked for, and what is set.

    ``of_trial`` is the flow trial whose print was weighed, where it is one's.
    """

    scale_g: Scale
    length_mm: float | None = None
    asked_mm: float | None = None
    asked_from: Literal["file", "given", "part"] = "given"
    flow_percent: float | None = None
    esteps: float | None = None
    diameters: Diameters = Diameters()
    of_trial: int | None = None

    @property
    def flow(self) -> float | None:
        """The flow that is set, a ratio."""
        return None if self.flow_percent is None else self.flow_percent / 100


FORM = Form(WeighSettings)
