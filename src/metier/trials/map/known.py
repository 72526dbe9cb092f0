"""The walls that the logbook has on a bench, each with the speed and heat it was printed at."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.points import Place
from metier.core.flow.repeats import print_scatter
from metier.core.flow.trials import FlowTrial
from metier.core.flow.walls import DosedWall
from metier.core.line.bead import LineModel
from metier.core.measure.thresholds import exceeds
from metier.logbook.inforce import last_doubted, steps_in_force
from metier.logbook.trials import Conditions, Reading, latest_on, readings
from metier.trials.flow.earlier import as_trial
from metier.trials.flow.settings import FORM as FLOW_FORM
from metier.trials.flow.settings import FlowSettings
from metier.trials.map.kept import NEWEST
from metier.trials.map.settings import FORM
from metier.trials.on_bench import OnBench, figures_of

_KINDS = (("flow", FLOW_FORM), ("map", FORM))


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


def context_of(here: OnBench, before: int | None = None) -> MapContext:
    """Return what the logbook knows on a bench, as it was before a trial's number."""
    bench = here.bench
    if here.setup is None:
        return MapContext()
    since = last_doubted(here.book, here.setup, "flow", before)
    found: list[tuple[int, Printed]] = []
    steps = steps_in_force(here.book, here.setup.printer)
    for name, form in _KINDS:
        for trial in latest_on(here.book, here.setup, name, NEWEST, before, since):
            if trial.verdict == "recheck":
                continue
            settings = form.of(here.book, trial)
            places = places_of(settings, trial.conditions, trial.temperature_c)
            if not places:
                continue
            now = settings._replace(esteps=steps, diameter_mm=here.slicer_mm)
            taken = readings(here.book, trial.number)
            made = printed(trial.number, settings, now, trial.conditions, taken, here)
            found.append((trial.number, Printed(made, places)))
    return MapContext(
        tuple(one for _, one in sorted(found, key=lambda pair: pair[0])),
        bench.temperature_c,
        bench.printer and bench.printer.line_model,
        here.setup.spool.foaming,
        here.stands("flow").in_force,
        before or 0,
    )


def printed(
    number: int,
    settings: FlowSettings,
    now: FlowSettings,
    conditions: Conditions,
    taken: Sequence[Reading],
    here: OnBench | None,
) -> FlowTrial:
    """Return a print as the calculation takes it, in the terms of today's e-steps; its jaws as
    they are known today."""
    accuracy_mm = settings.instrument_mm.accuracy_mm
    if here and conditions.instrument:
        accuracy_mm = figures_of(here.book, conditions.instrument, "wall").accuracy_mm
    return as_trial(
        number, settings, taken, now=now, accuracy_mm=accuracy_mm,
        instrument=conditions.instrument,
    )  # fmt: skip


def places_of(
    settings: FlowSettings, conditions: Conditions, temperature_c: float | None
) -> tuple[Place, ...]:
    """Return where a print's sections lie on the map; none where a speed is not known."""
    speeds = [one.speed_mm_s or conditions.speed_mm_s for one in settings.sections]
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
    for one in prints:
        if exceeds(abs(one.trial.layer_mm - layer_mm), 0.001):
            continue
        made = one.trial.as_walls(model)
        if made:
            used.append(one.trial)
            walls += made
            places += one.places
    numbers = tuple(one.number for one in used)
    return KnownWalls(tuple(walls), tuple(places), numbers, _scatter(prints))


def _scatter(prints: Sequence[Printed]) -> float:
    """Return by how much prints differ, as those repeated most often at one speed and heat tell;
    what speed does is no scatter."""
    alike: dict[Place, list[FlowTrial]] = {}
    for one in prints:
        if len(set(one.places)) == 1:
            alike.setdefault(one.places[0], []).append(one.trial)
    return print_scatter(max(alike.values(), key=len, default=[]))
