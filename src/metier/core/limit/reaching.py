"""A ramp fitted to what the printer reaches: its outline, its line, and if need be its end."""

import math
from typing import NamedTuple

from metier.core.limit.plan import MOST_LAYER
from metier.core.limit.ramp import Ramp, Stepped
from metier.core.limit.reach import MOSTLY, Outline, Reach
from metier.core.line.printed import PrintedLine
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.refusal import Refusal

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
        Refusal: it would end before it begins.
    """
    assert ramp.to_mm3_s is not None
    remarks = []
    top_mm3_s = ramp.to_mm3_s
    largest_mm = max(1.0, min(largest_radius_mm, LARGEST_RADIUS_MM))
    most = outline or Outline("round", largest_mm)

    def serves(line: PrintedLine) -> bool:
        share = Reach(most, accel_mm_s2).share(line.speed_mm_s(top_mm3_s))
        return not exceeds(MOSTLY, share)

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
        raise Refusal(
            f"{reach.accel_mm_s2:g} mm/s² reach {most:.3g} mm³/s on such an outline, and the ramp "
            f"begins at {ramp.from_mm3_s:g}: a larger --outline, thicker --layer or wider --width"
        )
    return ramp._replace(to_mm3_s=to_mm3_s)
