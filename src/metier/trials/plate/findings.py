"""What a plate came to, as JSON and the logbook have it."""

from metier.core.fit.compensation import PlateFinding, ToType
from metier.core.fit.offsets import Offset, PlateFit
from metier.logbook.trials import Outcome
from metier.trials.plate.sheet import size_after_mm


def findings_of(fit: PlateFit, finding: PlateFinding) -> dict[str, object]:
    """Return fit and finding, feature by feature."""
    axes = fit.axes
    return {
        **_offset("hole", fit.hole, finding.hole, finding),
        **_offset("contour", fit.contour, finding.contour, finding),
        "kappa_mm2": fit.kappa_mm2,
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
    }


def _offset(
    name: str, needed: Offset | None, typed: ToType | None, finding: PlateFinding
) -> dict[str, object]:
    return {
        f"{name}_per_side_mm": needed and needed.per_side_mm,
        f"{name}_u95_mm": needed and needed.u95_mm,
        f"{name}_u_fit_mm": needed and needed.u_fit_mm,
        f"{name}_influences_mm": needed and {one.name: one.u95 for one in needed.influences},
        f"{name}_on_diameter_mm": needed and 2 * needed.per_side_mm,
        f"{name}_set_mm": typed and typed.set_mm,
        f"{name}_new_mm": typed and typed.set_mm + typed.lacking_mm,
        f"{name}_opened_mm": typed and typed.opened_mm,
        f"{name}_to_type_mm": _to_type_mm(typed, finding),
    }


def _to_type_mm(typed: ToType | None, finding: PlateFinding) -> float | None:
    return None if finding.verdict.name == "recheck" or typed is None else typed.to_type_mm


def outcomes_of(fit: PlateFit, finding: PlateFinding) -> list[Outcome]:
    """Return what a plate says about hole, contour and scale, for the logbook to reckon with."""
    found = [
        Outcome(
            name,
            typed.set_mm,
            typed.set_mm + typed.lacking_mm,
            typed.needed.u95_mm,
            _to_type_mm(typed, finding),
        )
        for name, typed in (("hole", finding.hole), ("contour", finding.contour))
        if typed
    ]
    if not fit.rows:
        return []
    return [*found, Outcome("scale", fit.scale, fit.scale, fit.scale_u95, fit.scale)]
