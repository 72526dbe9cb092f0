"""What is kept of a real part that was measured, and how it is listed."""

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, Literal, NamedTuple

from metier.core.measure.readings import Instrument
from metier.core.proof import At, Job
from metier.logbook.plain import Form
from metier.logbook.trials import Reading, Trial, latest_on_printer
from metier.trials.flow.settings import FlowSettings
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.book import Logbook
    from metier.logbook.machines import Printer
    from metier.trials.on_bench import OnBench


# How many of the newest parts tell a printer's factor.
_NEWEST = 12
_COUNTED = 5


class ProofPlace(NamedTuple):
    """A place by its name: the wall it should have, and how many of the readings are of it."""

    name: str
    expected_mm: float
    readings: int = 0


class ProofSettings(NamedTuple):
    """The part and its places; what its file says and what it came to; a word, a path to a photo.

    ``estimate_from`` tells whose minutes the file's are; ``flow_percent`` is the flow in force.
    ``cube`` is how its walls were printed, where all are of the same lines and these are known.
    """

    part: str
    places: tuple[ProofPlace, ...]
    instrument_mm: Instrument
    layer_mm: float | None = None
    grams: float | None = None
    file_grams: float | None = None
    minutes: float | None = None
    file_minutes: float | None = None
    estimate_from: Literal["file", "given"] = "given"
    says: str | None = None
    photo: str | None = None
    flow_percent: float | None = None
    expected_from: str = ""
    cube: FlowSettings | None = None

    @property
    def job(self) -> Job:
        """What printing took beside what the file says."""
        return Job(self.grams, self.file_grams, self.minutes, self.file_minutes)

    def measured(self, readings: Sequence[Reading]) -> list[At]:
        """Return the places with their readings."""
        places, at = [], 0
        for place in self.places:
            taken = readings[at : at + place.readings]
            at += place.readings
            places.append(At(place.name, tuple(each.value for each in taken), place.expected_mm))
        return places


class PlaceResult(NamedTuple):
    """A place: its wall, what that should be, and how far off it is beside the others."""

    name: str
    wall_mm: float
    expected_mm: float
    off_percent: float
    off_u95_percent: float


class ProofResult(NamedTuple):
    """A part: its mean wall over the places, how uneven it is, its grams and minutes beside its
    file's. ``texture_percent`` is what texture makes of its being off, ``flow_new_percent`` and
    what follows is the flow that its walls call for, where their lines are known."""

    part: str
    mean_mm: float
    mean_u95_mm: float
    expected_mm: float
    off_percent: float
    off_u95_percent: float
    uneven_mm: float
    places: tuple[PlaceResult, ...]
    thinnest: str
    thin: tuple[str, ...]
    grams_off_percent: float | None
    time_factor: float | None
    estimate_from: Literal["file", "given"]
    sure_percent: float | None = None
    texture_percent: float | None = None
    flow_new_percent: float | None = None
    flow_to_type_percent: float | None = None
    interval_percent: tuple[float, ...] = ()


class TimeFactor(NamedTuple):
    """By what prints on a printer take longer than estimated, as so many parts told."""

    factor: float
    prints: int


def time_factor(book: "Logbook", printer: "Printer") -> TimeFactor | None:
    """Return by what prints take longer on a printer than estimated; None where no part told.

    The geometric mean of the newest; those whose file Metier estimated itself are preferred.
    """
    known = [KEPT.of(trial) for trial in latest_on_printer(book, printer, KEPT.name, _NEWEST)]
    told = [result for result in known if result.time_factor]
    own = [result for result in told if result.estimate_from == "file"]
    counted = [result.time_factor for result in (own or told)[:_COUNTED] if result.time_factor]
    if not counted:
        return None
    mean = math.fsum(math.log(factor) for factor in counted) / len(counted)
    return TimeFactor(math.exp(mean), len(counted))


class ProofKept(Kept[ProofResult]):
    name = "proof"
    record = ProofResult
    # Of version 1 are parts that were judged by the plastic in a wall, and by the estimate alone.
    settings = Form(ProofSettings, 2)

    def row(self, trial: Trial) -> HistoryRow:
        result = self.of(trial)
        return HistoryRow(result.part[:12], f"{result.mean_mm:.3f}", f"{result.off_percent:+.1f} %")

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        result = self.of(trial)
        return [
            CsvRow(self.name, result.part, result.mean_mm, result.expected_mm, None, None,
                   result.mean_u95_mm)
        ]  # fmt: skip

    def hand(self, bench: "OnBench") -> str:
        return (
            "print a part of yours, let it cool, and measure its walls at three places or more; "
            "note its grams and minutes"
        )

    def command(self, bench: "OnBench") -> str:
        return "metier proof"

    def before_measuring(self, trial: Trial) -> str:
        return "print the part and let it cool"


KEPT = ProofKept()
