"""``metier sliced walls`` and ``flow --sliced``: a test cube as it was really sliced."""

import argparse
from typing import Any, NamedTuple

from metier.commands.on_bench import OnBench, on_bench
from metier.commands.options import Answer
from metier.commands.sliced_file import diameter_of, only_tool, read_notes, sliced_file
from metier.core.bead import rounding_mm
from metier.core.sliced_walls import SlicedTarget, SlicedWalls, read_walls, wall_target
from metier.logbook.book import Logbook
from metier.logbook.trials import Trial, latest_on, open_plan, open_plans
from metier.show.figures import flow_forms
from metier.show.sheet import Sheet

# Beyond this the file was sliced otherwise than planned.
_SIZE_WITHIN_MM = 0.005
_FLOW_WITHIN = 0.01


class SlicedCube(NamedTuple):
    """A cube of a file: its walls, what they should measure, and what is odd about it."""

    walls: SlicedWalls
    target: SlicedTarget
    width_mm: float | None
    warnings: tuple[str, ...]


def sliced_walls(options: argparse.Namespace, book: Logbook) -> Answer:
    """Answer what the walls of a file should measure."""
    here = on_bench(book)
    plan = open_plan(book, options.trial, "flow") if options.trial else _latest_plan(here)
    found = read_cube(
        options.file,
        here,
        plan,
        width_mm=options.width,
        flow=options.flow,
        tool=options.tool,
        diameter_mm=options.diameter,
    )
    walls, target = found.walls, found.target
    payload = {
        "walls": walls.walls,
        "walls_per_side": list(walls.per_side),
        "layer_mm": walls.layer_mm,
        "line_distance_mm": target.line_distance_mm,
        "dosed_area_mm2": walls.dosed_area_mm2,
        "bead_width_mm": target.bead_width_mm,
        "flow_percent": 100 * target.flow,
        "line_model": target.line_model,
        "wall_should_measure_mm": target.wall_should_measure_mm,
        "closed_top": walls.closed_top,
        "speed_mm_s": walls.speed_mm_s,
        "layers": walls.layers,
        "width_mm": found.width_mm,
        "plan": plan and plan.number,
        "warnings": list(found.warnings),
    }
    return Answer(payload, _sheet(options.file, found, plan))


def read_cube(
    path: str,
    here: OnBench,
    plan: Trial | None,
    *,
    width_mm: float | None,
    flow: float | None,
    tool: int | None = None,
    diameter_mm: float | None = None,
) -> SlicedCube:
    """Read the cube of a file in the light of what is given, planned, and in the logbook.

    Raises:
        Refusal: not such a file, or a single line that nothing is known of.
    """
    sliced = only_tool(sliced_file(path), tool)
    diameter_mm, notes = diameter_of(diameter_mm, here, sliced)
    walls = read_walls(sliced.moves, diameter_mm)
    settings = plan.settings if plan else {}
    width_mm = width_mm or settings.get("width_mm") or sliced.numbers.get("line width")
    if width_mm is None and here.setup:
        earlier = latest_on(here.book, here.setup, "flow", 1)
        width_mm = earlier[0].settings["width_mm"] if earlier else None
    if flow is None and plan:
        flow = settings["flow_percent"] / 100
    if flow is None and "flow" in sliced.numbers:
        flow = sliced.numbers["flow"] / 100
    if flow is None and walls.line_distance_mm is None:
        flow = here.stands("flow").in_force
    target = wall_target(walls, width_mm, flow)
    warnings = (
        *read_notes(sliced),
        *notes,
        *target.warnings,
        *_oddities(walls),
        *_deviations(walls, target, width_mm, plan),
    )
    return SlicedCube(walls, target, width_mm, warnings)


def _latest_plan(here: OnBench) -> Trial | None:
    if here.setup is None:
        return None
    return next((one for one in open_plans(here.book, here.setup) if one.test == "flow"), None)


def _oddities(walls: SlicedWalls) -> list[str]:
    warnings = []
    if len(set(walls.per_side)) > 1:
        listed = " ".join(str(count) for count in walls.per_side)
        warnings.append(f"the sides have {listed} lines: measure only those of {walls.walls}")
    if walls.closed_top:
        warnings.append("a top is closed over the walls: it pulls them out of shape; slice without")
    if walls.filled > 0.25:
        warnings.append(
            f"{100 * walls.filled:.0f} % of what is printed in these layers is no wall: infill? "
            "slice without"
        )
    return warnings


def _deviations(
    walls: SlicedWalls, target: SlicedTarget, width_mm: float | None, plan: Trial | None
) -> list[str]:
    if plan is None:
        return []
    planned, warnings = plan.settings, []
    name = f"trial {plan.number}"
    if planned["walls"] != walls.walls:
        many = "s" if planned["walls"] > 1 else ""
        warnings.append(
            f"{walls.walls} lines a wall are sliced, {name} planned {planned['walls']} line{many}"
        )
    if abs(planned["layer_mm"] - walls.layer_mm) > _SIZE_WITHIN_MM:
        warnings.append(
            f"layers of {walls.layer_mm:g} mm are sliced, {name} planned {planned['layer_mm']:g}"
        )
    if width_mm is not None and abs(planned["width_mm"] - width_mm) > _SIZE_WITHIN_MM:
        warnings.append(f"lines of {width_mm:g} mm, {name} planned {planned['width_mm']:g}")
    flow = planned["flow_percent"] / 100
    if abs(target.flow - flow) > _FLOW_WITHIN:
        warnings.append(
            f"flow {100 * target.flow:.1f} % is sliced, {name} planned {100 * flow:g} %"
        )
    alike = walls.walls == 1 and "rectangular" not in (planned["line_model"], target.line_model)
    if planned["line_model"] != target.line_model is not None and not alike:
        warnings.append(
            f"lines are dosed {target.line_model}, {name} was reckoned {planned['line_model']}"
        )
    return warnings


def _sheet(path: str, found: SlicedCube, plan: Trial | None) -> str:
    walls, target = found.walls, found.target
    sheet = Sheet(f"Sliced cube: {path}" + (f", beside trial {plan.number}" if plan else ""))
    many = "s" if walls.walls > 1 else ""
    sheet.row("walls", f"{walls.walls} line{many}", f"seen over {walls.layers} layers")
    sheet.row("layer", f"{walls.layer_mm:.4g} mm")
    if target.line_distance_mm is not None:
        sheet.row("lines", f"{target.line_distance_mm:.4f} mm", "apart")
    sheet.row("dosed", f"{walls.dosed_area_mm2:.5f} mm²", "for each mm of line")
    bead = "a line of that is so wide, its sides rounded"
    sheet.row("bead", f"{target.bead_width_mm:.4f} mm", bead)
    sheet.row("flow", flow_forms(round(target.flow, 4)), "as it is really sliced")
    model: str = target.line_model or "not told by one line without its width"
    if target.line_model is None and target.line_distance_mm is not None:
        model = "not told without the line width; the target does not need it"
    sheet.row("line model", model)
    sheet.row("speed", f"{walls.speed_mm_s:.0f} mm/s", "of the walls")
    for warning in found.warnings:
        sheet.note(warning, "warning")
    sheet.act("wall", f"{target.wall_should_measure_mm:.3f} mm", "is what it should measure")
    return sheet.text()


def fill_from_file(
    options: argparse.Namespace, here: OnBench, plan: Trial | None
) -> tuple[str, ...]:
    """Fill in what ``flow`` reckons with from the file; returns what is to be said of it.

    What was given besides wins where the two disagree.
    """
    found = read_cube(options.sliced, here, plan, width_mm=options.width, flow=options.flow)
    walls, target = found.walls, found.target
    rounding = rounding_mm(walls.layer_mm)
    from_file: dict[str, Any] = {
        "walls": walls.walls,
        "layer": round(walls.layer_mm, 4),
        "flow": round(target.flow, 4),
        "line_model": target.line_model,
        "width": found.width_mm,
        "speed": round(walls.speed_mm_s, 3),
    }
    if target.line_model is None or found.width_mm is None:
        # Only the target is known, and that is enough.
        from_file["aim"] = target.wall_should_measure_mm
        distance_mm = target.line_distance_mm
        from_file["width"] = found.width_mm or distance_mm or target.bead_width_mm - rounding
    notes = [f"walls, layer, flow and target as in {options.sliced}", *found.warnings]
    for name, value in from_file.items():
        given = getattr(options, name)
        if given is None:
            setattr(options, name, value)
        elif value is not None and _differs(given, value):
            notes.append(f"the file says {name} {_worded(value)}; you gave {_worded(given)}, used")
    return tuple(notes)


def _differs(given: Any, value: Any) -> bool:
    if isinstance(given, str):
        return bool(given != value)
    return bool(abs(given - value) > 0.002 * abs(value))


def _worded(value: Any) -> str:
    return value if isinstance(value, str) else f"{value:.4g}"
