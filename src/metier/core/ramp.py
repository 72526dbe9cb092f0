"""A wall whose flow rises with height, and what flow a place on it was printed at.

Heights are read off the part, from its lowest point; the foot below the ramp does not count.
"""

import math
from typing import NamedTuple

from metier.core.refusal import Refusal
from metier.core.threshold import TOLERANCE, exceeds

# How well the height is known at which something begins to show, at 95 %.
SIGHTED_WITHIN_MM = 0.5
_COVERAGE = 1.96
_BOTH = "a stepped ramp needs both: how much a step is, and every how many mm"


class Ramp(NamedTuple):
    """A ramp that rises continuously (``rise_mm3_s_mm``) or in steps (the next two).

    ``from_mm3_s`` is the flow at its foot, ``to_mm3_s`` that at its end, where it is known;
    ``base_mm`` the height of the foot.
    """

    from_mm3_s: float
    rise_mm3_s_mm: float | None = None
    step_mm3_s: float | None = None
    every_mm: float | None = None
    base_mm: float = 0.0
    to_mm3_s: float | None = None

    @property
    def steps(self) -> int | None:
        """How many steps it has; None where it is continuous or its end is not known."""
        if self.step_mm3_s is None or self.to_mm3_s is None:
            return None
        return math.floor((self.to_mm3_s - self.from_mm3_s) / self.step_mm3_s + TOLERANCE) + 1

    @property
    def end_mm(self) -> float:
        """The height of its upper end; infinite where that is not known."""
        if self.to_mm3_s is None:
            return math.inf
        if self.steps is not None:
            return self.base_mm + self.steps * (self.every_mm or math.inf)
        assert self.rise_mm3_s_mm is not None
        return self.base_mm + (self.to_mm3_s - self.from_mm3_s) / self.rise_mm3_s_mm

    def flow_at(self, height_mm: float) -> float:
        """Return the flow at a height on the part; where a step begins, the flow of that step.

        >>> Ramp(4, step_mm3_s=0.4, every_mm=2.5).flow_at(31)
        8.8

        Raises:
            Refusal: a height in the foot or above the ramp.
        """
        self._check(height_mm)
        above_mm = height_mm - self.base_mm
        if self.rise_mm3_s_mm is not None:
            return self.from_mm3_s + self.rise_mm3_s_mm * above_mm
        return self.step_flow(self.step_at(above_mm))

    def height_of(self, flow_mm3_s: float) -> float:
        """Return the height where a flow is first reached.

        Raises:
            Refusal: a flow that the ramp does not have.
        """
        self.check_flow(flow_mm3_s)
        rise = flow_mm3_s - self.from_mm3_s
        if self.rise_mm3_s_mm is not None:
            return self.base_mm + rise / self.rise_mm3_s_mm
        assert self.step_mm3_s is not None
        assert self.every_mm is not None
        return self.base_mm + self.every_mm * math.ceil(rise / self.step_mm3_s - TOLERANCE)

    def check_flow(self, flow_mm3_s: float) -> None:
        """Refuse a flow that the ramp does not have.

        Raises:
            Refusal: below its foot or above its end.
        """
        top = math.inf if self.to_mm3_s is None else self.to_mm3_s
        if exceeds(self.from_mm3_s, flow_mm3_s) or exceeds(flow_mm3_s, top):
            end = "" if math.isinf(top) else f" to {top:g}"
            raise Refusal(
                f"{flow_mm3_s:g} mm³/s is not on the ramp, which goes from {self.from_mm3_s:g}{end}"
            )

    def step_at(self, above_mm: float) -> int:
        """Return the step (from 0) at a height above the foot; below zero beneath it."""
        assert self.every_mm is not None
        return math.floor(above_mm / self.every_mm + TOLERANCE)

    def step_flow(self, step: int) -> float:
        """Return the flow of a step."""
        assert self.step_mm3_s is not None
        # 4 + 12 * 0.4 is not quite 8.8 in binary.
        return round(self.from_mm3_s + self.step_mm3_s * step, 10)

    def _check(self, height_mm: float) -> None:
        if self.step_mm3_s is not None and self.every_mm is None:
            raise Refusal(_BOTH)
        if exceeds(self.base_mm, height_mm):
            raise Refusal(
                f"{height_mm:g} mm lies in the foot of {self.base_mm:g} mm, which does not count"
            )
        if exceeds(height_mm, self.end_mm):
            raise Refusal(
                f"{height_mm:g} mm lies above the ramp, which ends at {self.end_mm:.4g} mm "
                f"({self.to_mm3_s:g} mm³/s)"
            )


def check_ramp(ramp: Ramp) -> None:
    """Refuse a ramp that does not rise, or is not described.

    Every how many mm a step comes is only needed where heights are read off it.

    Raises:
        Refusal: names what is wrong.
    """
    if not 0 < ramp.from_mm3_s < math.inf:
        raise Refusal(f"a ramp from {ramp.from_mm3_s:g} mm³/s: it must begin above zero")
    stepped = ramp.step_mm3_s is not None or ramp.every_mm is not None
    if stepped == (ramp.rise_mm3_s_mm is not None):
        raise Refusal("a ramp rises either by so much per mm, or by a step every so many mm")
    if stepped and ramp.step_mm3_s is None:
        raise Refusal(_BOTH)
    for value, what in (
        (ramp.rise_mm3_s_mm, "rise per mm"),
        (ramp.step_mm3_s, "step"),
        (ramp.every_mm, "height of a step"),
    ):
        if value is not None and not 0 < value < math.inf:
            raise Refusal(f"{what} {value:g}: a ramp must rise, so this is above zero")
    if not 0 <= ramp.base_mm < math.inf:
        raise Refusal(f"a foot of {ramp.base_mm:g} mm: it cannot be negative")
    if ramp.to_mm3_s is not None and not exceeds(ramp.to_mm3_s, ramp.from_mm3_s):
        raise Refusal(
            f"a ramp from {ramp.from_mm3_s:g} to {ramp.to_mm3_s:g} mm³/s does not rise: swapped?"
        )


class Sighting(NamedTuple):
    """Where something was first seen: at a height on the part, or at a flow of the preview."""

    at_mm: float | None = None
    flow_mm3_s: float | None = None


class Markers(NamedTuple):
    """Marks printed on the part, the k-th at ``k · every_mm`` above the foot, and the last clean.

    ``clean`` is 0 when it shows even below the first.
    """

    every_mm: float
    clean: int


class Threshold(NamedTuple):
    """The last flow before something showed, None where it shows from the beginning.

    ``u`` is its standard uncertainty (None where nothing is known of it), ``spread_mm3_s`` how
    far several sightings lie apart, and ``height_mm`` the earliest of them.
    """

    last_good_mm3_s: float | None
    u: float | None
    spread_mm3_s: float
    sightings: int
    height_mm: float | None


def threshold_of(
    ramp: Ramp | None, sightings: tuple[Sighting, ...], within_mm: float = SIGHTED_WITHIN_MM
) -> Threshold:
    """Return the last good flow before the earliest of several sightings.

    A height counts as ``within_mm`` lower than it was read. On a ramp of steps the last good
    flow is that of the step below. What lies between two steps is as likely everywhere
    (JCGM 100:2008, 4.3.7).

    Raises:
        Refusal: a height off the ramp, or one without a ramp.
    """
    found = [_before(ramp, sighting, within_mm) for sighting in sightings]
    known = [flow for flow, _ in found if flow is not None]
    at = [sighting.at_mm for sighting in sightings if sighting.at_mm is not None]
    lowest = None if len(known) < len(found) else min(known)
    u = next((one for flow, one in found if flow == lowest), None)
    spread = max(known) - min(known) if lowest is not None else 0.0
    return Threshold(lowest, u, spread, len(found), min(at) if at else None)


def _before(
    ramp: Ramp | None, sighting: Sighting, within_mm: float
) -> tuple[float | None, float | None]:
    if sighting.at_mm is None:
        assert sighting.flow_mm3_s is not None
        return _before_flow(ramp, sighting.flow_mm3_s, within_mm)
    if ramp is None:
        raise Refusal(
            "a height means nothing without its ramp: say where it begins and how it rises"
        )
    ramp.flow_at(sighting.at_mm)
    above_mm = sighting.at_mm - ramp.base_mm - within_mm
    if ramp.rise_mm3_s_mm is not None:
        if above_mm < -TOLERANCE:
            return None, None
        rise = ramp.rise_mm3_s_mm
        return ramp.from_mm3_s + rise * above_mm, rise * within_mm / _COVERAGE
    assert ramp.step_mm3_s is not None
    step = ramp.step_at(above_mm)
    if step < 1:
        return None, None
    in_doubt = ramp.step_at(above_mm + 2 * within_mm) - step + 1
    return ramp.step_flow(step - 1), in_doubt * ramp.step_mm3_s / math.sqrt(12)


def _before_flow(
    ramp: Ramp | None, flow_mm3_s: float, within_mm: float
) -> tuple[float | None, float | None]:
    if ramp is None:
        return flow_mm3_s, None
    ramp.check_flow(flow_mm3_s)
    if ramp.rise_mm3_s_mm is not None:
        return flow_mm3_s, ramp.rise_mm3_s_mm * within_mm / _COVERAGE
    assert ramp.step_mm3_s is not None
    before = round(flow_mm3_s - ramp.step_mm3_s, 10)
    if exceeds(ramp.from_mm3_s, before):
        return None, None
    return before, ramp.step_mm3_s / math.sqrt(12)


def threshold_of_markers(ramp: Ramp, markers: Markers) -> Threshold:
    """Return the flow just below the last clean marker.

    Raises:
        Refusal: no such marker on this ramp.
    """
    if not markers.every_mm > 0 or markers.clean < 0:
        raise Refusal("markers stand apart, and none or more of them are clean")
    if ramp.step_mm3_s is not None and ramp.every_mm is None:
        raise Refusal(_BOTH)
    height_mm = markers.clean * markers.every_mm
    if exceeds(ramp.base_mm + height_mm, ramp.end_mm):
        raise Refusal(
            f"marker {markers.clean} would stand {height_mm:g} mm above the foot, beyond the end "
            f"of the ramp at {ramp.end_mm - ramp.base_mm:g} mm"
        )
    if markers.clean == 0:
        return Threshold(None, None, 0.0, 1, ramp.base_mm)
    last_good = _just_below(ramp, height_mm)
    following = _just_below(ramp, height_mm + markers.every_mm)
    between = max(following - last_good, ramp.step_mm3_s or 0.0)
    return Threshold(last_good, between / math.sqrt(12), 0.0, 1, ramp.base_mm + height_mm)


def _just_below(ramp: Ramp, above_mm: float) -> float:
    if ramp.rise_mm3_s_mm is not None:
        return ramp.from_mm3_s + ramp.rise_mm3_s_mm * above_mm
    assert ramp.every_mm is not None
    return ramp.step_flow(math.ceil(above_mm / ramp.every_mm - TOLERANCE) - 1)
