"""What pairs are reckoned with, and what they were found to say."""

from typing import Literal, NamedTuple

from metier.core.fit.feel import Begin, Feel, Opening
from metier.core.fit.thread import Thread
from metier.core.verdicts import Verdict

Way = Literal["pair", "tried", "thread"]


class FitSettings(NamedTuple):
    """All that pairs are reckoned with besides themselves.

    ``way`` is ``pair`` for pairs of rising clearance, ``tried`` for one part at several
    compensations, ``thread`` for a thread with what is known of pairs. ``now_mm`` is the
    diametral clearance there is: designed, left by a thread, or opened by the compensations set.
    """

    way: Way
    want: Feel
    now_mm: float | None
    hole_set_mm: float
    contour_set_mm: float
    hole_share: float
    thread: str | None = None


class FitFinding(NamedTuple):
    """Where the wanted feel begins, what to change for it, and the thread, if one was asked."""

    begin: Begin
    needed_mm: float | None
    opening: Opening | None
    thread: Thread | None
    looser: str | None
    verdict: Verdict
    notes: tuple[str, ...]


class Found(NamedTuple):
    """What pairs came to, as far as tables show it."""

    want: Feel
    begins_mm: float | None
    fits_mm: float | None
    now_mm: float | None
    open_mm: float | None
    hole_to_type_mm: float | None
    contour_to_type_mm: float | None
