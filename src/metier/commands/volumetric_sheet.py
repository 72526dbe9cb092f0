"""The sheet that ``metier volumetric`` prints for a ramp, and the tables of speeds."""

import argparse
from collections.abc import Sequence

from metier.commands.lines import table_sizes
from metier.commands.on_bench import OnBench, bench_phrase, not_recorded
from metier.commands.volumetric_record import (
    FLOW_UNIT,
    PrintedLine,
    RampReckoning,
    limit_to_type,
)
from metier.core.ramp import Ramp, Threshold
from metier.core.speeds import CappedSpeed
from metier.core.verdicts import Verdict
from metier.core.volumetric import LimitFinding
from metier.logbook.trials import Reading
from metier.show.sheet import Sheet, table
from metier.show.values import u95_text, value_text

_NAMES = {"matte": "surface", "gaps": "gaps", "failed": "failed"}


def ramp_sheet(
    options: argparse.Namespace,
    here: OnBench,
    number: int | None,
    reckoning: RampReckoning,
    finding: LimitFinding,
    readings: Sequence[Reading],
    taken: str,
    notes: Sequence[str],
) -> str:
    """Return a ramp in words."""
    sheet = Sheet(limit_title(here, number))
    if reckoning.ramp:
        sheet.row("ramp", *ramp_words(reckoning.ramp, taken))
    for name in ("matte", "gaps", "failed"):
        _sighted(sheet, name, readings, getattr(finding, name), reckoning)
    if finding.last_good_mm3_s is not None:
        sheet.row("last good", f"{finding.last_good_mm3_s:.4g} mm³/s", _last_good_of(finding))
    if finding.limit_mm3_s is not None:
        margin = 0.0 if finding.bound else 100 * _margin(reckoning, finding)
        less = f"less {margin:g} %, " if margin else ""
        text = limit_text(finding.limit_mm3_s, finding.limit_u95_mm3_s)
        sheet.row("limit", text, f"{less}rounded down to {reckoning.rule.round_to_mm3_s:g}")
    if finding.even_looks_mm3_s is not None:
        remark = "up to there the surface stays as it is"
        sheet.row("even looks", f"{finding.even_looks_mm3_s:g} mm³/s", remark)
    sheet.judged(finding.verdict, notes)
    limit_act(sheet, finding.verdict, finding.limit_mm3_s, reckoning.limit_now_mm3_s)
    if finding.limit_mm3_s is not None and reckoning.line:
        sheet.lines(*speed_table(options, here, finding.limit_mm3_s, reckoning.line))
        capped = reckoning.capped(finding)
        if capped:
            sheet.gap()
            sheet.lines(*capped_table(capped))
    what_next(sheet, here, number, finding.verdict, finding.limit_mm3_s)
    if finding.next_ramp:
        following = finding.next_ramp
        sheet.next(
            "print a ramp over the range that is left:",
            f"metier volumetric --plan --from {following.from_mm3_s:g} --to {following.to_mm3_s:g}",
        )
    if number is None:
        sheet.gap()
        sheet.lines(*not_recorded(here.bench))
    return sheet.text()


def limit_title(here: OnBench, number: int | None) -> str:
    """Return the first line of any answer about the limit."""
    if here.setup is None:
        return "Volumetric limit"
    return f"Volumetric limit: {bench_phrase(here.setup)}, trial {number}"


def ramp_words(ramp: Ramp, taken: str) -> tuple[str, str]:
    """Return «4 to 24 mm³/s» and how it rises."""
    end = "" if ramp.to_mm3_s is None else f" to {ramp.to_mm3_s:g}"
    if ramp.rise_mm3_s_mm is not None:
        rise = f"{ramp.rise_mm3_s_mm:g} more each mm"
    else:
        every = "each step" if ramp.every_mm is None else f"every {ramp.every_mm:g} mm"
        rise = f"{ramp.step_mm3_s:g} more {every}"
    foot = f", foot {ramp.base_mm:g} mm" if ramp.base_mm else ""
    where = f"; {taken}" if taken else ""
    return f"from {ramp.from_mm3_s:g}{end} mm³/s", f"{rise}{foot}{where}"


def _margin(reckoning: RampReckoning, finding: LimitFinding) -> float:
    return reckoning.rule.margin * (1 if finding.gaps else 2)


def _sighted(
    sheet: Sheet,
    name: str,
    readings: Sequence[Reading],
    found: Threshold | None,
    reckoning: RampReckoning,
) -> None:
    if found is None:
        return
    heights = "/".join(one.typed for one in readings if one.side == name)
    flows = "/".join(one.typed for one in readings if one.side == name + FLOW_UNIT)
    markers = reckoning.markers(readings)
    if name == "gaps" and markers:
        remark = f"one every {markers.every_mm:g} mm"
        sheet.row("markers", f"{markers.clean} clean", remark)
        return
    values = ([f"at {heights} mm"] if heights else []) + ([f"at {flows} mm³/s"] if flows else [])
    what = {"matte": "changes", "gaps": "the first", "failed": ""}[name]
    remark = what
    if reckoning.ramp and found.height_mm is not None:
        flow = reckoning.ramp.flow_at(found.height_mm)
        remark = f"{what} at {flow:.3g} mm³/s".strip()
    sheet.row(_NAMES[name], ", ".join(values), remark)


def _last_good_of(finding: LimitFinding) -> str:
    if finding.bound == "lower":
        return "nothing worse was seen"
    if finding.gaps is None:
        return "before it failed"
    return "before the first gaps"


def limit_text(limit_mm3_s: float, u95: float | None) -> str:
    """Return «9.5 ± 0.5 mm³/s»."""
    return " ".join(part for part in (f"{limit_mm3_s:g}", u95_text("limit", u95), "mm³/s") if part)


def limit_act(
    sheet: Sheet, verdict: Verdict, limit_mm3_s: float | None, limit_now_mm3_s: float | None
) -> None:
    """Add the limit to type, or what to leave."""
    to_type = limit_to_type(verdict, limit_mm3_s, limit_now_mm3_s)
    if verdict.name == "correct" and to_type is not None:
        remark = "the volumetric speed limit, in the slicer, settings of the filament"
        sheet.act("type", f"{to_type:g} mm³/s", remark)
    elif verdict.name == "recheck":
        sheet.gap()
        sheet.remark("Type nothing yet: look at the above, then print and look again.")
        sheet.gap()
    elif to_type is not None:
        remark = "nothing to type" if verdict.name == "keep" else "for now: nothing to type yet"
        sheet.act("leave", f"{to_type:g} mm³/s", remark)
    elif limit_mm3_s is not None:
        sheet.gap()
        sheet.remark(f"Until it is settled, {limit_mm3_s:g} mm³/s is on the safe side.")
        sheet.gap()


def what_next(
    sheet: Sheet, here: OnBench, number: int | None, verdict: Verdict, limit_mm3_s: float | None
) -> None:
    """Add what to do once a limit is found."""
    if verdict.name != "correct" or limit_mm3_s is None:
        return
    if number is not None and here.setup:
        sheet.next("say that it is typed in:", f"metier entered limit {limit_mm3_s:g}")
    else:
        sheet.next("type it in; it bounds every speed of this filament.")


def speed_table(
    options: argparse.Namespace, here: OnBench, limit_mm3_s: float, line: PrintedLine
) -> list[str]:
    """Return the speeds a limit means, layer heights down and line widths across."""
    widths, layers = table_sizes(options, here, line)
    flow = value_text("flow", line.flow, here.writing)
    rows = []
    for layer_mm in layers:
        cells = [
            f"{line._replace(width_mm=width, layer_mm=layer_mm).speed_mm_s(limit_mm3_s):.0f}"
            if width >= layer_mm
            else "-"
            for width in widths
        ]
        rows.append((f"{layer_mm:g}", *cells))
    header = ("layer", *(f"width {width:g}" for width in widths))
    lead = f"  The speeds that {limit_mm3_s:g} mm³/s means, in mm/s (flow {flow}):"
    return [lead, *table(header, rows, right=tuple(range(len(header))))]


def capped_table(capped: Sequence[CappedSpeed]) -> list[str]:
    """Return the set speeds with what the limit leaves of them."""
    rows = [
        (
            one.name,
            f"{one.set_mm_s:g}",
            f"{one.width_mm:g} x {one.layer_mm:g}",
            f"{one.asked_mm3_s:.1f}",
            f"{one.left_mm_s:.0f}" if one.capped else f"{one.set_mm_s:g}",
            f"-{100 * one.lost:.0f} %" if one.capped else "not capped",
        )
        for one in capped
    ]
    header = ("speed", "set mm/s", "line", "asks mm³/s", "left mm/s", "lost")
    return table(header, rows, right=(1, 3, 4, 5))
