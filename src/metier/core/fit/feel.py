"""Pairs that were tried by hand: where a feel begins, and how they mate."""

import math
from bisect import bisect_left
from collections.abc import Sequence
from itertools import accumulate
from typing import Literal, NamedTuple, get_args

from metier.core.errors import BadInput
from metier.core.fit.thread import Thread, looser_classes
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import exceeds, round_to, same
from metier.core.verdicts import Verdict

Feel = Literal["stuck", "press", "snug", "slide", "loose"]

# Beyond this nothing is fitted any more.
_WIDEST_MM = 5.0
# Where a feel may begin; the noise with which a pair is felt, its hole's printing in it; and by how
# much plates differ (1 u).
_THRESHOLDS_MM = (-0.1, 0.6)
_FELT_MM = 0.036
_PLATES_MM = 0.024
# A clearance where the next feel begins is that next feel.
_BELOW_MM = 0.01
_GRID = 1400
# From the tightest on.
FEELS: tuple[Feel, ...] = get_args(Feel)


# What a hole leaves round a smooth gauge that goes in so, on the diameter: at least and at most.
_GAUGE_PLAY_MM: dict[Feel, tuple[float, float]] = {
    "press": (-0.05, 0.05),
    "snug": (0.0, 0.12),
    "slide": (0.08, 0.30),
}


def gauge_play_mm(feel: Feel) -> tuple[float, float]:
    """Return the least and the most that a hole is wider than a smooth gauge that feels so in it.

    Raises:
        BadInput: stuck or loose, which bounds one side alone.
    """
    if feel not in _GAUGE_PLAY_MM:
        told = ", ".join(_GAUGE_PLAY_MM)
        raise BadInput(f"{feel} bounds one side alone: try a gauge that feels {told}")
    return _GAUGE_PLAY_MM[feel]


class Pair(NamedTuple):
    """A diametral clearance in mm, and how the two parts went together."""

    clearance_mm: float
    feel: Feel


class Begin(NamedTuple):
    """Where a feel begins, in mm: the mean of what the pairs leave possible, and its 95 % range.

    ``tighter_mm`` is the widest that is tighter than wanted, ``fits_mm`` the closest that is not,
    ``ends_mm`` the first that is looser than wanted; None where there is none. ``contradictory``
    are the pairs that go against the order.
    """

    tighter_mm: float | None
    fits_mm: float | None
    ends_mm: float | None
    contradictory: tuple[Pair, ...]
    mean_mm: float
    interval_mm: tuple[float, float]

    @property
    def begins_mm(self) -> float | None:
        """Where it begins, where pairs are on both sides of that."""
        return None if self.tighter_mm is None or self.fits_mm is None else self.mean_mm

    @property
    def u95_mm(self) -> float | None:
        """Half the range."""
        if self.begins_mm is None:
            return None
        return (self.interval_mm[1] - self.interval_mm[0]) / 2

    @property
    def sure_mm(self) -> float | None:
        """The clearance at which it has surely begun, and the next feel has not."""
        if self.begins_mm is None:
            return None
        high = self.interval_mm[1]
        return high if self.ends_mm is None else min(high, self.ends_mm - _BELOW_MM)


class Opening(NamedTuple):
    """What to change so that parts fit, per side: holes plus, outlines minus to open."""

    total_mm: float
    hole_mm: float
    contour_mm: float


def begin_of(pairs: Sequence[Pair], want: Feel) -> Begin:
    """Return where ``want`` begins.

    >>> pairs = [Pair(0.1, "press"), Pair(0.2, "snug"), Pair(0.3, "slide")]
    >>> round(begin_of(pairs, "slide").begins_mm, 3)
    0.25

    Raises:
        BadInput: no clearance, or pairs that contradict each other throughout.
    """
    for pair in pairs:
        if abs(pair.clearance_mm) > _WIDEST_MM:
            raise BadInput(f"{pair.clearance_mm:g} mm is no clearance: tenths of a mm at most")
    rank = FEELS.index(want)
    tighter = [pair for pair in pairs if FEELS.index(pair.feel) < rank]
    fits = [pair for pair in pairs if FEELS.index(pair.feel) >= rank]
    looser = [pair for pair in pairs if FEELS.index(pair.feel) > rank]
    return Begin(
        max((pair.clearance_mm for pair in tighter), default=None),
        min((pair.clearance_mm for pair in fits), default=None),
        min((pair.clearance_mm for pair in looser), default=None),
        tuple(_contradictory(pairs)),
        *_threshold([pair.clearance_mm for pair in fits], [pair.clearance_mm for pair in tighter]),
    )


def _threshold(
    fits_mm: Sequence[float], tighter_mm: Sequence[float]
) -> tuple[float, tuple[float, float]]:
    """Return the mean and the central 95 % of where the feel begins.

    Flat beforehand; a pair goes with the probability that noise lifts it over the threshold (a
    probit model: Finney, Probit Analysis, 1971). Both sides are widened by what plates differ.
    """
    low, high = _THRESHOLDS_MM
    places = [low + (high - low) * i / _GRID for i in range(_GRID + 1)]
    weights = []
    for place in places:
        weight = 1.0
        for clearance in fits_mm:
            weight *= math.erfc((place - clearance) / _FELT_MM / math.sqrt(2)) / 2
        for clearance in tighter_mm:
            weight *= math.erfc((clearance - place) / _FELT_MM / math.sqrt(2)) / 2
        weights.append(weight)
    whole = math.fsum(weights)
    if whole == 0:
        raise BadInput("these pairs contradict each other: nothing can be told from them")
    mean = math.fsum(w * place for w, place in zip(weights, places, strict=True)) / whole
    below = list(accumulate(weights))
    limits = [places[bisect_left(below, part * whole)] for part in (0.025, 0.975)]
    low, high = (math.hypot(limit - mean, NORMAL95 * _PLATES_MM) for limit in limits)
    return mean, (mean - low, mean + high)


def _contradictory(pairs: Sequence[Pair]) -> list[Pair]:
    """Return the pairs that feel tighter than one of less clearance does, or looser than more."""
    odd = []
    for pair in pairs:
        rank = FEELS.index(pair.feel)
        for other in pairs:
            wider = exceeds(pair.clearance_mm, other.clearance_mm)
            like = same(pair.clearance_mm, other.clearance_mm)
            if (wider and rank < FEELS.index(other.feel)) or (
                exceeds(other.clearance_mm, pair.clearance_mm) and rank > FEELS.index(other.feel)
            ):
                odd.append(pair)
                break
            if like and pair.feel != other.feel:
                odd.append(pair)
                break
    return sorted(odd)


def opening(needed_mm: float, hole_share: float = 0.5, round_to_mm: float = 0.01) -> Opening:
    """Return how to give ``needed_mm`` more on the diameter: half of it per side, in two shares.

    >>> opening(0.2)
    Opening(total_mm=0.1, hole_mm=0.05, contour_mm=-0.05)
    """
    total = needed_mm / 2
    hole = round_to(total * hole_share, round_to_mm)
    return Opening(total, hole, -round_to(total - hole, round_to_mm))


def judge_feel(begin: Begin, want: Feel, designed_mm: float | None) -> Verdict:
    """Return what the pairs say; with a designed clearance, whether that is enough."""
    if begin.contradictory:
        words = ", ".join(f"{pair.clearance_mm:g} {pair.feel}" for pair in begin.contradictory)
        crossed = (begin.tighter_mm or 0.0) - (begin.fits_mm or 0.0)
        if begin.fits_mm is not None and exceeds(crossed, 3 * _FELT_MM):
            return Verdict(
                "recheck",
                f"these contradict each other: {words}",
                ("stringing, a blob or a burr in the tight ones", "the pairs: mixed up?"),
            )
    if begin.fits_mm is None and begin.tighter_mm is None:
        return Verdict(
            "unclear",
            f"nothing was tried: where {want} begins on this printer is not known",
            ("pairs of rising clearance: {pairs}",),
        )
    if begin.fits_mm is None:
        step = (begin.tighter_mm or 0.1) + 0.1
        return Verdict(
            "unclear", f"none is as loose as {want}", (f"pairs from {step:.2g} mm clearance on",)
        )
    if begin.tighter_mm is None:
        return Verdict(
            "unclear",
            f"all are as loose as {want} or looser: it begins at {begin.fits_mm:g} mm or below",
            ("pairs of less clearance",),
        )
    if designed_mm is None:
        return Verdict("correct", f"{want} begins at {begin.begins_mm:.3g} ± {begin.u95_mm:.2g} mm")
    short_mm = (begin.begins_mm or 0.0) - designed_mm
    low, high = begin.interval_mm
    if not exceeds(designed_mm, low):
        reason = f"{designed_mm:.3g} mm is {short_mm:.2f} mm too little on the diameter for {want}"
        return Verdict("correct", reason)
    if begin.ends_mm is not None and not exceeds(begin.ends_mm, designed_mm):
        return Verdict("correct", f"{designed_mm:.3g} mm is looser than {want}")
    if exceeds(high, designed_mm):
        return Verdict(
            "unclear",
            f"{designed_mm:.3g} mm lies just where {want} begins: it may or may not",
            (f"pairs about {designed_mm:.3g} mm", f"opening to {high:.2f} mm, to be sure"),
        )
    return Verdict("keep", f"{designed_mm:.3g} mm is enough for {want}")


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
