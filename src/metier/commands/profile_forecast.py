"""What prints should measure by the values in force: ``metier profile --forecast``."""

import math
from argparse import Namespace
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.fit.plate import Foreseen, PlateTold, hole_measures, outline_measures
from metier.core.flow.answer import answer
from metier.core.flow.rows import DosedWall
from metier.core.flow.settling import Forecast, forecast
from metier.core.job.layers import layers_of, lines_of_layer
from metier.core.job.outer import OuterLoop, outer_loops
from metier.formats.gcode import Sliced, diameter_of, read_notes, sliced_file
from metier.logbook.trials import latest_on
from metier.show.figures import with_u95
from metier.show.sheet import Sheet, table
from metier.trials.flow.judging import context_of, known_of
from metier.trials.flow.settings import FORM as FLOW
from metier.trials.flow.sliced import read_cube
from metier.trials.on_bench import OnBench, bench_phrase, needed_setup, on_bench_of
from metier.trials.plate.kept import KEPT as PLATE
from metier.words.parser import Answer, existing_logbook

# Heights looked at for round things, as parts of the whole; things nearer than this are one.
_HEIGHTS = (0.25, 0.5, 0.75)


_SAME_MM = 0.1


# How many readings a wall is foreseen for, and how far round a circle has to be free.
_READINGS, _MOSTLY = 4, 0.7


# More lines side by side are solid; smaller round things are specks between lines.
_MOST_LINES, _LEAST_MM = 8, 1.2


class Round(NamedTuple):
    """A round thing in a file: where it is, its kind, and the diameter that its lines enclose."""

    kind: str
    x_mm: float
    y_mm: float
    enclosed_mm: float


def profile_forecast(options: Namespace) -> Answer:
    """Answer what a file's walls and holes should measure on this bench."""
    with existing_logbook(options.logbook) as book:
        bench = on_bench_of(book, options)
        ready = needed_setup(bench.chosen)
        sliced = sliced_file(options.forecast)
        diameter_mm, notes = diameter_of(None, bench.slicer_mm, sliced.said)
        walls, wall_notes = _walls(bench, options.forecast)
        rounds, round_notes = _rounds(bench, sliced, diameter_mm)
        if not walls and not rounds:
            lacking = "; ".join((*wall_notes, *round_notes)) or "it has neither"
            raise BadInput(f"{options.forecast}: no wall and no hole can be foreseen: {lacking}")
        said = (*read_notes(sliced.said), *notes, *wall_notes, *round_notes)
    sheet = Sheet(f"Forecast: {options.forecast}, {bench_phrase(ready)}")
    for wall in walls:
        lines = f"{wall.walls} line{'s' if wall.walls > 1 else ''}"
        sheet.row(lines, f"{with_u95(wall.wall_mm, wall.u95_mm)} mm", "a wall, measured all round")
    if rounds:
        sheet.gap()
        rows = [
            (round_.kind, str(round_.pieces), f"{round_.enclosed_mm:.2f}",
             with_u95(round_.measures_mm, round_.u95_mm))
            for round_ in rounds
        ]  # fmt: skip
        sheet.lines(*table(("", "", "by its lines", "should measure"), rows, (1, 2, 3)))
    for note in said:
        sheet.note(note)
    payload = {
        "file": options.forecast,
        "walls": [
            {"walls": wall.walls, "wall_mm": wall.wall_mm, "u95_mm": wall.u95_mm} for wall in walls
        ],
        "rounds": [round_._asdict() for round_ in rounds],
        "notes": list(said),
    }
    return Answer(payload, sheet.text())


def _walls(bench: OnBench, path: str) -> tuple[list[Forecast], tuple[str, ...]]:
    """Return what the straight walls of a file should measure, and why where that is not known."""
    assert bench.setup is not None
    newest = latest_on(bench.book, bench.setup, "flow", 1)
    if not newest:
        return [], ("no walls were measured on this bench yet: metier flow",)
    try:
        cube = read_cube(path, bench, None, width_mm=None, flow=None)
    except BadInput as refusal:
        return [], (f"walls: {refusal}",)
    (made,) = newest
    settings = FLOW.of(bench.book, made)
    context = context_of(bench, settings, made.conditions, None)
    trials = context.pooled_trials(settings)
    if not trials:
        return [], ("the walls measured here are not of this temperature or speed",)
    known_now = known_of(context, settings, trials)
    judged = answer(trials, None, settings.aim._replace(wall_mm=None), known_now)
    model = judged.joint.likelier
    known = [wall for trial in trials for wall in trial.as_walls(model)]
    rows = [row for trial in trials for row in trial.rows(model)]
    jaws = settings.instrument_mm
    ahead = []
    for section in cube.sections:
        walls, target, _ = section
        if walls.walls > _MOST_LINES:
            return [], ("it has no hollow walls: only those are foreseen",)
        apart = target.line_distance_mm or walls.dosed_area_mm2 / walls.layer_mm
        u_mm = jaws.repeatability_mm / math.sqrt(_READINGS)
        ahead.append(
            DosedWall(
                wall_mm=target.wall_should_measure_mm,
                u_mm=u_mm,
                accuracy_mm=known[-1].accuracy_mm,
                walls=walls.walls,
                area_mm2=walls.dosed_area_mm2,
                spacing_mm=apart,
                layer_mm=walls.layer_mm,
                print_number=-1,
                instrument=known[-1].instrument,
            )
        )
    return list(forecast(rows, judged, ahead, known_now)), ()


def _rounds(
    bench: OnBench, sliced: Sliced, diameter_mm: float
) -> tuple[list[Foreseen], tuple[str, ...]]:
    """Return what round holes and outlines of a file should measure."""
    assert bench.setup is not None
    newest = latest_on(bench.book, bench.setup, "xy", 1)
    if not newest:
        return [], ("no plate was measured on this bench yet: metier xy",)
    result = PLATE.of(newest[0])
    findings = newest[0].findings or {}
    sizes = [
        feature.nominal_mm
        for feature in PLATE.settings.of(bench.book, newest[0]).features
        if feature.kind == "hole"
    ]
    told = PlateTold(
        result.hole_measured_mm,
        result.hole_u95_mm or 0.0,
        findings.get("kappa_mm2") or 0.0,
        sum(1 / size for size in sizes) / len(sizes) if sizes else 0.0,
        result.contour_measured_mm,
        result.contour_u95_mm or 0.0,
        findings.get("scale") or 1.0,
    )
    counted: dict[tuple[str, float], int] = {}
    for thing in _round_things(sliced, diameter_mm):
        key = thing.kind, round(thing.enclosed_mm, 2)
        counted[key] = counted.get(key, 0) + 1
    foreseen = []
    for (kind, size), count in sorted(counted.items()):
        measures = hole_measures if kind == "hole" else outline_measures
        ahead = measures(size, told, count)
        if ahead:
            foreseen.append(ahead)
    if not counted:
        return [], ("it has no round holes or outlines",)
    return foreseen, ()


def _round_things(sliced: Sliced, diameter_mm: float) -> list[Round]:
    """Return the round holes and outlines of a file, each once, whatever its height."""
    layers = layers_of(sliced.moves)
    area_mm2 = math.pi * diameter_mm**2 / 4
    rounds: list[Round] = []
    for part in _HEIGHTS:
        number = min(len(layers.tops_mm) - 1, int(part * len(layers.tops_mm)))
        lines = lines_of_layer(sliced.moves, layers, number, area_mm2)
        for loop in outer_loops(lines):
            circle = loop.loop.circle()
            if circle is None or loop.share < _MOSTLY:
                continue
            x, y, radius = circle
            width = _width_mm(sliced, loop, lines.height_mm)
            hole = loop.hole and not loop.both
            enclosed = 2 * radius - width if hole else 2 * radius + width
            if enclosed < _LEAST_MM:
                continue
            this = Round("hole" if hole else "outline", x, y, enclosed)
            if not any(_same(this, other) for other in rounds):
                rounds.append(this)
    return rounds


def _same(ring: Round, other: Round) -> bool:
    if ring.kind != other.kind or abs(ring.enclosed_mm - other.enclosed_mm) > _SAME_MM:
        return False
    return math.hypot(ring.x_mm - other.x_mm, ring.y_mm - other.y_mm) < _SAME_MM


def _width_mm(sliced: Sliced, loop: OuterLoop, layer_mm: float) -> float:
    """Return how wide the slicer means a line: as its file says, else as it is dosed."""
    said = sliced.said.numbers.get("line width")
    return said or loop.loop.wide_mm + layer_mm * (1 - math.pi / 4)
