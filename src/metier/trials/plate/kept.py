"""What is kept of a plate that was measured, and how it is listed."""

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from metier.core.fit.plate import Axis, Feature, FeatureKind, shrinks_mm
from metier.core.measure.readings import Instrument
from metier.logbook.plain import Form, from_plain
from metier.logbook.trials import Reading, Trial
from metier.show.figures import both_text, proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.trials.on_bench import OnBench


_KINDS = ("hole", "contour")


class Found(NamedTuple):
    """What a plate came to, as far as tables show it."""

    hole_set_mm: float | None
    hole_per_side_mm: float | None
    hole_new_mm: float | None
    hole_to_type_mm: float | None
    contour_set_mm: float | None
    contour_per_side_mm: float | None
    contour_new_mm: float | None
    contour_to_type_mm: float | None
    hole_u_fit_mm: float | None = None
    contour_u_fit_mm: float | None = None
    hole_u95_mm: float | None = None
    contour_u95_mm: float | None = None
    hole_opened_mm: float | None = None
    contour_opened_mm: float | None = None

    @property
    def hole_measured_mm(self) -> float | None:
        """The compensation that lets holes measure as drawn."""
        return None if self.hole_new_mm is None else self.hole_new_mm - (self.hole_opened_mm or 0)

    @property
    def contour_measured_mm(self) -> float | None:
        """The compensation that lets outlines measure as drawn."""
        if self.contour_new_mm is None:
            return None
        return self.contour_new_mm - (self.contour_opened_mm or 0)


class PlateKept(Kept):
    name = "xy"

    def form(self, settings: Mapping[str, object]) -> "Form[PlateSettings]":

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        found = from_plain(Found, trial.findings)
        both = both_text(found.hole_per_side_mm, found.contour_per_side_mm)
        return HistoryRow("", both, "", both_text(found.hole_to_type_mm, found.contour_to_type_mm))

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        found = from_plain(Found, trial.findings)._asdict()
        return [
            CsvRow(
                f"{self.name} {kind}",
                set=found[f"{kind}_set_mm"],
                measured=found[f"{kind}_per_side_mm"],
                new=found[f"{kind}_new_mm"],
                to_type=found[f"{kind}_to_type_mm"],
                u95=found[f"{kind}_u95_mm"],
            )
            for kind in _KINDS
        ]

    def command(self, here: "OnBench") -> str:
        # What is typed in for it is the slicer's, so the slicer has to slice it.
        from metier.trials.part_path import next_part

        return proposed(self.name, "--plan", *next_part(here, "plate", ".3mf"))


KEPT = PlateKept()


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
