"""Planning a ramp: its range, and what acceleration lets be reached.

On a straight of length L between corners taken at v_c the speed rises to √(v_c² + a·L) at most,
as uniform acceleration has it; round a circle of radius r it stays below √(a·r).
"""

import math
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.ramp import Ramp, Stepped, check_ramp
from metier.core.line.bead import PrintedLine
from metier.core.measure.thresholds import exceeds, round_to

# A speed counts as printed where this share of each side runs at it.
MOSTLY = 0.6
# What an ordinary printer of the hobby does, where nobody says.
ACCELERATION_MM_S2 = 1000.0
CORNERING_MM_S = 8.0
# The longest side and the largest radius that any bed holds.
_LARGEST_MM = 500.0


class Outline(NamedTuple):
    """What is gone round: a ``square`` whose straight sides measure ``size_mm`` between their
    corners, or a ``round`` of that radius."""

    shape: Literal["square", "round"]
    size_mm: float

    @property
    def around_mm(self) -> float:
        """The length of it."""
        return (4 if self.shape == "square" else 2 * math.pi) * self.size_mm


class Reach(NamedTuple):
    """An outline, and what the printer's moves along it are bounded by.

    >>> reach = Reach(Outline("square", 50.0), 1000.0, 8.0)
    >>> round(reach.fastest_mm_s, 2), round(reach.share(150.0), 3)
    (223.75, 0.551)
    """

    outline: Outline
    accel_mm_s2: float
    cornering_mm_s: float = CORNERING_MM_S

    @property
    def fastest_mm_s(self) -> float:
        """The highest speed anywhere on it."""
        corner = 0.0 if self.outline.shape == "round" else self.cornering_mm_s
        return math.sqrt(corner**2 + self.accel_mm_s2 * self.outline.size_mm)

    def share(self, speed_mm_s: float) -> float:
        """Return the share of it that runs at a speed set there."""
        if self.outline.shape == "round":
            return 1.0 if speed_mm_s <= self.fastest_mm_s + 1e-9 else 0.0
        ramps_mm = (speed_mm_s**2 - self.cornering_mm_s**2) / self.accel_mm_s2
        return min(1.0, max(0.0, 1 - ramps_mm / self.outline.size_mm))


def check_reach(reach: Reach) -> None:
    """Refuse what no printer has.

    Raises:
        BadInput: names what is wrong.
    """
    if not 0 < reach.outline.size_mm <= _LARGEST_MM:
        raise BadInput(
            f"an outline of {reach.outline.size_mm:g} mm: from above 0 to {_LARGEST_MM:g}"
        )
    if not 0 < reach.accel_mm_s2 < math.inf or not 0 < reach.cornering_mm_s < math.inf:
        raise BadInput("acceleration and the speed of corners must be above zero")


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
        BadInput: a ramp that does not rise or has no end, an impossible line or outline.
    """
    check_ramp(ramp)
    if ramp.to_mm3_s is None:
        raise BadInput("a ramp to print needs an end: the flow it goes to")
    if not diameter_mm > 0:
        raise BadInput("the filament's diameter must be above zero")
    check_reach(reach)
    area, around_mm = line.area_mm2, reach.outline.around_mm
    layers = round((ramp.end_mm - ramp.base_mm) / line.layer_mm)
    if layers > 100_000:
        raise BadInput(f"that ramp is {ramp.end_mm:g} mm high: a faster rise, or fewer steps")
    layer_mm3 = around_mm * area
    time_s = math.fsum(
        layer_mm3 / _mid_flow(ramp, ramp.base_mm + (layer + 0.5) * line.layer_mm)
        for layer in range(layers)
    )
    foot = round(ramp.base_mm / line.layer_mm)
    volume = (layers + foot) * layer_mm3
    return Proposal(
        ramp=ramp,
        line=line,
        reach=reach,
        at_speed=reach.share(line.speed_mm_s(ramp.to_mm3_s)),
        height_mm=ramp.end_mm,
        time_s=time_s + foot * layer_mm3 / ramp.from_mm3_s,
        volume_mm3=volume,
        filament_mm=volume / (math.pi * diameter_mm**2 / 4),
        from_mm_s=line.speed_mm_s(ramp.from_mm3_s),
        to_mm_s=line.speed_mm_s(ramp.to_mm3_s),
        least_layer_s=layer_mm3 / ramp.to_mm3_s,
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


# A round tube has no corners to slow down at: the least radius that ribs and tab need, the largest
# that small beds hold, and by how much it grows; how long its last layer takes at least, to set.
LEAST_RADIUS_MM, LARGEST_RADIUS_MM, RADII_MM, _LEAST_LAYER_S = 10.0, 60.0, 5.0, 0.6
# Layers and lines grow by so much; a line wider than this part of the bore is not pressed out.
_SIZES_MM = 0.05
_WIDEST = 1.4


class Reaching(NamedTuple):
    """A ramp whose every step is really printed at its flow, and what was changed for that."""

    ramp: Ramp
    line: PrintedLine
    outline: Outline
    remarks: tuple[str, ...]


def reaching(
    ramp: Ramp,
    line: PrintedLine,
    outline: Outline | None,
    accel_mm_s2: float,
    bore_mm: float,
    *,
    layer_fixed: bool = False,
    width_fixed: bool = False,
    largest_radius_mm: float = LARGEST_RADIUS_MM,
) -> Reaching:
    """Return the ramp so that at every step 60 % of each side, or all of a round, runs at speed.

    By a larger outline, else thicker layers, else wider lines; where nothing is left to change,
    the ramp ends earlier. An ``outline`` that is given stays as it is, and so does what is fixed;
    one that is proposed is no larger than the bed holds.

    Raises:
        BadInput: it would end before it begins.
    """
    assert ramp.to_mm3_s is not None
    remarks = []
    top_mm3_s = ramp.to_mm3_s
    largest_mm = max(1.0, min(largest_radius_mm, LARGEST_RADIUS_MM))
    most = outline or Outline("round", largest_mm)

    def serves(line: PrintedLine) -> bool:
        return not exceeds(MOSTLY, Reach(most, accel_mm_s2).share(line.speed_mm_s(top_mm3_s)))

    before = line
    if not layer_fixed:
        for layer_mm in _sizes(line.layer_mm, MOST_LAYER * bore_mm):
            line = line if serves(line) else line._replace(layer_mm=layer_mm)
    if not width_fixed:
        for width_mm in _sizes(line.width_mm, _WIDEST * bore_mm):
            line = line if serves(line) else line._replace(width_mm=width_mm)
    if line != before:
        remarks.append(
            f"lines of {line.width_mm:g} x {line.layer_mm:g} mm, so that the printer reaches "
            f"{top_mm3_s:g} mm³/s at its acceleration"
        )
    if outline is None:
        size_mm = min(needed_radius_mm(line.speed_mm_s(top_mm3_s), accel_mm_s2), largest_mm)
        outline = Outline("round", size_mm)
    reach = Reach(outline, accel_mm_s2)
    if exceeds(MOSTLY, reach.share(line.speed_mm_s(top_mm3_s))):
        ramp = _cut(ramp, line, reach)
        remarks.append(
            f"cut from {top_mm3_s:g} to {ramp.to_mm3_s:g} mm³/s: {accel_mm_s2:g} mm/s² reach no "
            "more on such an outline"
        )
    return Reaching(ramp, line, outline, tuple(remarks))


def needed_radius_mm(fastest_mm_s: float, accel_mm_s2: float) -> float:
    """Return the radius of a round tube that is gone round at a speed, and not too soon again."""
    wanted = (fastest_mm_s**2 / accel_mm_s2, _LEAST_LAYER_S * fastest_mm_s / (2 * math.pi))
    return max(LEAST_RADIUS_MM, round_to(max(wanted), RADII_MM, "up"))


def _sizes(from_mm: float, most_mm: float) -> list[float]:
    """Return the sizes to grow by, from the next one."""
    first = math.floor(from_mm / _SIZES_MM + 1e-9) + 1
    last = math.floor(most_mm / _SIZES_MM + 1e-9)
    return [round(count * _SIZES_MM, 10) for count in range(first, last + 1)]


def _cut(ramp: Ramp, line: PrintedLine, reach: Reach) -> Ramp:
    """Return the ramp up to the highest flow that enough of its outline runs at."""
    speed_mm_s = reach.fastest_mm_s
    if reach.outline.shape == "square":
        free = (1 - MOSTLY) * reach.accel_mm_s2 * reach.outline.size_mm
        speed_mm_s = math.sqrt(reach.cornering_mm_s**2 + free)
    most = speed_mm_s * line.area_mm2
    to_mm3_s = round_to(most, 0.5, "down")
    if isinstance(ramp, Stepped):
        steps = math.floor((most - ramp.from_mm3_s) / ramp.step_mm3_s + 1e-9)
        to_mm3_s = ramp.step_flow(max(steps, 0))
    if not exceeds(to_mm3_s, ramp.from_mm3_s):
        raise BadInput(
            f"{reach.accel_mm_s2:g} mm/s² reach {most:.3g} mm³/s on such an outline, and the ramp "
            f"begins at {ramp.from_mm3_s:g}: a larger --outline, thicker --layer or wider --width"
        )
    return ramp._replace(to_mm3_s=to_mm3_s)
