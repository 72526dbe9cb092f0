"""From walls to the flow to type: what comes out, how sure it is, and what makes the ±."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.posterior import NOTHING_KNOWN, Posterior, Prior, posterior
from metier.core.flow.trials import FlowTrial, dosed_walls
from metier.core.flow.walls import PRINT_SCATTER, TEXTURE_U_MM, DosedWall, solved
from metier.core.line.bead import LINE_MODELS, LineModel, rounding_mm
from metier.core.measure.budget import Influence, by_size
from metier.core.measure.thresholds import Rounding, exceeds, round_to

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
    found = posterior(walls, known.prior, known.print_scatter)
    to_type = round_to(found.flow, aim.round_step, aim.rounding)
    return FlowAnswer(
        found,
        found.flow,
        found.interval,
        to_type,
        None if flow_set is None else found.sure(flow_set, aim.band),
        found.sure(to_type, aim.band),
    )


def answers(
    trials: Sequence[FlowTrial], flow_set: float | None, aim: Aim, known: Known
) -> dict[LineModel, FlowAnswer]:
    """Return what trials say under each line model; under the first where nothing asks for it."""
    needed = any(trial.dose is None for trial in trials)
    found: dict[LineModel, FlowAnswer] = {}
    for each in LINE_MODELS if needed else LINE_MODELS[:1]:
        walls = dosed_walls(trials, each)
        if walls:
            found[each] = answer(walls, flow_set, aim, known)
    return found


def sure_range(found: Posterior, aim: Aim) -> tuple[float, float] | None:
    """Return the flows that are sure enough, by halving from the surest on; None for none."""
    low, high = found.interval
    steps = [low + (high - low) * i / 20 for i in range(21)]
    surest = max(steps, key=lambda flow: found.sure(flow, aim.band))
    if found.sure(surest, aim.band) < aim.sure:
        return None

    def edge(outside: float) -> float:
        inside = surest
        for _ in range(20):
            middle = (inside + outside) / 2
            if found.sure(middle, aim.band) >= aim.sure:
                inside = middle
            else:
                outside = middle
        return inside

    return edge(low / 1.2), edge(high * 1.2)


def influences(walls: Sequence[DosedWall], found: FlowAnswer, known: Known) -> list[Influence]:
    """Return what makes the ± of a flow, as ratios, the largest first.

    By the weights that the walls have in a linear fit about the answer (JCGM 100:2008, 5.1.2).
    """
    share = 1 / found.flow_new
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
    scale = found.flow_new / share
    return list(by_size({name: scale * u for name, u in parts.items()}))


def off_by_more(found: FlowAnswer, flow: float, band: tuple[float, float]) -> bool:
    """Tell whether what a flow delivers is off by more than the band, by the best estimate."""
    off = flow / found.flow_new - 1
    return exceeds(off, band[1]) or exceeds(band[0], off)
