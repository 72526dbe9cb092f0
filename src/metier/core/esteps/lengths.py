"""Filament moved at several lengths asked: what moved in proportion, and what each run lost."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.measure.readings import PRIOR_DOF, Instrument
from metier.core.measure.settle import luck
from metier.core.measure.student import t95
from metier.core.refusal import Refusal


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
        Refusal: all asked alike.
    """
    n = len(asked_mm)
    mean_asked, mean_moved = math.fsum(asked_mm) / n, math.fsum(moved_mm) / n
    spread = math.fsum((asked - mean_asked) ** 2 for asked in asked_mm)
    if spread == 0:
        raise Refusal("all runs were asked for one length: a line needs two")
    pairs = list(zip(asked_mm, moved_mm, strict=True))
    slope = math.fsum((asked - mean_asked) * (moved - mean_moved) for asked, moved in pairs)
    slope /= spread
    play_mm = mean_moved - slope * mean_asked
    rest = math.fsum((moved - play_mm - slope * asked) ** 2 for asked, moved in pairs)
    dof = PRIOR_DOF + n - 2
    pooled = math.sqrt((PRIOR_DOF * instrument.repeatability_mm**2 + rest) / dof)
    own = math.sqrt(rest / (n - 2)) if n > 2 else 0.0
    scatter = max(own, pooled)
    u95 = t95(dof) * scatter / math.sqrt(spread)
    return FittedLengths(slope, u95, play_mm, scatter)


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
