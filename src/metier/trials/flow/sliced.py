"""A test cube as it was really sliced: for ``flow --sliced`` and ``sliced walls``."""

from typing import NamedTuple

from metier.core.job.sliced_walls import SlicedTarget, SlicedWalls, read_walls, wall_target
from metier.core.line.bead import rounding_mm
from metier.formats.sliced_file import diameter_of, only_tool, read_notes, sliced_file
from metier.logbook.trials import latest_on
from metier.trials.flow.given import GivenCube
from metier.trials.flow.kept import KEPT
from metier.trials.flow.settings import FORM, FlowSettings
from metier.trials.kind import Plan
from metier.trials.on_bench import OnBench

# Beyond this the file was sliced otherwise than planned.
_SIZE_WITHIN_MM = 0.005
_FLOW_WITHIN = 0.01
# Beyond this, in proportion, what was given is not what the file says.
_ALIKE_WITHIN = 0.002


class SlicedCube(NamedTuple):
    """A cube of a file: its walls, what they should measure, and what is odd about it."""

    walls: SlicedWalls
    target: SlicedTarget
    width_mm: float | None
    warnings: tuple[str, ...]


def read_cube(
    path: str,
    here: OnBench,
    plan: Plan[FlowSettings] | None,
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
    diameter_mm, notes = diameter_of(diameter_mm, here.spool_mm, sliced)
    walls = read_walls(sliced.moves, diameter_mm)
    planned = plan and plan.settings
    width_mm = width_mm or (planned and planned.width_mm) or sliced.numbers.get("line width")
    if width_mm is None and here.setup:
        for trial in latest_on(here.book, here.setup, KEPT.name, 1):
            width_mm = FORM.of(here.book, trial).width_mm
    if flow is None and planned:
        flow = planned.flow_percent / 100
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
        *(_deviations(walls, target, width_mm, plan) if plan else ()),
    )
    return SlicedCube(walls, target, width_mm, warnings)


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
    walls: SlicedWalls, target: SlicedTarget, width_mm: float | None, plan: Plan[FlowSettings]
) -> list[str]:
    """Return where the file was sliced otherwise than planned."""
    planned, warnings = plan.settings, []
    name = f"trial {plan.number}"
    if planned.walls != walls.walls:
        many = "s" if planned.walls > 1 else ""
        warnings.append(
            f"{walls.walls} lines a wall are sliced, {name} planned {planned.walls} line{many}"
        )
    if abs(planned.layer_mm - walls.layer_mm) > _SIZE_WITHIN_MM:
        warnings.append(
            f"layers of {walls.layer_mm:g} mm are sliced, {name} planned {planned.layer_mm:g}"
        )
    if width_mm is not None and abs(planned.width_mm - width_mm) > _SIZE_WITHIN_MM:
        warnings.append(f"lines of {width_mm:g} mm, {name} planned {planned.width_mm:g}")
    flow = planned.flow_percent / 100
    if abs(target.flow - flow) > _FLOW_WITHIN:
        warnings.append(
            f"flow {100 * target.flow:.1f} % is sliced, {name} planned {100 * flow:g} %"
        )
    alike = walls.walls == 1 and "rectangular" not in (planned.line_model, target.line_model)
    if planned.line_model != target.line_model is not None and not alike:
        warnings.append(
            f"lines are dosed {target.line_model}, {name} was reckoned {planned.line_model}"
        )
    return warnings


def filled_from_file(
    given: GivenCube, path: str, here: OnBench, plan: Plan[FlowSettings] | None
) -> tuple[GivenCube, tuple[str, ...]]:
    """Return what was given of a cube with the rest as in its file, and what is to be said of it.

    What was given wins where the two disagree.
    """
    found = read_cube(path, here, plan, width_mm=given.width_mm, flow=given.flow)
    walls, target = found.walls, found.target
    from_file = GivenCube(
        width_mm=found.width_mm,
        walls=walls.walls,
        layer_mm=round(walls.layer_mm, 4),
        flow=round(target.flow, 4),
        line_model=target.line_model,
        aim_mm=None,
        speed_mm_s=round(walls.speed_mm_s, 3),
    )
    if target.line_model is None or found.width_mm is None:
        # Only the target is known, and that is enough.
        narrowest_mm = target.bead_width_mm - rounding_mm(walls.layer_mm)
        from_file = from_file._replace(
            aim_mm=target.wall_should_measure_mm,
            width_mm=found.width_mm or target.line_distance_mm or narrowest_mm,
        )
    notes = [f"walls, layer, flow and target as in {path}", *found.warnings]
    filled = given
    for name, value in from_file._asdict().items():
        mine = getattr(given, name)
        if mine is None:
            filled = filled._replace(**{name: value})
        elif value is not None and _differs(mine, value):
            called = name.removesuffix("_s").removesuffix("_mm")
            notes.append(f"the file says {called} {_worded(value)}; you gave {_worded(mine)}, used")
    return filled, tuple(notes)


def _differs(given: float | str, value: float | str) -> bool:
    if isinstance(given, str) or isinstance(value, str):
        return given != value
    return abs(given - value) > _ALIKE_WITHIN * abs(value)


def _worded(value: float | str) -> str:
    return value if isinstance(value, str) else f"{value:.4g}"
