"""The sheet that ``metier xy`` prints."""

from collections.abc import Sequence

from metier.commands.on_bench import OnBench, bench_phrase, not_recorded
from metier.commands.xy_record import size_after_mm
from metier.core.compensation import ToType, XyFinding
from metier.core.xy import XyFit
from metier.show.sheet import Sheet, table

_WHERE = {
    "hole": "XY hole compensation per side, in the slicer",
    "contour": "XY contour compensation per side, in the slicer",
}


def xy_title(here: OnBench, number: int | None) -> str:
    """Return the first line."""
    if here.setup is None:
        return "Holes and contours"
    return f"Holes and contours: {bench_phrase(here.setup)}, trial {number}"


def xy_sheet(
    here: OnBench, number: int | None, fit: XyFit, finding: XyFinding, notes: Sequence[str]
) -> str:
    """Return a plate in words."""
    sheet = Sheet(xy_title(here, number))
    _needed(sheet, "hole", finding.hole)
    _needed(sheet, "contour", finding.contour)
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
    if number is not None and finding.verdict.name == "correct":
        sheet.next("say that it is typed in, then print a plate to see it:", _entered(finding))
    if number is None:
        sheet.gap()
        sheet.lines(*not_recorded(here.bench))
    return sheet.text()


def _needed(sheet: Sheet, name: str, one: ToType | None) -> None:
    if one is None:
        sheet.row(name, "-", "none on the plate")
        return
    needed = one.needed
    remark = f"{2 * needed.per_side_mm:+.2f} on the diameter; {one.set_mm:+.2f} was set"
    text = f"{needed.per_side_mm:+.3f} ± {needed.u95_mm:.3f} mm per side"
    sheet.row(name, text, remark)


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


def _entered(finding: XyFinding) -> str:
    if finding.hole and finding.contour and finding.hole.answer == finding.contour.answer:
        return "metier entered --advised"
    name, one = ("hole", finding.hole)
    if one is None or one.answer != "correct":
        name, one = ("contour", finding.contour)
    return (
        f"metier entered {name} {one.to_type_mm:.2f}" if one and one.to_type_mm is not None else ""
    )


def _features(fit: XyFit, finding: XyFinding) -> list[str]:
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
