"""From a marked or cut length of filament to the steps per mm that feed what was asked."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.lengths import FittedLengths, fit_lengths, repeats_wanted
from metier.core.measure.budget import Influence, by_size
from metier.core.measure.readings import (
    Estimate,
    Instrument,
    estimate,
    repeat_uncertainty,
    scatter_note,
    scatters_more_than,
    suspects,
)
from metier.core.measure.settle import expected_u95_mm, further_readings, unlucky_mm
from metier.core.measure.slips import refuse_slip
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.refusal import Refusal
from metier.core.verdicts import Verdict

# Relative to the length asked for.
KEEP_WITHIN = 0.005
UNCLEAR_ABOVE = 0.0075
RECHECK_ABOVE = 0.03
# Asked length that surely leaves the mark outside the inlet, relative to the mark's distance.
SAFE_ASK = 0.6
MOST_RUNS = 8
# What the longest of one, two or three readings gains by noise, in repeatabilities.
_GAINED = {1: 0.0, 2: 0.56, 3: 0.85}
# One run of so little can never be clear; two lengths can.
_TWO_LENGTHS_BELOW_MM = 125.0
_PLAY_MM = 0.5
# No change by wear or slip is larger; beyond it another part is on the machine.
LARGE_CHANGE = 0.10
_RATIOS = {"x2": 2.0, "x½": 0.5, "x1.5": 1.5, "x⅔": 2 / 3, "x3": 3.0, "x⅓": 1 / 3}


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
) -> EstepsFinding:
    """Judge runs in which a pen mark ``mark_mm`` from the inlet came to ``left_mm`` from it.

    The mark is set anew for each run, so each moved length carries two pen-mark errors.

    >>> finding = from_mark([35.1, 34.8, 35.4], mark_mm=180, asked_mm=150, steps_now=412,
    ...                     instrument=Instrument(0.25, 0.03, 0.01))
    >>> round(finding.moved.value, 2), round(finding.steps_new, 2), finding.steps_to_type
    (144.9, 426.5, 426.5)

    Raises:
        Refusal: mark not beyond what was asked, nothing moved, or a length not above zero.
    """
    _check_mark(mark_mm, asked_mm)
    for left in left_mm:
        if not 0 <= left < mark_mm:
            raise Refusal(
                f"left {left:g} mm must be from 0 to less than the mark at {mark_mm:g} mm: "
                "nothing would have moved"
            )
    return _judge(
        [mark_mm - left for left in left_mm], asked_mm, steps_now, _twice(instrument), decimals
    )


def from_gauge(
    short_mm: Sequence[float],
    *,
    asked_mm: float,
    steps_now: float,
    instrument: Instrument,
    decimals: int = 2,
) -> EstepsFinding:
    """Judge runs in which a mark set at exactly ``asked_mm`` stopped ``short_mm`` of the inlet.

    Raises:
        Refusal: short of more than was asked, or a length not above zero.
    """
    for short in short_mm:
        if not 0 <= short < asked_mm:
            raise Refusal(
                f"short {short:g} mm must be from 0 to less than the {asked_mm:g} mm asked"
            )
    finding = _judge(
        [asked_mm - short for short in short_mm], asked_mm, steps_now, _twice(instrument), decimals
    )
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
) -> EstepsFinding:
    """Judge pieces cut from the open cold end; each strand's longest reading counts.

    A strand is curled: whoever measures it twice believes the longer one, less what the longest
    of several gains by noise alone (expected value of normal order statistics).

    Raises:
        Refusal: a length not above zero, or far from what was asked.
    """
    s0 = instrument.repeatability_mm
    longest = [max(strand) - _GAINED[min(len(strand), 3)] * s0 for strand in strands_mm]
    return _judge(longest, asked_mm, steps_now, instrument, decimals)


def from_lengths(
    moved_mm: Sequence[float],
    *,
    asked_mm: Sequence[float],
    steps_now: float,
    instrument: Instrument,
    decimals: int = 2,
) -> EstepsFinding:
    """Judge runs of two lengths or more at the same steps: what moved in proportion alone counts.

    Raises:
        Refusal: lengths not above zero, far from what was asked, or all asked alike.
    """
    _check_steps(steps_now)
    for moved, asked in zip(moved_mm, asked_mm, strict=True):
        refuse_slip(moved, asked, "moved length")
    line = fit_lengths(asked_mm, moved_mm, _twice(instrument))
    steps_new = steps_now / line.slope
    verdict = _verdict_of_line(line, asked_mm)
    notes = [_large_change_note(steps_new / steps_now)]
    if exceeds(abs(line.play_mm), _PLAY_MM):
        notes.append(
            f"each run is {line.play_mm:+.2f} mm off whatever its length: play, the inlet or the "
            "mark; it does not count"
        )
    return EstepsFinding(
        None,
        max(asked_mm),
        steps_now,
        steps_new,
        steps_new * line.u95 / line.slope,
        None,
        _to_type(verdict, steps_now, steps_new, decimals),
        verdict,
        tuple(note for note in notes if note),
        line,
    )


def _to_type(verdict: Verdict, steps_now: float, steps_new: float, decimals: int) -> float | None:
    if verdict.name == "correct":
        return round_to(steps_new, 10.0**-decimals)
    return None if verdict.name == "recheck" else steps_now


def _verdict_of_line(line: FittedLengths, asked_mm: Sequence[float]) -> Verdict:
    off, u95 = line.slope - 1, line.u95
    shown = f"what moves is {100 * off:+.2f} ± {100 * u95:.2f} % off what is asked"
    if exceeds(u95, RECHECK_ABOVE):
        return Verdict(
            "recheck",
            f"the runs disagree: {shown}",
            ("slipping filament, a tangled roll or a blocked nozzle", "a mark misread"),
        )
    if exceeds(u95, UNCLEAR_ABOVE) and not exceeds(abs(off), u95):
        remedies = _what_settles_line(line, asked_mm)
        return Verdict("unclear", f"{shown}: it may well be right", remedies)
    if not exceeds(abs(off), KEEP_WITHIN):
        return Verdict("keep", f"{shown}, within ±0.5 %")
    if exceeds(abs(off), u95):
        return Verdict("correct", f"{shown}, more than ±0.5 %")
    return Verdict("unclear", f"{shown}: not told apart", _what_settles_line(line, asked_mm))


def _what_settles_line(line: FittedLengths, asked_mm: Sequence[float]) -> tuple[str, ...]:
    """Each length oftener, where that does; else two lengths further apart."""
    more = repeats_wanted(asked_mm, line, _allowed(abs(line.slope - 1)), MOST_RUNS)
    if more is not None:
        often = {1: "once", 2: "twice"}.get(more, f"{more} times")
        return (f"each length {often} more",)
    longer = math.ceil(2 * max(asked_mm) / 10) * 10
    return (f"lengths further apart: {min(asked_mm):g} and {longer:g} mm, twice each",)


def _allowed(off: float) -> float:
    """Return the U, relative to what is asked, that makes it clear however the next runs fall.

    Near the bound only a U as small as the bound itself does.
    """
    return KEEP_WITHIN if exceeds(off, KEEP_WITHIN / 2) else UNCLEAR_ABOVE


def swallowed(*, mark_mm: float, asked_mm: float, steps_now: float) -> EstepsFinding:
    """Judge a run in which the mark went into the inlet: only a bound, the steps are too high.

    Raises:
        Refusal: mark not beyond what was asked, or a value not above zero.
    """
    _check_mark(mark_mm, asked_mm)
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
    return EstepsFinding(None, asked_mm, steps_now, None, None, below, None, verdict, ())


def mm_per_turn(full_steps: float, microsteps: float, steps_per_mm: float) -> float:
    """Return the filament fed per motor turn, for firmware that stores that instead."""
    return full_steps * microsteps / steps_per_mm


def _twice(instrument: Instrument) -> Instrument:
    """The instrument where a length is the difference of two like readings."""
    return instrument._replace(repeatability_mm=math.sqrt(2) * instrument.repeatability_mm)


def _check_mark(mark_mm: float, asked_mm: float) -> None:
    if not asked_mm < mark_mm < math.inf:
        raise Refusal(
            f"mark at {mark_mm:g} mm must be beyond the {asked_mm:g} mm asked, or it goes in: "
            "set it 20 to 30 mm further out"
        )


def _check_steps(steps_now: float) -> None:
    if not 0 < steps_now < math.inf:
        raise Refusal(f"steps {steps_now:g} must be above zero")


def _judge(
    runs_mm: Sequence[float],
    asked_mm: float,
    steps_now: float,
    instrument: Instrument,
    decimals: int,
) -> EstepsFinding:
    if not 0 < asked_mm < math.inf:
        raise Refusal(f"asked {asked_mm:g} mm must be above zero")
    _check_steps(steps_now)
    moved = estimate(runs_mm, instrument)
    for run in runs_mm:
        refuse_slip(run, asked_mm, "moved length")
    steps_new = steps_now * asked_mm / moved.value
    verdict = _verdict(moved, asked_mm, instrument)
    to_type = _to_type(verdict, steps_now, steps_new, decimals)
    per_mm = steps_new / moved.value
    notes = [note for note in (_misread_note(runs_mm, asked_mm, steps_now, instrument),) if note]
    scattered = scatter_note(moved, instrument)
    if scattered:
        notes.append(scattered)
    large = _large_change_note(steps_new / steps_now)
    if large:
        notes.append(large)
    return EstepsFinding(
        moved,
        asked_mm,
        steps_now,
        steps_new,
        steps_new * moved.u95 / moved.value,
        None,
        to_type,
        verdict,
        tuple(notes),
        influences=by_size(
            {
                "runs": repeat_uncertainty(moved.scatter, moved.n, instrument)[0] * per_mm,
                "instrument": instrument.accuracy_mm / math.sqrt(3) * per_mm,
            }
        ),
    )


def _verdict(moved: Estimate, asked_mm: float, instrument: Instrument) -> Verdict:
    off_mm = moved.value - asked_mm
    share = 100 * off_mm / asked_mm
    less = "less than" if off_mm < 0 else "more than"
    off = f"moved {abs(off_mm):.2f} mm {less} the {asked_mm:g} mm asked ({share:+.2f} %)"
    if exceeds(moved.u95, RECHECK_ABOVE * asked_mm):
        if moved.n > 1 and scatters_more_than(moved, instrument, 2):
            return Verdict(
                "recheck",
                f"the runs disagree: ±{moved.u95:.1f} mm is more than 3 % of {asked_mm:g} mm",
                (
                    "slipping filament, a tangled roll or a blocked nozzle",
                    "a mark set or read wrongly",
                ),
            )
        return Verdict(
            "recheck" if moved.n > 1 else "unclear",
            f"the ask is too short: ±{moved.u95:.2f} mm is more than 3 % of {asked_mm:g} mm",
            _what_settles(moved, asked_mm, instrument),
        )
    if exceeds(moved.u95, UNCLEAR_ABOVE * asked_mm) and not exceeds(abs(off_mm), moved.u95):
        return Verdict(
            "unclear",
            f"{off}, but that is known to ±{moved.u95:.2f} mm only",
            _what_settles(moved, asked_mm, instrument),
        )
    if not exceeds(abs(off_mm), KEEP_WITHIN * asked_mm):
        return Verdict("keep", f"{off}, within ±0.5 %")
    if exceeds(abs(off_mm), moved.u95):
        return Verdict("correct", f"{off}, more than ±0.5 %")
    return Verdict(
        "unclear",
        f"{off}, but that is known to ±{moved.u95:.2f} mm only",
        _what_settles(moved, asked_mm, instrument),
    )


def _what_settles(moved: Estimate, asked_mm: float, instrument: Instrument) -> tuple[str, ...]:
    """Longer asks first: a pen mark's error is the same at 50 mm and at 150."""
    if moved.n == 1 and asked_mm < _TWO_LENGTHS_BELOW_MM:
        both = f"{asked_mm:g} and {max(200, 2 * asked_mm):g} mm"
        return (f"two lengths, twice each: {both}, --asked once for each --left",)
    allowed = _allowed(abs(moved.value / asked_mm - 1))
    scatter_mm = unlucky_mm(moved.scatter, moved.n, instrument)
    u95_mm = expected_u95_mm(scatter_mm, moved.n, instrument)
    longer_mm = max(math.ceil(u95_mm / allowed / 10) * 10, asked_mm + 10)
    remedies = [f"asking for {longer_mm:g} mm, measured as often"]
    more = further_readings(moved, instrument, allowed * asked_mm, MOST_RUNS)
    if more is not None:
        remedies.append(f"{more} more run{'s' if more > 1 else ''} of {asked_mm:g} mm")
    else:
        u95_mm = expected_u95_mm(scatter_mm, 3, instrument)
        both_mm = math.ceil(u95_mm / allowed / 10) * 10
        if moved.n < 3 and both_mm < longer_mm:
            remedies.append(f"three runs of {both_mm:g} mm")
    return tuple(remedies)


def _misread_note(
    runs_mm: Sequence[float], asked_mm: float, steps_now: float, instrument: Instrument
) -> str | None:
    odd = suspects(runs_mm, instrument)
    if not odd:
        return None
    rest = estimate([run for i, run in enumerate(runs_mm) if i not in odd], instrument)
    named = ", ".join(f"{runs_mm[i]:g}" for i in odd)
    steps = steps_now * asked_mm / rest.value
    return (
        f"a run that moved {named} mm: misread? It counts as it stands; without it "
        f"{rest.value:.2f} ± {rest.u95:.2f} mm moved and the steps are {steps:.2f}"
    )


def _large_change_note(ratio: float) -> str | None:
    if not exceeds(abs(ratio - 1), LARGE_CHANGE):
        return None
    for name, factor in _RATIOS.items():
        if not exceeds(abs(ratio / factor - 1), 0.02):
            return (
                f"close to {name}: not wear or slip, but another gear, microstepping or board; "
                "or the steps now in the printer are not what you gave"
            )
    return (
        "over 10 %: more than wear or slip makes; another gear, microstepping or board, "
        "or the steps now in the printer are not what you gave"
    )
