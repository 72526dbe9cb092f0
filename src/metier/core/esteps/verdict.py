"""The verdict on e-steps: keep, correct, cannot tell yet and what would settle it, or recheck."""

import math
from collections.abc import Sequence

from metier.core.esteps.lengths import FittedLengths, repeats_wanted
from metier.core.measure.readings import Estimate, Instrument, scatters_more_than
from metier.core.measure.settle import expected_u95_mm, further_readings, unlucky_mm
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

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
