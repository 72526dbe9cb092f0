"""What a volumetric limit means for print speeds, and which set speeds it will cap."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.line.bead import LineModel, flow_mm3_s, speed_mm_s
from metier.core.measure.thresholds import exceeds

# What a speed is set for, in the trade's common words.
LINES = ("outer", "inner", "infill", "solid", "top", "first", "bridge", "gap", "support")


class SetSpeed(NamedTuple):
    """A speed set in the slicer for lines of one kind, with their own size where it differs."""

    name: str
    speed_mm_s: float
    width_mm: float
    layer_mm: float


class CappedSpeed(NamedTuple):
    """A set speed under a limit: the flow it asks for, the speed left, the part of it lost."""

    name: str
    set_mm_s: float
    width_mm: float
    layer_mm: float
    asked_mm3_s: float
    left_mm_s: float
    lost: float

    @property
    def capped(self) -> bool:
        """Whether the limit takes anything of it."""
        return self.lost > 0


def cap_speeds(
    limit_mm3_s: float, speeds: Sequence[SetSpeed], line_model: LineModel | None, flow: float
) -> tuple[CappedSpeed, ...]:
    """Return what a limit leaves of each set speed.

    >>> cap_speeds(10.0, [SetSpeed("outer", 150.0, 0.5, 0.2)], None, 1.0)[0].left_mm_s
    100.0

    Raises:
        Refusal: a line of an impossible size.
    """
    found = []
    for name, set_mm_s, width_mm, layer_mm in speeds:
        asked = flow_mm3_s(set_mm_s, width_mm, layer_mm, line_model, flow)
        left, lost = set_mm_s, 0.0
        if exceeds(asked, limit_mm3_s):
            left = speed_mm_s(limit_mm3_s, width_mm, layer_mm, line_model, flow)
            lost = 1 - left / set_mm_s
        found.append(CappedSpeed(name, set_mm_s, width_mm, layer_mm, asked, left, lost))
    return tuple(found)
