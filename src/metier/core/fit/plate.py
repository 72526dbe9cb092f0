"""A plate of holes and posts as it was measured, and what each feature's reading stands for."""

import math
from typing import Literal, NamedTuple

from metier.core.measure.slips import refuse_slip
from metier.core.measure.thresholds import exceeds
from metier.core.refusal import Refusal

FeatureKind = Literal["hole", "post"]
Axis = Literal["x", "y"]

# Readings this near to half or twice the size drawn are radii or diameters.
_HALF = 0.12


class Feature(NamedTuple):
    """A hole or a post: the diameter or width drawn, and its readings, in mm.

    Several ``readings_mm`` are taken at several angles. ``go_mm`` and ``no_go_mm`` are the pin or
    drill that went in and the next that did not. ``foot`` tells that it was measured at the first
    layers, ``facets`` how many sides a round hole was drawn with, ``jaw_land_mm`` how wide the
    tips of the inside jaws are; ``missing`` that it did not print at all.
    """

    kind: FeatureKind
    nominal_mm: float
    readings_mm: tuple[float, ...] = ()
    axis: Axis | None = None
    foot: bool = False
    go_mm: float | None = None
    no_go_mm: float | None = None
    facets: int | None = None
    jaw_land_mm: float | None = None
    missing: bool = False

    @property
    def taken(self) -> bool:
        """Whether it was measured."""
        return bool(self.readings_mm) or self.go_mm is not None

    @property
    def name(self) -> str:
        """What it is called: «hole 10», «post 20 x, foot»."""
        foot = ", foot" if self.foot else ""
        return f"{self.kind} {self.nominal_mm:g}{f' {self.axis}' if self.axis else ''}{foot}"


class MeasuredFeature(NamedTuple):
    """What a feature comes to: sizes to compare, the part of u that is its own, and its shape.

    ``size_mm`` is corrected for the jaws' lands and the zero, ``drawn_mm`` for facets.
    ``out_of_round_mm`` is the largest less the smallest reading, where there are several.
    """

    feature: Feature
    drawn_mm: float
    size_mm: float
    u_mm: float
    out_of_round_mm: float | None
    note: str | None


def size_of(feature: Feature, repeatability_mm: float, zero_mm: float = 0.0) -> MeasuredFeature:
    """Return what a printed feature comes to.

    Flat jaws of land b bridge the curve of a round hole: a chord, so ``D = √(m² + b²)``. A pin in
    a hole of k facets touches their middles, at ``n · cos(π/k)``. Between the pin that goes and
    the next that does not, all sizes are as likely (JCGM 100:2008, 4.3.7).

    >>> round(size_of(Feature("hole", 4.0, (3.7,), jaw_land_mm=0.8), 0.02).size_mm, 4)
    3.7855

    Raises:
        Refusal: sizes that cannot be, or a slip of the finger.
    """
    _check(feature, zero_mm)
    nominal_mm, facets = feature.nominal_mm, feature.facets
    if feature.go_mm is not None and feature.no_go_mm is not None:
        drawn_mm = nominal_mm * math.cos(math.pi / facets) if facets else nominal_mm
        u_mm = (feature.no_go_mm - feature.go_mm) / math.sqrt(12)
        size_mm = (feature.go_mm + feature.no_go_mm) / 2
        return MeasuredFeature(feature, drawn_mm, size_mm, max(u_mm, repeatability_mm), None, None)
    readings = [reading - zero_mm for reading in feature.readings_mm]
    size_mm = math.fsum(readings) / len(readings)
    if feature.jaw_land_mm:
        size_mm = math.hypot(size_mm, feature.jaw_land_mm)
    uneven = max(readings) - min(readings) if len(readings) > 1 else None
    if not facets:
        return MeasuredFeature(feature, nominal_mm, size_mm, repeatability_mm, uneven, None)
    # Between the middles of the facets and their corners, the jaws may lie anywhere.
    across_mm = nominal_mm * math.cos(math.pi / facets)
    note = (
        f"{feature.name} is drawn with {facets} facets: jaws read between {across_mm:.2f} and "
        f"{nominal_mm:g} mm there; a pin would tell"
    )
    u_mm = math.hypot(repeatability_mm, (nominal_mm - across_mm) / math.sqrt(12))
    return MeasuredFeature(feature, (nominal_mm + across_mm) / 2, size_mm, u_mm, uneven, note)


def _check(feature: Feature, zero_mm: float) -> None:
    nominal_mm = feature.nominal_mm
    if not 0 < nominal_mm < math.inf:
        raise Refusal(f"{feature.kind} of {nominal_mm:g} mm: the size drawn must be above zero")
    if feature.facets is not None and feature.facets < 3:
        raise Refusal(f"{feature.name} with {feature.facets} facets: three at least")
    if (feature.go_mm is None) != (feature.no_go_mm is None):
        raise Refusal(f"{feature.name}: give both, the pin that goes and the next that does not")
    if feature.go_mm is not None and feature.no_go_mm is not None:
        if feature.kind == "post":
            raise Refusal(f"{feature.name}: pins go into holes, not over posts")
        if feature.readings_mm:
            raise Refusal(f"{feature.name} has readings and pins: give one of them")
        if not exceeds(feature.no_go_mm, feature.go_mm):
            raise Refusal(
                f"{feature.name}: the pin that goes ({feature.go_mm:g}) must be smaller than the "
                f"one that does not ({feature.no_go_mm:g}); swapped?"
            )
    for value_mm in (*feature.readings_mm, feature.go_mm, feature.no_go_mm):
        if value_mm is not None:
            _refuse_slip(feature, value_mm, zero_mm)
    land_mm = feature.jaw_land_mm
    if land_mm is not None and not 0 < land_mm < nominal_mm:
        raise Refusal(f"{feature.name}: jaw lands of {land_mm:g} mm do not go into it")


def _refuse_slip(feature: Feature, value_mm: float, zero_mm: float) -> None:
    if not 0 < value_mm < math.inf:
        raise Refusal(f"{feature.name}: {value_mm:g} mm must be above zero")
    ratio = (value_mm - zero_mm) / feature.nominal_mm
    if abs(ratio / 0.5 - 1) < _HALF:
        raise Refusal(
            f"{feature.name} measured {value_mm:g} mm, about half: a radius? "
            f"then type {2 * value_mm:g}"
        )
    if abs(ratio / 2 - 1) < _HALF:
        raise Refusal(
            f"{feature.name} measured {value_mm:g} mm, about double: was {feature.nominal_mm:g} a "
            f"radius? then type {2 * feature.nominal_mm:g}={value_mm:g}"
        )
    refuse_slip(value_mm, feature.nominal_mm, f"{feature.name}:")
