"""From the wall of a hollow cube to the flow that makes it right.

Flow is a ratio here: 0.92 is what a slicer shows as 92 % or 0.92.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.rule import ACCEPT, FlowRule
from metier.core.flow.signs import pairs_note
from metier.core.flow.trend import CubeWall, Trend, fit_trend
from metier.core.flow.verdict import judge_wall
from metier.core.line.bead import rounding_mm
from metier.core.line.cube import Cube, Targets, targets_mm
from metier.core.measure.readings import (
    PRIOR_DOF,
    Estimate,
    Instrument,
    estimate_sides,
    scatter_note,
    suspects,
)
from metier.core.measure.slips import refuse_slip
from metier.core.measure.thresholds import Rounding, round_to
from metier.core.refusal import Refusal
from metier.core.verdicts import Verdict


class FlowFinding(NamedTuple):
    """What a measured wall says about flow.

    ``flow_new`` (± ``flow_new_u95``) is by ``rule``; ``flow_plain`` is the plain ratio;
    ``flow_under`` what each line model would make of the same wall. ``flow_to_type`` is rounded,
    the present flow when nothing is to be changed, None when nothing should be typed yet.
    """

    wall: Estimate
    target_mm: float
    targets_mm: Targets
    flow_now: float
    flow_new: float
    flow_new_u95: float
    flow_plain: float
    flow_under: Targets
    flow_to_type: float | None
    rule: FlowRule
    trend: Trend | None
    verdict: Verdict
    notes: tuple[str, ...]
    suspects: tuple[int, ...]


def plausible_flow(foaming: bool = False, flexible: bool = False) -> tuple[float, float]:
    """Return the range a new flow must lie in to be believed, by kind of filament."""
    lowest = 0.35 if foaming else 0.75
    highest = 1.50 if flexible else (1.15 if foaming else 1.30)
    if flexible and not foaming:
        lowest = 0.85
    return lowest, highest


def correct_flow(
    sides_mm: Sequence[Sequence[float]],
    instrument: Instrument,
    cube: Cube,
    *,
    rule: FlowRule = "bead",
    accept: tuple[float, float] = ACCEPT,
    plausible: tuple[float, float] = (0.75, 1.30),
    round_step: float = 0.01,
    rounding: Rounding = "nearest",
    earlier_offs_mm: Sequence[float] = (),
    earlier: Sequence[CubeWall] = (),
) -> FlowFinding:
    """Return the corrected flow and the verdict for walls measured on one cube.

    ``sides_mm`` holds the readings side by side; each side counts alike. The bead rule
    ``f·(t - c)/(m - c)`` follows from a line's geometry: its rounded sides (c) do not change with
    flow. The plain ratio ``f·t/m`` is the one on paper. The trend rule asks ``earlier`` cubes of
    the same kind as well, where they say more than this one alone; see `fit_trend`.
    ``earlier_offs_mm`` are the deviations from target of the trials just before this one, oldest
    first.

    >>> cube = Cube(width_mm=0.44, walls=1, layer_mm=0.2, flow=1.0)
    >>> walls = [[0.47, 0.49, 0.48, 0.46], [0.47, 0.48, 0.47, 0.46]]
    >>> finding = correct_flow(walls, Instrument(0.012, 0.01, 0.01), cube)
    >>> round(finding.flow_new, 4), finding.flow_to_type, finding.verdict.name
    (0.9243, 0.92, 'correct')

    Raises:
        Refusal: no readings, impossible sizes, or readings far from the wall expected.
    """
    targets = targets_mm(cube.width_mm, cube.walls, cube.layer_mm)
    target_mm = cube.target_mm()
    if not (0 < cube.flow < math.inf):
        raise Refusal(f"flow {cube.flow:.4g}x must be above zero")
    for side in sides_mm:
        for reading in side:
            refuse_slip(reading, target_mm + instrument.zero_mm, "reading")
    wall = estimate_sides(sides_mm, instrument)
    c_mm = rounding_mm(cube.layer_mm)
    this = as_cube_wall(wall, instrument, cube.flow)
    trend = fit_trend([*earlier, this], target_mm, cube.walls, c_mm)
    by_bead = _corrected(wall, target_mm, cube, "bead")
    notes = []
    if rule == "trend" and (trend is None or trend.u95 >= by_bead[1]):
        rule = "bead"
        notes.append(
            "no trend rule: it needs cubes of this kind at flows 2 % apart or more, whose walls "
            "follow flow"
            if trend is None
            else "no trend rule: this cube alone says more"
        )
    flow_new, flow_new_u95 = _corrected(wall, target_mm, cube, rule)
    if rule == "trend" and trend is not None:
        flow_new, flow_new_u95 = trend.flow, trend.u95
    elif trend is not None and trend.u95 < by_bead[1]:
        notes.append(
            f"by the trend of {len(earlier) + 1} cubes the flow is {100 * trend.flow:.1f} ± "
            f"{100 * trend.u95:.1f} %: --rule trend takes it"
        )
    flow_plain = _corrected(wall, target_mm, cube, "plain")[0]
    verdict = judge_wall(
        wall,
        instrument,
        cube,
        flow_new,
        accept=accept,
        plausible=plausible,
        earlier_offs_mm=earlier_offs_mm,
    )
    flow_to_type: float | None = cube.flow
    if verdict.name == "correct":
        flow_to_type = round_to(flow_new, round_step, rounding)
    elif verdict.name == "recheck":
        flow_to_type = None
    odd = suspects([reading for side in sides_mm for reading in side], instrument)
    return FlowFinding(
        wall=wall,
        target_mm=target_mm,
        targets_mm=targets,
        flow_now=cube.flow,
        flow_new=flow_new,
        flow_new_u95=flow_new_u95,
        flow_plain=flow_plain,
        flow_under=Targets(*(_corrected(wall, t, cube, rule)[0] for t in targets)),
        flow_to_type=flow_to_type,
        rule=rule,
        trend=trend,
        verdict=verdict,
        notes=(*_notes(sides_mm, instrument, cube, wall, target_mm, rule, verdict, odd), *notes),
        suspects=odd,
    )


def as_cube_wall(wall: Estimate, instrument: Instrument, flow: float) -> CubeWall:
    """Return a measured wall as a point of the trend, its uncertainty split by origin."""
    u_accuracy_mm = instrument.accuracy_mm / math.sqrt(3)
    u_repeat_mm = math.sqrt(max(0.0, wall.u**2 - u_accuracy_mm**2))
    return CubeWall(flow, wall.value, u_repeat_mm, u_accuracy_mm, PRIOR_DOF + wall.n - 1)


def _corrected(wall: Estimate, target_mm: float, cube: Cube, rule: FlowRule) -> tuple[float, float]:
    c_mm = rounding_mm(cube.layer_mm)
    if wall.value <= c_mm:
        raise Refusal(
            f"a wall of {wall.value:.3f} mm is thinner than the rounded sides of its own lines "
            f"({c_mm:.3f} mm at layer height {cube.layer_mm:g}): look at reading, zero and layer"
        )
    if rule == "plain":
        c_mm = 0.0
    flow_new = cube.flow * (target_mm - c_mm) / (wall.value - c_mm)
    return flow_new, flow_new * wall.u95 / (wall.value - c_mm)


def _notes(
    sides_mm: Sequence[Sequence[float]],
    instrument: Instrument,
    cube: Cube,
    wall: Estimate,
    target_mm: float,
    rule: FlowRule,
    verdict: Verdict,
    odd: tuple[int, ...],
) -> tuple[str, ...]:
    notes = []
    if odd:
        notes.append(_without(sides_mm, instrument, cube, target_mm, rule, odd))
    scattered = scatter_note(wall, instrument)
    if scattered:
        notes.append(scattered)
    in_pairs = pairs_note(sides_mm, instrument)
    if in_pairs:
        notes.append(in_pairs)
    if verdict.name == "correct" and cube.walls > 1 and rule == "bead":
        notes.append(
            f"{cube.walls} lines a wall: exact where they are fused; where they stand apart the "
            f"wall follows less, up to {cube.walls} times less, so measure a second cube"
        )
    return tuple(notes)


def _without(
    sides_mm: Sequence[Sequence[float]],
    instrument: Instrument,
    cube: Cube,
    target_mm: float,
    rule: FlowRule,
    odd: tuple[int, ...],
) -> str:
    """Say what the answer would be without the suspects; they still count."""
    numbered = iter(range(sum(len(side) for side in sides_mm)))
    split = [[(reading, next(numbered) in odd) for reading in side] for side in sides_mm]
    named = ", ".join(f"{reading:g}" for side in split for reading, is_odd in side if is_odd)
    kept = [[reading for reading, is_odd in side if not is_odd] for side in split]
    wall = estimate_sides([side for side in kept if side], instrument)
    flow, u95 = _corrected(wall, target_mm, cube, rule)
    return (
        f"{named}: misread? It counts as it stands; without it the wall is "
        f"{wall.value:.4f} ± {wall.u95:.4f} mm and the flow {100 * flow:.1f} ± {100 * u95:.1f} %"
    )
