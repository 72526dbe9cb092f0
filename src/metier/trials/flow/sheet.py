"""Walls on their sheet, and as a picture."""

from collections.abc import Sequence

from metier.core.flow.trials import Section
from metier.core.flow.verdict import FlowFinding
from metier.core.measure.thresholds import same
from metier.core.values import VALUES
from metier.logbook.inforce import speed_stood_for
from metier.logbook.trials import Reading
from metier.show.figures import came_text, influences_text, value_text, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.flow.earlier import EarlierPrint, FlowContext, by_section, same_speed
from metier.trials.flow.settings import FlowSettings, lines_text
from metier.trials.kind import Measured
from metier.trials.on_bench import OnBench

Trial = Measured[FlowSettings, FlowContext, FlowFinding]
_FLOW = VALUES["flow"].seen


def write(trial: Trial, sheet: Sheet) -> None:
    """Write a print: what to type, the verdict and how sure, then what it rests on."""
    finding, bench = trial.finding, trial.bench
    elsewhere = _another_speed(trial)
    if elsewhere is None:
        what_to_type(sheet, bench, finding)
    else:
        _at_another_speed(sheet, trial, elsewhere)
    sheet.judged(trial.verdict, trial.notes)
    sheet.gap()
    low, high = (100 * flow for flow in finding.interval)
    pooled = f", {finding.pooled} prints together" if finding.pooled > 1 else ""
    sheet.row("new flow", f"{100 * finding.flow_new:.1f} %", f"{low:.1f} … {high:.1f} %{pooled}")
    if finding.hangs_on_model:
        joint = finding.answer.joint
        for model in sorted(joint.under, key=lambda model: -joint.odds[model]):
            flow = f"{100 * joint.under[model].flow:.1f} %"
            sheet.row(model, flow, f"if lines are dosed so: {100 * joint.odds[model]:.0f} in 100")
    sheet.detail("± from", *influences_text(finding.influences, "%", 100))
    rolls = trial.context.rolls
    if rolls:
        flow = f"{100 * rolls.expected.flow:.1f} ± {100 * rolls.expected.flow_u95:.1f} %"
        sheet.row("rolls", flow, f"{rolls.words} let expect it; counted in")
    _print_rows(trial, sheet)
    before = trial.context.pooled(trial.settings)
    if before:
        sheet.details(*_so_far(before, trial))
    _next(sheet, finding, trial.number)


def _print_rows(trial: Trial, sheet: Sheet) -> None:
    finding, settings, sources = trial.finding, trial.settings, trial.settled.sources
    if settings.flow is None:
        sheet.row("sliced at", "?", sources.get("flow", ""))
    elif any(section.flow_percent is None for section in settings.sections):
        sheet.row(
            "sliced at",
            value_text("flow", settings.flow, trial.bench.writing),
            sources.get("flow", ""),
        )
    width = "" if settings.width_mm is None else f"{settings.width_mm:g} x "
    taken = f"; {sources['line']}" if sources.get("line", "") else ""
    named = "width x layer" if width else "layer"
    sheet.row("line", f"{width}{settings.layer_mm:g} mm", f"{named}{_dosed(settings)}{taken}")
    targets = finding.trial.targets_mm(settings.line_model)
    read = by_section(finding.trial.sections, trial.readings)
    for kept, (section, mine), target in zip(settings.sections, read, targets, strict=True):
        wall = f"{with_u95(section.wall.value, section.wall.u95)} mm"
        should = "" if target is None else f"; {target:.3f} if the lines just fill"
        label = lines_text(kept.walls)
        own = [f"{kept.width_mm:g} mm wide"] if kept.width_mm else []
        own += [f"at {kept.flow_percent:g} %"] if kept.flow_percent else []
        sheet.row(label, wall, ", ".join([*own, _counted(section, mine)]) + should)
    for ahead in finding.forecasts:
        sheet.row(
            "forecast", f"{with_u95(ahead.wall_mm, ahead.u95_mm)} mm", came_text(ahead.came_so)
        )
    if finding.texture_mm is not None:
        remark = "what walls measure beyond their lines"
        sheet.detail("texture", f"{finding.texture_mm:.3f} mm", remark)
    if settings.weight:
        weighs, density = settings.weight, settings.weight.density_g_cm3
        remark = f"of {weighs.asked_mm:.0f} mm asked for, at {density:.4g} g/cm³"
        sheet.row("weighs", f"{weighs.grams:.2f} g", remark)
    if finding.flow_plain is not None:
        named = "flow x lines x width / wall" if settings.aim_mm is None else "flow x aim / wall"
        sheet.detail("on paper", f"{100 * finding.flow_plain:.1f} %", named)


def _dosed(settings: FlowSettings) -> str:
    if settings.dose:
        return f", dosed as the {settings.dose.source} says"
    if settings.aim_mm is not None:
        return f", aimed at {settings.aim_mm:g} mm"
    return f", {settings.line_model} line model" if settings.line_model else ""


def _so_far(before: Sequence[EarlierPrint], trial: Trial) -> list[str]:
    """Return the prints pooled as a small table: number, lines, sliced at, the lowest section as
    measured, advised."""
    rows = [
        (
            str(print_.number),
            " ".join(str(section.walls) for section in print_.settings.sections),
            _percent(print_.settings.flow_percent),
            _lowest_wall(print_.settings, print_.readings),
            _percent(print_.advised_percent),
        )
        for print_ in reversed(before)
    ]
    finding, settings = trial.finding, trial.settings
    advised = None if finding.flow_to_type is None else _FLOW(finding.flow_to_type)
    rows.append(
        (
            str(trial.number or ""),
            " ".join(str(section.walls) for section in settings.sections),
            _percent(settings.flow_percent),
            _lowest_wall(settings, trial.readings),
            _percent(advised),
        )
    )
    return table(("trial", "lines", "sliced", "measured", "to type"), rows, right=(0, 1, 2, 3, 4))


def _lowest_wall(settings: FlowSettings, readings: Sequence[Reading]) -> str:
    """Return the mean of the lowest section: those of others are of other walls."""
    mine = readings[: settings.sections[0].readings or len(readings)]
    return f"{sum(reading.value for reading in mine) / len(mine):.3f} mm"


def _percent(value: float | None) -> str:
    return "?" if value is None else f"{value:g} %"


def _counted(section: Section, readings: Sequence[Reading]) -> str:
    count, sides = section.wall.n, len({reading.side for reading in readings})
    text = f"{count} reading{'s' if count > 1 else ''}"
    return text + (f" on {sides} sides" if sides > 1 else "")


def what_to_type(sheet: Sheet, bench: OnBench, finding: FlowFinding) -> None:
    """Write the flow to type, or that nothing is."""
    verdict, value = finding.verdict.name, finding.flow_to_type
    spool = bench.setup.spool.name if bench.setup else "this filament"
    if value is None:
        return
    text = value_text("flow", value, bench.writing)
    if verdict == "keep":
        sheet.act("leave", text, "nothing to type")
    elif finding.flow_set is not None and same(value, finding.flow_set):
        sheet.act("leave", text, "the best guess, and it is set")
    elif verdict == "correct":
        was = "" if finding.flow_set is None else f" (was {_percent(_FLOW(finding.flow_set))})"
        sheet.act("type", text, f"flow of {spool}, in the slicer{was}")
    elif finding.flow_set is None:
        sheet.act("type", text, f"the best guess for {spool}, in the slicer")
    else:
        sheet.act("guess", text, f"the best guess; {100 * finding.flow_set:.4g} % is set")


def _another_speed(trial: Trial) -> float | None:
    """Return the speed that flow stands for, where these walls were printed at another."""
    setup, speed_mm_s = trial.bench.setup, trial.settled.conditions.speed_mm_s
    stood_for = setup and speed_stood_for(trial.bench.book, setup, "flow")
    if stood_for is None or speed_mm_s is None or same_speed(stood_for, speed_mm_s):
        return None
    return stood_for


def _at_another_speed(sheet: Sheet, trial: Trial, stood_for: float) -> None:
    """Say the flow that this speed needs, and that the one that is set stays."""
    value, speed_mm_s = trial.finding.flow_to_type, trial.settled.conditions.speed_mm_s
    if value is not None:
        sheet.act(
            "flow", value_text("flow", value, trial.bench.writing), f"at {speed_mm_s:g} mm/s alone"
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


def draw(path: str, title: str, trial: Trial) -> None:
    """Draw this print after those it was judged with, recorded or not."""
    from metier.trials.flow.picture import plot_measured

    bench = title.removeprefix(trial.kind.title).rpartition(", trial")[0]
    plot_measured(path, f"Walls of the test cubes{bench}", trial)
