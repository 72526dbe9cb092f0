"""Pairs as the options give them, and fits that were open for want of a plate."""

from argparse import Namespace
from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.fit.thread import thread_of
from metier.core.measure.thresholds import same
from metier.formats.felt_pairs import read_pair, read_tried
from metier.logbook.inforce import opened_mm
from metier.logbook.trials import Reading, latest_on
from metier.trials.fit.kept import KEPT, FitSettings, PrintedPairs, Way
from metier.trials.on_bench import OnBench

# Pairs to print where nothing is known: from what presses to what rattles.
USUAL_PAIRS = PrintedPairs(8.0, (0.05, 0.1, 0.15, 0.2, 0.3, 0.4))


def check_feels(feels: Sequence[str], planned: FitSettings) -> None:
    """Refuse feels that are not one for each pair."""
    pairs = planned.pairs or USUAL_PAIRS
    if len(feels) != len(pairs.clearances_mm):
        listed = ", ".join(f"{mm:g}" for mm in pairs.clearances_mm)
        raise BadInput(
            f"--feel: {len(feels)} are given for {len(pairs.clearances_mm)} pairs ({listed}): one "
            "for each, left to right; or --pair 0.2=snug for some"
        )


def felt(settings: FitSettings, feels: Sequence[str]) -> list[Reading]:
    """Return how planned pairs felt, in their order; of a bolt and nut the one feel."""
    if settings.thread:
        both = f"{settings.hole_set_mm:g}/{settings.contour_set_mm:g}"
        return [Reading(*read_tried(f"{both}={feel}"), f"{both}={feel}") for feel in feels]
    pairs = settings.pairs or USUAL_PAIRS
    felt = zip(pairs.clearances_mm, feels, strict=True)
    texts = [f"{clearance:g}={feel}" for clearance, feel in felt]
    return [Reading(*read_pair(text), text) for text in texts]


def clearance_now(options: Namespace, way: Way, hole_mm: float, contour_mm: float) -> float | None:
    """Return the diametral clearance there is now."""
    if way == "tried":
        return round(2 * (hole_mm - contour_mm), 9)
    if options.thread:
        return thread_of(options.thread).play_mm(options.drawn or "mid")
    given: float | None = options.clearance
    return given


# Holes and outlines open alike, where nothing tells.
USUAL_HOLE_SHARE = 0.5


def hole_share(bench: OnBench) -> float:
    """Return the part of an opening that holes get: as the last plate says, else half."""
    from metier.trials.plate.kept import KEPT as PLATE

    for trial in latest_on(bench.book, bench.setup, PLATE.name, 1) if bench.setup else ():
        result = PLATE.of(trial)
        hole_mm, contour_mm = result.hole_new_mm, result.contour_new_mm
        if hole_mm is not None and contour_mm is not None and hole_mm > 0 > contour_mm:
            return hole_mm / (hole_mm - contour_mm)
    return USUAL_HOLE_SHARE


_TYPED_TO_MM = 0.005
_NEWEST = 5


def opened_with(bench: OnBench, name: str, value_mm: float) -> float | None:
    """Return what of a compensation is opened for a fit once ``value_mm`` is typed in, per side.

    As a fit advised it: by the change from what was set. Otherwise as before, but for the value
    that takes the opening back.
    """
    if bench.setup is None:
        return None
    before_mm = opened_mm(bench.book, bench.setup, name)
    now_mm = bench.stands(name).in_force or 0.0
    for trial in latest_on(bench.book, bench.setup, KEPT.name, _NEWEST):
        result = KEPT.of(trial)
        advised = result.hole_to_type_mm if name == "hole" else result.contour_to_type_mm
        if advised is not None and abs(advised - value_mm) <= _TYPED_TO_MM:
            return round(before_mm + value_mm - now_mm, 9) or None
    return None if same(value_mm, now_mm - before_mm) else before_mm or None
