"""The sheet of a plate, and what its features should come out at afterwards."""

from metier.core.fit.compensation import PlateFinding, ToType
from metier.core.fit.offsets import PlateFit
from metier.core.fit.plate import Feature
from metier.show.figures import influences_text
from metier.show.sheet import Sheet, table

_WHERE = {
    "hole": "XY hole compensation per side, in the slicer",
    "contour": "XY contour compensation per side, in the slicer",
}


def write_sheet(sheet: Sheet, fit: PlateFit, finding: PlateFinding, notes: tuple[str, ...]) -> None:
    """Write a plate in words."""
    _needed(sheet, "hole", finding.hole)
    _needed(sheet, "contour", finding.contour)
    if not fit.rows:
        sheet.judged(finding.verdict, notes)
        return
    how = "as the plate shows it" if fit.freed else "held near 1: nothing clear speaks against it"
    sheet.row("scale", f"{fit.scale:.4f} ± {fit.scale_u95:.4f}", how)
    sheet.judged(finding.verdict, notes)
    if finding.verdict.name == "recheck":
        sheet.gap()
        sheet.remark("Type nothing yet: look at the above, then measure again.")
        sheet.gap()
    else:
        _act(sheet, "hole", finding.hole)
        _act(sheet, "contour", finding.contour)
    sheet.lines(*_features(fit, finding))


def size_after_mm(feature: Feature, size_mm: float, finding: PlateFinding) -> float:
    """Return the size a feature should come out at once the values are typed in."""
    typed = finding.hole if feature.kind == "hole" else finding.contour
    if typed is None or finding.verdict.name == "recheck":
        return size_mm
    return size_mm + 2 * typed.change_mm


def _needed(sheet: Sheet, name: str, one: ToType | None) -> None:
    if one is None:
        sheet.row(name, "-", "none on the plate")
        return
    needed = one.needed
    remark = f"{2 * needed.per_side_mm:+.2f} on the diameter; {one.set_mm:+.2f} was set"
    text = f"{needed.per_side_mm:+.3f} ± {needed.u95_mm:.3f} mm per side"
    sheet.row(name, text, remark)
    sheet.row("± from", *influences_text(needed.influences, "mm"))
    if one.opened_mm:
        meant = f"{2 * one.opened_mm:+.2f} on the diameter is meant: opened for a fit"
        sheet.row("opened", f"{one.opened_mm:+.3f} mm per side", meant)


def _act(sheet: Sheet, name: str, one: ToType | None) -> None:
    if one is None:
        return
    if one.answer == "correct" and one.to_type_mm is not None:
        diameter = f"that is {2 * one.to_type_mm:+.2f} on the diameter"
        sheet.act("type", f"{one.to_type_mm:+.2f} mm", f"{_WHERE[name]} ({diameter})")
    elif one.answer == "keep":
        sheet.act("leave", f"{one.set_mm:+.2f} mm", f"{name}: nothing to type")
    else:
        sheet.act("leave", f"{one.set_mm:+.2f} mm", f"{name}, for now: nothing to type yet")


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
