"""What pairs are reckoned with."""

from typing import Literal, NamedTuple

from metier.core.fit.feel import Feel
from metier.core.fit.thread import Drawn, thread_of
from metier.logbook.plain import Form

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
