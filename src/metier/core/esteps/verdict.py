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
    luck,
    scatters_more_than,
    suspects,
    unlucky_mm,
)
from metier.core.measure.student import NORMAL95, normal_within, t95
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict, VerdictName


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


# Relative to the length asked for, and how likely what moved has to lie within it.
KEEP_WITHIN, _LIKELY = 0.005, 0.75
RECHECK_ABOVE = 0.03
# Runs that scatter by more than so many times what the instrument does disagree.
_DISAGREE = 3
MOST_RUNS = 8
# The mark stands so much further out than what is asked for.
_MARK_BEYOND = 1.2


def verdict_of_runs(
    moved: Estimate,
    asked_mm: float,
    instrument: Instrument,
    within: float = KEEP_WITHIN,
    reach_mm: float | None = None,
) -> Verdict:
    """Return what runs of one length say; ``within`` is how far they may be off, relative, and
    ``reach_mm`` the longest that the instrument measures."""
    if scatters_more_than(moved, instrument, _DISAGREE) and exceeds(
        moved.u95, RECHECK_ABOVE * asked_mm
    ):
        return Verdict(
            "recheck",
            f"the runs disagree: ±{moved.u95:.1f} mm is more than 3 % of {asked_mm:g} mm",
            ("slipping filament, a tangled roll or a blocked nozzle", "a mark set or read wrongly"),
        )
    off_mm = moved.value - asked_mm
    less = "less" if off_mm < 0 else "more"
    off = (
        f"{abs(off_mm):.2f} ± {moved.u95:.2f} mm {less} moved than the {asked_mm:g} mm asked for "
        f"({100 * off_mm / asked_mm:+.2f} %)"
    )
    named, chance = _by_chance(off_mm / asked_mm, moved.u95 / asked_mm, within)
    remedies: tuple[str, ...] = ()
    if named == "unclear":
        remedies = _what_settles(moved, asked_mm, instrument, within, reach_mm)
    return Verdict(named, f"{off}; {chance}", remedies)


def _by_chance(off: float, u95: float, within: float) -> tuple[VerdictName, str]:
    """Return the verdict on what moved, ``off`` ± ``u95`` relative, and its chance in words."""
    band = f"within ±{100 * within:g} %"
    if not exceeds(u95, within):
        return ("correct", f"not {band}") if exceeds(abs(off), within) else ("keep", band)
    likely = normal_within(-within, within, off, u95 / NORMAL95)
    chance = f"chance that this is {band}: {100 * likely:.0f} in 100"
    if likely >= _LIKELY:
        return "keep", chance
    if likely <= 1 - _LIKELY and exceeds(abs(off), u95):
        return "correct", chance
    return "unclear", chance


def verdict_of_line(
    line: FittedLengths,
    asked_mm: Sequence[float],
    instrument: Instrument,
    within: float = KEEP_WITHIN,
) -> Verdict:
    """Return what runs of two lengths or more say; ``within`` as for one length."""
    off, u95 = line.slope - 1, line.u95
    shown = f"what moves is {100 * off:+.2f} ± {100 * u95:.2f} % off what is asked for"
    wide = exceeds(line.spread_mm, _DISAGREE * instrument.repeatability_mm)
    if wide and exceeds(u95, RECHECK_ABOVE):
        return Verdict(
            "recheck",
            f"the runs disagree: {shown}",
            ("slipping filament, a tangled roll or a blocked nozzle", "a mark misread"),
        )
    named, chance = _by_chance(off, u95, within)
    remedies = _what_settles_line(line, asked_mm, within) if named == "unclear" else ()
    return Verdict(named, f"{shown}; {chance}", remedies)


def _what_settles(
    moved: Estimate, asked_mm: float, instrument: Instrument, within: float, reach_mm: float | None
) -> tuple[str, ...]:
    """Return what makes it clear, cheapest first: runs of the same, a longer ask within the reach
    of the jaws, two lengths."""
    off = abs(moved.value / asked_mm - 1)
    allowed = _allowed(off, within)
    remedies = []
    for more, named in ((1, "one more run"), (2, "two more runs")):
        # A run is cheap, and most come close to the first: scatter as usual, with a little room.
        u95_mm = expected_u95_mm(moved.scatter, moved.n + more, instrument)
        if not exceeds(u95_mm, 0.9 * allowed * asked_mm):
            remedies.append(f"{named} of {asked_mm:g} mm")
            break
    scatter_mm = unlucky_mm(moved.scatter, moved.n, instrument)
    u95_mm = expected_u95_mm(scatter_mm, moved.n, instrument)
    longer_mm = max(math.ceil(u95_mm / allowed / 10) * 10, asked_mm + 10)
    if reach_mm is None or _MARK_BEYOND * longer_mm <= reach_mm:
        remedies.append(f"asking for {longer_mm:g} mm, measured as often")
    far_mm = max(200.0, 2 * asked_mm)
    if reach_mm is not None:
        far_mm = min(far_mm, math.floor(reach_mm / _MARK_BEYOND / 10) * 10)
    near_mm = min(asked_mm, far_mm / 4)
    both = f"{near_mm:g} and {far_mm:g} mm"
    remedies.append(f"two lengths, twice each: {both}, --asked once for each --left")
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
    """Return the U, relative to what is asked, that makes it clear however the next runs fall; as
    small as the bound itself always does."""
    if not exceeds(off, within / 2):
        return 1.5 * within
    return max(within, 0.6 * off)


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
    named = _known_ratio(ratio)
    if named:
        return (
            f"close to {named}: not wear or slip, but another gear, microstepping or board; "
            "or the steps now in the printer are not what you gave"
        )
    return (
        "over 10 %: more than wear or slip makes; another gear, microstepping or board, "
        "or the steps now in the printer are not what you gave"
    )


def _known_ratio(ratio: float) -> str | None:
    for name, factor in _RATIOS.items():
        if not exceeds(abs(ratio / factor - 1), 0.02):
            return name
    return None


# A slip is believed where the reading it was meant for makes the change no larger.
_MEANT_WITHIN = 0.03


def doubted(
    runs: Sequence[tuple[float, float]], asked_mm: float, ratio: float, swapped: bool
) -> Verdict | None:
    """Return the doubt about a change over 10 % that a single run asks for; None where there is
    none, or where something explains it.

    ``runs`` are readings with what moved by them, ``ratio`` is new steps over present ones,
    ``swapped`` that a board, gear or microstepping was changed since they were set.
    """
    if len(runs) > 1 or swapped or _known_ratio(ratio):
        return None
    if not exceeds(abs(ratio - 1), LARGE_CHANGE):
        return None
    ((reading, moved_mm),) = runs
    # What moved falls as what is left, or short, rises; a cut piece is what moved.
    sign = 1.0 if reading == moved_mm else -1.0

    def change(meant: float) -> float:
        return abs((moved_mm + sign * (meant - reading)) / asked_mm - 1)

    meant = min(misread_as(reading), key=change, default=reading)
    why = f"e-steps would change by {100 * (ratio - 1):+.0f} %, more than wear or slip makes"
    asked = "one more run: a second one that agrees settles it"
    if change(meant) <= _MEANT_WITHIN:
        why = f"was {reading:g} meant as {meant:g}? {why}"
    return Verdict("recheck", why, (asked, "the steps in the printer: M92 shows them"))


def misread_as(reading: float) -> list[float]:
    """Return what a reading may have been meant for: another decade, two digits swapped, one digit
    read as another.

    >>> 23.0 in misread_as(2.3), 35.1 in misread_as(53.1), 35.1 in misread_as(85.1)
    (True, True, True)
    """
    digits = f"{reading:g}"
    meant = [reading * 10, reading / 10]
    for at, digit in enumerate(digits):
        if not digit.isdecimal():
            continue
        meant += [float(f"{digits[:at]}{other}{digits[at + 1 :]}") for other in "0123456789"]
        if at + 1 < len(digits) and digits[at + 1].isdecimal():
            meant.append(float(f"{digits[:at]}{digits[at + 1]}{digit}{digits[at + 2 :]}"))
    return [value for value in meant if value != reading]
