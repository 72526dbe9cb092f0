"""A finding about flow: its sheet, and as JSON and the logbook have it."""

from collections.abc import Sequence

from metier.core.flow.trials import Section
from metier.core.flow.verdict import FlowFinding
from metier.core.line.bead import LINE_MODELS, LineModel, spacing_mm, wall_mm
from metier.core.values import VALUES
from metier.logbook.inforce import speed_stood_for
from metier.logbook.trials import Reading
from metier.show.figures import came_text, influences_text, value_text, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.flow.earlier import EarlierPrint, FlowContext, by_section, same_speed
from metier.trials.flow.settings import FlowSettings, lines_text
from metier.trials.kind import Measured
from metier.trials.on_bench import OnBench

_FLOW = VALUES["flow"].seen


def write_sheet(trial: Measured[FlowSettings, FlowContext, FlowFinding], sheet: Sheet) -> None:
    """Write a print: what to type, the verdict and how sure, then what it rests on."""
    finding, here = trial.finding, trial.here
    elsewhere = _another_speed(trial)
    if elsewhere is None:
        _what_to_do(sheet, here, finding)
    else:
        _at_another_speed(sheet, trial, elsewhere)
    sheet.judged(finding.verdict, trial.notes)
    sheet.gap()
    if finding.flow_new is None:
        for model, one in finding.under.items():
            low, high = (100 * flow for flow in one.interval)
            text = f"{100 * one.flow_new:.1f} %"
            sheet.row(f"if {model}", text, f"{low:.1f} … {high:.1f} %")
    else:
        low, high = (100 * flow for flow in finding.interval)
        pooled = f", {finding.pooled} prints together" if finding.pooled > 1 else ""
        sheet.row(
            "new flow", f"{100 * finding.flow_new:.1f} %", f"{low:.1f} … {high:.1f} %{pooled}"
        )
    sheet.row("± from", *influences_text(finding.influences, "%", 100))
    rolls = trial.context.rolls
    if rolls and finding.flow_new is not None:
        flow = f"{100 * rolls.expected.flow:.1f} ± {100 * rolls.expected.flow_u95:.1f} %"
        sheet.row("rolls", flow, f"{rolls.words} let expect it; counted in")
    _print_rows(trial, sheet)
    before = trial.context.pooled(trial.settings)
    if before:
        sheet.gap()
        sheet.lines(*_so_far(before, trial))
    _next(sheet, finding, trial.number)


def _print_rows(trial: Measured[FlowSettings, FlowContext, FlowFinding], sheet: Sheet) -> None:
    finding, settings, sources = trial.finding, trial.settings, trial.settled.sources
    if settings.flow is None:
        sheet.row("sliced at", "?", sources["flow"])
    elif settings.sections[0].flow_percent is None:
        sheet.row(
            "sliced at", value_text("flow", settings.flow, trial.here.writing), sources["flow"]
        )
    width = "" if settings.width_mm is None else f"{settings.width_mm:g} x "
    taken = f"; {sources['line']}" if sources["line"] else ""
    named = "width x layer" if width else "layer"
    sheet.row("line", f"{width}{settings.layer_mm:g} mm", f"{named}{_dosed(settings)}{taken}")
    targets = finding.trial.targets_mm(settings.line_model)
    read = by_section(finding.trial.sections, trial.readings)
    for one, (section, mine), target in zip(settings.sections, read, targets, strict=True):
        wall = f"{with_u95(section.wall.value, section.wall.u95)} mm"
        should = "" if target is None else f"; {target:.3f} if the lines just fill"
        label = lines_text(one.walls)
        if one.flow_percent is not None:
            label = f"at {one.flow_percent:g} %"
        sheet.row(label, wall, f"{_counted(section, mine)}{should}")
    for ahead in finding.forecasts:
        sheet.row(
            "forecast", f"{with_u95(ahead.wall_mm, ahead.u95_mm)} mm", came_text(ahead.came_so)
        )
    if finding.texture_mm is not None:
        remark = "what walls measure beyond their lines"
        sheet.row("texture", f"{finding.texture_mm:.3f} mm", remark)
    if finding.flow_plain is not None:
        sheet.row("on paper", f"{100 * finding.flow_plain:.1f} %", "flow x lines x width / wall")


def _dosed(settings: FlowSettings) -> str:
    if settings.dose:
        return f", dosed as the {settings.dose.source} says"
    if settings.aim_mm is not None:
        return f", aimed at {settings.aim_mm:g} mm"
    return f", {settings.line_model} line model" if settings.line_model else ""


def _so_far(
    before: Sequence[EarlierPrint], trial: Measured[FlowSettings, FlowContext, FlowFinding]
) -> list[str]:
    """Return the prints pooled as a small table: number, lines, sliced at, measured, advised."""
    rows = [
        (
            str(one.number),
            " ".join(str(section.walls) for section in one.settings.sections),
            _percent(one.settings.flow_percent),
            f"{sum(r.value for r in one.readings) / len(one.readings):.3f} mm",
            _percent(one.advised_percent),
        )
        for one in reversed(before)
    ]
    finding, settings = trial.finding, trial.settings
    advised = None if finding.flow_to_type is None else _FLOW(finding.flow_to_type)
    rows.append(
        (
            str(trial.number or ""),
            " ".join(str(section.walls) for section in settings.sections),
            _percent(settings.flow_percent),
            f"{sum(r.value for r in trial.readings) / len(trial.readings):.3f} mm",
            _percent(advised),
        )
    )
    return table(("trial", "lines", "sliced", "measured", "to type"), rows, right=(0, 1, 2, 3, 4))


def _percent(value: float | None) -> str:
    return "?" if value is None else f"{value:g} %"


def _counted(section: Section, readings: Sequence[Reading]) -> str:
    count, sides = section.wall.n, len({reading.side for reading in readings})
    text = f"{count} reading{'s' if count > 1 else ''}"
    return text + (f" on {sides} sides" if sides > 1 else "")


def _what_to_do(sheet: Sheet, here: OnBench, finding: FlowFinding) -> None:
    verdict, value = finding.verdict.name, finding.flow_to_type
    spool = here.setup.spool.name if here.setup else "this filament"
    if verdict == "correct" and value is not None:
        text = value_text("flow", value, here.writing)
        sheet.act("type", text, f"the flow of {spool}, in the slicer")
    elif value is not None:
        remark = "nothing to type" if verdict == "keep" else "for now: nothing to type yet"
        sheet.act("leave", value_text("flow", value, here.writing), remark)
    else:
        sheet.act("type", "nothing yet", "the value is not known; see below")


def _another_speed(trial: Measured[FlowSettings, FlowContext, FlowFinding]) -> float | None:
    """Return the speed that flow stands for, where these walls were printed at another."""
    setup, speed_mm_s = trial.here.setup, trial.settled.conditions.speed_mm_s
    stood_for = setup and speed_stood_for(trial.here.book, setup, "flow")
    if stood_for is None or speed_mm_s is None or same_speed(stood_for, speed_mm_s):
        return None
    return stood_for


def _at_another_speed(
    sheet: Sheet, trial: Measured[FlowSettings, FlowContext, FlowFinding], stood_for: float
) -> None:
    """Say the flow that this speed needs, and that the one that is set stays."""
    value, speed_mm_s = trial.finding.flow_to_type, trial.settled.conditions.speed_mm_s
    if value is not None:
        sheet.act(
            "flow", value_text("flow", value, trial.here.writing), f"at {speed_mm_s:g} mm/s alone"
        )
    sheet.note(
        f"flow stands for {stood_for:g} mm/s and stays what it is: metier map has the flow of each "
        f"speed; metier bench --speed {speed_mm_s:g}, where walls are printed so from now on",
        "speed",
    )


def _next(sheet: Sheet, finding: FlowFinding, number: int | None) -> None:
    verdict, value = finding.verdict.name, finding.flow_to_type
    if verdict == "correct" and value is not None and number:
        if finding.sure_range and finding.sure_range[0] <= value <= finding.sure_range[1]:
            sheet.gap()
            sheet.remark("Typing it in settles it: a cube more is not needed.")
    elif verdict == "correct":
        sheet.next("type it in, then slice, print and measure once more.")
    elif verdict == "recheck":
        sheet.next("look at the above, then print and measure again.")


def payload_of(settings: FlowSettings, finding: FlowFinding) -> dict[str, object]:
    """Return a finding without verdict and notes; flows in percent."""
    trial = finding.trial
    first = trial.sections[0]
    targets = trial.targets_mm(settings.line_model)
    sure_from, sure_to = finding.sure_range or (None, None)
    followed = finding.response
    return {
        "wall_mm": first.wall.value,
        "wall_u95_mm": first.wall.u95,
        "target_mm": targets[0],
        "targets_mm": {model: _target_mm(settings, model) for model in LINE_MODELS},
        "sections": [
            {
                "walls": section.walls,
                "wall_mm": section.wall.value,
                "wall_u95_mm": section.wall.u95,
                "readings": section.wall.n,
                "target_mm": target,
            }
            for section, target in zip(trial.sections, targets, strict=True)
        ],
        "line_model": settings.line_model,
        "flow_sliced_percent": settings.flow_percent,
        "flow_now_percent": settings.set_percent,
        "flow_new_percent": _in_percent(finding.flow_new),
        "flow_new_u95_percent": _in_percent(finding.u95),
        "interval_percent": [100 * flow for flow in finding.interval],
        "sure_percent": _in_percent(finding.sure),
        "sure_from_percent": _in_percent(sure_from),
        "sure_to_percent": _in_percent(sure_to),
        "trials_pooled": finding.pooled,
        "texture_mm": finding.texture_mm,
        "response": followed and followed.ratio,
        "response_u95": followed and followed.u95,
        "flow_plain_percent": _in_percent(finding.flow_plain),
        "flow_under_percent": {
            model: _in_percent(finding.under[model].flow_new)
            if model in finding.under and len(finding.under) > 1
            else None
            for model in LINE_MODELS
        },
        "flow_to_type_percent": _seen(finding.flow_to_type),
        "influences_percent": {one.name: 100 * one.u95 for one in finding.influences},
        "rough": finding.rough,
        "delivered_share": finding.delivered and finding.delivered.share,
        "delivered_share_u95": finding.delivered and finding.delivered.u95,
        "forecasts": [
            {
                "walls": one.walls,
                "wall_mm": one.wall_mm,
                "wall_u95_mm": one.u95_mm,
                "came_so": one.came_so,
            }
            for one in finding.forecasts
        ],
    }


def _target_mm(settings: FlowSettings, model: LineModel) -> float | None:
    if settings.width_mm is None:
        return None
    apart_mm = spacing_mm(settings.width_mm, settings.layer_mm, model)
    return wall_mm(settings.sections[0].walls, apart_mm, settings.layer_mm)


def _in_percent(ratio: float | None) -> float | None:
    return None if ratio is None else 100 * ratio


def _seen(flow: float | None) -> float | None:
    return None if flow is None else VALUES["flow"].seen(flow)
