"""What is kept of real parts, and what other rooms ask of them."""

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from metier.logbook.plain import from_plain
from metier.logbook.trials import Trial, latest_on_printer
from metier.trials.kept import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.book import Logbook
    from metier.logbook.machines import Printer
    from metier.logbook.plain import Form
    from metier.trials.on_bench import OnBench
    from metier.trials.proof.settings import ProofSettings

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
        from metier.trials.proof.settings import FORM

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
