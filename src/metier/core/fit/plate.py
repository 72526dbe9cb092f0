"""A plate of holes and posts: its readings, repeats, warmth, and what a file should measure."""

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple, get_args

from metier.core.errors import BadInput
from metier.core.measure.readings import PRIOR_DOF, refuse_slip
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import exceeds

FeatureKind = Literal["hole", "post"]
KINDS: tuple[FeatureKind, ...] = ("hole", "post")
# Along an axis of the printer; z is the height of a post.
Axis = Literal["x", "y", "z"]
AXES: tuple[Axis, ...] = get_args(Axis)

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
        BadInput: sizes that cannot be, or a slip of the finger.
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
        raise BadInput(f"{feature.kind} of {nominal_mm:g} mm: the size drawn must be above zero")
    if feature.facets is not None and feature.facets < 3:
        raise BadInput(f"{feature.name} with {feature.facets} facets: three at least")
    if (feature.go_mm is None) != (feature.no_go_mm is None):
        raise BadInput(f"{feature.name}: give both, the pin that goes and the next that does not")
    if feature.go_mm is not None and feature.no_go_mm is not None:
        if feature.kind == "post":
            raise BadInput(f"{feature.name}: pins go into holes, not over posts")
        if feature.readings_mm:
            raise BadInput(f"{feature.name} has readings and pins: give one of them")
        if not exceeds(feature.no_go_mm, feature.go_mm):
            raise BadInput(
                f"{feature.name}: the pin that goes ({feature.go_mm:g}) must be smaller than the "
                f"one that does not ({feature.no_go_mm:g}); swapped?"
            )
    for value_mm in (*feature.readings_mm, feature.go_mm, feature.no_go_mm):
        if value_mm is not None:
            _refuse_slip(feature, value_mm, zero_mm)
    land_mm = feature.jaw_land_mm
    if land_mm is not None and not 0 < land_mm < nominal_mm:
        raise BadInput(f"{feature.name}: jaw lands of {land_mm:g} mm do not go into it")


def _refuse_slip(feature: Feature, value_mm: float, zero_mm: float) -> None:
    if not 0 < value_mm < math.inf:
        raise BadInput(f"{feature.name}: {value_mm:g} mm must be above zero")
    ratio = (value_mm - zero_mm) / feature.nominal_mm
    if abs(ratio / 0.5 - 1) < _HALF:
        raise BadInput(
            f"{feature.name} measured {value_mm:g} mm, about half: a radius? "
            f"then type {2 * value_mm:g}"
        )
    if abs(ratio / 2 - 1) < _HALF:
        raise BadInput(
            f"{feature.name} measured {value_mm:g} mm, about double: was {feature.nominal_mm:g} a "
            f"radius? then type {2 * feature.nominal_mm:g}={value_mm:g}"
        )
    refuse_slip(value_mm, feature.nominal_mm, f"{feature.name}:")


# Plates of the same differ by this per side (1 u, mm), until repeats say otherwise.
PLATES_MM = 0.012


class Repeated(NamedTuple):
    """A compensation as one plate found it: what was set and still needed, and u of its fit."""

    new_mm: float
    u_fit_mm: float


def plates_differ_mm(groups: Sequence[Sequence[Repeated]]) -> float:
    """Return by how much plates differ per side (1 u), pooled with what is usual.

    Each group is the same compensation, found again by several plates of one bench.

    >>> round(plates_differ_mm([[Repeated(0.10, 0.0), Repeated(0.13, 0.0)]]), 4)
    0.014
    """
    weighted, dof = PRIOR_DOF * PLATES_MM**2, PRIOR_DOF
    for group in groups:
        count = len(group)
        if count < 2:
            continue
        mean = math.fsum(trial.new_mm for trial in group) / count
        squares = math.fsum((trial.new_mm - mean) ** 2 for trial in group)
        within = math.fsum(trial.u_fit_mm**2 for trial in group) / count
        weighted += (count - 1) * max(0.0, squares / (count - 1) - within)
        dof += count - 1
    return math.sqrt(weighted / dof)


# Sizes are those at this temperature (ISO 1).
REFERENCE_C = 20.0
# Linear expansion per kelvin, as makers of plastics state it.
EXPANSION_PER_K = {
    "pla": 68e-6,
    "petg": 60e-6,
    "pet": 60e-6,
    "abs": 90e-6,
    "asa": 95e-6,
    "pc": 68e-6,
    "pa": 90e-6,
    "nylon": 90e-6,
    "hips": 80e-6,
    "pp": 110e-6,
    "tpu": 150e-6,
}
_HOTTEST_C = 120.0


def shrinks_mm(size_mm: float, material: str, part_c: float) -> float:
    """Return by how much a size changes until the part is at 20 °C; below zero for a warm one.

    >>> round(shrinks_mm(20.0, "PLA", 45.0), 3)
    -0.034

    Raises:
        BadInput: a material whose expansion is not known, or no temperature of a part.
    """
    per_k = EXPANSION_PER_K.get(material.lower())
    if per_k is None:
        known = ", ".join(sorted(EXPANSION_PER_K)).upper()
        raise BadInput(
            f"how much {material[:40]} expands is not known: {known}; let the part cool instead"
        )
    if not -20 <= part_c <= _HOTTEST_C:
        raise BadInput(f"a part at {part_c:g} °C: from -20 to {_HOTTEST_C:g}")
    return -size_mm * per_k * (part_c - REFERENCE_C)


# What one size reads like with calipers (1 u).
_READ_U_MM = 0.03


class PlateTold(NamedTuple):
    """What a plate told of this bench: by how much holes and outlines have to be changed per side
    to measure as drawn, how that grows with small holes, and the scale; ± as stated."""

    hole_mm: float | None
    hole_u95_mm: float
    kappa_mm2: float
    mean_inverse: float
    contour_mm: float | None
    contour_u95_mm: float
    scale: float


class Foreseen(NamedTuple):
    """A round thing of a file: what its lines enclose, and what it should measure, with ±."""

    kind: str
    pieces: int
    enclosed_mm: float
    measures_mm: float
    u95_mm: float


def hole_measures(enclosed_mm: float, told: PlateTold, pieces: int = 1) -> Foreseen | None:
    """Return what a hole should measure whose lines leave that much free; None where no plate had
    holes.

    >>> told = PlateTold(0.1, 0.02, 0.0, 0.1, None, 0.0, 1.0)
    >>> round(hole_measures(10.2, told).measures_mm, 3)
    10.0
    """
    if told.hole_mm is None:
        return None
    per_side = told.hole_mm + told.kappa_mm2 * (1 / enclosed_mm - told.mean_inverse)
    measures = told.scale * enclosed_mm - 2 * per_side
    return Foreseen("hole", pieces, enclosed_mm, measures, _u95(told.hole_u95_mm))


def outline_measures(enclosed_mm: float, told: PlateTold, pieces: int = 1) -> Foreseen | None:
    """Return what a round outline should measure; None where no plate had posts."""
    if told.contour_mm is None:
        return None
    measures = told.scale * enclosed_mm - 2 * told.contour_mm
    return Foreseen("outline", pieces, enclosed_mm, measures, _u95(told.contour_u95_mm))


def _u95(per_side_u95_mm: float) -> float:
    """Return the ± of a size: of what is known a side, of another print, and of its reading."""
    return math.hypot(2 * per_side_u95_mm, NORMAL95 * math.hypot(2 * PLATES_MM, _READ_U_MM))
