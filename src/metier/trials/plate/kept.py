"""What is kept of a plate, and how it is listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from metier.logbook.plain import from_plain
from metier.logbook.trials import Trial
from metier.show.command import proposed
from metier.show.figures import both_text
from metier.trials.kept import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.plain import Form
    from metier.trials.on_bench import OnBench
    from metier.trials.plate.settings import PlateSettings


_KINDS = ("hole", "contour")


class Found(NamedTuple):
    """What a plate came to, as far as tables show it."""

    hole_set_mm: float | None
    hole_per_side_mm: float | None
    hole_new_mm: float | None
    hole_to_type_mm: float | None
    contour_set_mm: float | None
    contour_per_side_mm: float | None
    contour_new_mm: float | None
    contour_to_type_mm: float | None
    hole_u_fit_mm: float | None = None
    contour_u_fit_mm: float | None = None
    hole_u95_mm: float | None = None
    contour_u95_mm: float | None = None
    hole_opened_mm: float | None = None
    contour_opened_mm: float | None = None

    @property
    def hole_measured_mm(self) -> float | None:
        """The compensation that lets holes measure as drawn."""
        return None if self.hole_new_mm is None else self.hole_new_mm - (self.hole_opened_mm or 0)

    @property
    def contour_measured_mm(self) -> float | None:
        """The compensation that lets outlines measure as drawn."""
        if self.contour_new_mm is None:
            return None
        return self.contour_new_mm - (self.contour_opened_mm or 0)


class PlateKept(Kept):
    name = "xy"

    def form(self, settings: Mapping[str, object]) -> "Form[PlateSettings]":
        from metier.trials.plate.settings import FORM

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(Found, trial.findings)
        both = both_text(found.hole_per_side_mm, found.contour_per_side_mm)
        return HistoryRow("", both, "", both_text(found.hole_to_type_mm, found.contour_to_type_mm))

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        found = from_plain(Found, trial.findings)._asdict()
        return [
            CsvRow(
                f"{self.name} {kind}",
                set=found[f"{kind}_set_mm"],
                measured=found[f"{kind}_per_side_mm"],
                new=found[f"{kind}_new_mm"],
                to_type=found[f"{kind}_to_type_mm"],
                u95=found[f"{kind}_u95_mm"],
            )
            for kind in _KINDS
        ]

    def command(self, here: "OnBench") -> str:
        # What is typed in for it is the slicer's, so the slicer has to slice it.
        from metier.trials.part_path import next_part

        return proposed(self.name, "--plan", *next_part(here, "plate", ".3mf"))


KEPT = PlateKept()
