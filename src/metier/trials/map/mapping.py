"""Walls with the places they were printed at, and the map that they make."""

import argparse
from typing import TYPE_CHECKING, NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.surface import Place
from metier.core.measure.student import NORMAL95
from metier.formats import quantity

if TYPE_CHECKING:
    pass

from collections.abc import Sequence

from metier.core.flow.answer import Aim
from metier.core.flow.mapped import MapFinding, judge_map
from metier.core.flow.repeats import print_scatter
from metier.core.flow.rows import DosedWall
from metier.core.flow.surface import Points, fit, points_of
from metier.core.flow.trials import FlowTrial
from metier.core.measure.thresholds import exceeds
from metier.core.values import LineModel
from metier.logbook.inforce import last_doubted, steps_in_force
from metier.logbook.trials import NEWEST_MAPPED, Conditions, Reading, latest_on, readings
from metier.show.figures import numbers_text
from metier.trials.flow.earlier import as_trial
from metier.trials.flow.settings import FORM as FLOW_FORM
from metier.trials.flow.settings import FlowSettings
from metier.trials.map.kept import KEPT, FlowAtSpeed
from metier.trials.on_bench import OnBench, figures_of

_KINDS = (("flow", FLOW_FORM), ("map", KEPT.settings))


class Printed(NamedTuple):
    """A print as the calculation takes it, and where each of its sections lies on the map."""

    trial: FlowTrial
    places: tuple[Place, ...]


class KnownWalls(NamedTuple):
    """All walls that compare, with their places; ``trials`` are those they are of."""

    walls: tuple[DosedWall, ...] = ()
    places: tuple[Place, ...] = ()
    trials: tuple[int, ...] = ()
    print_scatter: float = 0.01


class MapContext(NamedTuple):
    """The prints before on this bench at known speeds, and what else bears on a map."""

    before: tuple[Printed, ...] = ()
    temperature_c: float | None = None
    line_model: LineModel | None = None
    foaming: bool = False
    flow_set: float | None = None
    number: int = 0


def context_of(bench: OnBench, before: int | None = None) -> MapContext:
    """Return what the logbook knows on a bench, as it was before a trial's number."""
    chosen = bench.chosen
    if bench.setup is None:
        return MapContext()
    since = last_doubted(bench.book, bench.setup, "flow", before)
    prints: list[tuple[int, Printed]] = []
    steps = steps_in_force(bench.book, bench.setup.printer)
    for name, form in _KINDS:
        for trial in latest_on(bench.book, bench.setup, name, NEWEST_MAPPED, before, since):
            if trial.verdict == "recheck":
                continue
            settings = form.of(bench.book, trial)
            places = places_of(settings, trial.conditions, trial.temperature_c)
            if not places:
                continue
            now = settings._replace(esteps=steps, diameter_mm=bench.slicer_mm)
            taken = readings(bench.book, trial.number)
            made = printed(trial.number, settings, now, trial.conditions, taken, bench)
            prints.append((trial.number, Printed(made, places)))
    return MapContext(
        tuple(print_ for _, print_ in sorted(prints, key=lambda pair: pair[0])),
        chosen.temperature_c,
        chosen.printer and chosen.printer.line_model,
        bench.setup.spool.foaming,
        bench.stands("flow").in_force,
        before or 0,
    )


def printed(
    number: int,
    settings: FlowSettings,
    now: FlowSettings,
    conditions: Conditions,
    taken: Sequence[Reading],
    bench: OnBench | None,
) -> FlowTrial:
    """Return a print as the calculation takes it, in the terms of today's e-steps; its jaws as
    they are known today."""
    accuracy_mm = settings.instrument_mm.accuracy_mm
    if bench and conditions.instrument:
        accuracy_mm = figures_of(bench.book, conditions.instrument, "wall").accuracy_mm
    return as_trial(
        number, settings, taken, now=now, accuracy_mm=accuracy_mm,
        instrument=conditions.instrument,
    )  # fmt: skip


def places_of(
    settings: FlowSettings, conditions: Conditions, temperature_c: float | None
) -> tuple[Place, ...]:
    """Return where a print's sections lie on the map; none where a speed is not known. A wide line
    lies where the print does: it is slower only so that as much is melted."""
    speeds = [section.speed_mm_s or conditions.speed_mm_s for section in settings.sections]
    known = [speed for speed in speeds if speed]
    if len(known) < len(speeds):
        return ()
    return tuple(Place(speed, temperature_c) for speed in known)


def walls_known(
    prints: Sequence[Printed], model: LineModel | None, layer_mm: float | None = None
) -> KnownWalls:
    """Return the walls of prints of one layer height, that of the newest where none is given."""
    if not prints:
        return KnownWalls()
    layer_mm = layer_mm or prints[-1].trial.layer_mm
    walls: list[DosedWall] = []
    places: list[Place] = []
    used: list[FlowTrial] = []
    for print_ in prints:
        if exceeds(abs(print_.trial.layer_mm - layer_mm), 0.001):
            continue
        made = print_.trial.as_walls(model)
        if made:
            used.append(print_.trial)
            walls += made
            places += print_.places
    numbers = tuple(print_.number for print_ in used)
    return KnownWalls(tuple(walls), tuple(places), numbers, _scatter(prints))


def _scatter(prints: Sequence[Printed]) -> float:
    """Return by how much prints differ, as those repeated most often at one speed and heat tell;
    what speed does is no scatter."""
    alike: dict[Place, list[FlowTrial]] = {}
    for print_ in prints:
        if len(set(print_.places)) == 1:
            alike.setdefault(print_.places[0], []).append(print_.trial)
    return print_scatter(max(alike.values(), key=len, default=[]))


def points_known(known: KnownWalls, bench: OnBench | None = None) -> Points:
    """Return walls as points of the map.

    Raises:
        BadInput: there are none, or none that count.
    """
    if not known.walls:
        there = "no walls with a known speed and dose"
        if bench and bench.setup and bench.stands("flow").status == "doubtful":
            older = [
                trial.number
                for name, _ in _KINDS
                for trial in latest_on(bench.book, bench.setup, name, NEWEST_MAPPED)
            ]
            if older:
                why = bench.stands("flow").why
                there = f"trials {numbers_text(sorted(older))} do not count: {why}"
        raise BadInput(
            f"there is nothing to map yet: {there}; plan a tube with "
            "metier map --plan --part speeds.gcode, or say --speed with a cube"
        )
    return points_of(known.walls, known.places, known.print_scatter)


def map_of(
    points: Points,
    speeds_mm_s: Sequence[float],
    temperature_c: float | None,
    flow_set: float | None,
    aim: Aim,
) -> MapFinding:
    """Return the map at one temperature, for the speeds printed where none are given."""
    if not any(place.temperature_c is not None for place in points.places):
        temperature_c = None
    elif temperature_c is None:
        heats = [place.temperature_c for place in points.places if place.temperature_c is not None]
        temperature_c = heats[-1]
    speeds = sorted(set(speeds_mm_s)) or speeds_printed(points.places)
    return judge_map(fit(points), speeds, temperature_c, flow_set, aim)


def speeds_printed(places: Sequence[Place]) -> list[float]:
    """Return the speeds printed, each once, rising."""
    return sorted({round(place.speed_mm_s, 3) for place in places})


def flow_row(bench: OnBench) -> tuple[FlowAtSpeed, ...]:
    """Return the flow that each speed printed needs at the bench's temperature; none where fewer
    than two speeds are known there, or one flow serves all."""
    context: MapContext = context_of(bench)
    known = walls_known(context.before, context.line_model)
    if len(speeds_printed(known.places)) < 2:
        return ()
    step = bench.writing.flow_step_percent / 100
    points = points_known(known)
    finding = map_of(points, (), context.temperature_c, context.flow_set, Aim(round_step=step))
    row = as_row(finding)
    return row if len({speed.flow_percent for speed in row}) > 1 else ()


def as_row(finding: MapFinding) -> tuple[FlowAtSpeed, ...]:
    """Return the row of flows of a map, in percent."""
    return tuple(
        FlowAtSpeed(
            at_speed.place.speed_mm_s,
            at_speed.place.temperature_c,
            100 * at_speed.flow,
            100 * at_speed.flow_u95,
            round(100 * typed, 9),
        )
        for at_speed, typed in zip(finding.rows, finding.to_type, strict=True)
    )


# What a flow without a ± counts as, relative.
_TAKEN_U95 = 0.03


def map_point(text: str) -> tuple[Place, float, float]:
    """Read a speed, a temperature if there is one, a flow and its ± if there is one; returns the
    place, the flow as a ratio, and its u."""
    where, is_there, flow = text.partition("=")
    speed_text, at, heat_text = where.partition("@")
    flow_text, _, u95_text = flow.partition("/")
    try:
        if not is_there:
            raise BadInput(f"{text[:30]!r}: write SPEED@TEMPERATURE=FLOW/U, as 40@230=62/2")
        speed_mm_s = quantity.read_positive(speed_text, "speed", ("mm/s",))
        heat_c = quantity.read_celsius(heat_text, "temperature") if at else None
        ratio = quantity.read_flow(flow_text, "flow")
        u95 = _TAKEN_U95 * ratio
        if u95_text:
            u95 = quantity.read_positive(u95_text, "±", ("%",)) / 100
    except BadInput as refusal:
        raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None
    return Place(speed_mm_s, heat_c), ratio, u95 / NORMAL95
