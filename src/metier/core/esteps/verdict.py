"""What is to be done about e-steps, by one length or two, and what in the readings looks odd."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.measure.readings import (
    PRIOR_DOF,
    Estimate,
    Instrument,
    estimate,
    expected_u95_mm,
    further_readings,
    luck,
    scatters_more_than,
    suspects,
    unlucky_mm,
)
from metier.core.measure.student import t95
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict


class FittedLengths(NamedTuple):
    """``moved = play + slope · asked``, the slope ± ``u95``; ``play_mm`` is lost by each run.

    ``spread_mm`` is by how much runs scatter about the line, pooled.
    """

    slope: float
    u95: float
    play_mm: float
    spread_mm: float


def fit_lengths(
    asked_mm: Sequence[float], moved_mm: Sequence[float], instrument: Instrument
) -> FittedLengths:
    """Return the line through runs of different lengths, by least squares.

    Play, a badly judged inlet and a mark all set too far drop out of the slope. The scatter about
    the line is pooled with the instrument's repeatability (JCGM 100:2008, 4.2.4 and H.3).

    >>> run = Instrument(0.25 * 2**0.5, 0.03, 0.01)
    >>> fit = fit_lengths([50, 50, 200, 200], [48.9, 49.2, 198.6, 198.9], run)
    >>> round(fit.slope, 5), round(fit.u95, 5), round(fit.play_mm, 2)
    (0.998, 0.00504, -0.85)

    Raises:
        BadInput: all asked alike.
    """
    n = len(asked_mm)
    mean_asked, mean_moved = math.fsum(asked_mm) / n, math.fsum(moved_mm) / n
    spread = math.fsum((asked - mean_asked) ** 2 for asked in asked_mm)
    if spread == 0:
        raise BadInput("all runs were asked for one length: a line needs two")
    pairs = list(zip(asked_mm, moved_mm, strict=True))
    slope = math.fsum((asked - mean_asked) * (moved - mean_moved) for asked, moved in pairs)
    slope /= spread
    play_mm = mean_moved - slope * mean_asked
    rest = math.fsum((moved - play_mm - slope * asked) ** 2 for asked, moved in pairs)
    dof = PRIOR_DOF + n - 2
    pooled = math.sqrt((PRIOR_DOF * instrument.repeatability_mm**2 + rest) / dof)
    scatter = max(math.sqrt(rest / (n - 2)) if n > 2 else 0.0, pooled)
    return FittedLengths(slope, t95(dof) * scatter / math.sqrt(spread), play_mm, scatter)


def repeats_wanted(
    asked_mm: Sequence[float], fitted: FittedLengths, allowed_u95: float, most: int
) -> int | None:
    """Return how often each of these lengths must be fed more for so good a slope.

    In nine of ten cases: with a scatter that luck has not made small. None where ``most`` runs in
    all would not do.
    """
    n = len(asked_mm)
    scatter_mm = fitted.spread_mm * luck(n - 2)
    mean = math.fsum(asked_mm) / n
    spread = math.fsum((asked - mean) ** 2 for asked in asked_mm)
    different = len(set(asked_mm))
    for more in range(1, max(0, most - n) // different + 1):
        # As many more of each length spread as those so far, on the average.
        runs = n + more * different
        u95 = t95(PRIOR_DOF + runs - 2) * scatter_mm / math.sqrt(spread * runs / n)
        if u95 <= allowed_u95:
            return more
    return None


# Relative to the length asked for; what is known less well than one and a half of it is unclear.
KEEP_WITHIN = 0.005
UNCLEAR_BY = 1.5
RECHECK_ABOVE = 0.03
MOST_RUNS = 8
# One run of so little can never be clear; two lengths can.
_TWO_LENGTHS_BELOW_MM = 125.0


def verdict_of_runs(
    moved: Estimate, asked_mm: float, instrument: Instrument, within: float = KEEP_WITHIN
) -> Verdict:
    """Return what runs of one length say; ``within`` is how far they may be off, relative."""
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
            _what_settles(moved, asked_mm, instrument, within),
        )
    if exceeds(moved.u95, UNCLEAR_BY * within * asked_mm) and not exceeds(abs(off_mm), moved.u95):
        return Verdict(
            "unclear",
            f"{off}, but that is known to ±{moved.u95:.2f} mm only",
            _what_settles(moved, asked_mm, instrument, within),
        )
    if not exceeds(abs(off_mm), within * asked_mm):
        return Verdict("keep", f"{off}, within ±{100 * within:g} %")
    if exceeds(abs(off_mm), moved.u95):
        return Verdict("correct", f"{off}, more than ±{100 * within:g} %")
    return Verdict(
        "unclear",
        f"{off}, but that is known to ±{moved.u95:.2f} mm only",
        _what_settles(moved, asked_mm, instrument, within),
    )


def verdict_of_line(
    line: FittedLengths, asked_mm: Sequence[float], within: float = KEEP_WITHIN
) -> Verdict:
    """Return what runs of two lengths or more say; ``within`` as for one length."""
    off, u95 = line.slope - 1, line.u95
    shown = f"what moves is {100 * off:+.2f} ± {100 * u95:.2f} % off what is asked"
    if exceeds(u95, RECHECK_ABOVE):
        return Verdict(
            "recheck",
            f"the runs disagree: {shown}",
            ("slipping filament, a tangled roll or a blocked nozzle", "a mark misread"),
        )
    if exceeds(u95, UNCLEAR_BY * within) and not exceeds(abs(off), u95):
        remedies = _what_settles_line(line, asked_mm, within)
        return Verdict("unclear", f"{shown}: it may well be right", remedies)
    if not exceeds(abs(off), within):
        return Verdict("keep", f"{shown}, within ±{100 * within:g} %")
    if exceeds(abs(off), u95):
        return Verdict("correct", f"{shown}, more than ±{100 * within:g} %")
    return Verdict(
        "unclear", f"{shown}: not told apart", _what_settles_line(line, asked_mm, within)
    )


def _what_settles(
    moved: Estimate, asked_mm: float, instrument: Instrument, within: float
) -> tuple[str, ...]:
    """Longer asks first: a pen mark's error is the same at 50 mm and at 150."""
    if moved.n == 1 and asked_mm < _TWO_LENGTHS_BELOW_MM:
        both = f"{asked_mm:g} and {max(200, 2 * asked_mm):g} mm"
        return (f"two lengths, twice each: {both}, --asked once for each --left",)
    allowed = _allowed(abs(moved.value / asked_mm - 1), within)
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


def _what_settles_line(
    line: FittedLengths, asked_mm: Sequence[float], within: float
) -> tuple[str, ...]:
    """Each length oftener, where that does; else two lengths further apart."""
    more = repeats_wanted(asked_mm, line, _allowed(abs(line.slope - 1), within), MOST_RUNS)
    if more is not None:
        often = {1: "once", 2: "twice"}.get(more, f"{more} times")
        return (f"each length {often} more",)
    longer = math.ceil(2 * max(asked_mm) / 10) * 10
    return (f"lengths further apart: {min(asked_mm):g} and {longer:g} mm, twice each",)


def _allowed(off: float, within: float) -> float:
    """Return the U, relative to what is asked, that makes it clear however the next runs fall.

    Near the bound only a U as small as the bound itself does.
    """
    return within if exceeds(off, within / 2) else UNCLEAR_BY * within


# No change by wear or slip is larger; beyond it another part is on the machine.
LARGE_CHANGE = 0.10
_RATIOS = {"x2": 2.0, "x½": 0.5, "x1.5": 1.5, "x⅔": 2 / 3, "x3": 3.0, "x⅓": 1 / 3}


def misread_note(
    runs_mm: Sequence[float], asked_mm: float, steps_now: float, instrument: Instrument
) -> str | None:
    """Return the question due where a run lies apart from the others."""
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


def large_change_note(ratio: float) -> str | None:
    """Return what a large change of the steps comes from; ``ratio`` is new over present."""
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
