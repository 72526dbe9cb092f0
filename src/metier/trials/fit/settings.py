"""What pairs are reckoned with."""

from typing import Literal, NamedTuple

from metier.core.fit.feel import Feel
from metier.core.fit.thread import Drawn
from metier.logbook.plain import Form

Way = Literal["pair", "tried", "thread"]


class FitSettings(NamedTuple):
    """All that pairs are reckoned with besides themselves.

    ``way`` is ``pair`` for pairs of rising clearance, ``tried`` for one part at several
    compensations, ``thread`` for a thread with what is known of pairs. ``now_mm`` is the
    diametral clearance there is: designed, left by a thread, or opened by the compensations set.
    ``drawn`` is where in its class the thread is drawn.
    """

    way: Way
    want: Feel
    now_mm: float | None
    hole_set_mm: float
    contour_set_mm: float
    hole_share: float
    thread: str | None = None
    drawn: Drawn = "mid"


FORM = Form(FitSettings)
