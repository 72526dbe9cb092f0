"""What pairs come to: where the wanted feel begins, and what to open for it."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.fit.feel import Begin, Feel, Opening, Pair, begin_of, judge_feel, opening
from metier.core.fit.thread import Thread, looser_classes
from metier.core.verdicts import Verdict

# So much is opened for the next try of a thread.
_AGAIN_MM = 0.05


class FitFinding(NamedTuple):
    """Where the wanted feel begins, what to change for it, and the thread, if one was asked.

    ``needed_mm`` is by how much to open on the diameter, ``looser`` the class of thread that
    brings as much play.
    """

    begin: Begin
    needed_mm: float | None
    opening: Opening | None
    thread: Thread | None
    looser: str | None
    verdict: Verdict
    notes: tuple[str, ...]


def judge_pairs(
    pairs: Sequence[Pair],
    want: Feel,
    now_mm: float | None,
    hole_share: float,
    thread: Thread | None = None,
    played_mm: float = 0.0,
) -> FitFinding:
    """Return what pairs say, where the clearance is ``now_mm`` on the diameter.

    ``hole_share`` is the part of an opening that holes get; ``played_mm`` the play that a thread
    has by design beside the clearances of ``pairs``.
    """
    begin = begin_of(pairs, want)
    verdict = judge_feel(begin, want, now_mm)
    if played_mm and verdict.name == "unclear":
        # A thread is printed again, not drawn with another clearance.
        way = "opened" if begin.fits_mm is None else "closed"
        again = f"bolt and nut once more, hole and contour {way} by {_AGAIN_MM:g} mm a side"
        verdict = verdict._replace(remedies=(again,))
    needed_mm = None if begin.begins_mm is None or now_mm is None else begin.begins_mm - now_mm
    notes: tuple[str, ...] = ()
    if begin.contradictory and verdict.name != "recheck":
        words = ", ".join(f"{pair.clearance_mm:g} {pair.feel}" for pair in begin.contradictory)
        notes = (f"these go against the order: {words}",)
    looser = None
    if thread and begin.begins_mm is not None:
        looser = looser_classes(thread, begin.begins_mm + played_mm)
    opened = None
    if verdict.name == "correct" and needed_mm is not None:
        opened = opening(needed_mm, hole_share)
    return FitFinding(begin, needed_mm, opened, thread, looser, verdict, notes)
