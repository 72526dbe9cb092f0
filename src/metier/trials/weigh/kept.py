"""What is kept of what was weighed, and what other rooms ask of it."""

from typing import TYPE_CHECKING, Literal, NamedTuple

from metier.core.flow.rows import ToldShare
from metier.core.measure.instruments import Scale
from metier.core.weighing import Diameters
from metier.logbook.plain import Form
from metier.logbook.trials import Trial, latest_of_spool
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.book import Logbook
    from metier.logbook.machines import Spool
    from metier.logbook.trials import Reading
    from metier.trials.on_bench import OnBench


# How many weighings of a roll are looked at for one of its strand.
_NEWEST = 12


# What a reading is of.
STRAND, PRINT = "strand", "print"


class WeighSettings(NamedTuple):
    """The scale, the strand's length, the filament that the file asked for, and what is set.

    ``of_trial`` is the flow trial whose print was weighed, where it is one's; ``density_g_cm3`` the
    maker's, where that was given.
    """

    scale_g: Scale
    length_mm: float | None = None
    asked_mm: float | None = None
    asked_from: Literal["file", "given", "part"] = "given"
    flow_percent: float | None = None
    esteps: float | None = None
    diameters: Diameters = Diameters()
    of_trial: int | None = None
    density_g_cm3: float | None = None

    @property
    def flow(self) -> float | None:
        """The flow that is set, a ratio."""
        return None if self.flow_percent is None else self.flow_percent / 100


class WeighResult(NamedTuple):
    """A strand, and a print where one was weighed: what was delivered of what was asked for, what
    that makes of flow or of e-steps, and whether walls agree. ``share`` is what it says of flow
    alone, with the u of its mass and that of its density, both of the share."""

    strand_g_per_m: float | None
    strand_u95_g_per_m: float | None
    strand_trial: int | None
    part_g: float | None
    part_u95_g: float | None
    asked_mm: float | None
    delivered_mm: float | None
    delivered_u95_mm: float | None
    delivered_percent: float | None
    delivered_u95_percent: float | None
    flow_now_percent: float | None
    flow_new_percent: float | None
    flow_new_u95_percent: float | None
    esteps_new: float | None
    esteps_new_u95: float | None
    agree: bool | None
    walls_more_percent: float | None
    walls_more_u95_percent: float | None
    texture_mm: float | None
    grown_ratio: float | None
    grown_ratio_u95: float | None
    flow_to_type_percent: float | None = None
    interval_percent: tuple[float, ...] = ()
    sure_percent: float | None = None
    sure_typed_percent: float | None = None
    density_g_cm3: float | None = None
    density_u95_percent: float | None = None
    share: float | None = None
    share_u: float | None = None
    density_u: float | None = None

    @property
    def told(self) -> ToldShare | None:
        """It as a row of flow's posterior."""
        if self.share is None or self.share_u is None or self.density_u is None:
            return None
        return ToldShare(self.share, self.share_u, self.density_u)


class WeighedStrand(NamedTuple):
    """What a metre of a roll weighs, in g, with its ±, and the trial that says so."""

    trial: int
    g_per_m: float
    u95_g_per_m: float


def weighed_strand(
    book: "Logbook", spool: "Spool", before: int | None = None
) -> WeighedStrand | None:
    """Return the newest weighing of a roll's strand, before a trial's number; None for none."""
    for trial in latest_of_spool(book, spool, KEPT.name, _NEWEST, before):
        result = KEPT.of(trial)
        grams, u95 = result.strand_g_per_m, result.strand_u95_g_per_m
        if result.strand_trial is None and grams is not None and u95 is not None:
            return WeighedStrand(trial.number, grams, u95)
    return None


class WeighKept(Kept[WeighResult]):
    name = "weigh"
    record = WeighResult
    unit = "%"
    measured_unit = "g"
    # Of version 1 are prints that were weighed before what they say was pooled with walls.
    settings = Form(WeighSettings, 2)

    def row(self, trial: Trial) -> HistoryRow:
        result = self.of(trial)
        if result.part_g is None or result.delivered_percent is None:
            return HistoryRow("strand", f"{result.strand_g_per_m:.3f} g/m")
        new = "" if result.flow_new_percent is None else f"{result.flow_new_percent:.1f} %"
        off = f"{result.delivered_percent - 100:+.1f} %"
        return HistoryRow(f"{result.asked_mm:.0f} mm", f"{result.part_g:.2f} g", off, new)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        result = self.of(trial)
        rows = []
        mass = result.strand_g_per_m
        if result.strand_trial is None and mass is not None:
            u95 = result.strand_u95_g_per_m
            rows.append(CsvRow("strand", None, mass, None, mass, None, u95, "g/m", "g/m"))
        if result.part_g is not None:
            new, u95 = result.flow_new_percent, result.flow_new_u95_percent
            to_type = result.flow_to_type_percent or new
            rows.append(
                CsvRow(self.name, result.flow_now_percent, result.part_g, None, new, to_type, u95)
            )
        return rows

    def mended(self, old: "Reading", text: str) -> "Reading":
        from metier.formats.quantity import read_positive

        return old._replace(value=read_positive(text, "reading", ("g",)), typed=text.strip())

    def command(self, bench: "OnBench") -> str:
        return "metier weigh"

    def before_measuring(self, trial: Trial) -> str:
        return "weigh a metre of strand and the print, without the line that primed the nozzle"


KEPT = WeighKept()
