"""Runs of filament to steps per mm: what was moved of what was asked, at one length or two."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.esteps.verdict import (
    KEEP_WITHIN,
    FittedLengths,
    doubted,
    fit_lengths,
    large_change_note,
    misread_note,
    verdict_of_line,
    verdict_of_runs,
)
from metier.core.measure.readings import (
    Estimate,
    Instrument,
    estimate,
    refuse_slip,
    repeat_uncertainty,
    scatter_note,
)
from metier.core.measure.student import Influence, by_size
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.verdicts import Verdict

# Asked length that surely leaves the mark outside the inlet, relative to the mark's distance.
SAFE_ASK = 0.6
# What the longest of one to four readings gains by noise, in repeatabilities.
_GAINED = {1: 0.0, 2: 0.56, 3: 0.85, 4: 1.03}
_PLAY_MM = 0.5


class EstepsFinding(NamedTuple):
    """What a fed length says about steps per mm.

    ``moved`` is the length per run in mm; None where runs of two lengths gave ``line``, and, like
    ``steps_new``, when the mark was swallowed, where only ``steps_below`` is known.
    ``steps_to_type`` has the firmware's decimals; it is the present value when nothing is to be
    changed, None when nothing should be typed yet. ``influences`` make the ± of the new steps.
    """

    moved: Estimate | None
    asked_mm: float
    steps_now: float
    steps_new: float | None
    steps_new_u95: float | None
    steps_below: float | None
    steps_to_type: float | None
    verdict: Verdict
    notes: tuple[str, ...]
    line: FittedLengths | None = None
    influences: tuple[Influence, ...] = ()

    @property
    def change(self) -> float | None:
        """The new steps relative to the present ones, less one."""
        return None if self.steps_new is None else self.steps_new / self.steps_now - 1


def from_mark(
    left_mm: Sequence[float],
    *,
    mark_mm: float,
    asked_mm: float,
    steps_now: float,
    instrument: Instrument,
    decimals: int = 2,
    within: float = KEEP_WITHIN,
    reach_mm: float | None = None,
    swapped: bool = False,
) -> EstepsFinding:
    """Judge runs in which a pen mark ``mark_mm`` from the inlet came to ``left_mm`` from it.

    The mark is set anew for each run, so each moved length carries two pen-mark errors.

    >>> finding = from_mark([35.1, 34.8, 35.4], mark_mm=180, asked_mm=150, steps_now=412,
    ...                     instrument=Instrument(0.25, 0.03, 0.01))
    >>> round(finding.moved.value, 2), round(finding.steps_new, 2), finding.steps_to_type
    (144.9, 426.5, 426.5)

    Raises:
        BadInput: mark not beyond what was asked, nothing moved, or a length not above zero.
    """
    if mark_mm == asked_mm:
        raise BadInput(
            f"the mark at {mark_mm:g} mm is just what was asked for: how far it stopped short of "
            "the inlet is --short"
        )
    check_mark(mark_mm, asked_mm)
    for left in left_mm:
        if not 0 <= left < mark_mm:
            raise BadInput(
                f"left {left:g} mm must be from 0 to less than the mark at {mark_mm:g} mm: "
                "nothing would have moved"
            )
    runs_mm = [mark_mm - left for left in left_mm]
    runs = list(zip(left_mm, runs_mm, strict=True))
    typed = _Typed(runs, decimals, within, reach_mm, swapped)
    return _judge(asked_mm, steps_now, _twice(instrument), typed)


def from_gauge(
    short_mm: Sequence[float],
    *,
    asked_mm: float,
    steps_now: float,
    instrument: Instrument,
    decimals: int = 2,
    within: float = KEEP_WITHIN,
    reach_mm: float | None = None,
    swapped: bool = False,
) -> EstepsFinding:
    """Judge runs in which a mark set at exactly ``asked_mm`` stopped ``short_mm`` of the inlet.

    Raises:
        BadInput: short of more than was asked, or a length not above zero.
    """
    for short in short_mm:
        if not 0 <= short < asked_mm:
            raise BadInput(
                f"short {short:g} mm must be from 0 to less than the {asked_mm:g} mm asked"
            )
    runs_mm = [asked_mm - short for short in short_mm]
    runs = list(zip(short_mm, runs_mm, strict=True))
    typed = _Typed(runs, decimals, within, reach_mm, swapped)
    finding = _judge(asked_mm, steps_now, _twice(instrument), typed)
    if min(short_mm) > 0:
        return finding
    blind = (
        "a mark set at the asked length cannot show over-extrusion: set it further out and "
        "measure what is left"
    )
    return finding._replace(notes=(*finding.notes, blind))


def from_cut(
    strands_mm: Sequence[Sequence[float]],
    *,
    asked_mm: float,
    steps_now: float,
    instrument: Instrument,
    decimals: int = 2,
    within: float = KEEP_WITHIN,
    reach_mm: float | None = None,
    swapped: bool = False,
) -> EstepsFinding:
    """Judge pieces cut from the open cold end; each strand's longest reading counts.

    A strand is curled: whoever measures it twice believes the longer one, less what the longest
    of several gains by noise alone (expected value of normal order statistics).

    Raises:
        BadInput: a length not above zero, or far from what was asked.
    """
    s0 = instrument.repeatability_mm
    longest = [max(strand) - _GAINED[min(len(strand), 4)] * s0 for strand in strands_mm]
    typed = _Typed([(run, run) for run in longest], decimals, within, reach_mm, swapped)
    return _judge(asked_mm, steps_now, instrument, typed)


# Of a run whose way nobody tells: as of a pen mark.
_TOLD = Instrument(math.sqrt(2) * 0.25, 0.03, 0.01)


def from_moved(
    moved_mm: Sequence[float],
    *,
    asked_mm: float,
    steps_now: float,
    decimals: int = 2,
    within: float = KEEP_WITHIN,
    reach_mm: float | None = None,
    swapped: bool = False,
) -> EstepsFinding:
    """Judge runs of which only what moved is told.

    Raises:
        BadInput: a length not above zero, or far from what was asked.
    """
    typed = _Typed([(run, run) for run in moved_mm], decimals, within, reach_mm, swapped)
    return _judge(asked_mm, steps_now, _TOLD, typed)


def from_lengths(
    moved_mm: Sequence[float],
    *,
    asked_mm: Sequence[float],
    steps_now: float,
    instrument: Instrument,
    decimals: int = 2,
    within: float = KEEP_WITHIN,
) -> EstepsFinding:
    """Judge runs of two lengths or more at the same steps: what moved in proportion alone counts.

    Raises:
        BadInput: lengths not above zero, far from what was asked, or all asked alike.
    """
    _check_steps(steps_now)
    for moved, asked in zip(moved_mm, asked_mm, strict=True):
        refuse_slip(moved, asked, "moved length")
    line = fit_lengths(asked_mm, moved_mm, _twice(instrument))
    steps_new = steps_now / line.slope
    verdict = verdict_of_line(line, asked_mm, _twice(instrument), within)
    notes = [large_change_note(steps_new / steps_now)]
    if exceeds(abs(line.play_mm), _PLAY_MM):
        notes.append(
            f"each run is {line.play_mm:+.2f} mm off whatever its length: play, the inlet or the "
            "mark; it does not count"
        )
    return EstepsFinding(
        moved=None,
        asked_mm=max(asked_mm),
        steps_now=steps_now,
        steps_new=steps_new,
        steps_new_u95=steps_new * line.u95 / line.slope,
        steps_below=None,
        steps_to_type=_to_type(verdict, steps_now, steps_new, decimals),
        verdict=verdict,
        notes=tuple(note for note in notes if note),
        line=line,
    )


def _to_type(verdict: Verdict, steps_now: float, steps_new: float, decimals: int) -> float | None:
    if verdict.name == "correct":
        return round_to(steps_new, 10.0**-decimals)
    return None if verdict.name == "recheck" else steps_now


def swallowed(*, mark_mm: float, asked_mm: float, steps_now: float) -> EstepsFinding:
    """Judge a run in which the mark went into the inlet: only a bound, the steps are too high.

    Raises:
        BadInput: mark nearer than what was asked, or a value not above zero.
    """
    # A mark at just the asked length goes in at the slightest excess.
    if mark_mm != asked_mm:
        check_mark(mark_mm, asked_mm)
    _check_steps(steps_now)
    below = steps_now * asked_mm / mark_mm
    verdict = Verdict(
        "recheck",
        f"the mark went in: more than {mark_mm:g} mm moved for {asked_mm:g} mm asked",
        (
            f"the ask: {SAFE_ASK * mark_mm:.3g} mm or less with the mark at {mark_mm:g}, "
            + f"or the mark at {math.ceil(asked_mm / SAFE_ASK - 1e-9):g} mm or beyond",
            f"the steps in the printer: they belong below {below:.2f}",
        ),
    )
    return EstepsFinding(
        moved=None,
        asked_mm=asked_mm,
        steps_now=steps_now,
        steps_new=None,
        steps_new_u95=None,
        steps_below=below,
        steps_to_type=None,
        verdict=verdict,
        notes=(),
    )


def mm_per_turn(full_steps: float, microsteps: float, steps_per_mm: float) -> float:
    """Return the filament fed per motor turn, for firmware that stores that instead."""
    return full_steps * microsteps / steps_per_mm


def _twice(instrument: Instrument) -> Instrument:
    """The instrument where a length is the difference of two like readings."""
    return instrument._replace(repeatability_mm=math.sqrt(2) * instrument.repeatability_mm)


def check_mark(mark_mm: float, asked_mm: float) -> None:
    """Refuse a mark that would go in.

    Raises:
        BadInput: it is not beyond what is asked.
    """
    if not asked_mm < mark_mm < math.inf:
        raise BadInput(
            f"mark at {mark_mm:g} mm must be beyond the {asked_mm:g} mm asked, or it goes in: "
            "set it 20 to 30 mm further out"
        )


def _check_steps(steps_now: float) -> None:
    if not 0 < steps_now < math.inf:
        raise BadInput(f"steps {steps_now:g} must be above zero")


class _Typed(NamedTuple):
    """Runs as they were typed, each with what moved, and how they are judged."""

    runs: list[tuple[float, float]]
    decimals: int
    within: float
    reach_mm: float | None
    swapped: bool


def _judge(
    asked_mm: float, steps_now: float, instrument: Instrument, typed: _Typed
) -> EstepsFinding:
    if not 0 < asked_mm < math.inf:
        raise BadInput(f"asked {asked_mm:g} mm must be above zero")
    _check_steps(steps_now)
    runs_mm = [moved_mm for _, moved_mm in typed.runs]
    moved = estimate(runs_mm, instrument)
    for run in runs_mm:
        refuse_slip(run, asked_mm, "moved length")
    steps_new = steps_now * asked_mm / moved.value
    verdict = doubted(
        typed.runs, asked_mm, steps_new / steps_now, typed.swapped
    ) or verdict_of_runs(moved, asked_mm, instrument, typed.within, typed.reach_mm)
    per_mm = steps_new / moved.value
    notes = (
        misread_note(runs_mm, asked_mm, steps_now, instrument),
        scatter_note(moved, instrument),
        large_change_note(steps_new / steps_now) if verdict.name != "recheck" else None,
    )
    return EstepsFinding(
        moved=moved,
        asked_mm=asked_mm,
        steps_now=steps_now,
        steps_new=steps_new,
        steps_new_u95=steps_new * moved.u95 / moved.value,
        steps_below=None,
        steps_to_type=_to_type(verdict, steps_now, steps_new, typed.decimals),
        verdict=verdict,
        notes=tuple(note for note in notes if note),
        influences=by_size(
            {
                "runs": repeat_uncertainty(moved.scatter, moved.n, instrument)[0] * per_mm,
                "instrument": instrument.accuracy_mm / math.sqrt(3) * per_mm,
            }
        ),
    )
