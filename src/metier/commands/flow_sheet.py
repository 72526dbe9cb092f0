"""The sheet that ``metier flow`` prints."""

from metier.commands.on_bench import InUse, OnBench, bench_phrase, not_recorded
from metier.core.bead import LINE_MODELS
from metier.core.cube import Cube
from metier.core.flow import FlowFinding
from metier.logbook.trials import Reading, Trial
from metier.show.figures import with_u95
from metier.show.sheet import Sheet, table
from metier.show.values import on_screen, value_text


def flow_sheet(
    here: OnBench,
    used: InUse,
    cube: Cube,
    taken: str,
    finding: FlowFinding,
    notes: tuple[str, ...],
    number: int | None,
    readings: list[Reading],
    *,
    earlier: list[Trial],
    model_known: bool,
) -> str:
    """Return a flow trial in words."""
    wall, target_mm, writing = finding.wall, finding.target_mm, here.writing
    sheet = Sheet(f"Flow: {bench_phrase(here.setup)}, trial {number}" if here.setup else "Flow")
    sheet.row("flow now", value_text("flow", finding.flow_now, writing), used.source)
    sheet.row(
        "line",
        f"{cube.width_mm:g} x {cube.layer_mm:g} mm",
        f"width x layer, {_walls(cube)}" + (taken and f"; {taken}"),
    )
    sheet.row("wall", f"{with_u95(wall.value, wall.u95)} mm", _counted(readings))
    model = f"by the {cube.line_model} line model"
    if cube.aim_mm is not None:
        model = "as aimed at"
    elif not model_known:
        model += ", the slicer's not known"
    sheet.row("should be", f"{target_mm:.3f} mm", model)
    off_mm = wall.value - target_mm
    sheet.row("off by", f"{off_mm:+.3f} mm", f"{100 * off_mm / target_mm:+.1f} %")
    other = {
        "bead": f"bead rule; the plain ratio gives {100 * finding.flow_plain:.1f} %",
        "plain": "plain ratio",
        "trend": f"trend of {len(earlier) + 1} cubes",
    }[finding.rule]
    sheet.row(
        "new flow", f"{with_u95(100 * finding.flow_new, 100 * finding.flow_new_u95)} %", other
    )
    sheet.judged(finding.verdict, notes)
    if earlier:
        sheet.gap()
        sheet.lines(*_so_far(earlier, finding, number))
    _what_to_do(sheet, here, finding)
    if cube.aim_mm is None:
        sheet.remark(_other_models(cube, finding))
    _next(sheet, finding, number)
    if number is None:
        sheet.lines(*not_recorded(here.bench))
    return sheet.text()


def _so_far(earlier: list[Trial], finding: FlowFinding, number: int | None) -> list[str]:
    """Return the trials so far as a small table: set, measured, off by, next."""
    rows = []
    for trial in reversed(earlier):
        found = trial.findings or {}
        advised = found["flow_to_type_percent"]
        off = found["wall_mm"] / found["target_mm"] - 1
        rows.append(_row(trial.number, found["flow_now_percent"], found["wall_mm"], off, advised))
    advised = finding.flow_to_type and on_screen("flow", finding.flow_to_type)
    off = finding.wall.value / finding.target_mm - 1
    now = on_screen("flow", finding.flow_now)
    rows.append(_row(number, now, finding.wall.value, off, advised))
    return table(("trial", "set", "measured", "off by", "next"), rows, right=(0, 1, 2, 3, 4))


def _row(
    number: int | None, now: float, wall_mm: float, off: float, advised: float | None
) -> tuple[str, ...]:
    following = "?" if advised is None else f"{advised:g} %"
    return (str(number or ""), f"{now:g} %", f"{wall_mm:.3f} mm", f"{100 * off:+.1f} %", following)


def _walls(cube: Cube) -> str:
    return "1 line a wall" if cube.walls == 1 else f"{cube.walls} lines a wall"


def _counted(readings: list[Reading]) -> str:
    count, sides = len(readings), len({reading.side for reading in readings})
    text = f"{count} reading{'s' if count > 1 else ''}"
    return text + (f" on {sides} sides" if sides > 1 else "")


def _other_models(cube: Cube, finding: FlowFinding) -> str:
    """Say what the wall would have to be, did the slicer dose its lines in another way."""
    lines = []
    for model in LINE_MODELS:
        if model != cube.line_model:
            target_mm = getattr(finding.targets_mm, model)
            ratio = getattr(finding.flow_under, model)
            lines.append(f"{target_mm:.3f} mm if {model} (flow {100 * ratio:.0f} %)")
    return f"If the slicer doses its lines otherwise, the wall should be: {', '.join(lines)}."


def _what_to_do(sheet: Sheet, here: OnBench, finding: FlowFinding) -> None:
    name, value = finding.verdict.name, finding.flow_to_type
    spool = here.setup.spool.name if here.setup else "this filament"
    if name == "correct" and value is not None:
        sheet.act(
            "type", value_text("flow", value, here.writing), f"the flow of {spool}, in the slicer"
        )
    elif name == "keep":
        sheet.act("leave", value_text("flow", finding.flow_now, here.writing), "nothing to type")
    elif name == "unclear":
        leave = value_text("flow", finding.flow_now, here.writing)
        sheet.act("leave", leave, "for now: nothing to type yet")
    else:
        sheet.gap()
        sheet.remark("Type nothing yet: look at the above, then print and measure again.")


def _next(sheet: Sheet, finding: FlowFinding, number: int | None) -> None:
    name, value = finding.verdict.name, finding.flow_to_type
    if name == "correct" and value is not None and number:
        said = f"metier entered flow {on_screen('flow', value):g}"
        sheet.next("say that it is typed in, then slice, print and measure once more:", said)
    elif name == "correct":
        sheet.next("type it in, then slice, print and measure once more.")
    elif name == "keep" and number:
        sheet.next("how fast it may be printed:", "metier volumetric --plan")
