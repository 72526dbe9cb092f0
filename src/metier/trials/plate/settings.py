"""A plate as the logbook keeps it: its features as drawn, and their readings."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from metier.core.fit.plate import Axis, Feature, FeatureKind
from metier.core.fit.warm import shrinks_mm
from metier.core.measure.readings import Instrument
from metier.logbook.plain import Form
from metier.logbook.trials import Reading


class DrawnFeature(NamedTuple):
    """A feature as it was drawn, and how many readings of the trial belong to it.

    ``pins`` tells that these are the pin that goes in and the next that does not.
    """

    kind: FeatureKind
    nominal_mm: float
    axis: Axis | None
    foot: bool
    facets: int | None
    jaw_land_mm: float | None
    missing: bool
    pins: bool
    readings: int
    go_only: bool = False

    @classmethod
    def of(cls, feature: Feature) -> "DrawnFeature":
        """Return a feature without what was measured of it."""
        return cls(
            feature.kind,
            feature.nominal_mm,
            feature.axis,
            feature.foot,
            feature.facets,
            feature.jaw_land_mm,
            feature.missing,
            feature.no_go_mm is not None,
            len(feature.readings_mm),
            feature.go_mm is not None and feature.no_go_mm is None,
        )

    def drawn(self) -> Feature:
        """Return the feature before anything was measured of it."""
        return Feature(
            self.kind,
            self.nominal_mm,
            axis=self.axis,
            foot=self.foot,
            facets=self.facets,
            jaw_land_mm=self.jaw_land_mm,
        )

    def measured(self, values_mm: Iterator[float]) -> Feature:
        """Return the feature with the next of these values as its readings."""
        feature = self.drawn()._replace(missing=self.missing)
        if self.go_only:
            return feature._replace(go_mm=next(values_mm))
        if self.pins:
            return feature._replace(go_mm=next(values_mm), no_go_mm=next(values_mm))
        return feature._replace(readings_mm=tuple(next(values_mm) for _ in range(self.readings)))


class PlateSettings(NamedTuple):
    """The compensations that were set while printing, and the features of the plate."""

    hole_set_mm: float
    contour_set_mm: float
    free_scale: bool | None
    instrument_mm: Instrument
    features: tuple[DrawnFeature, ...]
    # The hole that the compensation is wanted for, else those of the plate.
    for_mm: float | None = None
    # How warm the part was when measured, and by how much it expands, where it was not cool.
    part_c: float | None = None
    material: str | None = None
    # What of the compensations was opened for a fit, per side.
    hole_opened_mm: float = 0.0
    contour_opened_mm: float = 0.0

    def measured(self, readings: Sequence[Reading]) -> list[Feature]:
        """Return the features with their readings."""
        values_mm = iter([self._cooled_mm(reading.value) for reading in readings])
        return [feature.measured(values_mm) for feature in self.features]

    def _cooled_mm(self, size_mm: float) -> float:
        if self.part_c is None or self.material is None:
            return size_mm
        return size_mm + shrinks_mm(size_mm, self.material, self.part_c)


def readings_of(features: Sequence[Feature]) -> list[Reading]:
    """Return the readings of a plate, feature by feature."""
    found = []
    for feature in features:
        name = feature.name
        if feature.go_mm is not None:
            found.append(Reading(f"{name}, goes", feature.go_mm, f"{feature.go_mm:g}"))
        if feature.no_go_mm is not None:
            found.append(Reading(f"{name}, does not", feature.no_go_mm, f"{feature.no_go_mm:g}"))
        found += [Reading(name, value, f"{value:g}") for value in feature.readings_mm]
    return found


FORM = Form(PlateSettings)
