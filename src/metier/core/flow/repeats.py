"""How prints follow flow, how they differ from each other, and what rolls of one kind share.

The scatter between rolls pooled with what is usual, then the mean weighted by it (a random
effects model; ISO 5725-2 has the same variance components).
"""

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple

from metier.core.flow.rows import PRINT_SCATTER, SIDE_U_MM, TEXTURE_U_MM, ToldShare
from metier.core.flow.trials import FlowTrial, Section
from metier.core.line.bead import rounding_mm
from metier.core.measure.readings import PRIOR_DOF
from metier.core.measure.student import NORMAL95, t95
from metier.core.measure.thresholds import exceeds


class Repeated(NamedTuple):
    """What prints of the same say: their variance relative to what is delivered, and its dof."""

    variance: float
    dof: int


def repeated(sections: Sequence[Section], layer_mm: float) -> Repeated:
    """Return by how much like sections of several prints differ beyond their own readings.

    ``(MS_between - MS_within)/n``, not below zero, over the square of what is delivered.
    """
    prints = len(sections)
    count = prints / math.fsum(1 / section.wall.n for section in sections)
    mean_mm = math.fsum(section.wall.value for section in sections) / prints
    squares = math.fsum((section.wall.value - mean_mm) ** 2 for section in sections)
    between = count * squares / (prints - 1)
    dof_within = sum(section.wall.n - 1 for section in sections)
    within = math.fsum((s.wall.n - 1) * s.wall.scatter**2 for s in sections) / max(1, dof_within)
    delivered_mm = mean_mm - rounding_mm(layer_mm)
    return Repeated(max(0.0, between - within) / count / delivered_mm**2, prints - 1)


def print_scatter(trials: Sequence[FlowTrial]) -> float:
    """Return by how much prints differ (1 u, a ratio): what repeats say, pooled with the usual.

    Alike are prints of one flow, dose, width and layer, section by section.
    """
    groups: dict[tuple[object, ...], tuple[float, list[Section]]] = {}
    for trial in trials:
        for section in trial.sections:
            like = (section.flow, section.dose, section.width_mm, trial.layer_mm, section.walls)
            groups.setdefault(like, (trial.layer_mm, []))[1].append(section)
    scatters = [
        repeated(sections, layer_mm) for layer_mm, sections in groups.values() if len(sections) > 1
    ]
    dof = sum(scatter.dof for scatter in scatters)
    learnt = math.fsum(scatter.dof * scatter.variance for scatter in scatters)
    return math.sqrt((PRIOR_DOF * PRINT_SCATTER**2 + learnt) / (PRIOR_DOF + dof))


# Flows nearer than this tell nothing about how walls follow them.
LEAST_APART = 0.02
_TOO_LITTLE, _TOO_MUCH = 0.6, 1.6


class FlowedWall(NamedTuple):
    """A wall, the flow it was sliced at (a ratio), and how far its own readings can be trusted."""

    wall_mm: float
    flow: float
    u_repeat_mm: float
    dof: float
    sides: float = 2


class Response(NamedTuple):
    """By how much walls follow flow: 1 as they should, 0 not at all; ± ``u95``."""

    ratio: float
    u95: float
    walls: int

    @property
    def follows(self) -> Literal["as it should", "too little", "too much"]:
        """Whether walls of that many lines surely follow less, or more, than lines can.

        Lines that stand apart share what is added: the wall then follows as one line of them.
        """
        if exceeds(_TOO_LITTLE / self.walls, self.ratio + self.u95):
            return "too little"
        if exceeds(self.ratio - self.u95, _TOO_MUCH):
            return "too much"
        return "as it should"


def response(
    trials: Sequence[FlowedWall], walls: int, layer_mm: float, print_scatter: float = PRINT_SCATTER
) -> Response | None:
    """Return how walls of one number of lines, alike but for their flow, follow it.

    Weighted least squares, prints and sides that differ counted in (JCGM 100:2008, 5.1.2; t at the
    summed degrees of freedom). None where the flows lie less than 2 % apart.

    >>> thin = [FlowedWall(0.355, 1.0, 0.005, 8), FlowedWall(0.3675, 1.28, 0.005, 8)]
    >>> response(thin, 1, 0.2).follows
    'too little'
    """
    flows = [trial.flow for trial in trials]
    if not flows or exceeds(1 + LEAST_APART, max(flows) / min(flows)):
        return None
    weights = [
        1
        / (
            trial.u_repeat_mm**2
            + (print_scatter * (trial.wall_mm - rounding_mm(layer_mm))) ** 2
            + SIDE_U_MM**2 / trial.sides
        )
        for trial in trials
    ]
    whole = math.fsum(weights)
    flow = math.fsum(w * told for w, told in zip(weights, flows, strict=True)) / whole
    wall_mm = math.fsum(w * trial.wall_mm for w, trial in zip(weights, trials, strict=True)) / whole
    spread = math.fsum(w * (told - flow) ** 2 for w, told in zip(weights, flows, strict=True))
    slope = (
        math.fsum(
            w * (trial.flow - flow) * (trial.wall_mm - wall_mm)
            for w, trial in zip(weights, trials, strict=True)
        )
        / spread
    )
    as_it_should = (wall_mm - rounding_mm(layer_mm)) / flow
    u95 = t95(math.fsum(trial.dof for trial in trials)) / math.sqrt(spread)
    return Response(slope / as_it_should, u95 / as_it_should, walls)


# Rolls of one maker and material deliver alike to this (1 u, a ratio) until more are known.
ROLL_SCATTER = 0.02


class Roll(NamedTuple):
    """A roll: its name, the share delivered over dosed with it, and the u of that which is the
    roll's own part alone.

    What its walls have in common with those of other rolls is apart: ``delivered_mm`` is what they
    hold of plastic, None where it was weighed alone; ``accuracy_mm`` and ``instrument`` are the
    jaws; ``density_u`` the density that it was weighed by.
    """

    name: str
    share: float
    u: float
    delivered_mm: float | None = None
    accuracy_mm: float = 0.0
    instrument: str = ""
    density_u: float = 0.0

    @property
    def bench_u(self) -> float:
        """What texture and jaws make of its share."""
        if self.delivered_mm is None:
            return 0.0
        return math.hypot(TEXTURE_U_MM, self.accuracy_mm / math.sqrt(3)) / self.delivered_mm


class Kindred(NamedTuple):
    """What rolls say of a new one of their kind: the share to expect, its u, how they scatter.

    ``as_row`` is that as the posterior takes it, with what all of them have in common."""

    share: float
    u: float
    scatter: float
    bench_u: float = 0.0
    accuracy_mm: float = 0.0
    instrument: str = ""
    density_u: float = 0.0

    @property
    def as_row(self) -> ToldShare:
        """It beside walls and weights."""
        return ToldShare(
            self.share, self.u, self.density_u, None, self.bench_u, self.accuracy_mm,
            self.instrument,
        )  # fmt: skip

    @property
    def flow(self) -> float:
        """The flow to expect, a ratio."""
        return 1 / self.share

    @property
    def flow_u95(self) -> float:
        """Its U at 95 %."""
        return NORMAL95 * self.as_row.whole_u / self.share**2


def kindred(rolls: Sequence[Roll]) -> Kindred:
    """Return what to expect of another roll; at least one must be known.

    >>> found = kindred([Roll("fern-1", 1.062, 0.012)])
    >>> found.share, round(found.u, 4)
    (1.062, 0.0307)
    """
    count = len(rolls)
    own = math.fsum(roll.u**2 for roll in rolls) / count
    between = 0.0
    if count > 1:
        mean = math.fsum(roll.share for roll in rolls) / count
        squares = math.fsum((roll.share - mean) ** 2 for roll in rolls)
        between = max(0.0, squares / (count - 1) - own)
    variance = (PRIOR_DOF * ROLL_SCATTER**2 + (count - 1) * between) / (count + PRIOR_DOF - 1)
    weights = [1 / (variance + roll.u**2) for roll in rolls]
    total = math.fsum(weights)
    share = math.fsum(w * roll.share for w, roll in zip(weights, rolls, strict=True)) / total
    shared = [math.fsum(part) / count for part in zip(*map(_shared, rolls), strict=True)]
    jaws = max(rolls, key=lambda roll: roll.bench_u)
    return Kindred(
        share=share,
        u=math.sqrt(variance + 1 / total),
        scatter=math.sqrt(variance),
        bench_u=shared[0],
        accuracy_mm=jaws.accuracy_mm,
        instrument=jaws.instrument,
        density_u=shared[1],
    )


def _shared(roll: Roll) -> tuple[float, float]:
    return roll.bench_u, roll.density_u
