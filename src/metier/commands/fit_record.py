"""Mating parts as the logbook keeps them, and what they say."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from metier.core.feel import FEELS, Begin, Feel, Opening, Pair, begin_of, judge_feel, opening
from metier.core.refusal import Refusal
from metier.core.thread import Thread, looser_classes, thread_of
from metier.core.verdicts import Verdict
from metier.logbook.trials import Reading


class FitReckoning(NamedTuple):
    """All that pairs are reckoned with besides themselves; kept with the trial.

    ``way`` is ``pair`` for pairs of rising clearance, ``tried`` for one part at several
    compensations, ``thread`` for a thread with what is known of pairs. ``now_mm`` is the
    diametral clearance there is: designed, left by a thread, or opened by the compensations set.
    """

    way: str
    want: Feel
    now_mm: float | None
    hole_set_mm: float
    contour_set_mm: float
    hole_share: float
    thread: str | None = None

    def settings(self) -> dict[str, Any]:
        """Return it as the logbook keeps it."""
        return self._asdict()

    @classmethod
    def of(cls, settings: dict[str, Any]) -> "FitReckoning":
        """Return what a trial was reckoned with."""
        return cls(**{name: settings[name] for name in cls._fields})


class FitFinding(NamedTuple):
    """Where the wanted feel begins, what to change for it, and the thread, if one was asked."""

    begin: Begin
    needed_mm: float | None
    opening: Opening | None
    thread: Thread | None
    looser: str | None
    verdict: Verdict
    notes: tuple[str, ...]


def judge_fit(reckoning: FitReckoning, readings: Sequence[Reading]) -> FitFinding:
    """Return what the pairs say.

    Raises:
        Refusal: too few pairs, or a thread there is not.
    """
    begin = begin_of([_pair(one) for one in readings], reckoning.want)
    thread = thread_of(reckoning.thread) if reckoning.thread else None
    verdict = judge_feel(begin, reckoning.want, reckoning.now_mm)
    needed = None
    if begin.begins_mm is not None and reckoning.now_mm is not None:
        needed = begin.begins_mm - reckoning.now_mm
    notes = []
    if begin.contradictory and verdict.name != "recheck":
        words = ", ".join(f"{one.clearance_mm:g} {one.feel}" for one in begin.contradictory)
        notes.append(f"these go against the order: {words}")
    looser = None
    if thread and begin.begins_mm is not None:
        looser = looser_classes(thread, begin.begins_mm)
    wanted = verdict.name == "correct" and needed is not None
    return FitFinding(
        begin,
        needed,
        opening(needed or 0.0, reckoning.hole_share) if wanted else None,
        thread,
        looser,
        verdict,
        tuple(notes),
    )


def _pair(reading: Reading) -> Pair:
    return Pair(reading.value_mm, read_feel(reading.side))


def read_feel(text: str) -> Feel:
    """Read a feel.

    Raises:
        Refusal: another word.
    """
    for feel in FEELS:
        if text.strip().lower() == feel:
            return feel
    raise Refusal(f"{text[:40]!r} is no feel: {', '.join(FEELS)}")


def find(settings: dict[str, Any], readings: Sequence[Reading]) -> dict[str, Any]:
    """Return the findings of such a trial from what the logbook keeps of it."""
    reckoning = FitReckoning.of(settings)
    return payload_of(reckoning, judge_fit(reckoning, readings), ())


def payload_of(
    reckoning: FitReckoning, finding: FitFinding, notes: Sequence[str]
) -> dict[str, Any]:
    """Return a finding as JSON and the logbook have it."""
    begin, opened, thread = finding.begin, finding.opening, finding.thread
    return {
        "want": reckoning.want,
        "begins_mm": begin.begins_mm,
        "begins_u95_mm": begin.u95_mm,
        "tighter_mm": begin.tighter_mm,
        "fits_mm": begin.fits_mm,
        "ends_mm": begin.ends_mm,
        "contradictory": [one._asdict() for one in begin.contradictory],
        "now_mm": reckoning.now_mm,
        "open_mm": finding.needed_mm,
        "open_surely_mm": None
        if begin.fits_mm is None or reckoning.now_mm is None
        else begin.fits_mm - reckoning.now_mm,
        "hole_change_mm": opened and opened.hole_mm,
        "contour_change_mm": opened and opened.contour_mm,
        "hole_to_type_mm": opened and round(reckoning.hole_set_mm + opened.hole_mm, 10),
        "contour_to_type_mm": opened and round(reckoning.contour_set_mm + opened.contour_mm, 10),
        "thread": thread
        and {
            "name": thread.name,
            "classes": thread.classes,
            "pitch_diameter_mm": thread.pitch_diameter_mm,
            "least_play_mm": thread.least_play_mm,
            "most_play_mm": thread.most_play_mm,
            "allowance_mm": thread.allowance_mm,
            "internal_tolerance_mm": thread.internal_tolerance_mm,
            "external_tolerance_mm": thread.external_tolerance_mm,
            "looser_classes": finding.looser,
        },
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
        "remedies": list(finding.verdict.remedies),
        "notes": [*notes, *finding.notes],
    }
