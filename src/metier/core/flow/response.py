"""Whether walls follow flow at all: where they do not, what is lacking is not flow."""

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple

from metier.core.line.bead import rounding_mm
from metier.core.measure.student import t95
from metier.core.measure.thresholds import exceeds

# Flows nearer than this tell nothing about how walls follow them.
LEAST_APART = 0.02
_TOO_LITTLE, _TOO_MUCH = 0.6, 1.6


class FlowedWall(NamedTuple):
    """A wall, the flow it was sliced at (a ratio), and how far its own readings can be trusted."""

    wall_mm: float
    flow: float
    u_repeat_mm: float
    dof: float


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


def response(trials: Sequence[FlowedWall], walls: int, layer_mm: float) -> Response | None:
    """Return how walls of one number of lines, alike but for their flow, follow it.

    Weighted least squares (JCGM 100:2008, 5.1.2; t at the summed degrees of freedom). None where
    the flows lie less than 2 % apart.

    >>> thin = [FlowedWall(0.355, 1.0, 0.005, 8), FlowedWall(0.3675, 1.28, 0.005, 8)]
    >>> response(thin, 1, 0.2).follows
    'too little'
    """
    flows = [trial.flow for trial in trials]
    if not flows or exceeds(1 + LEAST_APART, max(flows) / min(flows)):
        return None
    weights = [trial.u_repeat_mm**-2 for trial in trials]
    whole = math.fsum(weights)
    flow = math.fsum(w * one for w, one in zip(weights, flows, strict=True)) / whole
    wall_mm = math.fsum(w * trial.wall_mm for w, trial in zip(weights, trials, strict=True)) / whole
    spread = math.fsum(w * (one - flow) ** 2 for w, one in zip(weights, flows, strict=True))
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
