"""A plate as the logbook keeps it, and what it says: reckoned when measured and when amended."""

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from metier.core.compensation import ToType, XyFinding, judge_plate
from metier.core.plate import Feature
from metier.core.readings import Instrument
from metier.core.xy import Offset, XyFit, fit_offsets
from metier.logbook.trials import Outcome, Reading


class PlateReckoning(NamedTuple):
    """All that a plate is reckoned with besides its readings; kept with the trial."""

    instrument: Instrument
    hole_set_mm: float
    contour_set_mm: float
    free_scale: bool

    def settings(self, features: Sequence[Feature]) -> dict[str, Any]:
        """Return it as the logbook keeps it, each feature with how many readings it has."""
        return {
            "hole_set_mm": self.hole_set_mm,
            "contour_set_mm": self.contour_set_mm,
            "free_scale": self.free_scale or None,
            "instrument_mm": list(self.instrument),
            "features": [
                {
                    "kind": one.kind,
                    "nominal_mm": one.nominal_mm,
                    "axis": one.axis,
                    "foot": one.foot,
                    "facets": one.facets,
                    "jaw_land_mm": one.jaw_land_mm,
                    "missing": one.missing,
                    "pins": one.go_mm is not None,
                    "readings": len(one.readings_mm),
                }
                for one in features
            ],
        }

    @classmethod
    def of(cls, settings: dict[str, Any]) -> "PlateReckoning":
        """Return what a trial was reckoned with."""
        return cls(
            Instrument(*settings["instrument_mm"]),
            settings["hole_set_mm"],
            settings["contour_set_mm"],
            bool(settings["free_scale"]),
        )

    def judge(self, features: Sequence[Feature]) -> tuple[XyFit, XyFinding]:
        """Return the fit and what to type.

        Raises:
            Refusal: a plate that tells nothing.
        """
        fit = fit_offsets(features, self.instrument, self.free_scale)
        return fit, judge_plate(fit, self.hole_set_mm, self.contour_set_mm)


def features_of(settings: dict[str, Any], readings: Sequence[Reading] | None) -> list[Feature]:
    """Return the features of a trial; without ``readings`` as they were drawn."""
    values = iter([one.value_mm for one in readings or ()])
    return [_feature(kept, values, readings is not None) for kept in settings["features"]]


def _feature(kept: dict[str, Any], values: Iterator[float], measured: bool) -> Feature:
    feature = Feature(
        kept["kind"],
        kept["nominal_mm"],
        axis=kept["axis"],
        foot=kept["foot"],
        facets=kept["facets"],
        jaw_land_mm=kept["jaw_land_mm"],
        missing=kept["missing"] and measured,
    )
    if not measured:
        return feature
    if kept["pins"]:
        return feature._replace(go_mm=next(values), no_go_mm=next(values))
    return feature._replace(readings_mm=tuple(next(values) for _ in range(kept["readings"])))


def readings_of(features: Sequence[Feature]) -> list[Reading]:
    """Return the readings of a plate, feature by feature."""
    found = []
    for one in features:
        if one.go_mm is not None and one.no_go_mm is not None:
            found.append(Reading(f"{one.name}, goes", one.go_mm, f"{one.go_mm:g}"))
            found.append(Reading(f"{one.name}, does not", one.no_go_mm, f"{one.no_go_mm:g}"))
        found += [Reading(one.name, value, f"{value:g}") for value in one.readings_mm]
    return found


def find(settings: dict[str, Any], readings: Sequence[Reading]) -> dict[str, Any]:
    """Return the findings of a plate from what the logbook keeps of it."""
    fit, finding = PlateReckoning.of(settings).judge(features_of(settings, readings))
    return payload_of(fit, finding, finding.notes)


def payload_of(fit: XyFit, finding: XyFinding, notes: Sequence[str]) -> dict[str, Any]:
    """Return a finding as JSON and the logbook have it."""
    axes = fit.axes
    return {
        **_offset("hole", fit.hole, finding.hole, finding),
        **_offset("contour", fit.contour, finding.contour, finding),
        "scale": fit.scale,
        "scale_u95": fit.scale_u95,
        "scale_freed": fit.freed,
        "free_scale": fit.free_scale,
        "free_scale_u95": fit.free_scale_u95,
        "scatter_mm": fit.scatter_mm,
        "hole_with_all_mm": fit.hole_with_all and fit.hole_with_all.per_side_mm,
        "contour_with_all_mm": fit.contour_with_all and fit.contour_with_all.per_side_mm,
        "features": [
            {
                "name": row.measured.feature.name,
                "kind": row.measured.feature.kind,
                "nominal_mm": row.measured.feature.nominal_mm,
                "measured_mm": row.measured.size_mm,
                "off_fit_mm": row.off_mm,
                "off_fit_u95_mm": row.u95_mm,
                "left_out": row.left_out,
                "out_of_round_mm": row.measured.out_of_round_mm,
                "after_mm": size_after_mm(row.measured.feature, row.measured.size_mm, finding),
            }
            for row in fit.rows
        ],
        "axes": axes
        and {
            "x_percent": axes.percent["x"],
            "y_percent": axes.percent["y"],
            "difference_percent": axes.difference_percent,
            "difference_u95_percent": axes.u95_percent,
            "differ": axes.differ,
        },
        "lips_mm": dict(fit.lips),
        "smallest_mm": dict(fit.smallest),
        "not_printed": list(fit.missing),
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
        "remedies": list(finding.verdict.remedies),
        "notes": list(notes),
    }


def _offset(
    name: str, needed: Offset | None, typed: ToType | None, finding: XyFinding
) -> dict[str, Any]:
    recheck = finding.verdict.name == "recheck"
    return {
        f"{name}_per_side_mm": needed and needed.per_side_mm,
        f"{name}_u95_mm": needed and needed.u95_mm,
        f"{name}_on_diameter_mm": needed and 2 * needed.per_side_mm,
        f"{name}_set_mm": typed and typed.set_mm,
        f"{name}_new_mm": typed and typed.set_mm + typed.needed.per_side_mm,
        f"{name}_to_type_mm": None if recheck or typed is None else typed.to_type_mm,
    }


def size_after_mm(feature: Feature, size_mm: float, finding: XyFinding) -> float:
    """Return the size a feature should come out at once the values are typed in."""
    typed = finding.hole if feature.kind == "hole" else finding.contour
    if typed is None or finding.verdict.name == "recheck":
        return size_mm
    return size_mm + 2 * typed.change_mm


def outcomes_of(payload: dict[str, Any]) -> list[Outcome]:
    """Return what a plate says about hole, contour and scale, for the logbook to reckon with."""
    found: list[Outcome] = []
    for kind in ("hole", "contour"):
        needed = payload[f"{kind}_per_side_mm"]
        if needed is not None:
            found.append(
                Outcome(
                    "hole" if kind == "hole" else "contour",
                    payload[f"{kind}_set_mm"],
                    payload[f"{kind}_new_mm"],
                    payload[f"{kind}_u95_mm"],
                    payload[f"{kind}_to_type_mm"],
                )
            )
    scale = payload["scale"]
    found.append(Outcome("scale", scale, scale, payload["scale_u95"], scale))
    return found
