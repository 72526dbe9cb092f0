"""What is kept of pairs, and how they are listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from metier.core.fit.feel import Feel
from metier.logbook.plain import from_plain
from metier.logbook.trials import Trial
from metier.show.command import proposed
from metier.show.figures import both_text
from metier.trials.kept import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.plain import Form
    from metier.trials.fit.settings import FitSettings
    from metier.trials.on_bench import OnBench


class Found(NamedTuple):
    """What pairs came to, as far as tables show it."""

    want: Feel
    begins_mm: float | None
    fits_mm: float | None
    now_mm: float | None
    open_mm: float | None
    hole_to_type_mm: float | None
    contour_to_type_mm: float | None
    begins_u95_mm: float | None = None


class FitKept(Kept):
    name = "fit"

    def form(self, settings: Mapping[str, object]) -> "Form[FitSettings]":
        from metier.trials.fit.settings import FORM

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(Found, trial.findings)
        begins = "" if found.begins_mm is None else f"{found.begins_mm:.2f}"
        typed = both_text(found.hole_to_type_mm, found.contour_to_type_mm)
        return HistoryRow(found.want, begins, "", typed)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        _, begins_mm, fits_mm, now_mm, open_mm, hole_mm, _, u95_mm = from_plain(
            Found, trial.findings
        )
        return [CsvRow(self.name, now_mm, begins_mm, fits_mm, open_mm, hole_mm, u95_mm)]

    def command(self, here: "OnBench") -> str:
        # What is typed in for it is the slicer's, so the slicer has to slice it.
        from metier.trials.part_path import next_part

        return proposed(self.name, "--plan", *next_part(here, "pairs", ".3mf"))


KEPT = FitKept()
