"""The flow and sections that a print is planned with, and what walls are asked for."""

from argparse import Namespace
from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.answer import Known
from metier.core.flow.settling import (
    RICH_FIRST,
    TubeSection,
    foreseen_u,
    rich,
    tube_rows,
    whole_tube,
)
from metier.core.line.bead import spacing_mm, wall_mm
from metier.core.measure.readings import refuse_slip
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import same
from metier.core.values import VALUES
from metier.formats import quantity
from metier.logbook.trials import Reading
from metier.trials.flow.given import readings_by_walls
from metier.trials.flow.settings import FlowSettings, KeptDose, PrintedWalls, names_of
from metier.trials.table import Seeking
from metier.words.arguments import flow as read_flow_option
from metier.words.doubt import meant
from metier.words.missing import Asked, missing

if TYPE_CHECKING:
    from metier.formats.tables import SideReading


class SlicedAt(NamedTuple):
    """The flow a print is sliced at, whether the plan chose it, and the flow that is set."""

    value: float | None
    source: str
    notes: tuple[str, ...]
    by_plan: bool
    flow_set: float | None


def sliced_at(seeking: Seeking, sections: Sequence[PrintedWalls]) -> SlicedAt:
    """Return the flow that a print is sliced at: given, planned, chosen for it, else in force.

    Raises:
        Missing: nothing tells.
    """
    options, bench, plan = seeking.options, seeking.bench, seeking.plan and seeking.plan.settings
    stands = bench.stands("flow")
    if plan and plan.by_plan and options.flow is None:
        source = "as planned, for this print only"
        return SlicedAt(plan.flow, source, (), True, stands.in_force)
    if options.flows:
        return SlicedAt(max(options.flows), "of the lowest section", (), True, stands.in_force)
    several = [section.walls > 1 for section in sections]
    if options.plan and options.flow is None:
        if all(several):
            chosen = rich(stands.value or stands.in_force or 1.0, stands.trials > 0)
            return SlicedAt(chosen, "chosen for this print", (), True, stands.in_force)
        # Lines that touch nothing are printed as they will be.
        value = stands.in_force or stands.value or 1.0
        chosen_now = any(several) or stands.in_force is None
        return SlicedAt(value, "of single lines", (), chosen_now, stands.in_force)
    if options.flow is None and options.dose and stands.in_force is None and not plan:
        if any(several) and options.dose.spacing_mm is None:
            raise missing("--flow", "the flow it was sliced at", read_flow_option)
        return SlicedAt(None, "not known, but the dose is", (), False, None)
    alone = options.measured is not None and not plan
    if alone and options.flow is None and stands.in_force is None:
        note = "sliced at 100 % is taken: --flow says otherwise"
        return SlicedAt(1.0, "taken", (note,), False, 1.0)
    if options.flow is not None and not plan:
        options.flow = meant(options.flow, bench.doubt("flow", options.flow), options)
    used = bench.in_use("flow", options.flow, "--flow", plan and plan.flow)
    return SlicedAt(*used, False, used.value)


def richer(
    seeking: Seeking, sections: tuple[PrintedWalls, ...], used: SlicedAt
) -> tuple[PrintedWalls, ...]:
    """Return sections to plan, those of several lines richer than the single ones beside them."""
    options = seeking.options
    mixed = {section.walls > 1 for section in sections} == {True, False}
    if not options.plan or options.flow is not None or options.flows or not mixed:
        return sections
    stands = seeking.bench.stands("flow")
    percent = VALUES["flow"].seen(rich(stands.value or used.value or 1.0, stands.trials > 0))
    return tuple(
        section._replace(flow_percent=percent) if section.walls > 1 else section
        for section in sections
    )


def with_doses(
    sections: tuple[PrintedWalls, ...], doses: Sequence[tuple[int, KeptDose]]
) -> tuple[PrintedWalls, ...]:
    """Return sections with what a sliced file doses for each, by their numbers of lines."""
    if len({dose.area_mm2 for _, dose in doses}) < 2:
        return sections
    left, dosed = list(doses), []
    for section in sections:
        mine = next((dose for dose in left if dose[0] == section.walls), None)
        if mine:
            left.remove(mine)
        dosed.append(section._replace(dose=mine and mine[1]))
    return tuple(dosed)


def counted(
    options: Namespace, sections: tuple[PrintedWalls, ...], width_mm: float | None
) -> tuple[PrintedWalls, ...]:
    """Return sections with how many of the readings given are of each."""
    if options.file:
        return _of_file(options.file, sections, width_mm)
    if len(sections) == 1 or not (options.read or options.side):
        return sections
    taken = readings_by_walls(options, sections)
    if len(taken) != len(sections):
        named = " and ".join(names_of(sections))
        raise BadInput(f"--walls is needed before the readings of each: {named} are planned")
    return tuple(
        section._replace(readings=len(mine)) for section, mine in zip(sections, taken, strict=True)
    )


def _of_file(
    path: str, sections: tuple[PrintedWalls, ...], width_mm: float | None
) -> tuple[PrintedWalls, ...]:
    """Return the sections that a file's column of walls tells of, planned ones in their order;
    all as they are without that column."""
    from metier.formats.tables import read_readings

    rows = read_readings(path)
    if all(row.walls is None for row in rows):
        if len(sections) > 1:
            named = ", ".join(names_of(sections))
            raise BadInput(f"--from: a column walls is needed to tell {named} apart, as 3 or 1x0.8")
        return sections
    own = [PrintedWalls(section.walls, width_mm=section.width_mm) for section in sections]
    if len(set(own)) < len(own):
        raise BadInput("--from cannot tell sections of several flows apart: --read once for each")
    counts = Counter(_section_of(row, width_mm) for row in rows)
    ordered = [each for each in own if each in counts]
    ordered += [each for each in counts if each not in own]
    planned = dict(zip(own, sections, strict=True))
    return tuple(planned.get(each, each)._replace(readings=counts[each]) for each in ordered)


def file_readings(
    path: str, sections: Sequence[PrintedWalls], width_mm: float | None
) -> list[Reading]:
    """Return the readings of a file section by section, each with its section and its side."""
    from metier.formats.tables import read_readings

    rows = read_readings(path)
    if len(sections) == 1:
        return [Reading(row.side, row.value_mm, row.typed) for row in rows]
    named = zip(sections, names_of(sections), strict=True)
    return [
        Reading(", ".join(filter(None, (name, row.side))), row.value_mm, row.typed)
        for section, name in named
        for row in rows
        if _section_of(row, width_mm) == PrintedWalls(section.walls, width_mm=section.width_mm)
    ]


def _section_of(row: "SideReading", width_mm: float | None) -> PrintedWalls:
    """Return the section that a row is of; a width that is the print's own is no other."""
    if row.walls is None:
        raise BadInput("--from: the column walls is empty in some rows")
    own = row.width_mm is None or (width_mm is not None and same(row.width_mm, width_mm))
    return PrintedWalls(row.walls, width_mm=None if own else row.width_mm)


_SIDES = ("front", "right", "back", "left")


_SECTIONS = " The lowest section comes first: let the jaws down inside to the middle of each."


def _targets_mm(settings: FlowSettings) -> list[float | None]:
    """Return what each section measures, about, where a reading is looked at for a slip."""
    targets: list[float | None] = []
    for section in settings.sections:
        dose, width_mm = settings.dose_of(section), section.width_mm or settings.width_mm
        apart_mm = dose and (dose.spacing_mm or dose.area_mm2 / settings.layer_mm)
        if apart_mm is None and width_mm is not None:
            model = settings.line_model or "rectangular"
            apart_mm = spacing_mm(width_mm, settings.layer_mm, model)
        targets.append(apart_mm and wall_mm(section.walls, apart_mm, settings.layer_mm))
    return targets


def as_typed(settings: FlowSettings, lines: Sequence[tuple[str, str]]) -> FlowSettings:
    """Return the settings, each section with as many readings as were typed for it."""
    counted = tuple(
        section._replace(readings=sum(place.startswith(f"{name},") for place, _ in lines))
        for section, name in zip(settings.sections, names_of(settings.sections), strict=True)
    )
    return settings._replace(sections=counted)


def ask_walls(test: str, settings: FlowSettings) -> Asked:
    """Ask for walls, going round the part, section by section where there are several."""
    instrument = settings.instrument_mm
    sections = settings.sections
    several, names = len(sections) > 1, names_of(sections)
    targets = _targets_mm(settings)

    def check(value_mm: float, place: str) -> None:
        for name, target_mm in zip(names, targets, strict=True):
            mine = not several or place.startswith(f"{name},")
            if mine and target_mm:
                refuse_slip(value_mm, target_mm + instrument.zero_mm, "reading")

    return Asked(
        test,
        "The walls of the part, going round it as seen from above: front (towards you), "
        "right, back, left, and round again.",
        _SIDES,
        "Let the part cool. Measure the upper layers, never the first ones, away from corners "
        "and seam. Close the jaws until they just touch, without squeezing. Zero them first."
        + (_SECTIONS if several else ""),
        instrument,
        check,
        lambda text: [quantity.read_length_mm(text, "reading")],
        sections=names if several else ("",),
    )


def quick_text(settings: FlowSettings) -> str:
    """Return what is told by so small a tube, beside the whole one."""
    layer_mm, jaws = settings.layer_mm, settings.instrument_mm
    width_mm = settings.width_mm or 0.0
    mine = [
        TubeSection(section.walls, section.width_mm or width_mm, RICH_FIRST if several else 1.0)
        for section in settings.sections
        for several in (section.walls > 1,)
    ]
    whole = whole_tube(width_mm / 1.2, width_mm)
    u95s = [
        NORMAL95 * foreseen_u(tube_rows(sections, layer_mm, jaws, 1.0), 1.0, Known())
        for sections in (mine, whole)
    ]
    quick, all_of_it = (f"±{100 * u95:.1f} %" for u95 in u95s)
    return f"it tells flow to about {quick}, the whole tube to {all_of_it}"
