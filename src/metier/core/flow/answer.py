"""The flow to type, read off the posterior: best guess, how sure it is, what makes its ±."""

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.posterior import Joint, Prior, joint
from metier.core.flow.rows import (
    PRINT_SCATTER,
    TEXTURE_MM,
    TEXTURE_U_MM,
    DosedWall,
    Row,
    ToldShare,
    covariance,
    dot,
    inverse,
)
from metier.core.flow.trials import FlowTrial, rows_under
from metier.core.measure.student import NORMAL95, Influence, by_size
from metier.core.measure.thresholds import Rounding, exceeds, round_to
from metier.core.values import LINE_MODELS, LineModel

# Too little leaves lines apart and parts weak; a little too much only makes them larger.
BAND = (-0.02, 0.03)
SURE = 0.75
# What is known beforehand of the share, 1 u: the e-steps in force come from a trial; nobody
# measured them; filament that jaws squeeze; a wall aimed at of which nothing else is known.
PRIOR_MEASURED, PRIOR_UNMEASURED, PRIOR_FLEXIBLE, PRIOR_AIMED = 0.05, 0.08, 0.10, 0.15
# How likely the line model that somebody told is the slicer's.
_TOLD_ODDS = 0.9
# Chances nearer than this are alike.
_ALIKE = 1e-6


class Aim(NamedTuple):
    """What is wanted of a flow: the band it may be off by, how sure of that, the step typed, and
    another wall than lines that just fill, in mm."""

    band: tuple[float, float] = BAND
    sure: float = SURE
    round_step: float = 0.01
    rounding: Rounding = "nearest"
    wall_mm: float | None = None


def model_odds(model: LineModel | None, certain: bool = False) -> dict[LineModel, float]:
    """Return how likely each line model is beforehand: where one was told, or shown for certain."""
    if model is None:
        return {each: 1 / len(LINE_MODELS) for each in LINE_MODELS}
    told = 1.0 if certain else _TOLD_ODDS
    return {each: told if each == model else 1 - told for each in LINE_MODELS}


class Known(NamedTuple):
    """What is known beside the prints: the prior, how likely each line model is, by how much prints
    differ, and what other rolls of the kind say, under each line model."""

    prior: Prior = Prior(1.0, PRIOR_UNMEASURED)
    models: Mapping[LineModel, float] = model_odds(None)
    print_scatter: float = PRINT_SCATTER
    rolls: Mapping[LineModel, ToldShare] | None = None

    def of(self, rows: Mapping[LineModel, Sequence[Row]]) -> Joint:
        """Return what rows say, in the light of that."""
        odds = self.models if len(rows) > 1 else dict.fromkeys(rows, 1.0)
        if self.rolls is None:
            return joint(rows, odds, self.prior, self.print_scatter)
        beside = {model: [*each, self.rolls[model]] for model, each in rows.items()}
        alone = joint(rows, odds, self.prior, self.print_scatter)
        known = joint(beside, odds, Prior(1.0, None), self.print_scatter)
        # As a prior they are no stronger than what is measured: that may contradict them.
        row = self.rolls[alone.likelier]
        expected = Prior(row.value, row.whole_u).interval
        if expected[1] < alone.quantile(0.025) or alone.quantile(0.975) < expected[0]:
            return alone._replace(contradicts=True)
        return known._replace(own=alone.own)


class FlowAnswer(NamedTuple):
    """What prints say of the flow; flows are ratios.

    ``flow_new`` is the best estimate, ``to_type`` the best guess: the step of the greatest chance;
    ``sure_set`` is how likely the flow that is set is right (None where none is), ``sure_new`` the
    best guess.
    """

    joint: Joint
    flow_new: float
    interval: tuple[float, float]
    to_type: float
    sure_set: float | None
    sure_new: float

    @property
    def u95(self) -> float:
        """Half the length of the interval."""
        return (self.interval[1] - self.interval[0]) / 2

    def nearer_than(self, flow: float) -> float:
        """Return how likely the best guess is nearer to what is right than a flow is."""
        below = self.joint.probability_below(2 / (self.to_type + flow))
        return 1 - below if self.to_type < flow else below


def answer(
    trials: Sequence[FlowTrial], flow_set: float | None, aim: Aim, known: Known
) -> FlowAnswer:
    """Return what prints say of the flow.

    Raises:
        BadInput: nothing is known of what was dosed.
    """
    rows = rows_under(trials)
    if not all(rows.values()):
        raise BadInput("what was dosed for these walls is not known: give --width and --flow")
    shares = known.of(rows)
    if aim.wall_mm is not None:
        last = trials[-1]
        shares = shares.wanting({model: _part(last, model, aim.wall_mm) for model in shares.under})
    return answer_of(shares, flow_set, aim)


def _part(trial: FlowTrial, model: LineModel, wanted_mm: float) -> float:
    """Return what a wall of that size takes, as a part of what is dosed at flow 1."""
    wall = trial.as_walls(model)[0]
    flow = trial.flow or 1.0
    line_mm = wall.line_mm / flow
    target_mm = wanted_mm - TEXTURE_MM
    low, high = 0.05, 20.0
    for _ in range(60):
        middle = (low + high) / 2
        measures = wall._replace(area_mm2=wall.layer_mm * line_mm).lines_mm(middle)
        low, high = (middle, high) if measures < target_mm else (low, middle)
    return (low + high) / 2


def answer_of(shares: Joint, flow_set: float | None, aim: Aim) -> FlowAnswer:
    """Return the answer that shares give."""
    to_type = _best_guess(shares, flow_set, aim)
    sure_set = None if flow_set is None else shares.sure(flow_set, aim.band)
    sure_new = shares.sure(to_type, aim.band)
    return FlowAnswer(shares, shares.flow, shares.interval, to_type, sure_set, sure_new)


def _best_guess(shares: Joint, flow_set: float | None, aim: Aim) -> float:
    step, flow = aim.round_step, shares.flow
    if aim.rounding != "nearest":
        return round_to(flow, step, aim.rounding)
    low, high = shares.interval
    first, last = math.floor(low / step), math.ceil(high / step)
    steps = [round(number * step, 10) for number in range(max(1, first), last + 1)]
    chances = [(shares.sure(value, aim.band), value) for value in steps]
    highest = max(chance for chance, _ in chances)
    if flow_set is not None and shares.sure(flow_set, aim.band) >= highest - _ALIKE:
        return flow_set
    alike = [value for chance, value in chances if chance >= highest - _ALIKE]
    return min(alike, key=lambda value: (abs(value - flow), -value))


def sure_range(answer: FlowAnswer, aim: Aim) -> tuple[float, float] | None:
    """Return the flows that are sure enough, by halving from the best guess on; None for none."""
    if answer.sure_new < aim.sure:
        return None
    shares = answer.joint

    def edge(outside: float) -> float:
        inside = answer.to_type
        for _ in range(20):
            middle = (inside + outside) / 2
            if shares.sure(middle, aim.band) >= aim.sure:
                inside = middle
            else:
                outside = middle
        return inside

    return edge(answer.interval[0] / 1.2), edge(answer.interval[1] * 1.2)


class Fitted(NamedTuple):
    """A linear fit of the share about an estimate: its u, and the weight of each row."""

    u: float
    weights: tuple[float, ...]


# What is not known of a surplus and of a lack, as standard deviations of their parts.
_RISING_U, _STARVED_U = math.sqrt(1 / 24), math.sqrt(1 / 6)


def fitted(rows: Sequence[Row], share: float, print_scatter: float) -> Fitted:
    """Return rows fitted by generalized least squares about a share (JCGM 100:2008, 5.1.2)."""
    shared = covariance(rows, print_scatter)
    slopes = [row.slope(share, 0.5, 0.25) for row in rows]
    rising = [row.lines_mm(share, 0.5, 1.0) - row.lines_mm(share, 0.5, 0.0) for row in rows]
    starved = [row.lines_mm(share, 1.0) - row.lines_mm(share, 0.0) for row in rows]
    for i, line in enumerate(shared):
        for j in range(len(rows)):
            line[j] += (
                _RISING_U**2 * rising[i] * rising[j] + _STARVED_U**2 * starved[i] * starved[j]
            )
    by_slope = [dot(line, slopes) for line in inverse(shared).rows]
    information = dot(slopes, by_slope)
    return Fitted(1 / math.sqrt(information), tuple(part / information for part in by_slope))


def influences(rows: Sequence[Row], answer: FlowAnswer, known: Known) -> list[Influence]:
    """Return what makes the ± of a flow, as ratios, the largest first."""
    share = answer.joint.under[answer.joint.likelier].quantile(0.5)
    weights = fitted(rows, share, known.print_scatter).weights
    prints: dict[int | None, float] = {}
    jaws: dict[str, float] = {}
    readings, scale, density, texture = [], [], 0.0, 0.0
    for row, weight in zip(rows, weights, strict=True):
        prints[row.print_number] = prints.get(row.print_number, 0.0) + weight * row.delivered
        if isinstance(row, DosedWall):
            jaws[row.instrument] = jaws.get(row.instrument, 0.0) + weight * row.accuracy_mm
            readings.append(weight * row.u_mm)
            texture += weight
        else:
            scale.append(weight * row.u)
            density += weight * row.density_u
    parts = {
        "calipers": math.hypot(*jaws.values()) / math.sqrt(3),
        "readings": math.hypot(*readings),
        "prints": known.print_scatter * math.hypot(*prints.values()),
        "texture": TEXTURE_U_MM * abs(texture),
        "scale": math.hypot(*scale),
        "density": abs(density),
    }
    ratio = answer.flow_new / share
    made = {name: ratio * u for name, u in parts.items() if u}
    if len(answer.joint.under) > 1:
        # What is left of the whole is that nobody knows which of the two it is.
        rest = (answer.u95 / NORMAL95) ** 2 - sum(u**2 for u in made.values())
        made["line model"] = math.sqrt(max(0.0, rest))
    return list(by_size(made))


def off_by_more(flow_new: float, flow: float, band: tuple[float, float]) -> bool:
    """Tell whether what a flow delivers is off by more than the band, by the best estimate."""
    off = flow / flow_new - 1
    return exceeds(off, band[1]) or exceeds(band[0], off)
