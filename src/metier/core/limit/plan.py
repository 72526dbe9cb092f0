"""The ramp to print: its range, its steps, and what it takes to print it."""

import math
from typing import NamedTuple

from metier.core.limit.ramp import Ramp, check_ramp
from metier.core.limit.reach import Reach, check_reach
from metier.core.line.printed import PrintedLine
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.refusal import Refusal

# A layer higher than this part of the bore does not bond well.
MOST_LAYER = 0.8
# Taller than this a tube sways.
_TALLEST_MM = 100.0
_STEP_HEIGHT_MM = 2.0
_STEPS_MM3_S = (0.1, 0.2, 0.25, 0.5, 1.0, 2.0, 5.0)
# Where nothing is known: from and to so many times what a plain hot end melts, or a fast one.
_UNKNOWN, _FAST = (0.35, 1.35), (0.35, 2.7)
# Round the limit of another nozzle or plastic, a lower bound, and a limit of this very kind.
_SIMILAR, _AT_LEAST, _ALIKE = (0.5, 1.6), (0.8, 2.2), (0.7, 1.4)
# A ramp that looks for a limit rises by so much a step, where it is long enough for that.
_COARSE_MM3_S, _LONG_MM3_S = 1.0, 8.0


class Proposal(NamedTuple):
    """A ramp and what printing it takes; ``at_speed`` is the share of its last step that is
    printed at its flow."""

    ramp: Ramp
    line: PrintedLine
    reach: Reach
    at_speed: float
    height_mm: float
    time_s: float
    volume_mm3: float
    filament_mm: float
    from_mm_s: float
    to_mm_s: float
    least_layer_s: float


def usual_line(
    width_mm: float | None, layer_mm: float | None, bore_mm: float
) -> tuple[float, float]:
    """Return width and height of the ramp's line: as the bench prints, kept to what suits.

    A line is no narrower than the bore and no higher than 80 % of it.
    """
    width_mm = max(width_mm or bore_mm, bore_mm)
    layer_mm = layer_mm or max(0.05, round_to(0.4 * bore_mm, 0.05))
    return width_mm, min(layer_mm, round_to(MOST_LAYER * bore_mm, 0.01, "down"))


class Nearest(NamedTuple):
    """The limit known that is most like the one looked for; whether it is of the same nozzle and
    plastic, and whether it is a lower bound."""

    limit_mm3_s: float
    alike: bool
    at_least: bool

    @property
    def told(self) -> bool:
        """Whether it tells well where the one looked for will be."""
        return self.alike and not self.at_least


def propose_range(
    melts_mm3_s: float, nearest: Nearest | None, *, fast: bool = False
) -> tuple[float, float]:
    """Return from which flow to which to go: round what is known, else round what a plain hot end
    melts of the plastic through the bore, or a ``fast`` one.

    >>> propose_range(12.0, None), propose_range(12.0, Nearest(12.0, True, False))
    ((4.0, 16.5), (8.0, 17.0))
    """
    around, (low, high) = melts_mm3_s, _FAST if fast else _UNKNOWN
    if nearest:
        around, (low, high) = nearest.limit_mm3_s, _ALIKE if nearest.alike else _SIMILAR
        if nearest.at_least:
            low, high = _AT_LEAST
    return (
        max(0.5, round_to(low * around, 0.5, "down")),
        max(1.5, round_to(high * around, 0.5, "up")),
    )


def propose_steps(
    from_mm3_s: float, to_mm3_s: float, finest_mm3_s: float, *, searching: bool = False
) -> tuple[float, float]:
    """Return step and height of a step: as fine as asked for where the part stays below 10 cm, and
    coarser where a limit is only ``searched`` for."""
    long = not exceeds(_LONG_MM3_S, to_mm3_s - from_mm3_s)
    if searching and long:
        finest_mm3_s = max(finest_mm3_s, _COARSE_MM3_S)
    wanted = [step for step in _STEPS_MM3_S if not exceeds(finest_mm3_s, step)] or [finest_mm3_s]
    for step in wanted:
        count = math.floor((to_mm3_s - from_mm3_s) / step + 1e-9) + 1
        if not exceeds(count * _STEP_HEIGHT_MM, _TALLEST_MM):
            break
    return step, _STEP_HEIGHT_MM


def price(ramp: Ramp, line: PrintedLine, reach: Reach, diameter_mm: float) -> Proposal:
    """Return what printing a ramp takes: height, time (without acceleration) and filament.

    Raises:
        Refusal: a ramp that does not rise or has no end, an impossible line or outline.
    """
    check_ramp(ramp)
    if ramp.to_mm3_s is None:
        raise Refusal("a ramp to print needs an end: the flow it goes to")
    if not diameter_mm > 0:
        raise Refusal("the filament's diameter must be above zero")
    check_reach(reach)
    area, around_mm = line.area_mm2, reach.outline.around_mm
    layers = round((ramp.end_mm - ramp.base_mm) / line.layer_mm)
    if layers > 100_000:
        raise Refusal(f"that ramp is {ramp.end_mm:g} mm high: a faster rise, or fewer steps")
    layer_mm3 = around_mm * area
    time_s = math.fsum(
        layer_mm3 / _mid_flow(ramp, ramp.base_mm + (layer + 0.5) * line.layer_mm)
        for layer in range(layers)
    )
    foot = round(ramp.base_mm / line.layer_mm)
    volume = (layers + foot) * layer_mm3
    return Proposal(
        ramp,
        line,
        reach,
        reach.share(line.speed_mm_s(ramp.to_mm3_s)),
        ramp.end_mm,
        time_s + foot * layer_mm3 / ramp.from_mm3_s,
        volume,
        volume / (math.pi * diameter_mm**2 / 4),
        line.speed_mm_s(ramp.from_mm3_s),
        line.speed_mm_s(ramp.to_mm3_s),
        layer_mm3 / ramp.to_mm3_s,
    )


def _mid_flow(ramp: Ramp, height_mm: float) -> float:
    return ramp.flow_at(min(height_mm, ramp.end_mm - 1e-6))


def line_notes(width_mm: float, layer_mm: float, bore_mm: float) -> list[str]:
    """Return what is wrong with a ramp's line for its nozzle."""
    notes = []
    if exceeds(bore_mm, width_mm):
        notes.append(
            f"lines of {width_mm:g} mm are narrower than the {bore_mm:g} mm bore: they break off "
            "before the hot end is at its limit"
        )
    if exceeds(layer_mm, MOST_LAYER * bore_mm):
        notes.append(
            f"layers of {layer_mm:g} mm are over 80 % of the {bore_mm:g} mm bore: gaps show there "
            "for another reason"
        )
    return notes
