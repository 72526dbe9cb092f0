"""Looking ahead: what a print should measure, and which print would settle an answer.

The errors that walls share, texture and jaws, are known from those measured as far as these tell
(the conditional mean and variance of jointly normal errors), averaged over the posterior.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.posterior import STARVED, Aim, Known, Pieces, posterior
from metier.core.flow.trials import (
    TEXTURE_MM,
    DosedWall,
    FlowTrial,
    covariance,
    dosed_walls,
    dot,
    inverse,
)
from metier.core.line.bead import rounding_mm
from metier.core.measure.readings import PRIOR_DOF, Instrument
from metier.core.measure.student import NORMAL95, t95
from metier.core.measure.thresholds import exceeds
from metier.core.values import LineModel

# The answer to come scatters too: asked for is more than the bare need, for nine cases in ten.
_WITH_ROOM = 0.04
# Several lines are planned over the estimate, so that they touch: less once it was measured.
RICH_FIRST, RICH_AGAIN = 1.08, 1.05
_CHECKED_MM = 0.01
_READINGS = 8
_MOST_READINGS = 16


def rich(flow: float, measured: bool) -> float:
    """Return the flow to plan several lines at, in whole percent over the estimate."""
    return round((RICH_AGAIN if measured else RICH_FIRST) * flow, 2)


def sure_after(
    walls: Sequence[DosedWall], added: Sequence[DosedWall], aim: Aim, known: Known
) -> float:
    """Return how sure the value to type will be, should more walls come out as expected."""
    share = posterior(walls, known.prior, known.print_scatter).quantile(0.5)
    expected = [wall._replace(wall_mm=wall.lines_mm(share) + TEXTURE_MM) for wall in added]
    known_share = posterior([*walls, *expected], known.prior, known.print_scatter)
    return known_share.sure(known_share.flow, aim.band)


def settles(
    trials: Sequence[FlowTrial],
    model: LineModel | None,
    instrument: Instrument,
    aim: Aim,
    known: Known,
) -> tuple[str, ...]:
    """Return what would make the flow sure enough, the cheapest that is enough first."""
    walls = dosed_walls(trials, model)
    wanted = aim.sure + _WITH_ROOM
    flow = posterior(walls, known.prior, known.print_scatter).flow
    last = trials[-1]
    settling: list[str] = []
    if sure_after(_read_more(walls, last), [], aim, known) >= wanted:
        more = _MOST_READINGS - sum(section.wall.n for section in last.sections)
        settling.append(f"{more} more readings of the same print")
    checked = [_checked(wall) for wall in walls]
    coarse = exceeds(last.accuracy_mm, _CHECKED_MM) and last.instrument != "micrometer"
    if coarse and sure_after(checked, [], aim, known) >= wanted:
        settling.append("calipers checked on a gauge: metier instrument check")
    planned = rich(flow, True)
    named = f"at {100 * planned:.0f} %"
    cube, tube = (_next_print(walls[-1], counts, planned, instrument) for counts in ((3,), (3, 1)))
    if sure_after(walls, cube, aim, known) >= wanted:
        settling.append(f"one cube of three lines {named}")
    elif sure_after(walls, tube, aim, known) >= wanted:
        settling.append(f"a tube of three lines and one {named}")
    elif sure_after(checked, [_checked(wall) for wall in tube], aim, known) >= wanted:
        settling.append(f"a tube of three lines and one {named}, and checked calipers")
    else:
        settling.append("no print measured so would: look for what makes walls uneven")
        if known.prior.u is not None:
            # Of foaming filament it tells nothing of how thick walls come out.
            settling.append("a pocket scale, which neither texture nor jaws trouble: metier weigh")
    return tuple(settling)


def _checked(wall: DosedWall) -> DosedWall:
    return wall._replace(accuracy_mm=min(wall.accuracy_mm, _CHECKED_MM))


def foreseen_u95(
    counts: Sequence[int], like: DosedWall, flow: float, instrument: Instrument, known: Known
) -> float:
    """Return the ± that a first print of walls of so many lines will give, a ratio.

    ``like`` tells how far its lines lie apart, and how high they are.
    """
    walls = _next_print(like, counts, flow, instrument)
    low, high = posterior(walls, known.prior, known.print_scatter).interval
    return (high - low) / 2


def cannot_be_sure(walls: Sequence[DosedWall], aim: Aim, known: Known) -> bool:
    """Tell whether six more prints of the same would still leave the answer unsure."""
    last = [wall for wall in walls if wall.print_number == walls[-1].print_number]
    more = [wall._replace(print_number=-number) for number in range(1, 7) for wall in last]
    return sure_after(walls, more, aim, known) < aim.sure


def _read_more(walls: Sequence[DosedWall], last: FlowTrial) -> list[DosedWall]:
    """Return the walls as if those of the last print were read as often as anybody does."""
    count = sum(section.wall.n for section in last.sections)
    if count >= _MOST_READINGS:
        return list(walls)
    narrower = (count / _MOST_READINGS) ** 0.5
    return [
        wall._replace(u_mm=wall.u_mm * narrower) if wall.print_number == last.number else wall
        for wall in walls
    ]


def _next_print(
    like: DosedWall, counts: Sequence[int], flow: float, instrument: Instrument
) -> list[DosedWall]:
    """Return walls of a print to come, its dose as that of another at a rich flow."""
    area_mm2 = flow * like.layer_mm * like.spacing_mm
    u_mm = max(instrument.repeatability_mm / _READINGS**0.5, instrument.resolution_mm / 12**0.5) * (
        t95(PRIOR_DOF + _READINGS - 1) / NORMAL95
    )
    return [
        like._replace(
            walls=count,
            area_mm2=area_mm2,
            u_mm=u_mm,
            print_number=-1,
            wall_mm=like.spacing_mm * count + rounding_mm(like.layer_mm),
        )
        for count in counts
    ]


# The shares looked at, evenly over what is likely.
_SHARES = 40
_UNLIKELY = 0.0005


class Forecast(NamedTuple):
    """What a wall should measure, with U at 95 %, and what it did."""

    walls: int
    wall_mm: float
    u95_mm: float
    measured_mm: float

    @property
    def came_so(self) -> bool:
        """Whether it measured what was forecast."""
        return not exceeds(abs(self.measured_mm - self.wall_mm), self.u95_mm)


def forecast(
    walls: Sequence[DosedWall], ahead: Sequence[DosedWall], known: Known
) -> tuple[Forecast, ...]:
    """Return what each wall ahead should measure; what it did measure is only set beside it."""
    return tuple(_of_one(walls, wall, known) for wall in ahead)


def _of_one(walls: Sequence[DosedWall], ahead: DosedWall, known: Known) -> Forecast:
    together = covariance([*walls, ahead], known.print_scatter)
    size = len(walls)
    weights = inverse([row[:size] for row in together[:size]])
    shared, own = together[size][:size], together[size][size]
    pull = [dot(row, shared) for row in weights]
    variance = own - dot(pull, shared)
    known_share = posterior(walls, known.prior, known.print_scatter)
    low, high = known_share.quantile(_UNLIKELY), known_share.quantile(1 - _UNLIKELY)
    shares = [low + (high - low) * i / _SHARES for i in range(_SHARES + 1)]
    squares: list[float] = []
    expected: list[float] = []
    for starved in STARVED:
        squares += Pieces(walls, weights, starved, known.prior).squares(shares)
        for share in shares:
            off = [w.wall_mm - w.lines_mm(share, starved) - TEXTURE_MM for w in walls]
            expected.append(ahead.lines_mm(share, starved) + TEXTURE_MM + dot(pull, off))
    least = min(squares)
    odds = [math.exp((least - square) / 2) for square in squares]
    total = math.fsum(odds)
    mean = dot(odds, expected) / total
    spread = dot(odds, [(wall_mm - mean) ** 2 for wall_mm in expected]) / total
    return Forecast(ahead.walls, mean, NORMAL95 * math.sqrt(variance + spread), ahead.wall_mm)
