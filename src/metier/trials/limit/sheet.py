"""The sheet of a ramp, and its picture."""

from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.limit.ramp import Ramp, Stepped
from metier.core.limit.verdict import LimitFinding
from metier.core.line.bead import CappedSpeed
from metier.core.verdicts import Verdict
from metier.logbook.trials import Reading
from metier.show.figures import influences_text, proposed, value_text, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.kind import Measured
from metier.trials.limit.kind import limit_to_type
from metier.trials.limit.lines import capped, table_sizes
from metier.trials.limit.ramp import FLOW_UNIT, RampContext, markers_of
from metier.trials.limit.settings import KeptLine, RampSettings
from metier.trials.on_bench import OnBench

_NAMES = {"matte": "surface", "good": "good", "gaps": "gaps", "failed": "failed"}


def write_ramp(trial: Measured[RampSettings, RampContext, LimitFinding], sheet: Sheet) -> None:
    """Write a ramp: what was seen, the limit, the speeds it means, what to do."""
    finding, settings = trial.finding, trial.settings
    limit, reckoning = finding.limit_mm3_s, settings.reckoning
    if settings.ramp:
        sheet.row("ramp", *_ramp_words(settings.ramp, trial.settled.sources["ramp"]))
    for name in _NAMES:
        _sighted(sheet, name, trial)
    if finding.onset:
        begin = with_u95(finding.onset.flow_mm3_s, finding.onset.u95_mm3_s)
        sheet.row("onset", f"{begin} mm³/s", "where gaps begin; they show a little late")
        sheet.row("± from", *influences_text(finding.onset.influences, "mm³/s"))
    if finding.last_good_mm3_s is not None:
        sheet.row("last good", f"{finding.last_good_mm3_s:.4g} mm³/s", _last_good_of(finding))
    if limit is not None:
        # Where only a failure was seen twice the margin is taken, and none at a mere bound.
        margin = 0.0 if finding.bound else reckoning.margin_percent * (1 if finding.gaps else 2)
        less = f"less {margin:g} %, " if margin else ""
        rounded = f"{less}rounded down to {reckoning.round_to_mm3_s:g}"
        sheet.row("limit", f"{limit:g} mm³/s", rounded)
    if finding.even_looks_mm3_s is not None:
        remark = "up to there the surface stays as it is"
        sheet.row("even looks", f"{finding.even_looks_mm3_s:g} mm³/s", remark)
    sheet.judged(finding.verdict, trial.notes)
    limit_act(sheet, finding.verdict, limit, settings.on.limit_now_mm3_s)
    sheet.lines(*speed_table(trial.here, limit, settings.line))
    held = capped(settings, finding)
    if held:
        sheet.gap()
        sheet.lines(*_capped_table(held))
    what_next(sheet, trial.number, finding.verdict, limit)
    if finding.next_ramp:
        low, high = finding.next_ramp
        words = ("--plan", "--from", f"{low:g}", "--to", f"{high:g}")
        sheet.next("print a ramp over the range that is left:", proposed("volumetric", *words))


def _ramp_words(ramp: Ramp, taken: str) -> tuple[str, str]:
    """Return «4 to 24 mm³/s» and how it rises."""
    end = "" if ramp.to_mm3_s is None else f" to {ramp.to_mm3_s:g}"
    foot = f", foot {ramp.base_mm:g} mm" if ramp.base_mm else ""
    where = f"; {taken}" if taken else ""
    return f"from {ramp.from_mm3_s:g}{end} mm³/s", f"{ramp.rises()}{foot}{where}"


def _sighted(
    sheet: Sheet, name: str, trial: Measured[RampSettings, RampContext, LimitFinding]
) -> None:
    ramp, readings = trial.settings.ramp, trial.readings
    markers = markers_of(trial.settings, readings)
    if name == "gaps" and markers:
        remark = f"one every {markers.every_mm:g} mm"
        sheet.row("markers", f"{markers.clean} clean", remark)
        return
    heights_mm = [reading.value for reading in readings if reading.side == name]
    flows = _typed(readings, name + FLOW_UNIT)
    at = "to" if name == "good" else "at"
    values = [f"{at} {_typed(readings, name)} mm"] if heights_mm else []
    values += [f"{at} {flows} mm³/s"] if flows else []
    if not values:
        return
    remark = {"matte": "changes", "good": "still", "gaps": "the first", "failed": ""}[name]
    if ramp and heights_mm:
        remark = f"{remark} at {ramp.flow_at(min(heights_mm)):.3g} mm³/s".strip()
    sheet.row(_NAMES[name], ", ".join(values), remark)


def _typed(readings: Sequence[Reading], side: str) -> str:
    return "/".join(reading.typed for reading in readings if reading.side == side)


def _last_good_of(finding: LimitFinding) -> str:
    if finding.bound == "lower":
        return "nothing worse was seen"
    if finding.gaps is None:
        return "before it failed"
    return "before the first gaps"


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
    sheet: Sheet, number: int | None, verdict: Verdict, limit_mm3_s: float | None
) -> None:
    """Add what to do once a limit is found."""
    if verdict.name != "correct" or limit_mm3_s is None:
        return
    if number is None:
        sheet.next("type it in; it bounds every speed of this filament.")


def speed_table(here: OnBench, limit_mm3_s: float | None, kept: KeptLine) -> list[str]:
    """Return the speeds a limit means, layer heights down and line widths across."""
    line = kept.printed
    if limit_mm3_s is None or line is None:
        return []
    widths, layers = table_sizes(here, line, kept.widths_mm, kept.layers_mm)
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


def _capped_table(capped: Sequence[CappedSpeed]) -> list[str]:
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


def draw_ramp(path: str, title: str, settings: RampSettings, finding: LimitFinding) -> None:
    """Draw a ramp with what was seen on it, the limit and the set speeds.

    Raises:
        BadInput: there is no ramp to draw, or the file cannot be written.
    """
    from metier.show.limit_plots import RampPicture, plot_ramp

    ramp = settings.ramp
    if ramp is None or (isinstance(ramp, Stepped) and ramp.every_mm is None):
        raise BadInput("--plot needs the ramp: how it begins and rises")
    seen = {"surface changes": finding.matte, "first gaps": finding.gaps, "failed": finding.failed}
    picture = RampPicture(
        ramp,
        {
            name: (threshold.height_mm, threshold.last_good_mm3_s)
            for name, threshold in seen.items()
            if threshold and threshold.height_mm is not None
        },
        finding.limit_mm3_s,
        finding.onset and (finding.onset.flow_mm3_s, finding.onset.u95_mm3_s),
        finding.even_looks_mm3_s,
        {speed.name: speed.asked_mm3_s for speed in capped(settings, finding)},
    )
    plot_ramp(path, title, picture)
