"""What is kept of a plate that was measured, and how it is listed."""

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from metier.core.fit.plate import Axis, Feature, FeatureKind, shrinks_mm
from metier.core.measure.readings import Instrument
from metier.logbook.plain import Form
from metier.logbook.trials import Reading, Trial
from metier.show.figures import both_text, proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.trials.on_bench import OnBench


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
    readings = []
    for feature in features:
        name = feature.name
        if feature.go_mm is not None:
            readings.append(Reading(f"{name}, goes", feature.go_mm, f"{feature.go_mm:g}"))
        if feature.no_go_mm is not None:
            readings.append(Reading(f"{name}, does not", feature.no_go_mm, f"{feature.no_go_mm:g}"))
        readings += [Reading(name, value, f"{value:g}") for value in feature.readings_mm]
    return readings


class FeatureResult(NamedTuple):
    """A hole or post: what was drawn and measured, how far it is off the fit of all of them, and
    what it should come out at once the values are typed in."""

    name: str
    kind: FeatureKind
    nominal_mm: float
    measured_mm: float
    off_fit_mm: float
    off_fit_u95_mm: float
    left_out: bool
    out_of_round_mm: float | None
    after_mm: float


class AxesResult(NamedTuple):
    """By how much X and Y are off, and whether they differ."""

    x_percent: float
    y_percent: float
    difference_percent: float
    difference_u95_percent: float
    differ: bool


class AxisSlopeResult(NamedTuple):
    """How sizes along an axis grow with what is drawn, and what its steps would be multiplied
    by."""

    axis: Axis
    slope: float
    slope_u95: float
    steps_factor: float
    shows: bool


class PlateResult(NamedTuple):
    """What a plate came to: of holes and of outlines what is needed per side, what was set, what of
    that was opened for a fit, and what to type; then the scale, and feature by feature."""

    hole_per_side_mm: float | None
    hole_u95_mm: float | None
    hole_u_fit_mm: float | None
    hole_influences_mm: Mapping[str, float] | None
    hole_on_diameter_mm: float | None
    hole_set_mm: float | None
    hole_new_mm: float | None
    hole_opened_mm: float | None
    hole_to_type_mm: float | None
    contour_per_side_mm: float | None
    contour_u95_mm: float | None
    contour_u_fit_mm: float | None
    contour_influences_mm: Mapping[str, float] | None
    contour_on_diameter_mm: float | None
    contour_set_mm: float | None
    contour_new_mm: float | None
    contour_opened_mm: float | None
    contour_to_type_mm: float | None
    kappa_mm2: float | None
    scale: float
    scale_u95: float
    scale_freed: bool
    free_scale: float | None
    free_scale_u95: float | None
    scatter_mm: float
    hole_with_all_mm: float | None
    contour_with_all_mm: float | None
    features: tuple[FeatureResult, ...]
    axes: AxesResult | None
    lips_mm: Mapping[str, float]
    smallest_mm: Mapping[str, float]
    not_printed: tuple[str, ...]
    axis_slopes: tuple[AxisSlopeResult, ...] = ()

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


class PlateKept(Kept[PlateResult]):
    name = "xy"
    record = PlateResult
    unit = "mm per side"
    measured_unit = "mm per side"
    settings = Form(PlateSettings)

    def row(self, trial: Trial) -> HistoryRow:
        result = self.of(trial)
        both = both_text(result.hole_per_side_mm, result.contour_per_side_mm)
        return HistoryRow(
            "", both, "", both_text(result.hole_to_type_mm, result.contour_to_type_mm)
        )

    def reading_unit(self, trial: Trial, side: str) -> str:
        return "mm"

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        result = self.of(trial)._asdict()
        return [
            CsvRow(
                f"{self.name} {kind}",
                set=result[f"{kind}_set_mm"],
                measured=result[f"{kind}_per_side_mm"],
                new=result[f"{kind}_new_mm"],
                to_type=result[f"{kind}_to_type_mm"],
                u95=result[f"{kind}_u95_mm"],
            )
            for kind in ("hole", "contour")
        ]

    def command(self, bench: "OnBench") -> str:
        # What is typed in for it is the slicer's, so the slicer has to slice it.
        from metier.trials.on_bench import next_part

        return proposed(self.name, "--plan", *next_part(bench, "plate", ".3mf"))


KEPT = PlateKept()
