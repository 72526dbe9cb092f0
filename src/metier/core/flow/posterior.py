"""What walls say of flow by Bayes: the posterior, and the answer that is read off it.

The *share* e delivered over dosed is the one unknown. A wall of one line with cross-section A
dosed measures ``a + c + texture`` with ``a = e·A/h``, where c is what a line's rounded sides add;
of N lines a distance s apart ``(N - 1)·b + a + c + texture``: fused lines push each other out
(b = a), starved ones keep their distance, shrink together or do something between
(``b = s - φ·(s - a)``, φ 0, ½ or 1 with equal odds). Texture, squeezing and what the jaws are off
are one and the same for all walls; prints differ. Bayes' rule over e with these (JCGM 101:2008;
probability of conformity by JCGM 106:2012).
"""

import math
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from itertools import accumulate, pairwise
from typing import NamedTuple, TypeVar

from metier.core.flow.trials import (
    PRINT_SCATTER,
    TEXTURE_MM,
    TEXTURE_U_MM,
    DosedWall,
    FlowTrial,
    covariance,
    dosed_walls,
    dot,
    inverse,
    solved,
)
from metier.core.line.bead import rounding_mm
from metier.core.measure.student import Influence, by_size
from metier.core.measure.thresholds import Rounding, exceeds, round_to
from metier.core.values import LINE_MODELS, LineModel

T = TypeVar("T")

# What is delivered is what is dosed, to this (1 u), before anything was measured.
PRIOR_U = 0.15
# How starved lines share what is lacking.
STARVED = (0.0, 0.5, 1.0)
_LEAST, _MOST = 0.3, 3.2
_COARSE, _FINE = 290, 700
# Beyond this the weight is below 1e-9 of the largest.
_NEGLIGIBLE = 45.0


class Prior(NamedTuple):
    """What is known of the share beforehand (1 u); None where nothing is."""

    share: float = 1.0
    u: float | None = PRIOR_U


NOTHING_KNOWN = Prior()


class Posterior(NamedTuple):
    """The share as a table: ``below[i]`` is how likely it lies below ``shares[i]``.

    ``texture_mm`` is what walls measure beyond their lines, as far as the walls tell.
    """

    shares: tuple[float, ...]
    below: tuple[float, ...]
    texture_mm: float

    def quantile(self, p: float) -> float:
        """Return the share that lies above a part ``p`` of the probability."""
        at = max(1, bisect_left(self.below, p))
        low, high = self.below[at - 1], self.below[at]
        part = (p - low) / (high - low) if high > low else 0.0
        return self.shares[at - 1] + part * (self.shares[at] - self.shares[at - 1])

    def probability_below(self, share: float) -> float:
        """Return how likely the share lies below one."""
        if share <= self.shares[0]:
            return 0.0
        if share >= self.shares[-1]:
            return 1.0
        at = bisect_left(self.shares, share)
        part = (share - self.shares[at - 1]) / (self.shares[at] - self.shares[at - 1])
        return self.below[at - 1] + part * (self.below[at] - self.below[at - 1])

    @property
    def flow(self) -> float:
        """The flow to type: one over the median share."""
        return 1 / self.quantile(0.5)

    @property
    def interval(self) -> tuple[float, float]:
        """The flows between which the right one lies, at 95 %."""
        return 1 / self.quantile(0.975), 1 / self.quantile(0.025)

    @property
    def u95(self) -> float:
        """Half the length of the interval."""
        low, high = self.interval
        return (high - low) / 2

    def sure(self, flow: float, band: tuple[float, float]) -> float:
        """Return how likely what a flow delivers lies within ``band`` of what is right.

        ``band`` is relative, as (-0.02, 0.03).
        """
        low, high = ((1 + edge) / flow for edge in band)
        return self.probability_below(high) - self.probability_below(low)


def posterior(
    walls: Sequence[DosedWall], prior: Prior = NOTHING_KNOWN, print_scatter: float = PRINT_SCATTER
) -> Posterior:
    """Return what walls say of the share delivered over dosed.

    >>> from metier.core.line.bead import rounding_mm
    >>> area = 0.2 * (0.44 - rounding_mm(0.2))
    >>> wall = DosedWall(0.4725, 0.005, 0.02, 1, area, 0.397, 0.2)
    >>> round(posterior([wall]).flow, 2)
    0.95
    """
    weights = inverse(covariance(walls, print_scatter))
    several = any(wall.walls > 1 for wall in walls)
    pieces = [
        Pieces(walls, weights, starved, prior) for starved in (STARVED if several else (0.5,))
    ]
    step = (_MOST - _LEAST) / _COARSE
    coarse = [_LEAST + step * i for i in range(_COARSE + 1)]
    lowest = [min(each) for each in zip(*(piece.squares(coarse) for piece in pieces), strict=True)]
    least = min(lowest)
    kept = [
        share
        for share, squares in zip(coarse, lowest, strict=True)
        if squares - least < _NEGLIGIBLE
    ]
    low, high = max(_LEAST, kept[0] - step), min(_MOST, kept[-1] + step)
    shares = [low + (high - low) * i / _FINE for i in range(_FINE + 1)]
    weighed = [
        [math.exp((least - squares) / 2) for squares in piece.squares(shares)] for piece in pieces
    ]
    density = [sum(each) for each in zip(*weighed, strict=True)]
    below = [0.0, *accumulate((height + other) / 2 for height, other in pairwise(density))]
    whole = below[-1]
    common = math.fsum(
        weight * residual
        for piece, each in zip(pieces, weighed, strict=True)
        for weight, residual in zip(each, piece.common(shares), strict=True)
    )
    u_texture_squared = TEXTURE_U_MM**2 + max(wall.accuracy_mm for wall in walls) ** 2 / 3
    return Posterior(
        tuple(shares),
        tuple(part / whole for part in below),
        TEXTURE_MM + u_texture_squared * common / math.fsum(density),
    )


class Pieces:
    """Weighted squares of the residuals, which between the shares where lines touch are quadratic.

    ``common`` is the sum of the weighted residuals: what they have in common.
    """

    def __init__(
        self,
        walls: Sequence[DosedWall],
        weights: Sequence[Sequence[float]],
        starved: float,
        prior: Prior,
    ) -> None:
        self._bounds = sorted({wall.touching_at for wall in walls if wall.walls > 1})
        self._squares: list[tuple[float, float, float]] = []
        self._common: list[tuple[float, float]] = []
        edges = [0.0, *self._bounds, math.inf]
        for low, high in pairwise(edges):
            inside = low + 0.5 if math.isinf(high) else (low + high) / 2
            # Each residual is constant + slope·e here.
            slopes, constants = [], []
            for wall in walls:
                slope = _slope(wall, inside, starved)
                slopes.append(-slope)
                expected_mm = wall.lines_mm(inside, starved) + TEXTURE_MM
                constants.append(wall.wall_mm - expected_mm + slope * inside)
            by_slopes = [dot(row, slopes) for row in weights]
            by_constants = [dot(row, constants) for row in weights]
            square, linear = dot(slopes, by_slopes), 2 * dot(constants, by_slopes)
            constant = dot(constants, by_constants)
            if prior.u is not None:
                square += 1 / prior.u**2
                linear -= 2 * prior.share / prior.u**2
                constant += (prior.share / prior.u) ** 2
            self._squares.append((square, linear, constant))
            self._common.append((math.fsum(by_slopes), math.fsum(by_constants)))

    def squares(self, shares: Sequence[float]) -> list[float]:
        """Return the squares at rising shares."""
        sums: list[float] = []
        for (low, high), (square, linear, constant) in self._runs(shares, self._squares):
            sums += [(square * x + linear) * x + constant for x in shares[low:high]]
        return sums

    def common(self, shares: Sequence[float]) -> list[float]:
        """Return what the weighted residuals have in common at rising shares."""
        sums: list[float] = []
        for (low, high), (slope, constant) in self._runs(shares, self._common):
            sums += [slope * x + constant for x in shares[low:high]]
        return sums

    def _runs(
        self, shares: Sequence[float], of_piece: Sequence[T]
    ) -> Iterator[tuple[tuple[int, int], T]]:
        edges = [0, *(bisect_left(shares, bound) for bound in self._bounds), len(shares)]
        return zip(pairwise(edges), of_piece, strict=True)


def _slope(wall: DosedWall, share: float, starved: float) -> float:
    line = wall.area_mm2 / wall.layer_mm
    between = line if share * line >= wall.spacing_mm else starved * line
    return (wall.walls - 1) * between + line


# Too little leaves lines apart and parts weak; a little too much only makes them larger.
BAND = (-0.02, 0.03)
SURE = 0.75


class Aim(NamedTuple):
    """What is wanted of a flow: the band it may be off by, how sure of that, and the step typed."""

    band: tuple[float, float] = BAND
    sure: float = SURE
    round_step: float = 0.01
    rounding: Rounding = "nearest"


class Known(NamedTuple):
    """What is known beside the walls: the prior, other rolls counted in it, and by how much
    prints differ. ``walls_alone`` is the prior without the other rolls."""

    prior: Prior = NOTHING_KNOWN
    print_scatter: float = PRINT_SCATTER
    walls_alone: Prior = NOTHING_KNOWN


class FlowAnswer(NamedTuple):
    """What walls say under one line model; flows are ratios.

    ``sure_set`` is how sure the flow that is set is (None where none is), ``sure_new`` the value
    to type.
    """

    posterior: Posterior
    flow_new: float
    interval: tuple[float, float]
    to_type: float
    sure_set: float | None
    sure_new: float

    @property
    def u95(self) -> float:
        """Half the length of the interval."""
        return (self.interval[1] - self.interval[0]) / 2


def answer(
    walls: Sequence[DosedWall], flow_set: float | None, aim: Aim, known: Known
) -> FlowAnswer:
    """Return what walls say of the flow."""
    known_now = posterior(walls, known.prior, known.print_scatter)
    to_type = round_to(known_now.flow, aim.round_step, aim.rounding)
    return FlowAnswer(
        known_now,
        known_now.flow,
        known_now.interval,
        to_type,
        None if flow_set is None else known_now.sure(flow_set, aim.band),
        known_now.sure(to_type, aim.band),
    )


def answers(
    trials: Sequence[FlowTrial], flow_set: float | None, aim: Aim, known: Known
) -> dict[LineModel, FlowAnswer]:
    """Return what trials say under each line model; under the first where nothing asks for it."""
    needed = any(trial.dose is None for trial in trials)
    by_model: dict[LineModel, FlowAnswer] = {}
    for each in LINE_MODELS if needed else LINE_MODELS[:1]:
        walls = dosed_walls(trials, each)
        if walls:
            by_model[each] = answer(walls, flow_set, aim, known)
    return by_model


def sure_range(share: Posterior, aim: Aim) -> tuple[float, float] | None:
    """Return the flows that are sure enough, by halving from the surest on; None for none."""
    low, high = share.interval
    steps = [low + (high - low) * i / 20 for i in range(21)]
    surest = max(steps, key=lambda flow: share.sure(flow, aim.band))
    if share.sure(surest, aim.band) < aim.sure:
        return None

    def edge(outside: float) -> float:
        inside = surest
        for _ in range(20):
            middle = (inside + outside) / 2
            if share.sure(middle, aim.band) >= aim.sure:
                inside = middle
            else:
                outside = middle
        return inside

    return edge(low / 1.2), edge(high * 1.2)


def influences(walls: Sequence[DosedWall], answer: FlowAnswer, known: Known) -> list[Influence]:
    """Return what makes the ± of a flow, as ratios, the largest first.

    By the weights that the walls have in a linear fit about the answer (JCGM 100:2008, 5.1.2).
    """
    share = 1 / answer.flow_new
    step = 0.001 * share
    slopes = [(w.lines_mm(share + step) - w.lines_mm(share - step)) / (2 * step) for w in walls]
    by_slope = solved(walls, slopes, known.print_scatter)
    whole = math.fsum(a * b for a, b in zip(slopes, by_slope, strict=True))
    weights = [part / whole for part in by_slope]
    prints: dict[int, float] = {}
    jaws: dict[str, float] = {}
    for wall, weight in zip(walls, weights, strict=True):
        delivered = wall.wall_mm - rounding_mm(wall.layer_mm)
        prints[wall.print_number] = prints.get(wall.print_number, 0.0) + weight * delivered
        jaws[wall.instrument] = jaws.get(wall.instrument, 0.0) + weight * wall.accuracy_mm
    parts = {
        "calipers": math.hypot(*jaws.values()) / math.sqrt(3),
        "readings": math.hypot(*(w * wall.u_mm for w, wall in zip(weights, walls, strict=True))),
        "prints": known.print_scatter * math.hypot(*prints.values()),
        "texture": TEXTURE_U_MM * abs(math.fsum(weights)),
    }
    scale = answer.flow_new / share
    return list(by_size({name: scale * u for name, u in parts.items()}))


def off_by_more(share: FlowAnswer, flow: float, band: tuple[float, float]) -> bool:
    """Tell whether what a flow delivers is off by more than the band, by the best estimate."""
    off = flow / share.flow_new - 1
    return exceeds(off, band[1]) or exceeds(band[0], off)
