"""A map out of walls: the one call for measuring, for showing, and for the row of a profile."""

from collections.abc import Sequence

from metier.core.flow.answer import Aim
from metier.core.flow.mapped import MapFinding, judge_map
from metier.core.flow.points import Place, Points, points_of
from metier.core.flow.surface import fit
from metier.core.refusal import Refusal
from metier.trials.map.kept import FlowAtSpeed
from metier.trials.map.known import KnownWalls, MapContext, context_of, walls_known
from metier.trials.on_bench import OnBench


def points_known(known: KnownWalls) -> Points:
    """Return walls as points of the map.

    Raises:
        Refusal: there are none.
    """
    if not known.walls:
        raise Refusal(
            "there is nothing to map yet: no walls with a known speed and dose; plan a tube with "
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
    if not any(one.temperature_c is not None for one in points.places):
        temperature_c = None
    elif temperature_c is None:
        heats = [one.temperature_c for one in points.places if one.temperature_c is not None]
        temperature_c = heats[-1]
    speeds = sorted(set(speeds_mm_s)) or speeds_printed(points.places)
    return judge_map(fit(points), speeds, temperature_c, flow_set, aim)


def speeds_printed(places: Sequence[Place]) -> list[float]:
    """Return the speeds printed, each once, rising."""
    return sorted({round(one.speed_mm_s, 3) for one in places})


def flow_row(here: OnBench) -> tuple[FlowAtSpeed, ...]:
    """Return the flow that each speed printed needs at the bench's temperature; none where fewer
    than two speeds are known there."""
    context: MapContext = context_of(here)
    known = walls_known(context.before, context.line_model)
    if len(speeds_printed(known.places)) < 2:
        return ()
    step = here.writing.flow_step_percent / 100
    points = points_known(known)
    found = map_of(points, (), context.temperature_c, context.flow_set, Aim(round_step=step))
    row = as_row(found)
    return row if len(row) > 1 else ()


def as_row(found: MapFinding) -> tuple[FlowAtSpeed, ...]:
    """Return the row of flows of a map, in percent."""
    return tuple(
        FlowAtSpeed(
            one.place.speed_mm_s,
            one.place.temperature_c,
            100 * one.flow,
            100 * one.flow_u95,
            round(100 * typed, 9),
        )
        for one, typed in zip(found.rows, found.to_type, strict=True)
    )
