"""The sheet of a cube that was just measured."""

from collections.abc import Sequence

from metier.core.flow.correction import FlowFinding
from metier.core.line.bead import LINE_MODELS
from metier.core.line.cube import Cube
from metier.core.values import VALUES
from metier.logbook.trials import Reading
from metier.show.command import proposed
from metier.show.figures import with_u95
from metier.show.sheet import Sheet, table
from metier.show.values import value_text
from metier.trials.flow.earlier import EarlierCube, FlowContext
from metier.trials.flow.settings import FlowSettings
from metier.trials.kind import Measured
from metier.trials.on_bench import OnBench

_RULES = {
    "bead": "bead rule; the plain ratio gives {plain:.1f} %",
    "plain": "plain ratio",
    "trend": "trend of {cubes} cubes",
}


def write_sheet(trial: Measured[FlowSettings, FlowContext, FlowFinding], sheet: Sheet) -> None:
    """Write a cube: what it is, what it should be, the verdict, the value to type."""
    finding, cube, here = trial.finding, trial.settings.cube, trial.here
    like = trial.context.like(trial.settings)
    _wall_rows(trial, sheet)
    how = _RULES[finding.rule].format(plain=100 * finding.flow_plain, cubes=len(like) + 1)
    new = f"{with_u95(100 * finding.flow_new, 100 * finding.flow_new_u95)} %"
    sheet.row("new flow", new, how)
    sheet.judged(finding.verdict, trial.notes)
    if like:
        sheet.gap()
        sheet.lines(*_so_far(like, finding, trial.number))
    _what_to_do(sheet, here, finding)
    if cube.aim_mm is None:
        sheet.remark(_other_models(cube, finding))
    _next(sheet, finding, trial.number)


def _wall_rows(trial: Measured[FlowSettings, FlowContext, FlowFinding], sheet: Sheet) -> None:
    finding, cube, sources = trial.finding, trial.settings.cube, trial.settled.sources
    wall, target_mm = finding.wall, finding.target_mm
    sheet.row("flow now", value_text("flow", finding.flow_now, trial.here.writing), sources["flow"])
    lines = "1 line a wall" if cube.walls == 1 else f"{cube.walls} lines a wall"
    taken = f"; {sources['line']}" if sources["line"] else ""
    size = f"{cube.width_mm:g} x {cube.layer_mm:g} mm"
    sheet.row("line", size, f"width x layer, {lines}{taken}")
    sheet.row("wall", f"{with_u95(wall.value, wall.u95)} mm", _counted(trial.readings))
    model = f"by the {cube.line_model} line model{sources['line model']}"
    model = model if cube.aim_mm is None else "as aimed at"
    sheet.row("should be", f"{target_mm:.3f} mm", model)
    off_mm = wall.value - target_mm
    sheet.row("off by", f"{off_mm:+.3f} mm", f"{100 * off_mm / target_mm:+.1f} %")


def _so_far(like: Sequence[EarlierCube], finding: FlowFinding, number: int | None) -> list[str]:
    """Return the trials so far as a small table: set, measured, off by, next."""
    percent = VALUES["flow"].seen
    rows = [
        _so_far_row(
            cube.number,
            cube.found.flow_now_percent,
            cube.found.wall_mm,
            cube.found.target_mm,
            cube.found.flow_to_type_percent,
        )
        for cube in reversed(like)
    ]
    advised = finding.flow_to_type and percent(finding.flow_to_type)
    wall_mm, now = finding.wall.value, percent(finding.flow_now)
    rows.append(_so_far_row(number, now, wall_mm, finding.target_mm, advised))
    return table(("trial", "set", "measured", "off by", "next"), rows, right=(0, 1, 2, 3, 4))


def _so_far_row(
    number: int | None, now: float, wall_mm: float, target_mm: float, advised: float | None
) -> tuple[str, ...]:
    following = "?" if advised is None else f"{advised:g} %"
    off = f"{100 * (wall_mm / target_mm - 1):+.1f} %"
    return (str(number or ""), f"{now:g} %", f"{wall_mm:.3f} mm", off, following)


def _counted(readings: Sequence[Reading]) -> str:
    count, sides = len(readings), len({reading.side for reading in readings})
    text = f"{count} reading{'s' if count > 1 else ''}"
    return text + (f" on {sides} sides" if sides > 1 else "")


def _other_models(cube: Cube, finding: FlowFinding) -> str:
    """Say what the wall would have to be, did the slicer dose its lines in another way."""
    targets, flows = finding.targets_mm._asdict(), finding.flow_under._asdict()
    lines = [
        f"{targets[model]:.3f} mm if {model} (flow {100 * flows[model]:.0f} %)"
        for model in LINE_MODELS
        if model != cube.line_model
    ]
    return f"If the slicer doses its lines otherwise, the wall should be: {', '.join(lines)}."


def _what_to_do(sheet: Sheet, here: OnBench, finding: FlowFinding) -> None:
    verdict, value = finding.verdict.name, finding.flow_to_type
    spool = here.setup.spool.name if here.setup else "this filament"
    now = value_text("flow", finding.flow_now, here.writing)
    if verdict == "correct" and value is not None:
        text = value_text("flow", value, here.writing)
        sheet.act("type", text, f"the flow of {spool}, in the slicer")
    elif verdict == "keep":
        sheet.act("leave", now, "nothing to type")
    elif verdict == "unclear":
        sheet.act("leave", now, "for now: nothing to type yet")
    else:
        sheet.gap()
        sheet.remark("Type nothing yet: look at the above, then print and measure again.")


def _next(sheet: Sheet, finding: FlowFinding, number: int | None) -> None:
    verdict, value = finding.verdict.name, finding.flow_to_type
    if verdict == "correct" and value is not None and number:
        said = proposed("entered", "flow", f"{VALUES['flow'].seen(value):g}")
        sheet.next("say that it is typed in, then slice, print and measure once more:", said)
    elif verdict == "correct":
        sheet.next("type it in, then slice, print and measure once more.")
    elif verdict == "keep" and number:
        sheet.next("how fast it may be printed:", proposed("volumetric", "--plan"))
