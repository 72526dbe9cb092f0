"""A line as it is laid: its cross-section, the line models, its speed at a flow.

A line of layer height h has rounded sides. With cross-section area A its width is
``A/h + c``, where ``c = h·(1 - π/4)`` is what the rounding adds: a rectangle of width
``w - h`` between two half circles of diameter h. N fused lines, each s from the next, measure
``N·s + c``.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.values import LINE_MODELS, LineModel

# A dose this near to a line model's, in proportion, is that model's.
_TOLD_WITHIN = 0.01


def rounding_mm(layer_mm: float) -> float:
    """Return ``c``, the part of a line's width that its rounded sides account for.

    >>> round(rounding_mm(0.2), 4)
    0.0429
    """
    return layer_mm * (1 - math.pi / 4)


def check_line(width_mm: float, layer_mm: float) -> None:
    """Refuse a line that cannot be printed.

    Raises:
        BadInput: a size that is not above zero, or a line narrower than it is high.
    """
    if not (0 < width_mm < math.inf and 0 < layer_mm < math.inf):
        raise BadInput(
            f"line width {width_mm:g} mm and layer height {layer_mm:g} mm must both be above zero"
        )
    if width_mm < layer_mm:
        raise BadInput(
            f"line width {width_mm:g} mm is below the layer height {layer_mm:g} mm: "
            "a line is at least as wide as high; swapped?"
        )


def area_mm2(width_mm: float, layer_mm: float, line_model: LineModel | None = None) -> float:
    """Return the cross-section a slicer doses for a line at flow 100 %, in mm².

    While the line model is not known, that of a rectangle: the larger.

    >>> round(area_mm2(0.44, 0.2, "rounded"), 4), round(area_mm2(0.44, 0.2, "rectangular"), 4)
    (0.0794, 0.088)

    Raises:
        BadInput: see `check_line`.
    """
    check_line(width_mm, layer_mm)
    if line_model == "rounded":
        return (width_mm - layer_mm) * layer_mm + math.pi * layer_mm**2 / 4
    return width_mm * layer_mm


def spacing_mm(width_mm: float, layer_mm: float, line_model: LineModel) -> float:
    """Return how far a slicer lays lines apart; both models dose ``h·s``, so that they just fill.

    >>> round(spacing_mm(0.44, 0.2, "rounded"), 4), spacing_mm(0.44, 0.2, "rectangular")
    (0.3971, 0.44)

    Raises:
        BadInput: see `check_line`.
    """
    return area_mm2(width_mm, layer_mm, line_model) / layer_mm


def told_model(dosed_mm2: float, width_mm: float, layer_mm: float, flow: float) -> LineModel:
    """Return the line model that doses a line so: the one within 1 %, where only one is.

    >>> told_model(0.0794, 0.44, 0.2, 1.0)
    'rounded'

    Raises:
        BadInput: neither doses so, or both; or see `check_line`.
    """
    by_model = {model: flow * area_mm2(width_mm, layer_mm, model) for model in LINE_MODELS}
    fits = [model for model, area in by_model.items() if abs(dosed_mm2 / area - 1) <= _TOLD_WITHIN]
    if len(fits) == 1:
        return fits[0]
    named = " and ".join(f"{area:.4f} if {model}" for model, area in by_model.items())
    which = "both fit" if fits else "neither fits"
    raise BadInput(
        f"{dosed_mm2:.4f} mm² are dosed per mm of line, and a line of {width_mm:g} x "
        f"{layer_mm:g} mm at {100 * flow:g} % would take {named}: {which}; look at the numbers"
    )


def wall_mm(walls: int, spacing_mm: float, layer_mm: float) -> float:
    """Return what a wall of that many fused lines should measure, in mm.

    >>> s = spacing_mm(0.42, 0.2, "rounded")
    >>> round(wall_mm(3, s, 0.2), 4), round(wall_mm(3, 0.42, 0.2), 4)
    (1.1742, 1.3029)
    """
    return walls * spacing_mm + rounding_mm(layer_mm)


def flow_mm3_s(
    speed_mm_s: float,
    width_mm: float,
    layer_mm: float,
    line_model: LineModel | None = None,
    flow: float = 1.0,
) -> float:
    """Return the plastic a second that a line printed at that speed takes, in mm³/s.

    ``flow`` is the flow multiplier in force, a ratio.

    Raises:
        BadInput: see `check_line`.
    """
    return speed_mm_s * area_mm2(width_mm, layer_mm, line_model) * flow


def speed_mm_s(
    flow_mm3_s: float,
    width_mm: float,
    layer_mm: float,
    line_model: LineModel | None = None,
    flow: float = 1.0,
) -> float:
    """Return the speed at which a line takes ``flow_mm3_s``: `flow_mm3_s` solved for the speed.

    >>> speed_mm_s(11.0, 0.5, 0.2)
    110.0

    Raises:
        BadInput: see `check_line`.
    """
    return flow_mm3_s / (area_mm2(width_mm, layer_mm, line_model) * flow)


# Wide enough to be pressed out, and high enough for steps to be seen.
_WIDTH_OF_BORE, _LAYER_OF_BORE, _LAYER_STEP_MM = 1.2, 0.5, 0.04


class PrintedLine(NamedTuple):
    """Width and height of a line, the slicer's line model where it is known, and
    the flow in force, a ratio."""

    width_mm: float
    layer_mm: float
    line_model: LineModel | None = None
    flow: float = 1.0

    @property
    def area_mm2(self) -> float:
        """The cross-section that is really asked for."""
        return area_mm2(self.width_mm, self.layer_mm, self.line_model) * self.flow

    @property
    def apart_mm(self) -> float:
        """How far such lines lie apart: so far that at flow 100 % they just fill."""
        return area_mm2(self.width_mm, self.layer_mm, self.line_model) / self.layer_mm

    def speed_mm_s(self, flow_mm3_s: float) -> float:
        """Return the speed at which it takes that flow."""
        return speed_mm_s(flow_mm3_s, *self)


def line_for_bore(bore_mm: float) -> tuple[float, float]:
    """Return width and height of the lines that suit a nozzle, where nothing else is known.

    >>> line_for_bore(0.5), line_for_bore(0.4)
    ((0.6, 0.24), (0.48, 0.2))
    """
    return round_to(_WIDTH_OF_BORE * bore_mm, 0.01), max(
        _LAYER_STEP_MM, round_to(_LAYER_OF_BORE * bore_mm, _LAYER_STEP_MM)
    )


# What a speed is set for, in the trade's common words.
LINES = ("outer", "inner", "infill", "solid", "top", "first", "bridge", "gap", "support")


class SetSpeed(NamedTuple):
    """A speed set in the slicer for lines of one kind, with their own size where it differs."""

    name: str
    speed_mm_s: float
    width_mm: float
    layer_mm: float


class CappedSpeed(NamedTuple):
    """A set speed under a limit: the flow it asks for, the speed left, the part of it lost, and
    whether any is."""

    name: str
    set_mm_s: float
    width_mm: float
    layer_mm: float
    asked_mm3_s: float
    left_mm_s: float
    lost: float
    capped: bool


def cap_speeds(
    limit_mm3_s: float, speeds: Sequence[SetSpeed], line_model: LineModel | None, flow: float
) -> tuple[CappedSpeed, ...]:
    """Return what a limit leaves of each set speed.

    >>> cap_speeds(10.0, [SetSpeed("outer", 150.0, 0.5, 0.2)], None, 1.0)[0].left_mm_s
    100.0

    Raises:
        BadInput: a line of an impossible size.
    """
    capped = []
    for name, set_mm_s, width_mm, layer_mm in speeds:
        asked = flow_mm3_s(set_mm_s, width_mm, layer_mm, line_model, flow)
        left, lost = set_mm_s, 0.0
        if exceeds(asked, limit_mm3_s):
            left = speed_mm_s(limit_mm3_s, width_mm, layer_mm, line_model, flow)
            lost = 1 - left / set_mm_s
        size = (name, set_mm_s, width_mm, layer_mm)
        capped.append(CappedSpeed(*size, asked, left, lost, lost > 0))
    return tuple(capped)
