"""Ramps by their height, and the rule by which a limit is lowered from what was seen.

Heights are read off the part, from its lowest point; the foot below the ramp does not count.
Every ramp answers the same questions, whether it is `Stepped` or `Continuous`; they are asked
with a known height or flow that lies on it.
"""

import math
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.melting import ROUND_TO_MM3_S
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import TOLERANCE, exceeds

# How well the height is known at which something begins to show, at 95 %.
SIGHTED_WITHIN_MM = 0.5


class LastGood(NamedTuple):
    """The last flow before something shows and its standard uncertainty, None where not known.

    ``mm3_s`` is None where it shows from the very beginning.
    """

    mm3_s: float | None
    u: float | None


class Continuous(NamedTuple):
    """A ramp that rises all the way, by ``rise_mm3_s_mm`` for a mm of height.

    ``from_mm3_s`` is the flow at its foot, ``to_mm3_s`` that at its end, where it is known;
    ``base_mm`` the height of the foot.
    """

    from_mm3_s: float
    rise_mm3_s_mm: float
    base_mm: float = 0.0
    to_mm3_s: float | None = None

    @property
    def end_mm(self) -> float:
        """The height of its upper end; infinite where that is not known."""
        if self.to_mm3_s is None:
            return math.inf
        return self.base_mm + (self.to_mm3_s - self.from_mm3_s) / self.rise_mm3_s_mm

    def flow_at(self, height_mm: float) -> float:
        """Return the flow at a height on the part.

        Raises:
            BadInput: a height in the foot or above the ramp.
        """
        _check_height(self, height_mm)
        return self.just_below(height_mm - self.base_mm)

    def just_below(self, above_mm: float) -> float:
        """Return the flow just below a height above the foot."""
        return self.from_mm3_s + self.rise_mm3_s_mm * above_mm

    def before_height(self, above_mm: float, within_mm: float) -> LastGood:
        """Return the last flow before what shows at a height above the foot, known so well."""
        if above_mm - within_mm < -TOLERANCE:
            return LastGood(None, None)
        u = self.rise_mm3_s_mm * within_mm / NORMAL95
        return LastGood(self.just_below(above_mm - within_mm), u)

    def before_flow(self, flow_mm3_s: float, within_mm: float) -> LastGood:
        """Return the last flow before what shows at one of its flows."""
        return LastGood(flow_mm3_s, self.rise_mm3_s_mm * within_mm / NORMAL95)

    def tells_apart_mm3_s(self, apart_mm: float) -> float:
        """Return the smallest difference in flow that marks or sightings so far apart show."""
        return self.rise_mm3_s_mm * apart_mm

    def outline(self, end_mm: float) -> tuple[list[float], list[float]]:
        """Return heights and flows to draw it by, up to a height."""
        ends = [self.base_mm, end_mm]
        return ends, [self.just_below(z_mm - self.base_mm) for z_mm in ends]

    def rises(self) -> str:
        """Return how it rises, in words."""
        return f"{self.rise_mm3_s_mm:g} more each mm"


class Stepped(NamedTuple):
    """A ramp that rises by ``step_mm3_s`` every ``every_mm``; the rest as for `Continuous`.

    ``every_mm`` is None where only flows are read off it, from a preview.
    """

    from_mm3_s: float
    step_mm3_s: float
    every_mm: float | None
    base_mm: float = 0.0
    to_mm3_s: float | None = None

    @property
    def steps(self) -> int | None:
        """How many steps it has; None where its end is not known."""
        if self.to_mm3_s is None:
            return None
        return math.floor((self.to_mm3_s - self.from_mm3_s) / self.step_mm3_s + TOLERANCE) + 1

    @property
    def end_mm(self) -> float:
        """The height of its upper end; infinite where that is not known."""
        return math.inf if self.steps is None else self.base_mm + self.steps * self._height_mm()

    def flow_at(self, height_mm: float) -> float:
        """Return the flow at a height on the part; where a step begins, the flow of that step.

        >>> Stepped(4, 0.4, 2.5).flow_at(31)
        8.8

        Raises:
            BadInput: a height in the foot or above the ramp.
        """
        _check_height(self, height_mm)
        return self.step_flow(self._step_at(height_mm - self.base_mm))

    def just_below(self, above_mm: float) -> float:
        """Return the flow just below a height above the foot."""
        return self.step_flow(math.ceil(above_mm / self._height_mm() - TOLERANCE) - 1)

    def before_height(self, above_mm: float, within_mm: float) -> LastGood:
        """Return the flow of the step below what shows at a height above the foot.

        What lies between two steps is as likely everywhere (JCGM 100:2008, 4.3.7).
        """
        step = self._step_at(above_mm - within_mm)
        if step < 1:
            return LastGood(None, None)
        in_doubt = self._step_at(above_mm + within_mm) - step + 1
        return LastGood(self.step_flow(step - 1), in_doubt * self.step_mm3_s / math.sqrt(12))

    def before_flow(self, flow_mm3_s: float, within_mm: float) -> LastGood:  # noqa: ARG002
        """Return the flow of the step below what shows at one of its flows."""
        before = round(flow_mm3_s - self.step_mm3_s, 10)
        if exceeds(self.from_mm3_s, before):
            return LastGood(None, None)
        return LastGood(before, self.step_mm3_s / math.sqrt(12))

    def tells_apart_mm3_s(self, apart_mm: float) -> float:  # noqa: ARG002
        """Return the smallest difference in flow that it shows: a step."""
        return self.step_mm3_s

    def step_flow(self, step: int) -> float:
        """Return the flow of a step (from 0)."""
        # 4 + 12 * 0.4 is not quite 8.8 in binary.
        return round(self.from_mm3_s + self.step_mm3_s * step, 10)

    def outline(self, end_mm: float) -> tuple[list[float], list[float]]:
        """Return heights and flows to draw it by, up to a height."""
        heights: list[float] = []
        flows: list[float] = []
        every_mm, step = self._height_mm(), 0
        while (low := self.base_mm + step * every_mm) < end_mm - 1e-9 and step < 10_000:
            heights += [low, min(low + every_mm, end_mm)]
            flows += [self.step_flow(step)] * 2
            step += 1
        return heights, flows

    def rises(self) -> str:
        """Return how it rises, in words."""
        every = "each step" if self.every_mm is None else f"every {self.every_mm:g} mm"
        return f"{self.step_mm3_s:g} more {every}"

    def _step_at(self, above_mm: float) -> int:
        """Return the step (from 0) at a height above the foot; below zero beneath it."""
        return math.floor(above_mm / self._height_mm() + TOLERANCE)

    def _height_mm(self) -> float:
        if self.every_mm is None:
            raise BadInput("a stepped ramp needs both: how much a step is, and every how many mm")
        return self.every_mm


Ramp = Stepped | Continuous


def ramp_of(
    from_mm3_s: float,
    *,
    rise_mm3_s_mm: float | None = None,
    step_mm3_s: float | None = None,
    every_mm: float | None = None,
    base_mm: float = 0.0,
    to_mm3_s: float | None = None,
) -> Ramp:
    """Return the ramp that these describe.

    Raises:
        BadInput: it rises in two ways or in none, a step without its size, or it does not rise.
    """
    stepped = step_mm3_s is not None or every_mm is not None
    if stepped == (rise_mm3_s_mm is not None):
        raise BadInput("a ramp rises either by so much per mm, or by a step every so many mm")
    ramp: Ramp
    if rise_mm3_s_mm is not None:
        ramp = Continuous(from_mm3_s, rise_mm3_s_mm, base_mm, to_mm3_s)
    elif step_mm3_s is not None:
        ramp = Stepped(from_mm3_s, step_mm3_s, every_mm, base_mm, to_mm3_s)
    else:
        raise BadInput("a stepped ramp needs both: how much a step is, and every how many mm")
    check_ramp(ramp)
    return ramp


def check_ramp(ramp: Ramp) -> None:
    """Refuse a ramp that does not rise.

    Raises:
        BadInput: names what is wrong.
    """
    if not 0 < ramp.from_mm3_s < math.inf:
        raise BadInput(f"a ramp from {ramp.from_mm3_s:g} mm³/s: it must begin above zero")
    rise: dict[str, float | None]
    if isinstance(ramp, Stepped):
        rise = {"step": ramp.step_mm3_s, "height of a step": ramp.every_mm}
    else:
        rise = {"rise per mm": ramp.rise_mm3_s_mm}
    for what, value in rise.items():
        if value is not None and not 0 < value < math.inf:
            raise BadInput(f"{what} {value:g}: a ramp must rise, so this is above zero")
    if not 0 <= ramp.base_mm < math.inf:
        raise BadInput(f"a foot of {ramp.base_mm:g} mm: it cannot be negative")
    if ramp.to_mm3_s is not None and not exceeds(ramp.to_mm3_s, ramp.from_mm3_s):
        raise BadInput(
            f"a ramp from {ramp.from_mm3_s:g} to {ramp.to_mm3_s:g} mm³/s does not rise: swapped?"
        )


def check_flow(ramp: Ramp, flow_mm3_s: float) -> None:
    """Refuse a flow that the ramp does not have.

    Raises:
        BadInput: below its foot or above its end.
    """
    top = math.inf if ramp.to_mm3_s is None else ramp.to_mm3_s
    if exceeds(ramp.from_mm3_s, flow_mm3_s) or exceeds(flow_mm3_s, top):
        end = "" if math.isinf(top) else f" to {top:g}"
        raise BadInput(
            f"{flow_mm3_s:g} mm³/s is not on the ramp, which goes from {ramp.from_mm3_s:g}{end}"
        )


def _check_height(ramp: Ramp, height_mm: float) -> None:
    if exceeds(ramp.base_mm, height_mm):
        raise BadInput(
            f"{height_mm:g} mm lies in the foot of {ramp.base_mm:g} mm, which does not count"
        )
    if exceeds(height_mm, ramp.end_mm):
        raise BadInput(
            f"{height_mm:g} mm lies above the ramp, which ends at {ramp.end_mm:.4g} mm "
            f"({ramp.to_mm3_s:g} mm³/s)"
        )


MARGIN = 0.10


class LimitRule(NamedTuple):
    """How to make a limit of the last good flow: the margin (a ratio) and the step to round to."""

    margin: float = MARGIN
    round_to_mm3_s: float = ROUND_TO_MM3_S
