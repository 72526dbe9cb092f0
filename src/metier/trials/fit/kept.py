"""What is kept of pairs that were tried, and how they are listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal, NamedTuple

from metier.core.fit.feel import Feel
from metier.core.fit.thread import Drawn, thread_of
from metier.logbook.plain import Form, from_plain
from metier.logbook.trials import Trial
from metier.show.figures import both_text, proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
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


Way = Literal["pair", "tried", "thread"]


class PrintedPairs(NamedTuple):
    """A pin, and the clearances that holes for it are drawn with, on the diameter."""

    pin_mm: float
    clearances_mm: tuple[float, ...]


class FitSettings(NamedTuple):
    """All that pairs are reckoned with besides themselves.

    ``way`` is ``pair`` for pairs of rising clearance, ``tried`` for one part at several
    compensations, ``thread`` for a thread with what is known of pairs. ``now_mm`` is the
    diametral clearance there is: designed, left by a thread, or opened by the compensations set.
    ``drawn`` is where in its class the thread is drawn. ``pairs`` are those that are printed.
    """

    way: Way
    want: Feel
    now_mm: float | None
    hole_set_mm: float
    contour_set_mm: float
    hole_share: float
    thread: str | None = None
    drawn: Drawn = "mid"
    pairs: PrintedPairs | None = None

    @property
    def now_play_mm(self) -> float:
        """The play of the thread as it is drawn; 0 without one."""
        return thread_of(self.thread).play_mm(self.drawn) if self.thread else 0.0


FORM = Form(FitSettings)
