"""Walls and ramps as a sliced file really prints them."""

from argparse import Namespace
from collections.abc import Sequence

from metier.core.job.sliced_ramp import SlicedRamp
from metier.core.job.sliced_walls import SlicedTarget
from metier.logbook.book import Logbook
from metier.logbook.trials import Trial, open_plan, open_plans
from metier.show.figures import flow_forms, proposed
from metier.show.sheet import Sheet, table
from metier.trials.flow.kept import KEPT
from metier.trials.flow.settings import FORM, FlowSettings, lines_text
from metier.trials.flow.sliced import SlicedCube, SlicedSection, read_cube
from metier.trials.on_bench import OnBench, on_bench
from metier.trials.ramp.sliced import read_ramp_file
from metier.trials.table import Plan
from metier.words.parser import Answer


def sliced_walls(options: Namespace, book: Logbook) -> Answer:
    """Answer what the walls of a file should measure."""
    bench = on_bench(book)
    plan = _plan(bench, options.trial)
    cube = read_cube(
        options.file,
        bench,
        plan,
        width_mm=options.width,
        flow=options.flow,
        tool=options.tool,
        diameter_mm=options.diameter,
    )
    payload = {
        **_section_object(cube.sections[0]),
        "sections": [_section_object(section) for section in cube.sections],
        "width_mm": cube.width_mm,
        "plan": plan and plan.number,
        "warnings": list(cube.warnings),
    }
    return Answer(payload, _sheet(options.file, cube, plan))


def _section_object(section: SlicedSection) -> dict[str, object]:
    walls, target, width_mm = section
    return {
        "walls": walls.walls,
        "width_mm": width_mm,
        "walls_per_side": list(walls.per_side),
        "layer_mm": walls.layer_mm,
        "line_distance_mm": target.line_distance_mm,
        "dosed_area_mm2": walls.dosed_area_mm2,
        "bead_width_mm": target.bead_width_mm,
        "flow_percent": None if target.flow is None else 100 * target.flow,
        "flow_under_percent": {model: 100 * flow for model, flow in target.flow_under.items()},
        "line_model": target.line_model,
        "wall_should_measure_mm": target.wall_should_measure_mm,
        "closed_top": walls.closed_top,
        "speed_mm_s": walls.speed_mm_s,
        "layers": walls.layers,
        "spiral": walls.spiral,
        "from_mm": walls.from_mm,
        "to_mm": walls.to_mm,
    }


def _plan(bench: OnBench, number: int | None) -> Plan[FlowSettings] | None:
    """Return the plan to compare with: the one named, else the newest that waits."""
    plans: list[Trial] = []
    if number:
        plans = [open_plan(bench.book, number, KEPT.name)]
    elif bench.setup:
        plans = [plan for plan in open_plans(bench.book, bench.setup) if plan.test == KEPT.name]
    for plan in plans:
        return Plan(plan.number, FORM.of(bench.book, plan), plan.conditions)
    return None


def _sheet(path: str, cube: SlicedCube, plan: Plan[FlowSettings] | None) -> str:
    walls, target, _ = cube.sections[0]
    several = len(cube.sections) > 1
    what = "tube" if several else "cube"
    sheet = Sheet(f"Sliced {what}: {path}" + (f", beside trial {plan.number}" if plan else ""))
    seen = "turns of a spiral" if walls.spiral else "layers"
    if several:
        sheet.lines(*_sections(cube.sections))
        sheet.gap()
    else:
        sheet.row("walls", lines_text(walls.walls), f"seen over {walls.layers} {seen}")
    sheet.row("layer", f"{walls.layer_mm:.4g} mm")
    if target.line_distance_mm is not None:
        sheet.row("lines", f"{target.line_distance_mm:.4f} mm", "apart")
    flows = {section.target.flow and round(section.target.flow, 4) for section in cube.sections}
    if len(flows) == 1:
        sheet.row("dosed", f"{walls.dosed_area_mm2:.5f} mm²", "for each mm of line")
        bead = "a line of that is so wide, its sides rounded"
        sheet.row("bead", f"{target.bead_width_mm:.4f} mm", bead)
        if target.flow is not None:
            sheet.row("flow", flow_forms(round(target.flow, 4)), "as it is really sliced")
    sheet.row("line model", *_model_row(target))
    sheet.row("speed", f"{walls.speed_mm_s:.0f} mm/s", "of the walls")
    for warning in cube.warnings:
        sheet.note(warning, "warning")
    once = "once its flow is right; sliced so, its lines are richer or leaner"
    off = any(
        section.target.line_distance_mm
        and section.target.flow
        and abs(section.target.flow - 1) > 0.005
        for section in cube.sections
    )
    if several:
        sheet.remark(f"Each section should measure what stands there {once}." if off else
                     "Each section should measure what stands there.")  # fmt: skip
    else:
        aim_mm = plan and plan.settings.aim_mm
        should_mm = aim_mm or target.wall_should_measure_mm
        what = (
            "is aimed at: what it should measure, texture in it" if aim_mm else "is what it should"
        )
        should = f"{what}{'' if aim_mm else ' measure'}{f' {once}' if off else ''}"
        sheet.act("wall of", f"{should_mm:.3f} mm", should)
    return sheet.text()


def _sections(sections: Sequence[SlicedSection]) -> list[str]:
    rows = [
        (
            f"{walls.from_mm:.4g} to {walls.to_mm:.4g}",
            str(walls.walls) + (f" of {width_mm:g} mm" if width_mm else ""),
            "?" if target.flow is None else f"{100 * target.flow:.4g} %",
            f"{walls.dosed_area_mm2:.5f}",
            f"{target.wall_should_measure_mm:.3f}",
        )
        for walls, target, width_mm in sections
    ]
    header = ("from mm", "lines", "flow", "dosed mm²", "should measure mm")
    return table(header, rows, right=(0, 1, 2, 3, 4))


def _model_row(target: SlicedTarget) -> tuple[str, str]:
    """Return the line model, and what is to be said of it."""
    if target.line_model == "either":
        each = ", ".join(f"{100 * flow:.1f} % if {m}" for m, flow in target.flow_under.items())
        return "either", f"one line fits both: flow {each}; --flow says which"
    if target.line_model is None:
        return "not told", "without the line width; the wall does not need it"
    return target.line_model, ""


# More rows would scroll away.
_MOST_ROWS = 12


def sliced_ramp(options: Namespace, book: Logbook) -> Answer:
    """Answer which ramp is in a file."""
    sliced, notes = read_ramp_file(
        options.file, on_bench(book), options.accel, tool=options.tool, diameter_mm=options.diameter
    )
    payload = {
        "steps": [
            {
                "z_mm": step.z_mm,
                "flow_mm3_s": step.flow_mm3_s,
                "top_mm": step.top_mm,
                "at_speed": step.at_speed,
            }
            for step in sliced.steps
        ],
        "foot_mm": sliced.foot_mm,
        "from_mm3_s": sliced.from_mm3_s,
        "to_mm3_s": sliced.to_mm3_s,
        "step_mm3_s": sliced.step_mm3_s,
        "every_mm": sliced.every_mm,
        "rise_mm3_s_mm": sliced.rise_mm3_s_mm,
        "layer_mm": sliced.layer_mm,
        "capped": sliced.capped,
        "asked_mm3_s": sliced.asked_mm3_s,
        "spiral": sliced.spiral,
        "warnings": list(notes),
    }
    layers = "a spiral, its turns" if sliced.spiral else "layers"
    sheet = Sheet(f"Sliced ramp: {options.file}")
    sheet.row("from", f"{sliced.from_mm3_s:.4g} to {sliced.to_mm3_s:.4g} mm³/s")
    if sliced.step_mm3_s is not None:
        every = f"{sliced.step_mm3_s:.4g} mm³/s more every {sliced.every_mm:.4g} mm"
        sheet.row("steps", f"{len(sliced.steps)}", every)
    else:
        sheet.row("rises", f"{sliced.rise_mm3_s_mm:.4g} mm³/s", "each mm")
    sheet.row("foot", f"{sliced.foot_mm:.4g} mm", "does not count")
    sheet.row(
        "height", f"{sliced.steps[-1].top_mm:.4g} mm", f"{layers} of {sliced.layer_mm:.4g} mm"
    )
    for note in notes:
        sheet.note(note, "warning")
    sheet.gap()
    sheet.lines(*_steps(sliced))
    command = proposed("volumetric", "--sliced", options.file, "--gaps-at", "MM")
    sheet.next("once it is printed:", command)
    return Answer(payload, sheet.text())


def _steps(ramp: SlicedRamp) -> list[str]:
    every = max(1, -(-len(ramp.steps) // _MOST_ROWS))
    shown = [step for place, step in enumerate(ramp.steps) if place % every == 0]
    if ramp.steps[-1] not in shown:
        shown.append(ramp.steps[-1])
    rows = [
        (
            f"{step.z_mm:.4g}",
            f"{step.top_mm:.4g}",
            f"{step.flow_mm3_s:.4g}",
            f"{100 * step.at_speed:.0f} %",
        )
        for step in shown
    ]
    return table(("from mm", "to mm", "mm³/s", "of its way"), rows, right=(0, 1, 2, 3))
