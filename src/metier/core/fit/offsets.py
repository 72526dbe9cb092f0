"""Hole and contour compensation from a plate of holes and posts, by joint least squares.

Per side, a hole comes out ``m = S·n - 2·(δh + κ/n)``, small ones smaller, and a post
``m = S·n + 2·δc``. Both are fitted together, so that the one scale S serves both kinds and is not
mistaken for an offset; where some lie along x and some along y, how much longer x comes out than y
is fitted with them. Least squares with prior rows: Gelman et al., Bayesian Data Analysis (2013),
14.8; uncertainties: JCGM 100:2008.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from metier.core.errors import BadInput
from metier.core.fit.axes import AxisSlope, axis_slopes
from metier.core.fit.plate import (
    KINDS,
    PLATES_MM,
    Axis,
    Feature,
    FeatureKind,
    MeasuredFeature,
    size_of,
)
from metier.core.measure.readings import PRIOR_DOF, Instrument
from metier.core.measure.student import Influence, by_size, t95, t_quantile
from metier.core.measure.thresholds import exceeds

# What is known of the scale beforehand: filament shrinks a few tenths of a percent at most.
SCALE_PRIOR = 0.003
# What small holes shrink more by, κ, is held to 0 by this, in mm².
KAPPA_PRIOR_MM2 = 0.15
# Nothing grows as it cools.
_LARGEST_SCALE = 1.002
_SPAN_MM = 10.0
# So seldom a plate without an odd feature loses one (Bonferroni, over all of them).
_ODD = 0.05
_Features = Sequence[MeasuredFeature]


class Offset(NamedTuple):
    """A compensation per side in mm with U at 95 %: plus enlarges, minus shrinks.

    ``u_fit_mm`` is what the plate's own features leave open; ``influences`` is all that does.
    """

    per_side_mm: float
    u95_mm: float
    u_fit_mm: float
    influences: tuple[Influence, ...]


class FittedFeature(NamedTuple):
    """A feature beside the fit: how far off it is from the size it should have come out at."""

    measured: MeasuredFeature
    off_mm: float
    u95_mm: float
    left_out: bool


class AxisScale(NamedTuple):
    """How long x and y come out, in percent, and the U of their difference."""

    percent: dict[Axis, float]
    difference_percent: float
    u95_percent: float

    @property
    def differ(self) -> bool:
        """Whether the two axes are told apart."""
        return exceeds(abs(self.difference_percent), self.u95_percent)


class PlateFit(NamedTuple):
    """The compensations still needed, the scale, and what each feature has to do with them.

    ``hole`` is for the holes measured, or for the size wanted; ``kappa_mm2`` over a hole's size is
    what a smaller one needs more, per side.
    ``hole`` and ``contour`` are None where the plate has no such features; ``*_with_all`` are
    what they would be had no feature been left out. ``freed`` tells that the scale was fitted
    without what is known beforehand; ``free_scale`` is what it is then, None if it cannot be told.
    ``lips`` has the name and the lip per side of each feature measured at its foot and above.
    """

    hole: Offset | None
    contour: Offset | None
    kappa_mm2: float | None
    scale: float
    scale_u95: float
    freed: bool
    free_scale: float | None
    free_scale_u95: float | None
    scatter_mm: float
    dof: int
    rows: tuple[FittedFeature, ...]
    hole_with_all: Offset | None
    contour_with_all: Offset | None
    axes: AxisScale | None
    lips: tuple[tuple[str, float], ...]
    smallest: dict[FeatureKind, float]
    missing: tuple[str, ...]
    slopes: tuple[AxisSlope, ...] = ()


def fit_offsets(
    features: Sequence[Feature],
    instrument: Instrument,
    free_scale: bool = False,
    for_mm: float | None = None,
    plates_mm: float = PLATES_MM,
) -> PlateFit:
    """Fit the offsets of holes and posts, and one scale, to a plate.

    ``instrument`` gives repeatability s0 and accuracy a of part sizes; ``for_mm`` is the hole that
    the compensation is wanted for, else it is for those of the plate; ``plates_mm`` is by how much
    plates of the same differ per side. The scale is held by a
    weak prior, 1 ± 0.003, unless it is asked to be free or the plate shows it clearly. A feature
    that is off by more than its U is left out, one at a time, while two others of its kind remain.

    >>> plate = [Feature("hole", n, (m,)) for n, m in ((4, 3.79), (6, 5.8), (10, 9.82))]
    >>> fit = fit_offsets(plate, Instrument(0.02, 0.02, 0.01))
    >>> round(fit.hole.per_side_mm, 2), fit.contour
    (0.1, None)

    Raises:
        BadInput: nothing to fit, sizes that cannot be, or a scale that cannot be told.
    """
    heights = [feature for feature in features if feature.axis == "z" and feature.taken]
    above = [feature for feature in features if not feature.foot and feature.axis != "z"]
    fitted = [
        size_of(feature, instrument.repeatability_mm, instrument.zero_mm)
        for feature in above
        if feature.taken
    ]
    feet = [
        size_of(feature, instrument.repeatability_mm, instrument.zero_mm)
        for feature in features
        if feature.foot and feature.taken
    ]
    if not fitted:
        raise BadInput("nothing was measured: give holes or posts, as --hole 10=9.82")
    if free_scale and not _tells_scale(fitted):
        raise BadInput(
            "all features of a kind are of one size: a scale needs at least two sizes of one kind"
        )
    whole = _solve(fitted, instrument, free_scale)
    kept, left_out = fitted, set[int]()
    while (worst := _farthest_off(kept, instrument, free_scale)) is not None:
        left_out.add(fitted.index(kept[worst]))
        kept = [row for place, row in enumerate(kept) if place != worst]
    fit = _solve(kept, instrument, free_scale) if left_out else whole
    rows = tuple(
        FittedFeature(row, row.size_mm - fit.size_of(row), fit.u95_of(row), i in left_out)
        for i, row in enumerate(fitted)
    )
    free = _free_scale(kept, instrument)
    tall = [size_of(row, instrument.repeatability_mm, instrument.zero_mm) for row in heights]
    inverse = _mean_inverse(fitted, for_mm)
    return PlateFit(
        hole=fit.offset("hole", plates_mm, inverse),
        contour=fit.offset("post", plates_mm),
        kappa_mm2=fit.kappa_mm2,
        scale=fit.scale,
        scale_u95=fit.scale_u95,
        freed=fit.freed,
        free_scale=free and free.scale,
        free_scale_u95=free and free.scale_u95,
        scatter_mm=fit.scatter_mm,
        dof=fit.dof,
        rows=rows,
        hole_with_all=whole.offset("hole", plates_mm, inverse),
        contour_with_all=whole.offset("post", plates_mm),
        axes=_axes(fit),
        lips=tuple(_lips(fitted, feet)),
        smallest={
            kind: min(
                feature.nominal_mm for feature in above if feature.kind == kind and feature.taken
            )
            for kind in KINDS
            if any(feature.kind == kind and feature.taken for feature in above)
        },
        missing=tuple(feature.name for feature in above if feature.missing),
        slopes=axis_slopes([*kept, *tall], fit.kappa_mm2 or 0.0, instrument),
    )


def _mean_inverse(features: _Features, for_mm: float | None) -> float:
    """Return the mean of one over the holes' sizes, or that of the size wanted, in 1/mm."""
    if for_mm is not None:
        return 1 / for_mm
    holes = [1 / feature.drawn_mm for feature in features if feature.feature.kind == "hole"]
    return math.fsum(holes) / len(holes) if holes else 0.0


class _Solution(NamedTuple):
    """A least squares fit: the scale, the offset of each kind there is, κ, x over y if ``axes``.

    κ is there where holes are.
    """

    kinds: tuple[FeatureKind, ...]
    axes: bool
    values: tuple[float, ...]
    covariance: tuple[tuple[float, ...], ...]
    scatter_mm: float
    dof: int
    freed: bool
    accuracy_mm: float

    @property
    def scale(self) -> float:
        return self.values[0]

    @property
    def scale_u95(self) -> float:
        return t95(self.dof) * math.sqrt(self.covariance[0][0])

    @property
    def kappa_mm2(self) -> float | None:
        """What small holes shrink more by."""
        return self.values[1 + len(self.kinds)] if "hole" in self.kinds else None

    def offset(self, kind: FeatureKind, plates_mm: float, inverse: float = 0.0) -> Offset | None:
        """Return what is still to be typed for a kind: holes enlarged, outlines shrunk.

        ``inverse`` is one over the size of the holes it is for.
        """
        if kind not in self.kinds:
            return None
        row = [0.0] * len(self.values)
        row[1 + self.kinds.index(kind)] = 1.0
        if kind == "hole":
            row[1 + len(self.kinds)] = inverse
        u_fit = math.sqrt(float(np.array(row) @ np.array(self.covariance) @ np.array(row)))
        u_jaws = self.accuracy_mm / 2 / math.sqrt(3)
        u = math.hypot(u_fit, u_jaws, plates_mm)
        dof = math.inf if u_fit == 0 else math.floor(self.dof * (u / u_fit) ** 4)
        value = float(np.dot(row, self.values))
        made = by_size({"readings": u_fit, "calipers": u_jaws, "plates": plates_mm})
        return Offset(value if kind == "hole" else -value, t95(dof) * u, u_fit, made)

    def size_of(self, feature: MeasuredFeature) -> float:
        return float(np.dot(self.values, _row(feature, self.kinds, self.axes)))

    def u95_of(self, feature: MeasuredFeature) -> float:
        """Return U of a single feature about the fit."""
        return t95(self.dof) * max(self.scatter_mm, feature.u_mm)


def _row(feature: MeasuredFeature, kinds: Sequence[FeatureKind], axes: bool) -> list[float]:
    sign = -2.0 if feature.feature.kind == "hole" else 2.0
    row = [feature.drawn_mm, *(sign if kind == feature.feature.kind else 0.0 for kind in kinds)]
    if "hole" in kinds:
        row.append(-2.0 / feature.drawn_mm if feature.feature.kind == "hole" else 0.0)
    if axes:
        half_mm = feature.drawn_mm / 2
        row.append({"x": half_mm, "y": -half_mm, None: 0.0}[feature.feature.axis])
    return row


def _solve(features: _Features, instrument: Instrument, free_scale: bool) -> _Solution:
    """Return the fit with the prior on the scale, or the free one where that is warranted."""
    if free_scale:
        return _least_squares(features, instrument, prior=False)
    if _scale_is_shown(features, instrument):
        return _least_squares(features, instrument, prior=False)
    return _least_squares(features, instrument, prior=True)


def _least_squares(features: _Features, instrument: Instrument, prior: bool) -> _Solution:
    kinds = tuple(
        kind for kind in KINDS if any(feature.feature.kind == kind for feature in features)
    )
    axes = _tells_axes(features, kinds)
    s0 = instrument.repeatability_mm
    weights = np.array([s0 / feature.u_mm for feature in features])
    design = np.array([_row(feature, kinds, axes) for feature in features]) * weights[:, None]
    sizes = np.array([feature.size_mm for feature in features]) * weights
    matrix, target = design, sizes
    priors = []
    if prior:
        priors.append((0, 1.0, s0 / SCALE_PRIOR))
    if "hole" in kinds:
        priors.append((1 + len(kinds), 0.0, s0 / KAPPA_PRIOR_MM2))
    for place, expected, weight in priors:
        row = np.zeros(len(design[0]))
        row[place] = weight
        matrix, target = np.vstack([matrix, row]), np.append(target, weight * expected)
    normal = np.linalg.inv(matrix.T @ matrix)
    values = normal @ matrix.T @ target
    squares = float(np.sum((sizes - design @ values) ** 2))
    dof = max(1, PRIOR_DOF + len(features) - len(design[0]) + len(priors))
    scatter = math.sqrt((PRIOR_DOF * s0**2 + squares) / dof)
    covariance = tuple(tuple(float(v) for v in row) for row in normal * scatter**2)
    return _Solution(
        kinds,
        axes,
        tuple(float(value) for value in values),
        covariance,
        scatter,
        dof,
        not prior,
        instrument.accuracy_mm,
    )


def _tells_axes(features: _Features, kinds: Sequence[FeatureKind]) -> bool:
    """Tell whether x can be compared with y, and the scale still told from both."""
    if not {feature.feature.axis for feature in features} >= {"x", "y"}:
        return False
    design = np.array([_row(feature, kinds, True) for feature in features])
    if "hole" in kinds:
        # κ is always told: by its prior, where by nothing else.
        design = np.delete(design, 1 + len(kinds), axis=1)
    return int(np.linalg.matrix_rank(design)) == len(design[0])


def _tells_scale(features: _Features) -> bool:
    return any(
        len({feature.drawn_mm for feature in features if feature.feature.kind == kind}) > 1
        for kind in KINDS
    )


def _free_scale(features: _Features, instrument: Instrument) -> _Solution | None:
    return _least_squares(features, instrument, prior=False) if _tells_scale(features) else None


def _spans(features: _Features, kind: FeatureKind) -> list[MeasuredFeature]:
    """Return the features of a kind if they are three sizes or more over 10 mm; else none."""
    these = [feature for feature in features if feature.feature.kind == kind]
    sizes = {row.drawn_mm for row in these}
    return [] if len(sizes) < 3 or exceeds(_SPAN_MM, max(sizes) - min(sizes)) else these


def _scale_is_shown(features: _Features, instrument: Instrument) -> bool:
    """Tell whether the plate shows a scale of its own clearly enough to set the prior aside."""
    spanning = [these for kind in KINDS if (these := _spans(features, kind))]
    if not spanning:
        return False
    free = _least_squares(features, instrument, prior=False)
    if not exceeds(abs(free.scale - 1), free.scale_u95) or exceeds(free.scale, _LARGEST_SCALE):
        return False
    if len(spanning) == 2:
        holes, other = (_least_squares(these, instrument, prior=False) for these in spanning)
        return not exceeds(
            abs(holes.scale - other.scale), math.hypot(holes.scale_u95, other.scale_u95)
        )
    return True


def _farthest_off(kept: _Features, instrument: Instrument, free_scale: bool) -> int | None:
    """Return the feature farthest off the fit, if it is off by more than its U.

    The scatter that it is held against is that of the others: a feature far off would else make
    the whole plate look rough and hide behind that.
    """
    whole = _solve(kept, instrument, free_scale)
    # However even the others are, what is known of the instrument keeps their scatter from 0.
    least_mm = instrument.repeatability_mm * math.sqrt(PRIOR_DOF / whole.dof)
    worst, farthest = None, 1.0
    for place, row in enumerate(kept):
        if abs(row.size_mm - whole.size_of(row)) <= t95(math.inf) * least_mm:
            continue
        if sum(other.feature.kind == row.feature.kind for other in kept) < 3:
            continue
        others = [other for i, other in enumerate(kept) if i != place]
        if free_scale and not _tells_scale(others):
            continue
        fit = _solve(others, instrument, free_scale)
        u95 = fit.u95_of(row) * t_quantile(1 - _ODD / len(kept) / 2, fit.dof) / t95(fit.dof)
        ratio = abs(row.size_mm - whole.size_of(row)) / u95
        if exceeds(ratio, farthest):
            worst, farthest = place, ratio
    return worst


def _axes(fit: _Solution) -> AxisScale | None:
    """Return how long each axis comes out, where both were measured."""
    if not fit.axes:
        return None
    longer = 100 * fit.values[-1]
    both = 100 * (fit.scale - 1)
    u95 = 100 * t95(fit.dof) * math.sqrt(fit.covariance[-1][-1])
    return AxisScale({"x": both + longer / 2, "y": both - longer / 2}, longer, u95)


def _lips(features: _Features, feet: _Features) -> list[tuple[str, float]]:
    """Return the lip of the first layers per side, where foot and body were both measured."""
    lips = []
    for foot in feet:
        at = foot.feature
        bodies = [
            feature.size_mm
            for feature in features
            if (feature.feature.kind, feature.feature.nominal_mm, feature.feature.axis)
            == (at.kind, at.nominal_mm, at.axis)
        ]
        if bodies:
            wider = foot.size_mm - math.fsum(bodies) / len(bodies)
            name = at._replace(foot=False).name
            lips.append((name, (wider if at.kind == "post" else -wider) / 2))
    return lips
