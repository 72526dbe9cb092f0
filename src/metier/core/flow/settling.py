"""Looking ahead: which print would settle an answer, and what a print should measure.

Before anything is printed a linear fit tells what rows will. What walls share, texture and jaws, is
known from those measured as far as these tell (the conditional mean and variance of jointly normal
errors), averaged over the posterior.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.answer import PRIOR_AIMED, Aim, FlowAnswer, Known, fitted
from metier.core.flow.posterior import WAYS
from metier.core.flow.rows import TEXTURE_MM, DosedWall, Row, ToldShare, covariance, dot, inverse
from metier.core.flow.trials import FlowTrial
from metier.core.line.bead import line_for_bore, rounding_mm
from metier.core.measure.readings import PRIOR_DOF, Instrument
from metier.core.measure.student import NORMAL95, t95
from metier.core.measure.thresholds import exceeds

# Several lines are planned over the estimate, so that they touch: less once it was measured.
RICH_FIRST, RICH_AGAIN = 1.08, 1.05
_CHECKED_MM = 0.01
_READINGS, _SIDES = 8, 4
# What a pocket scale and a density by the material make of a print's share, relative.
_SCALE_U, _DENSITY_U = 0.003, 0.015
# The line of a tube whose width is not known.
_WIDTH_MM, _LAYER_MM = 0.45, 0.2


def rich(flow: float, measured: bool) -> float:
    """Return the flow to plan several lines at, in whole percent over the estimate."""
    return round((RICH_AGAIN if measured else RICH_FIRST) * flow, 2)


class TubeSection(NamedTuple):
    """A section of a tube to come: its lines, how wide they are, and the flow they are printed at
    as a part of what is right."""

    walls: int
    width_mm: float
    part: float = 1.0


def chance_with(u: float, aim: Aim) -> float:
    """Return how likely the best guess is right, where the share is known to that (relative u)."""
    low, high = aim.band
    return math.erf((high - low) / 2 / u / math.sqrt(2))


def foreseen_u(rows: Sequence[Row], share: float, known: Known) -> float:
    """Return how well (relative) rows would tell the share, with what is known beforehand."""
    u = fitted(rows, share, known.print_scatter).u
    if known.prior.u is not None:
        u = 1 / math.hypot(1 / u, 1 / known.prior.u)
    return u / share


def tube_rows(
    sections: Sequence[TubeSection],
    layer_mm: float,
    instrument: Instrument,
    share: float,
    bore_mm: float | None = None,
) -> list[Row]:
    """Return the walls of a tube to come, its lines dosed as Metier doses them."""
    u_mm = max(instrument.repeatability_mm / _READINGS**0.5, instrument.resolution_mm / 12**0.5) * (
        t95(PRIOR_DOF + _READINGS - 1) / NORMAL95
    )
    rows: list[Row] = []
    for walls, width_mm, part in sections:
        apart_mm = width_mm - rounding_mm(layer_mm)
        rows.append(
            DosedWall(
                wall_mm=walls * apart_mm + rounding_mm(layer_mm),
                u_mm=u_mm,
                accuracy_mm=instrument.accuracy_mm,
                walls=walls,
                area_mm2=part / share * layer_mm * apart_mm,
                spacing_mm=apart_mm,
                layer_mm=layer_mm,
                print_number=-1,
                sides=_SIDES,
                bore_mm=bore_mm,
            )
        )
    return rows


def whole_tube(bore_mm: float, width_mm: float | None = None) -> tuple[TubeSection, ...]:
    """Return the sections of Metier's tube: three lines rich, a wide one, one."""
    line_mm = width_mm or line_for_bore(bore_mm)[0]
    return (
        TubeSection(3, line_mm, RICH_FIRST),
        TubeSection(1, 2 * bore_mm),
        TubeSection(1, line_mm),
    )


def settles(
    trials: Sequence[FlowTrial],
    answer: FlowAnswer,
    rows: Sequence[Row],
    instrument: Instrument,
    aim: Aim,
    known: Known,
) -> tuple[str, ...]:
    """Return what would settle a flow, cheapest first; what would not by itself comes with more.
    The names of commands stand in braces."""
    last, settling = trials[-1], []
    odds = answer.joint.odds.values()
    if len(odds) > 1 and min(odds) > _STILL_POSSIBLE:
        settling.append("two numbers off the slicer's preview, flow and speed of a wall: --preview")
    share = 1 / answer.flow_new
    beside = [*rows, *([known.rolls[answer.joint.likelier]] if known.rolls else [])]
    # Of foaming filament, and of a wall that is aimed at alone, a weight tells no dose.
    if known.prior.u not in (None, PRIOR_AIMED) and last.weighed is None:
        weight = ToldShare(share, _SCALE_U, _DENSITY_U, last.number)
        if chance_with(foreseen_u([*beside, weight], share, known), aim) >= aim.sure:
            settling.append("weighing this very print: {weigh}")
    bore_mm = last.bore_mm or _WIDTH_MM
    tube = tube_rows(whole_tube(bore_mm), _LAYER_MM, instrument, share, bore_mm)
    if chance_with(foreseen_u([*beside, *tube], share, known), aim) >= aim.sure:
        settling.append("Metier's tube: {tube}")
    coarse = exceeds(last.accuracy_mm, _CHECKED_MM) and last.instrument != "micrometer"
    if coarse:
        checked = [_checked(row) for row in beside]
        if chance_with(foreseen_u(checked, share, known), aim) >= aim.sure:
            settling.append("calipers checked on a gauge: {check}")
        elif not settling:
            both = [*checked, *map(_checked, tube)]
            if chance_with(foreseen_u(both, share, known), aim) >= aim.sure:
                settling.append("Metier's tube, and calipers checked on a gauge")
    return tuple(settling) or ("no print measured so would: look for what makes walls uneven",)


_STILL_POSSIBLE = 0.05


def _checked(row: Row) -> Row:
    if isinstance(row, ToldShare):
        return row
    return row._replace(accuracy_mm=min(row.accuracy_mm, _CHECKED_MM))


# The shares looked at, each as likely as another.
_SHARES = 25


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
    rows: Sequence[Row], answer: FlowAnswer, ahead: Sequence[DosedWall], known: Known
) -> tuple[Forecast, ...]:
    """Return what each wall ahead should measure by rows and the answer they gave; what it did
    measure is only set beside it."""
    return tuple(_of_wall(rows, answer, wall, known) for wall in ahead)


def _of_wall(rows: Sequence[Row], answer: FlowAnswer, ahead: DosedWall, known: Known) -> Forecast:
    together = covariance([*rows, ahead], known.print_scatter)
    size = len(rows)
    weights = inverse([row[:size] for row in together[:size]]).rows
    shared, own = together[size][:size], together[size][size]
    pull = [dot(row, shared) for row in weights]
    variance = own - dot(pull, shared)
    under = answer.joint.under[answer.joint.likelier]
    shares = [under.quantile((at + 0.5) / _SHARES) for at in range(_SHARES)]
    expected = []
    for starved, rising in WAYS if any(row.touching_at for row in (*rows, ahead)) else WAYS[:1]:
        for share in shares:
            off = [row.value - row.lines_mm(share, starved, rising) for row in rows]
            expected.append(ahead.lines_mm(share, starved, rising) + TEXTURE_MM + dot(pull, off))
    mean = math.fsum(expected) / len(expected)
    spread = math.fsum((wall_mm - mean) ** 2 for wall_mm in expected) / len(expected)
    return Forecast(ahead.walls, mean, NORMAL95 * math.sqrt(variance + spread), ahead.wall_mm)
