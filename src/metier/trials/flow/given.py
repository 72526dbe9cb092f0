"""How walls were printed: what the options say of it, and what is known where they do not."""

import argparse
from argparse import Namespace
from collections.abc import Sequence
from typing import Any, NamedTuple

from metier.core.errors import BadInput
from metier.core.line.bead import LINE_MODELS, LineModel, check_line, line_for_bore
from metier.core.measure.readings import refuse_slip
from metier.logbook.trials import Reading
from metier.trials.flow.settings import (
    QUICK,
    QUICK_SECTIONS,
    WHOLE_SECTIONS,
    FlowSettings,
    KeptDose,
    PrintedWalls,
    TubeShape,
    lines_text,
)
from metier.trials.on_bench import OnBench, needed_setup
from metier.trials.part_path import GCODE, part_ending
from metier.words.arguments import (
    LONGEST_ROLL_M,
    Typed,
    flow,
    length,
    option,
    preview,
    reading,
    speed,
    walls,
)
from metier.words.arguments import number as metres
from metier.words.missing import Missing

# What a line width is compared with for slips while no nozzle is known.
_COMMON_BORE_MM = 0.5
_MOST_SECTIONS = 12


class _InOrder(argparse.Action):
    """Keeps which readings belong to which walls: those that follow them."""

    def __call__(
        self,
        _parser: argparse.ArgumentParser,
        namespace: Namespace,
        values: Any,
        _option: str | None = None,
    ) -> None:
        namespace.in_order = [*(namespace.in_order or ()), (self.dest, values)]
        before = getattr(namespace, self.dest) or []
        setattr(namespace, self.dest, [*before, values])


class GivenPrint(NamedTuple):
    """What was given of a print; None where nothing was. ``flow`` is a ratio."""

    width_mm: float | None
    layer_mm: float | None
    flow: float | None
    line_model: LineModel | None
    aim_mm: float | None
    speed_mm_s: float | None
    walls: tuple[int, ...] = ()
    dose: KeptDose | None = None


def add_print_options(parser: argparse.ArgumentParser) -> None:
    """Add what says how walls were printed, and their readings."""
    parser.set_defaults(in_order=None)
    ways = parser.add_argument_group("the wall readings, in mm (one of these)")
    option(ways, "--read MM", "all round", reading, nargs="+", action=_InOrder)
    option(ways, "--side MM", "readings of one side; repeat it, every side counts alike",
           reading, nargs="+", action=_InOrder)  # fmt: skip
    option(ways, "--from FILE.csv", "columns reading, side, walls", dest="file")
    cube = parser.add_argument_group("how the walls were printed")
    option(cube, "--width MM", "line width", length)
    option(cube, "--walls N", "lines a wall; repeat it, each before its readings, where a print "
           "has several", walls, action=_InOrder)  # fmt: skip
    option(cube, "--layer MM", "layer height", length)
    option(cube, "--flow PERCENT", "flow it was printed at (93 or 0.93x)", flow)
    option(cube, "--line-model", "how the slicer doses a line", LINE_MODELS)
    option(cube, "--aim MM", "wall wanted, instead of the line model's", length)
    option(cube, "--speed MM/S", "print speed of the walls", speed)
    tube = parser.add_argument_group("the tube to print, with --plan")
    option(tube, "--sections N …", "lines a wall, from below: 3 2 1", walls)
    option(tube, "--flows PERCENT …", "or sections of one number of lines (--walls, 1) at these "
           "flows", flow)  # fmt: skip
    option(tube, "--tube-side MM", "its side, outside (30)", length)
    option(tube, "--section-height MM", "of each section (8)", length)
    option(tube, "--quick", "a small one in five minutes: 20 mm square, sections of 3 lines and "
           "1, 5 mm high; less sure")  # fmt: skip
    option(cube, "--along M", "how far along the roll it was printed, in m", metres)
    option(cube, "--sliced FILE", "or take all that from the sliced file")
    option(cube, "--preview Q@V", "or what the slicer's preview says of a wall: mm³/s at mm/s, "
           "as 3.66@40", preview)  # fmt: skip


def given_print(options: Namespace) -> GivenPrint:
    """Return what the options say of a print."""
    dose, speed_mm_s = None, options.speed
    if options.preview:
        flow_mm3_s, at_mm_s = options.preview
        dose = KeptDose(flow_mm3_s / at_mm_s, None, "preview")
        speed_mm_s = speed_mm_s or at_mm_s
    return GivenPrint(
        options.width,
        options.layer,
        options.flow,
        options.line_model,
        options.aim,
        speed_mm_s,
        tuple(options.walls or options.sections or ((1,) if options.flows else ())),
        dose,
    )


def readings_by_walls(
    options: Namespace, planned: Sequence[PrintedWalls] = ()
) -> list[list[tuple[str, Typed]]]:
    """Return the readings given, section by section, each with the side it is of.

    Sections are those named by ``--walls``, else the planned ones in their order.

    Raises:
        BadInput: readings that are not of just these sections.
    """
    if len(planned) > 1 and not options.walls:
        return _readings_in_order(options, planned)
    several = len(options.walls or ()) > 1
    sections: list[list[tuple[str, Typed]]] = [] if several else [[]]
    lines = ""
    for name, values in options.in_order or ():
        if name == "walls":
            if several:
                sections.append([])
                lines = lines_text(values)
            continue
        if not sections:
            raise BadInput(f"--{name} before --walls: say first which walls these readings are of")
        sides = {one for one, _ in sections[-1]}
        side = f"side {len(sides) + 1}" if name == "side" else ""
        named = ", ".join(part for part in (lines, side) if part)
        sections[-1] += [(named, value) for value in values]
    if several and not all(sections):
        raise BadInput("--walls: each number of lines needs its readings after it")
    return sections


def _readings_in_order(
    options: Namespace, planned: Sequence[PrintedWalls]
) -> list[list[tuple[str, Typed]]]:
    """Return the readings of a tube: ``--read`` once a section, or as many ``--side`` for each."""
    given = [(name, values) for name, values in options.in_order or () if name != "walls"]
    each = len(given) // len(planned) if options.side and not options.read else 1
    if not each or len(given) != each * len(planned) or (options.side and options.read):
        named = ", ".join(one.named for one in planned)
        raise BadInput(
            f"--read is needed once for each section, from below: {named}; or as many --side for "
            f"each; {len(given)} are given"
        )
    found = []
    for number, section in enumerate(planned):
        mine: list[tuple[str, Typed]] = []
        for side, (name, values) in enumerate(given[number * each : (number + 1) * each], 1):
            named = f"{section.named}, side {side}" if name == "side" else section.named
            mine += [(named, value) for value in values]
        found.append(mine)
    return found


def walls_given(options: Namespace, sections: Sequence[PrintedWalls]) -> list[Reading]:
    """Return the readings that the options give, section by section."""
    return [
        Reading(side, one.value_mm, one.text)
        for section in readings_by_walls(options, sections)
        for side, one in section
    ]


def refuse_tube_options(options: Namespace) -> None:
    """Refuse what is of the tube to print, where none is planned.

    Raises:
        BadInput: names the option.
    """
    for name in ("sections", "flows", "tube_side", "section_height", "quick"):
        if getattr(options, name) and not options.plan:
            option = name.replace("_", "-")
            raise BadInput(f"--{option} is of the tube to print: it goes with --plan")


def planned_sections(
    options: Namespace, sections: tuple[PrintedWalls, ...]
) -> tuple[PrintedWalls, ...]:
    """Return the sections of a tube to print; of several flows the richest is the lowest, so that
    jaws let down from above touch the section they reach.

    Raises:
        BadInput: options that do not go together, or a section that is there twice.
    """
    if options.sections and (options.walls or options.flows):
        raise BadInput("--sections says the lines a wall itself: leave --walls and --flows out")
    if options.flows:
        if len(options.walls or ()) > 1 or options.flow is not None:
            raise BadInput("--flows has one number of lines, and its own flows: leave the rest out")
        flows = sorted({round(100 * one, 6) for one in options.flows}, reverse=True)
        lines = options.walls[0] if options.walls else 1
        sections = tuple(PrintedWalls(lines, 0, one) for one in flows)
    if len(sections) > _MOST_SECTIONS:
        raise BadInput(
            f"{len(sections)} sections are too many for a tube: {_MOST_SECTIONS} at most"
        )
    if len({one.named for one in sections}) < len(options.flows or sections):
        raise BadInput("a section is there twice: each number of lines, or flow, once")
    if options.sections and list(options.sections) != sorted(options.sections, reverse=True):
        raise BadInput("--sections: from below, the thickest first: jaws are let down from above")
    return sections


def sections_given(
    counts: Sequence[int], known: FlowSettings | None, planned: FlowSettings | None
) -> tuple[tuple[PrintedWalls, ...], bool]:
    """Return the sections of a print before it is read, and whether they were known, not given.

    Of a print before only the lines are known; of a plan its flows, too.

    Raises:
        BadInput: neither.
    """
    if counts:
        return tuple(PrintedWalls(count) for count in counts), False
    if known is None:
        raise Missing("--walls", "how many lines a wall has", lambda text: [walls(text)], [3])
    if planned:
        return tuple(one._replace(readings=0) for one in planned.sections), True
    return tuple(dict.fromkeys(PrintedWalls(one.walls) for one in known.sections)), True


def sizes(
    given: GivenPrint,
    known: FlowSettings | None,
    planned: FlowSettings | None,
    bore_mm: float | None,
) -> tuple[float | None, float, list[str]]:
    """Return width and layer height of a print, and which of them were known and not given.

    ``known`` is the plan or the print before; only a plan's dose is that of this print.

    Raises:
        BadInput: one that is needed is neither given nor known; names its option.
    """
    taken = []
    width_mm, layer_mm = given.width_mm, given.layer_mm
    needed = given.aim_mm is None and given.dose is None
    if width_mm is None and known and known.width_mm is not None and needed:
        width_mm = known.width_mm
        taken.append("width")
    if layer_mm is None and known:
        layer_mm = known.layer_mm
        taken.append("layer")
    if width_mm is None and needed and not (planned and (planned.dose or planned.aim_mm)):
        meaning = "the line width the slicer printed with, in mm"
        hint = " (or --sliced FILE, --preview Q@V, --aim MM)"
        raise Missing("--width", meaning, length, bore_mm or _COMMON_BORE_MM, hint=hint)
    if layer_mm is None:
        example = (bore_mm or _COMMON_BORE_MM) / 2
        raise Missing("--layer", "the layer height, in mm", length, example)
    if width_mm is not None:
        check_line(width_mm, layer_mm)
        refuse_slip(width_mm, bore_mm or _COMMON_BORE_MM, "line width")
    return width_mm, layer_mm, taken


def along_m(options: Namespace, planned: FlowSettings | None) -> float | None:
    """Return how far along the roll a print was made: given, else as planned.

    Raises:
        BadInput: no place on a roll.
    """
    along: float | None = options.along
    if along is None:
        return planned.along_m if planned else None
    if not 0 <= along <= LONGEST_ROLL_M:
        raise BadInput(f"--along: {along:g} m is no place on a roll: 0 to {LONGEST_ROLL_M:g}")
    return along


def given_tube(options: Namespace) -> TubeShape | None:
    """Return the tube to print, where its size is given."""
    if options.tube_side is None and options.section_height is None and not options.quick:
        return None
    usual = QUICK if options.quick else TubeShape()
    shape = TubeShape(
        options.tube_side or usual.side_mm, options.section_height or usual.section_mm
    )
    if not 15 <= shape.side_mm <= 150 or not 5 <= shape.section_mm <= 30:
        raise BadInput(
            f"a tube of {shape.side_mm:g} mm in sections of {shape.section_mm:g}: its side is from "
            "15 to 150 mm, a section from 5 to 30, so that jaws reach its walls"
        )
    return shape


def writes_lines(options: Namespace) -> bool:
    """Tell whether the print is planned as G-code of Metier's own, whose dose is known."""
    return bool(options.plan and options.part and part_ending(options.part, options.force) == GCODE)


def given_for_part(
    given: GivenPrint, options: Namespace, known: FlowSettings | None, here: OnBench
) -> GivenPrint:
    """Return what was given of a print whose part Metier writes, the rest as it suits the nozzle.

    As G-code it has sections of three lines, two and one, where nothing else is said. The lines
    of a mesh are the slicer's, and asked for.
    """
    written = writes_lines(options)
    if written and known is None and given.aim_mm is None:
        width_mm, layer_mm = line_for_bore(needed_setup(here.bench).nozzle.bore_mm)
        given = given._replace(
            width_mm=given.width_mm or width_mm, layer_mm=given.layer_mm or layer_mm
        )
    if not given.walls and not options.flows:
        usual = QUICK_SECTIONS if options.quick else WHOLE_SECTIONS
        given = given._replace(walls=usual if written else (3,))
    return given
