"""A part as the options give it: its places, what they should be, its grams and minutes."""

import argparse
import os
from argparse import Namespace
from itertools import pairwise
from typing import TYPE_CHECKING, NamedTuple

from metier.core.errors import BadInput
from metier.core.line.bead import spacing_mm, wall_mm
from metier.core.measure.readings import Instrument
from metier.core.values import VALUES
from metier.formats import quantity
from metier.logbook.trials import latest_on
from metier.trials.flow.settings import FORM as FLOW
from metier.trials.flow.settings import FlowSettings, KeptDose, PrintedWalls
from metier.trials.on_bench import OnBench
from metier.trials.proof.kept import ProofPlace
from metier.words.arguments import ReadOff, length
from metier.words.missing import missing

if TYPE_CHECKING:
    from metier.formats.gcode import Sliced


class GivenPlace(NamedTuple):
    """A place as it is typed: its name, its readings, and its own expected wall, if any."""

    name: str
    readings: tuple[ReadOff, ...]
    expected_mm: float | None = None


class Expected(NamedTuple):
    """The wall that a part should have, the layer it is printed with, and where that is from;
    of a sliced file also its minutes and grams. ``cube`` is how the wall is printed, where its
    lines are known."""

    wall_mm: float | None
    layer_mm: float | None
    source: str
    minutes: float | None = None
    grams: float | None = None
    notes: tuple[str, ...] = ()
    cube: FlowSettings | None = None


def read_place(text: str) -> GivenPlace:
    """Read a place: «north=0.58», «pole=0.57/0.58:0.62» with what it should be.

    Raises:
        BadInput: it is none.
    """
    name, is_there, rest = text.partition("=")
    name = " ".join(name.split())
    if not is_there or not name or len(name) > 40 or not name.isprintable():
        raise BadInput(f"{text[:40]!r} is no place: write NAME=MM, as north=0.58 or pole=0.57/0.58")
    walls, colon, expected = rest.partition(":")
    readings = tuple(
        ReadOff(quantity.read_length_mm(part, name), part.strip()) for part in walls.split("/")
    )
    expected_mm = quantity.read_length_mm(expected, f"what {name} should be") if colon else None
    return GivenPlace(name, readings, expected_mm)


def place(text: str) -> GivenPlace:
    """Read a place on the command line."""
    try:
        return read_place(text)
    except BadInput as refusal:
        raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None


def expected_wall(options: Namespace, bench: OnBench) -> Expected:
    """Return the wall that a part should have: given, off its file, else as this bench prints.

    Raises:
        BadInput: a file that cannot be read.
    """
    of_file = _of_file(options, bench) if options.sliced else None
    layer_mm = options.layer or (of_file and of_file.layer_mm)
    if options.expect:
        wall = of_file or Expected(None, None, "")
        given = wall._replace(wall_mm=options.expect, layer_mm=layer_mm, source="as given")
        return given._replace(cube=None)
    return of_file._replace(layer_mm=layer_mm) if of_file else _as_printed(options, bench)


def _as_printed(options: Namespace, bench: OnBench) -> Expected:
    """Return the wall of so many lines as they are given, or as the newest cube was printed."""
    known = None
    for trial in latest_on(bench.book, bench.setup, "flow", 1) if bench.setup else ():
        known = FLOW.of(bench.book, trial)
    width_mm = options.width or (known and known.width_mm)
    layer_mm = options.layer or (known and known.layer_mm)
    walls = options.walls or (known and known.sections[-1].walls)
    printer = bench.chosen.printer
    model = options.line_model or (printer and printer.line_model)
    if model is None and known and known.line_model:
        model = known.line_model
    if not (width_mm and layer_mm and walls):
        return Expected(None, layer_mm, "")
    if model is None:
        if known is None or known.dose is None or known.dose.spacing_mm is None:
            return Expected(None, layer_mm, "")
        apart_mm = known.dose.spacing_mm
    else:
        apart_mm = spacing_mm(width_mm, layer_mm, model)
    lines = f"{walls} line{'s' if walls > 1 else ''}"
    source = f"{lines} of {width_mm:g} x {layer_mm:g} mm"
    flow = bench.stands("flow").in_force
    cube = FlowSettings(
        layer_mm=layer_mm,
        flow_percent=None if flow is None else VALUES["flow"].seen(flow),
        sections=(PrintedWalls(walls),),
        instrument_mm=_ANY,
        width_mm=width_mm,
        line_model=model,
    )
    wall = wall_mm(walls, apart_mm, layer_mm)
    return Expected(wall, layer_mm, source, cube=cube if flow else None)


def _of_file(options: Namespace, bench: OnBench) -> Expected:
    """Return what a sliced file says of a part: its wall where it has straight ones, its minutes
    as Metier estimates them, its grams by the roll's strand or its density."""
    from metier.core.job.cost import job_cost
    from metier.formats.gcode import diameter_of, sliced_file
    from metier.trials.flow.sliced import read_cube
    from metier.trials.takes import grams_of, motion_of

    sliced = sliced_file(options.sliced)
    diameter_mm, notes = diameter_of(None, bench.slicer_mm, sliced.said)
    motion, _ = motion_of(sliced.said, None, None)
    limit = bench.stands("limit").in_force
    cost = job_cost(sliced.moves, diameter_mm, motion, [limit] if limit else [])
    time_s = cost.limits[0].time_s if cost.limits else cost.time_s
    mass = grams_of(bench, cost.filament_mm, cost.volume_mm3)
    wall, layer, printed = None, _layer_mm(sliced), None
    try:
        cube = read_cube(options.sliced, bench, None, width_mm=options.width, flow=None)
        walls, target, _ = cube.sections[0]
        wall, layer = target.wall_should_measure_mm, walls.layer_mm
        flow = target.flow or bench.stands("flow").in_force
        printed = FlowSettings(
            layer_mm=layer,
            flow_percent=None if flow is None else VALUES["flow"].seen(flow),
            sections=(PrintedWalls(walls.walls),),
            instrument_mm=_ANY,
            width_mm=cube.width_mm,
            dose=KeptDose(walls.dosed_area_mm2, target.line_distance_mm, "file"),
        )
    except BadInput as refusal:
        if not options.expect:
            notes = (*notes, f"its walls tell nothing of what they should be: {refusal}")
    name = os.path.basename(options.sliced)
    grams = mass and mass.grams
    return Expected(wall, layer, f"as in {name}", time_s / 60, grams, notes, printed)


# What walls are measured with is settled apart from how they are printed.
_ANY = Instrument(0.0, 0.0, 0.0)


def _layer_mm(sliced: "Sliced") -> float | None:
    """Return the layer height of most of a file; None where it has no layers."""
    from statistics import median

    from metier.core.job.layers import layers_of

    try:
        tops = layers_of(sliced.moves).tops_mm.tolist()
    except BadInput:
        return None
    steps = [above - below for below, above in pairwise(tops)]
    return round(median(steps), 4) if steps else None


def with_expected(
    places: tuple[GivenPlace, ...], expected: Expected, part: str
) -> tuple[ProofPlace, ...]:
    """Return places with what each should be.

    Raises:
        Missing: one that nobody knows.
    """
    walled = []
    for place in places:
        wall = place.expected_mm or expected.wall_mm
        if wall is None:
            of_file = "" if expected.source else "; or --sliced FILE"
            hint = f" (or with a place: {place.name}={place.readings[0].text}:0.45{of_file})"
            if expected.source:
                hint = f"; the file does not tell{hint}"
            meaning = f"the wall that {part} should have, in mm"
            raise missing("--expect", meaning, length, hint)
        walled.append(ProofPlace(place.name, wall, len(place.readings)))
    return tuple(walled)
