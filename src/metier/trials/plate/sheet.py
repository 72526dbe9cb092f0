"""A plate on its sheet, and as JSON and the logbook have it."""

from typing import Any

from metier.core.errors import BadInput
from metier.core.fit.compensation import PlateFinding, ToType
from metier.core.fit.offsets import Offset, PlateFit
from metier.core.fit.plate import Feature, FeatureKind
from metier.core.measure.student import by_name
from metier.logbook.trials import Outcome
from metier.show.figures import influences_text
from metier.show.sheet import Sheet, table
from metier.trials.kind import Measured
from metier.trials.plate.judged import Judged, PlateContext, came_so
from metier.trials.plate.kept import (
    AxesResult,
    AxisSlopeResult,
    FeatureResult,
    PlateResult,
    PlateSettings,
)

_WHERE = {
    "hole": "XY hole compensation per side, in the slicer",
    "contour": "XY contour compensation per side, in the slicer",
}


Trial = Measured[PlateSettings, PlateContext, Judged]


def write(trial: Trial, sheet: Sheet) -> None:
    """Write a plate in words."""
    _write(sheet, *trial.finding, trial.notes)
    for text in came_so(trial.finding.finding, trial.context):
        sheet.note(text, "forecast")


def draw(path: str, title: str, trial: Trial) -> None:
    """Draw the features with their fit.

    Raises:
        BadInput: there is a bound alone.
    """
    from metier.show.size_plots import plot_plate

    fit, finding = trial.finding
    if not fit.rows:
        raise BadInput("--plot: there is nothing to draw of a bound alone")
    hole, contour = finding.hole, finding.contour
    to_type: dict[FeatureKind, float | None] = {
        "hole": hole and hole.to_type_mm,
        "post": contour and contour.to_type_mm,
    }
    plot_plate(path, title, fit, to_type)


def _write(sheet: Sheet, fit: PlateFit, finding: PlateFinding, notes: tuple[str, ...]) -> None:
    _needed(sheet, "hole", finding.hole)
    _needed(sheet, "contour", finding.contour)
    if not fit.rows:
        sheet.judged(finding.verdict, notes)
        return
    how = "as the plate shows it" if fit.freed else "held near 1: nothing clear speaks against it"
    sheet.row("scale", f"{fit.scale:.4f} ± {fit.scale_u95:.4f}", how)
    sheet.judged(finding.verdict, notes)
    if finding.verdict.name != "recheck":
        _act(sheet, "hole", finding.hole)
        _act(sheet, "contour", finding.contour)
    sheet.details(*_features(fit, finding))


def size_after_mm(feature: Feature, size_mm: float, finding: PlateFinding) -> float:
    """Return the size a feature should come out at once the values are typed in."""
    typed = finding.hole if feature.kind == "hole" else finding.contour
    if typed is None or finding.verdict.name == "recheck":
        return size_mm
    return size_mm + 2 * typed.change_mm


def _needed(sheet: Sheet, name: str, to_type: ToType | None) -> None:
    if to_type is None:
        sheet.row(name, "-", "none on the plate")
        return
    needed = to_type.needed
    remark = f"{2 * needed.per_side_mm:+.2f} on the diameter"
    sheet.row(name, f"{needed.per_side_mm:+.3f} ± {needed.u95_mm:.3f} mm per side", remark)
    sheet.detail("± from", *influences_text(needed.influences, "mm"))
    if to_type.opened_mm:
        meant = f"{2 * to_type.opened_mm:+.2f} on the diameter is meant: opened for a fit"
        sheet.row("opened", f"{to_type.opened_mm:+.3f} mm per side", meant)


def _act(sheet: Sheet, name: str, to_type: ToType | None) -> None:
    if to_type is None:
        return
    if to_type.answer == "correct" and to_type.to_type_mm is not None:
        sheet.act(
            "type", f"{to_type.to_type_mm:+.2f} mm", f"{_WHERE[name]} (was {to_type.set_mm:+.2f})"
        )
    elif to_type.answer == "keep":
        sheet.act("leave", f"{to_type.set_mm:+.2f} mm", f"{name}: nothing to type")
    else:
        sheet.act("leave", f"{to_type.set_mm:+.2f} mm", f"{name}, for now: nothing to type yet")


def _features(fit: PlateFit, finding: PlateFinding) -> list[str]:
    rows = []
    for row in fit.rows:
        feature, size_mm = row.measured.feature, row.measured.size_mm
        after_mm = size_after_mm(feature, size_mm, finding)
        rows.append(
            (
                feature.name,
                f"{feature.nominal_mm:g}",
                f"{size_mm:.3f}",
                f"{size_mm - row.measured.drawn_mm:+.3f}",
                f"{row.off_mm:+.3f}",
                f"{after_mm:.2f}",
                f"{after_mm - row.measured.drawn_mm:+.2f}",
                "left out" if row.left_out else "",
            )
        )
    header = ("feature", "drawn", "measured", "error", "off fit", "after", "error", "")
    return table(header, rows, right=(1, 2, 3, 4, 5, 6))


def result_of(fit: PlateFit, finding: PlateFinding) -> PlateResult:
    """Return fit and finding as they are kept."""
    axes = fit.axes
    return PlateResult(
        **_offset("hole", fit.hole, finding.hole, finding),
        **_offset("contour", fit.contour, finding.contour, finding),
        kappa_mm2=fit.kappa_mm2,
        scale=fit.scale,
        scale_u95=fit.scale_u95,
        scale_freed=fit.freed,
        free_scale=fit.free_scale,
        free_scale_u95=fit.free_scale_u95,
        scatter_mm=fit.scatter_mm,
        hole_with_all_mm=fit.hole_with_all and fit.hole_with_all.per_side_mm,
        contour_with_all_mm=fit.contour_with_all and fit.contour_with_all.per_side_mm,
        features=tuple(
            FeatureResult(
                name=row.measured.feature.name,
                kind=row.measured.feature.kind,
                nominal_mm=row.measured.feature.nominal_mm,
                measured_mm=row.measured.size_mm,
                off_fit_mm=row.off_mm,
                off_fit_u95_mm=row.u95_mm,
                left_out=row.left_out,
                out_of_round_mm=row.measured.out_of_round_mm,
                after_mm=size_after_mm(row.measured.feature, row.measured.size_mm, finding),
            )
            for row in fit.rows
        ),
        axes=axes
        and AxesResult(
            x_percent=axes.percent["x"],
            y_percent=axes.percent["y"],
            difference_percent=axes.difference_percent,
            difference_u95_percent=axes.u95_percent,
            differ=axes.differ,
        ),
        lips_mm=dict(fit.lips),
        smallest_mm={str(kind): mm for kind, mm in fit.smallest.items()},
        not_printed=tuple(fit.missing),
        axis_slopes=tuple(
            AxisSlopeResult(slope.axis, slope.slope, slope.u95, slope.steps_factor, slope.shows)
            for slope in fit.slopes
        ),
    )


def _offset(
    name: str, needed: Offset | None, typed: ToType | None, finding: PlateFinding
) -> dict[str, Any]:
    return {
        f"{name}_per_side_mm": needed and needed.per_side_mm,
        f"{name}_u95_mm": needed and needed.u95_mm,
        f"{name}_u_fit_mm": needed and needed.u_fit_mm,
        f"{name}_influences_mm": needed and by_name(needed.influences),
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
    outcomes = [
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
    return [*outcomes, Outcome("scale", fit.scale, fit.scale, fit.scale_u95, fit.scale)]
