"""What is kept of pairs that were tried, and how they are listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal, NamedTuple

from metier.core.fit.feel import Feel, Pair
from metier.core.fit.thread import Drawn, thread_of
from metier.logbook.plain import Form
from metier.logbook.trials import Trial
from metier.show.figures import both_text, proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.trials.on_bench import OnBench


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


class ThreadResult(NamedTuple):
    """A thread by ISO 68-1 or ASME B1.1: its classes, and the play that they leave."""

    name: str
    classes: str
    pitch_diameter_mm: float
    least_play_mm: float
    most_play_mm: float
    allowance_mm: float
    internal_tolerance_mm: float
    external_tolerance_mm: float
    looser_classes: str | None


class FitResult(NamedTuple):
    """Where the wanted feel begins, what there is, and by how much to open for it."""

    want: Feel
    begins_mm: float | None
    begins_u95_mm: float | None
    begins_interval_mm: tuple[float, ...]
    tighter_mm: float | None
    fits_mm: float | None
    ends_mm: float | None
    contradictory: tuple[Pair, ...]
    now_mm: float | None
    open_mm: float | None
    open_surely_mm: float | None
    hole_change_mm: float | None
    contour_change_mm: float | None
    hole_to_type_mm: float | None
    contour_to_type_mm: float | None
    thread: ThreadResult | None


class FitKept(Kept[FitResult]):
    name = "fit"
    record = FitResult
    # Of version 1 are pairs felt with less noise than there is.
    settings = Form(FitSettings, 2)

    def row(self, trial: Trial) -> HistoryRow:
        result = self.of(trial)
        begins = "" if result.begins_mm is None else f"{result.begins_mm:.2f}"
        typed = both_text(result.hole_to_type_mm, result.contour_to_type_mm)
        return HistoryRow(result.want, begins, "", typed)

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        result = self.of(trial)
        begins_mm, u95_mm, fits_mm = result.begins_mm, result.begins_u95_mm, result.fits_mm
        open_mm, hole_mm = result.open_mm, result.hole_to_type_mm
        return [CsvRow(self.name, result.now_mm, begins_mm, fits_mm, open_mm, hole_mm, u95_mm)]

    def command(self, bench: "OnBench") -> str:
        # What is typed in for it is the slicer's, so the slicer has to slice it.
        from metier.trials.on_bench import next_part

        return proposed(self.name, "--plan", *next_part(bench, "pairs", ".3mf"))

    def measured_with(self, settings: Mapping[str, object]) -> str:
        return "--feel FEEL" if settings.get("thread") else "--feel FEEL …"


KEPT = FitKept()
