"""What is kept of a real part that was measured, and how it is listed."""

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Literal, NamedTuple

from metier.core.measure.readings import Instrument
from metier.core.proof import At, Job
from metier.logbook.plain import Form, from_plain
from metier.logbook.trials import Reading, Trial, latest_on_printer
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.book import Logbook
    from metier.logbook.machines import Printer
    from metier.trials.on_bench import OnBench


# How many of the newest parts tell a printer's factor.
_NEWEST = 12
_COUNTED = 5


class Found(NamedTuple):
    """What a part came to, as far as tables and other rooms ask for it."""

    part: str
    mean_mm: float
    mean_u95_mm: float
    expected_mm: float
    off_percent: float
    time_factor: float | None = None
    estimate_from: str = "given"


class TimeFactor(NamedTuple):
    """By what prints on a printer take longer than estimated, as so many parts told."""

    factor: float
    prints: int


def time_factor(book: "Logbook", printer: "Printer") -> TimeFactor | None:
    """Return by what prints take longer on a printer than estimated; None where no part told.

    The geometric mean of the newest; those whose file Metier estimated itself are preferred.
    """
    known = [
        from_plain(Found, one.findings)
        for one in latest_on_printer(book, printer, KEPT.name, _NEWEST)
    ]
    told = [one for one in known if one.time_factor]
    own = [one for one in told if one.estimate_from == "file"]
    counted = [one.time_factor for one in (own or told)[:_COUNTED] if one.time_factor]
    if not counted:
        return None
    mean = math.fsum(math.log(one) for one in counted) / len(counted)
    return TimeFactor(math.exp(mean), len(counted))


class ProofKept(Kept):
    name = "proof"

    def form(self, settings: Mapping[str, object]) -> "Form[ProofSettings]":

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(Found, trial.findings)
        return HistoryRow(found.part[:12], f"{found.mean_mm:.3f}", f"{found.off_percent:+.1f} %")

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        found = from_plain(Found, trial.findings)
        return [
            CsvRow(self.name, found.part, found.mean_mm, found.expected_mm, None, None,
                   found.mean_u95_mm)
        ]  # fmt: skip

    def hand(self, here: "OnBench") -> str:
        return (
            "print a part of yours, let it cool, and measure its walls at three places or more; "
            "note its grams and minutes"
        )

    def command(self, here: "OnBench") -> str:
        return "metier proof"

    def before_measuring(self, trial: Trial) -> str:
        return "print the part and let it cool"


KEPT = ProofKept()


class ProofPlace(NamedTuple):
    """A place by its name: the wall it should have, and how many of the readings are of it."""

    name: str
    expected_mm: float
    readings: int = 0


class ProofSettings(NamedTuple):
    """The part and its places; what its file says and what it came to; a word, a path to a photo.

    ``estimate_from`` tells whose minutes the file's are; ``flow_percent`` is the flow in force.
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

    @property
    def job(self) -> Job:
        """What printing took beside what the file says."""
        return Job(self.grams, self.file_grams, self.minutes, self.file_minutes)

    def measured(self, readings: Sequence[Reading]) -> list[At]:
        """Return the places with their readings."""
        found, at = [], 0
        for one in self.places:
            taken = readings[at : at + one.readings]
            at += one.readings
            found.append(At(one.name, tuple(each.value for each in taken), one.expected_mm))
        return found


FORM = Form(ProofSettings)
