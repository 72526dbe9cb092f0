"""The flow and sections that a print is planned with, and what walls are asked for."""

from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.posterior import NOTHING_KNOWN, Known
from metier.core.flow.settling import foreseen_u95, rich
from metier.core.flow.trials import PRINT_SCATTER, DosedWall
from metier.core.line.bead import spacing_mm, wall_mm
from metier.core.measure.readings import refuse_slip
from metier.core.values import LineModel
from metier.formats import quantity
from metier.trials.flow.given import readings_by_walls
from metier.trials.flow.settings import WHOLE_SECTIONS, FlowSettings, PrintedWalls, lines_text
from metier.trials.table import Seeking
from metier.words.missing import Asked


def asked_model(options: Namespace, width_mm: float, layer_mm: float) -> LineModel | None:
    """Ask for the line model where somebody sits at a terminal: it decides flow by a tenth."""
    from metier.words.missing import may_ask

    if not may_ask(options.json):
        return None
    from metier.words.question import ask_line_model

    return ask_line_model(width_mm, layer_mm)


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
    several = max((section.walls for section in sections), default=1) > 1
    if options.plan and options.flow is None and several:
        estimate = stands.value or stands.in_force or 1.0
        chosen = rich(estimate, stands.trials > 0)
        return SlicedAt(chosen, "chosen for this print", (), True, stands.in_force)
    if options.flow is None and options.dose and stands.in_force is None and not plan:
        return SlicedAt(None, "not known, but the dose is", (), False, None)
    used = bench.in_use("flow", options.flow, "--flow", plan and plan.flow)
    return SlicedAt(*used, False, used.value)


def counted(options: Namespace, sections: tuple[PrintedWalls, ...]) -> tuple[PrintedWalls, ...]:
    """Return sections with how many of the readings given are of each."""
    if options.file and any(section.flow_percent for section in sections):
        raise BadInput("--from cannot tell sections of several flows apart: --read once for each")
    if options.file:
        return _sections_of_file(options.file) or sections
    if len(sections) == 1 or not (options.read or options.side):
        return sections
    taken = readings_by_walls(options, sections)
    if len(taken) != len(sections):
        named = " and ".join(lines_text(section.walls) for section in sections)
        raise BadInput(f"--walls is needed before the readings of each: {named} are planned")
    return tuple(
        section._replace(readings=len(mine)) for section, mine in zip(sections, taken, strict=True)
    )


def _sections_of_file(path: str) -> tuple[PrintedWalls, ...]:
    """Return the sections that a file's column of walls tells of; none without one."""
    from metier.formats.tables import read_readings

    rows = read_readings(path)
    counts: dict[int, int] = {}
    for row in rows:
        if row.walls is not None:
            counts[row.walls] = counts.get(row.walls, 0) + 1
    return tuple(PrintedWalls(walls, count) for walls, count in counts.items())


_SIDES = ("front", "right", "back", "left")


_SECTIONS = " The lowest section comes first: let the jaws down inside to the middle of each."


def _targets_mm(settings: FlowSettings) -> list[float | None]:
    dose = settings.known_dose
    apart_mm = dose and dose.spacing_mm
    if dose and apart_mm is None:
        apart_mm = dose.area_mm2 / settings.layer_mm / (settings.flow or 1.0)
    if apart_mm is None and settings.width_mm is not None:
        model = settings.line_model or "rectangular"
        apart_mm = spacing_mm(settings.width_mm, settings.layer_mm, model)
    return [
        apart_mm and wall_mm(section.walls, apart_mm, settings.layer_mm)
        for section in settings.sections
    ]


def as_typed(settings: FlowSettings, lines: Sequence[tuple[str, str]]) -> FlowSettings:
    """Return the settings, each section with as many readings as were typed for it."""
    counted = tuple(
        section._replace(readings=sum(place.startswith(f"{section.named},") for place, _ in lines))
        for section in settings.sections
    )
    return settings._replace(sections=counted)


def ask_walls(test: str, settings: FlowSettings) -> Asked:
    """Ask for walls, going round the part, section by section where there are several."""
    instrument = settings.instrument_mm
    sections = settings.sections
    several = len(sections) > 1
    targets = _targets_mm(settings)

    def check(value_mm: float, place: str) -> None:
        for section, target_mm in zip(sections, targets, strict=True):
            mine = not several or place.startswith(section.named)
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
        sections=tuple(section.named for section in sections) if several else ("",),
    )


_UNKNOWN = Known(NOTHING_KNOWN, PRINT_SCATTER, NOTHING_KNOWN)


def quick_text(settings: FlowSettings) -> str:
    """Return what is told by so small a tube, beside the whole one."""
    mine, whole = (
        _u95(settings, counts)
        for counts in ([section.walls for section in settings.sections], WHOLE_SECTIONS)
    )
    if mine is None or whole is None:
        return "a small tube tells flow less surely than the whole one"
    return f"it tells flow to about ±{mine:.1f} %, the whole tube to ±{whole:.1f} %"


def _u95(settings: FlowSettings, counts: Sequence[int]) -> float | None:
    dose = settings.known_dose
    apart_mm = dose and dose.spacing_mm
    if apart_mm is None and settings.width_mm is not None:
        apart_mm = spacing_mm(settings.width_mm, settings.layer_mm, "rounded")
    if apart_mm is None:
        return None
    instrument, flow = settings.instrument_mm, settings.flow or 1.0
    like = DosedWall(0.0, 0.0, instrument.accuracy_mm, 1, 0.0, apart_mm, settings.layer_mm)
    return 100 * foreseen_u95(counts, like, flow, instrument, _UNKNOWN)
