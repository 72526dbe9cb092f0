"""A test cube as it was really sliced: for ``flow --sliced`` and ``sliced walls``."""

from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.job.sliced_walls import SlicedTarget, SlicedWalls, read_sections, wall_target
from metier.core.values import LINE_MODELS
from metier.formats.gcode import diameter_of, only_tool, read_notes, sliced_file
from metier.trials.flow.settings import FlowSettings, KeptDose, lines_text
from metier.trials.on_bench import OnBench
from metier.trials.table import Plan
from metier.words.arguments import SectionLines

# Beyond this the file was sliced otherwise than planned.
_SIZE_WITHIN_MM = 0.005
_FLOW_WITHIN = 0.01
# What gets more than this, in proportion, is a wider line.
_RICHEST = 1.4
# Beyond this, in proportion, what was given is not what the file says.
_ALIKE_WITHIN = 0.002


class SlicedSection(NamedTuple):
    """A section of a tube: its walls, what they should measure, and the width of its lines where
    that is planned other than the print's."""

    walls: SlicedWalls
    target: SlicedTarget
    width_mm: float | None = None


class SlicedCube(NamedTuple):
    """A cube or a tube of a file, its sections from the lowest, and what is odd about it."""

    sections: tuple[SlicedSection, ...]
    width_mm: float | None
    warnings: tuple[str, ...]


def read_cube(
    path: str,
    bench: OnBench,
    plan: Plan[FlowSettings] | None,
    *,
    width_mm: float | None,
    flow: float | None,
    tool: int | None = None,
    diameter_mm: float | None = None,
) -> SlicedCube:
    """Read the cube of a file in the light of what is given, planned, and said in the file.

    Raises:
        BadInput: not such a file.
    """
    sliced = only_tool(sliced_file(path), tool)
    if len(sliced.said.heads) > 1:
        listed = ", ".join(f"T{head}" for head in sliced.said.heads)
        raise BadInput(f"several tool heads print there ({listed}): --tool N says whose walls")
    diameter_mm, notes = diameter_of(diameter_mm, bench.slicer_mm, sliced.said)
    sliced_walls = read_sections(sliced.moves, diameter_mm)
    planned = plan and plan.settings
    width_mm = width_mm or (planned and planned.width_mm) or sliced.said.numbers.get("line width")
    if flow is None and planned:
        flow = planned.flow
    if flow is None and "flow" in sliced.said.numbers:
        flow = sliced.said.numbers["flow"] / 100
    apart_mm = sliced.said.numbers.get("line distance")
    if planned and len(planned.sections) == len(sliced_walls):
        own_mm = [section.width_mm for section in planned.sections]
    else:
        own_mm = _wider(sliced_walls, width_mm, apart_mm)
    sections = []
    for walls, wide_mm in zip(sliced_walls, own_mm, strict=True):
        if walls.line_distance_mm is None and apart_mm:
            walls = walls._replace(line_distance_mm=apart_mm)
        if wide_mm and width_mm and walls.line_distance_mm and walls.walls == 1:
            # What a single line is reckoned with is of the walls beside it.
            wider_mm = wide_mm - width_mm
            walls = walls._replace(line_distance_mm=walls.line_distance_mm + wider_mm)
        target = wall_target(walls, wide_mm or width_mm, flow)
        sections.append(SlicedSection(walls, target, wide_mm))
    said = [
        text
        for section in sections
        for text in (*section.target.warnings, *_oddities(section.walls))
    ]
    if plan:
        said += _deviations(sections, width_mm, plan)
    warnings = (*read_notes(sliced.said), *notes, *dict.fromkeys(said))
    return SlicedCube(tuple(sections), width_mm, warnings)


def _wider(
    sliced_walls: Sequence[SlicedWalls], width_mm: float | None, apart_mm: float | None
) -> list[float | None]:
    """Return the width of single lines that get much more than another of the file does: no flow
    is so much richer, they are wider ones."""
    doses = [walls.dosed_area_mm2 for walls in sliced_walls if walls.walls == 1]
    widths: list[float | None] = []
    for walls in sliced_walls:
        usual_mm = walls.line_distance_mm or apart_mm
        wide_mm = None
        if walls.walls == 1 and width_mm and usual_mm:
            ratio = walls.dosed_area_mm2 / min(doses)
            wide_mm = round(width_mm + usual_mm * (ratio - 1), 3) if ratio > _RICHEST else None
        widths.append(wide_mm)
    return widths


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
    sections: Sequence[SlicedSection], width_mm: float | None, plan: Plan[FlowSettings]
) -> list[str]:
    """Return where the file was sliced otherwise than planned."""
    planned, warnings = plan.settings, []
    name, first = f"trial {plan.number}", sections[0].walls
    counts = [section.walls for section in planned.sections]
    sliced = [section.walls.walls for section in sections]
    if sliced != counts and not (len(sliced) == 1 and first.walls in counts):
        named, listed = (
            " and ".join(lines_text(count) for count in some) for some in (sliced, counts)
        )
        warnings.append(f"{named} a wall are sliced, {name} planned {listed}")
    if abs(planned.layer_mm - first.layer_mm) > _SIZE_WITHIN_MM:
        warnings.append(
            f"layers of {first.layer_mm:g} mm are sliced, {name} planned {planned.layer_mm:g}"
        )
    if width_mm and planned.width_mm and abs(planned.width_mm - width_mm) > _SIZE_WITHIN_MM:
        warnings.append(f"lines of {width_mm:g} mm, {name} planned {planned.width_mm:g}")
    each: list[float | None] = [planned.flow] * len(sections)
    if len(sections) == len(counts):
        each = [planned.flow_of(section) for section in planned.sections]
    for (_, target, _), flow in zip(sections, each, strict=True):
        if target.flow and flow and abs(target.flow - flow) > _FLOW_WITHIN:
            warnings.append(
                f"flow {100 * target.flow:.1f} % is sliced, {name} planned {100 * flow:g} %"
            )
        if planned.line_model and target.line_model not in (None, "either", planned.line_model):
            warnings.append(
                f"lines are dosed {target.line_model}, {name} was planned as {planned.line_model}"
            )
    return warnings


def fill_from_file(
    options: Namespace, bench: OnBench, plan: Plan[FlowSettings] | None
) -> tuple[str, ...]:
    """Take for given what the sliced file says, where nothing else is; returns what is to be said
    of it. What was given wins where the two disagree.

    Raises:
        BadInput: not such a file, or one of different flows.
    """
    path = options.sliced
    cube = read_cube(path, bench, plan, width_mm=options.width, flow=options.flow)
    walls, target, _ = cube.sections[0]
    notes = [f"the dose, walls and layer as in {path}", *cube.warnings]
    for name, value in (
        ("width", cube.width_mm),
        ("layer", round(walls.layer_mm, 4)),
        ("flow", target.flow and round(target.flow, 4)),
        ("speed", round(walls.speed_mm_s, 3)),
    ):
        mine = getattr(options, name)
        if not mine:
            setattr(options, name, value)
        elif value and _differs(mine, value):
            notes.append(f"the file says {name} {value:.4g}; you gave {mine:.4g}, used")
    if not (options.walls or options.sections or options.flows):
        options.walls = [SectionLines(section.walls.walls) for section in cube.sections]
    doses = [
        KeptDose(section.walls.dosed_area_mm2, section.target.line_distance_mm, "file")
        for section in cube.sections
    ]
    options.dose = options.dose or doses[0]
    options.doses = [
        (section.walls.walls, dose) for section, dose in zip(cube.sections, doses, strict=True)
    ]
    several = max(cube.sections, key=lambda section: section.walls.walls)
    if several.walls.walls > 1 and several.target.line_model in LINE_MODELS:
        options.model_shown = several.target.line_model
        notes.append(f"{path} shows that lines are dosed {options.model_shown}")
    return tuple(notes)


def _differs(given: float, value: float) -> bool:
    return abs(given - value) > _ALIKE_WITHIN * abs(value)
