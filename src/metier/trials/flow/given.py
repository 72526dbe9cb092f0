"""How walls were printed: the table of its options and settings, and the readings given."""

import argparse
import math
from argparse import Namespace
from collections.abc import Sequence
from typing import Any

from metier.core.errors import BadInput
from metier.core.line.bead import check_line, line_for_bore
from metier.core.measure.readings import refuse_slip
from metier.core.measure.thresholds import round_to, same
from metier.core.values import LINE_MODELS
from metier.logbook.trials import Reading
from metier.trials.flow.settings import (
    ACCEPT_PERCENT,
    QUICK,
    SURE_PERCENT,
    FlowSettings,
    KeptDose,
    PrintedWalls,
    TubeShape,
    names_of,
)
from metier.trials.kind import along_roll
from metier.trials.on_bench import GCODE, Known, OnBench, needed_setup, part_ending, ready_to_print
from metier.trials.table import (
    Plan,
    Row,
    Seeking,
    condition,
    given,
    instrument,
    known,
    of_bench,
    planned,
    setting,
    told,
    usual,
)
from metier.words.arguments import (
    ReadOff,
    SectionLines,
    flow,
    grams,
    layer_height,
    length,
    line_width,
    percent,
    preview,
    reading,
    section,
    signed_length,
    speed,
)
from metier.words.missing import missing

# What a line width is compared with for slips while no nozzle is known.
_COMMON_BORE_MM = 0.5
_MOST_SECTIONS = 12
_TUBE = "the tube"


class InOrder(argparse.Action):
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


class _Measured(argparse.Action):
    """A wall of one line, read once; it is kept by its own name, too."""

    def __call__(
        self,
        _parser: argparse.ArgumentParser,
        namespace: Namespace,
        values: Any,
        _option: str | None = None,
    ) -> None:
        namespace.measured, namespace.read = values, [*(namespace.read or ()), [values]]
        namespace.in_order = [*(namespace.in_order or ()), ("read", [values])]
        namespace.walls = [*(namespace.walls or ()), SectionLines(1)]


class _Should(argparse.Action):
    """What that wall should measure: the wall that is aimed at."""

    def __call__(
        self,
        _parser: argparse.ArgumentParser,
        namespace: Namespace,
        values: Any,
        _option: str | None = None,
    ) -> None:
        namespace.should = namespace.aim = values


def _aim_again(seeking: Seeking, _: Row) -> Known | None:
    """The wall that the last print aimed at, for another plan that says nothing else."""
    before, options = seeking.before, seeking.options
    if not (options.plan and before and before.settings.aim_mm):
        return None
    if options.width is not None or options.dose is not None or options.sections:
        return None
    if before.settings.width_mm is not None:
        return None
    return Known(before.settings.aim_mm, f"as in trial {before.number}")


# A layer that nobody told of is taken to be so high, beside two numbers.
_USUAL_LAYER_MM = 0.2


def _layer_of_part(seeking: Seeking, _: Row) -> Known | None:
    """The layer that a part is printed with where nothing else is said."""
    if not seeking.options.plan:
        return None
    return Known(line_for_bore(needed_setup(seeking.bench.chosen).nozzle.bore_mm)[1])


def _layer_of_two_numbers(seeking: Seeking, _: Row) -> Known | None:
    if seeking.options.measured is None:
        return None
    note = f"layers of {_USUAL_LAYER_MM:g} mm are taken: --layer says otherwise"
    return Known(_USUAL_LAYER_MM, "", (note,))


def _width_needed(seeking: Seeking, row: Row) -> Known | None:
    """The width as before, where neither an aim nor a dose tells the wall."""
    if seeking.options.aim is not None or seeking.options.dose is not None:
        return None
    if _aim_again(seeking, row):
        return None
    before, plan = known(seeking, row), seeking.plan
    if before or (plan and (plan.settings.dose or plan.settings.aim_mm)):
        return before
    told = seeking.options.walls or seeking.options.sections or ()
    if told and all(lines.width_mm for lines in told):
        return Known(told[-1].width_mm)
    if seeking.options.plan:
        return Known(line_for_bore(needed_setup(seeking.bench.chosen).nozzle.bore_mm)[0])
    hint = " (or --sliced FILE, --preview Q@V, --aim MM)"
    raise missing("--width", "the line width the slicer printed with, in mm", length, hint)


def sections_of(seeking: Seeking, _: Row | None = None) -> Known:
    """The sections of a print before it is read: of a print before only their lines are known, of a
    plan their flows, too.

    Raises:
        Missing: neither given nor known.
    """
    options, before = seeking.options, seeking.known
    lines = options.walls or options.sections or ((SectionLines(1),) if options.flows else ())
    if lines:
        return Known(tuple(_printed(each, seeking) for each in lines))
    if options.plan and (options.part or before is None):
        lines = _usual_sections(seeking)
        return Known(tuple(_printed(each, seeking) for each in lines))
    if before is None:
        raise missing("--walls", "how many lines a wall has", lambda text: [section(text)])
    source = "as planned" if seeking.plan else f"as in trial {before.number}"
    sections: Sequence[PrintedWalls] = before.settings.sections
    if seeking.plan:
        return Known(tuple(each._replace(readings=0) for each in sections), source)
    alike = dict.fromkeys(PrintedWalls(each.walls, width_mm=each.width_mm) for each in sections)
    return Known(tuple(alike), source)


def _usual_sections(seeking: Seeking) -> list[SectionLines]:
    """Return the sections of a tube that Metier writes: three lines, one wide line, one; of a small
    one three lines and one. A slicer prints walls of three."""
    options, bench = seeking.options, seeking.bench
    if not (writes_lines(options) if options.part else options.quick or ready_to_print(bench)):
        return [SectionLines(3)]
    wide = SectionLines(1, round_to(2 * needed_setup(bench.chosen).nozzle.bore_mm, 0.01))
    return [SectionLines(3), *([] if options.quick else [wide]), SectionLines(1)]


def _printed(lines: SectionLines, seeking: Seeking) -> PrintedWalls:
    """Return a section of such lines; a width that is the print's own is no other."""
    width_mm = lines.width_mm
    if width_mm is not None and seeking.options.width is None:
        known_now = seeking.known
        usual_mm = known_now and known_now.settings.width_mm
    else:
        usual_mm = seeking.options.width
    if width_mm is not None and usual_mm and same(width_mm, usual_mm):
        width_mm = None
    return PrintedWalls(lines.walls, width_mm=width_mm)


def _within(flag: str, low: float, high: float) -> Any:
    def check(value: float) -> None:
        if not low <= value <= high:
            raise BadInput(f"{flag}: {value:g} must be from {low:g} to {high:g} percent")

    return check


def _check_accept(accept: Sequence[float]) -> None:
    low, high = accept
    if not -50 <= low <= 0 <= high <= 50:
        raise BadInput(
            f"--accept: {low:g} {high:g} must be a LOW from -50 to 0 and a HIGH from 0 to 50"
        )


_ACCEPT = "how far flow may be off and is kept (-2 3: a little rich does less harm)"
TABLE = (
    "the wall readings, in mm (one of these)",
    told("--read MM", "all round", reading, nargs="+", action=InOrder),
    told("--measured MM", "one wall, with --should: two numbers, a rough start", reading,
         action=_Measured),
    told("--should MM", "what that wall should measure", length, action=_Should),
    told("--side MM", "readings of one side; repeat it, every side counts alike", reading,
         nargs="+", action=InOrder),
    told("--from FILE.csv", "columns reading, side, walls", dest="file"),
    "how the walls were printed",
    setting("width_mm", "--width MM", "line width", line_width, given, _width_needed),
    setting("sections", "--walls N", "lines a wall, or lines x their width (1x0.8); repeat it, "
            "each before its readings, where a print has several", section, sections_of,
            action=InOrder),
    setting("layer_mm", "--layer MM", "layer height", layer_height, given, known,
            _layer_of_part, _layer_of_two_numbers, wanted="the layer height, in mm"),
    told("--flow PERCENT", "flow it was printed at (93 or 0.93x)", flow),
    setting("line_model", "--line-model", "how the slicer doses a line", LINE_MODELS, given,
            of_bench(lambda bench: bench.chosen.printer and bench.chosen.printer.line_model),
            planned),
    setting("aim_mm", "--aim MM", "wall wanted, instead of the line model's", length, given,
            planned, _aim_again, kept="filament"),
    setting("speed_mm_s", "--speed MM/S", "print speed of the walls", speed, given, condition),
    along_roll("how far along the roll it was printed, in m"),
    told("--sliced FILE", "or take all that from the sliced file"),
    told("--preview Q@V", "or what the slicer's preview says of a wall: mm³/s at mm/s, as 3.66@40",
         preview),
    told("--grams G …", "what the print weighed: with --trial, of a part that Metier wrote", grams),
    "the tube to print, with --plan",
    told("--sections N …", "lines a wall, or lines x their width, from below: 3 1x0.8 1", section,
         printed=_TUBE),
    told("--flows PERCENT …", "or sections of one number of lines (--walls, 1) at these flows",
         flow, printed=_TUBE),
    told("--tube-side MM", "its side, outside (30)", length, printed=_TUBE),
    told("--section-height MM", "of each section (8)", length, printed=_TUBE),
    told("--quick", "a small one in five minutes: 20 mm square, sections of 3 lines and 1, 5 mm "
         "high; less sure", printed=_TUBE),
    "how to calculate",
    setting("accept_percent", "--accept", _ACCEPT, percent, given, planned, usual(ACCEPT_PERCENT),
            check=_check_accept, nargs=2, metavar=("LOW", "HIGH"), kept="filament"),
    setting("sure_needed_percent", "--sure PERCENT", "how sure it has to be (75)", percent, given,
            planned, usual(SURE_PERCENT), check=_within("--sure", 50, 99), kept="bench"),
    setting("round", "--round", "of the value to type (nearest)", ("nearest", "down", "up"), given,
            planned, usual("nearest"), kept="bench"),
    setting("round_to_percent", "--round-to PERCENT", "step of flow (1)", percent, given, planned,
            of_bench(lambda bench: bench.chosen.flow_step_percent),
            check=_within("--round-to", 0.01, 10), kept="bench"),
    instrument("calipers (default), micrometer or your own", kept="bench"),
    told("--zero MM", "what it shows when closed", signed_length),
)  # fmt: skip


def check_two_numbers(options: Namespace) -> None:
    """Refuse two numbers, what a wall of one line measured and should, that do not stand alone.

    Raises:
        BadInput: one without the other, or beside readings or an aim.
    """
    if options.measured is None and options.should is None:
        return
    if options.measured is None or options.should is None:
        raise BadInput("--measured and --should go together: what a wall measured, and should")
    if len(options.in_order) > 1 or len(options.walls) > 1 or options.aim != options.should:
        raise BadInput("--measured and --should stand alone: else --read and --aim")


def fill(options: Namespace, bench: OnBench, plan: Plan[FlowSettings] | None) -> tuple[str, ...]:
    """Take for given what a preview or the sliced file says, where nothing else is; returns what is
    to be said of that."""
    notes: tuple[str, ...] = ()
    if options.measured is not None:
        notes = ("two numbers of one wall: a rough start",)
    if options.preview:
        flow_mm3_s, at_mm_s, text = options.preview
        digit = 10.0 ** -_decimals(text)
        u = digit / flow_mm3_s / math.sqrt(12)
        options.dose = KeptDose(flow_mm3_s / at_mm_s, None, "preview", u)
        options.speed = options.speed or at_mm_s
    if options.sliced:
        from metier.trials.flow.sliced import fill_from_file

        notes = (*notes, *fill_from_file(options, bench, plan))
    return notes


def _decimals(text: str) -> int:
    """Return how many decimals a number shows."""
    return len(text.replace(",", ".").partition(".")[2])


def refuse_width(width_mm: float | None, layer_mm: float, bore_mm: float | None) -> None:
    """Refuse a line that cannot be.

    Raises:
        BadInput: flatter than high, or hardly the width of a line.
    """
    if width_mm is not None:
        check_line(width_mm, layer_mm)
        refuse_slip(width_mm, bore_mm or _COMMON_BORE_MM, "line width")


def readings_by_walls(
    options: Namespace, planned: Sequence[PrintedWalls] = ()
) -> list[list[tuple[str, ReadOff]]]:
    """Return the readings given, section by section, each with the side it is of.

    Sections are those named by ``--walls``, else the planned ones in their order.

    Raises:
        BadInput: readings that are not of just these sections.
    """
    if len(planned) > 1 and not _named(options):
        return _readings_in_order(options, planned)
    several = len(_named(options)) > 1
    sections: list[list[tuple[str, ReadOff]]] = [] if several else [[]]
    lines = ""
    for name, values in options.in_order or ():
        if name == "walls":
            if several:
                sections.append([])
                lines = PrintedWalls(values.walls, width_mm=values.width_mm).named
            continue
        if not sections:
            raise BadInput(f"--{name} before --walls: say first which walls these readings are of")
        sides = {side for side, _ in sections[-1]}
        side = f"side {len(sides) + 1}" if name == "side" else ""
        named = ", ".join(part for part in (lines, side) if part)
        sections[-1] += [(named, value) for value in values]
    if several and not all(sections):
        raise BadInput("--walls: each number of lines needs its readings after it")
    return sections


def _named(options: Namespace) -> list[SectionLines]:
    """Return the lines that stand among the readings."""
    return [values for name, values in options.in_order or () if name == "walls"]


def _readings_in_order(
    options: Namespace, planned: Sequence[PrintedWalls]
) -> list[list[tuple[str, ReadOff]]]:
    """Return the readings of a tube: ``--read`` once a section, or as many ``--side`` for each."""
    groups = [(name, values) for name, values in options.in_order or () if name != "walls"]
    each = len(groups) // len(planned) if options.side and not options.read else 1
    if not each or len(groups) != each * len(planned) or (options.side and options.read):
        named = ", ".join(names_of(planned))
        raise BadInput(
            f"--read is needed once for each section, from below: {named}; or as many --side for "
            f"each; {len(groups)} are given"
        )
    sections = []
    for number, called in enumerate(names_of(planned)):
        mine: list[tuple[str, ReadOff]] = []
        for side, (name, values) in enumerate(groups[number * each : (number + 1) * each], 1):
            named = f"{called}, side {side}" if name == "side" else called
            mine += [(named, value) for value in values]
        sections.append(mine)
    return sections


def walls_given(options: Namespace, sections: Sequence[PrintedWalls]) -> list[Reading]:
    """Return the readings that the options give, section by section."""
    return [
        Reading(side, typed.value, typed.text)
        for section in readings_by_walls(options, sections)
        for side, typed in section
    ]


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
        flows = sorted({round(100 * ratio, 6) for ratio in options.flows}, reverse=True)
        sections = tuple(sections[0]._replace(flow_percent=percent) for percent in flows)
    if len(sections) > _MOST_SECTIONS:
        raise BadInput(
            f"{len(sections)} sections are too many for a tube: {_MOST_SECTIONS} at most"
        )
    if len({section.named for section in sections}) < len(options.flows or sections):
        raise BadInput("a section is there twice: each number of lines, or flow, once")
    thick_mm = [
        section.walls * (section.width_mm or options.width or _COMMON_BORE_MM)
        for section in sections
    ]
    if options.sections and thick_mm != sorted(thick_mm, reverse=True):
        raise BadInput("--sections: from below, the thickest first: jaws are let down from above")
    return sections


def given_tube(options: Namespace) -> TubeShape | None:
    """Return the tube to print, where its size is given."""
    if options.tube_side is None and options.section_height is None and not options.quick:
        return None
    usual_shape = QUICK if options.quick else TubeShape()
    shape = TubeShape(
        options.tube_side or usual_shape.side_mm, options.section_height or usual_shape.section_mm
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
