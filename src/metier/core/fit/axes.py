"""By how much an axis of the printer is long or short: sizes along it against what was drawn."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.fit.plate import AXES, KINDS, Axis, MeasuredFeature
from metier.core.measure.readings import PRIOR_DOF, Instrument
from metier.core.measure.student import t95
from metier.core.measure.thresholds import exceeds

# What nobody would mend an axis for, relative.
_AXIS_WITHIN = 0.002


class AxisSlope(NamedTuple):
    """By how much sizes along an axis grow with what is drawn: 1 where its steps are right, ± U;
    compensation has no part in it."""

    axis: Axis
    slope: float
    u95: float

    @property
    def shows(self) -> bool:
        """Whether the axis is surely off by more than anybody would mend."""
        off = abs(self.slope - 1)
        return exceeds(off, self.u95) and exceeds(off, _AXIS_WITHIN)

    @property
    def steps_factor(self) -> float:
        """What the axis' steps would be multiplied by."""
        return 1 / self.slope


def axis_slopes(
    features: Sequence[MeasuredFeature], kappa_mm2: float, instrument: Instrument
) -> tuple[AxisSlope, ...]:
    """Return the slope of each axis of which two sizes or more of a kind were measured.

    Least squares with an offset of its own for each kind, the scatter pooled with the
    instrument's (JCGM 100:2008, 4.2.4).
    """
    slopes = []
    for axis in AXES:
        spread, product, square, count, offsets = 0.0, 0.0, 0.0, 0, 0
        for kind in KINDS:
            sizes = [
                (
                    row.drawn_mm,
                    row.size_mm + (2 * kappa_mm2 / row.drawn_mm if kind == "hole" else 0),
                )
                for row in features
                if row.feature.kind == kind and row.feature.axis == axis
            ]
            if len({drawn for drawn, _ in sizes}) < 2:
                continue
            drawn, size = (math.fsum(column) / len(sizes) for column in zip(*sizes, strict=True))
            spread += math.fsum((n - drawn) ** 2 for n, _ in sizes)
            product += math.fsum((n - drawn) * (m - size) for n, m in sizes)
            square += math.fsum((m - size) ** 2 for _, m in sizes)
            count, offsets = count + len(sizes), offsets + 1
        if not spread:
            continue
        slope = product / spread
        dof = PRIOR_DOF + count - offsets - 1
        rest = max(0.0, square - slope * product)
        scatter = math.sqrt((PRIOR_DOF * instrument.repeatability_mm**2 + rest) / dof)
        slopes.append(AxisSlope(axis, slope, t95(dof) * scatter / math.sqrt(spread)))
    return tuple(slopes)
