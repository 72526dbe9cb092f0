"""What a cube's readings say, in the light of the cubes and the printer that the logbook knows."""

from collections.abc import Sequence
from itertools import pairwise

from metier.core.flow.correction import FlowFinding, correct_flow, plausible_flow
from metier.core.flow.signs import drift_note, lines_apart_note
from metier.core.measure.thresholds import same
from metier.core.values import temperature_matters
from metier.logbook.trials import Conditions, Reading
from metier.trials.diameter.kept import measured_diameter
from metier.trials.flow.earlier import EarlierCube, FlowContext, offs_mm
from metier.trials.flow.settings import FlowSettings
from metier.trials.on_bench import OnBench

# How many cubes before are looked at: for the trend, and for the table of trials so far.
MOST_EARLIER = 5
# The values that a wall hangs on.
_WATCHED = ("esteps", "flow")


def context_of(
    here: OnBench, earlier: Sequence[EarlierCube], conditions: Conditions
) -> FlowContext:
    """Return what the logbook knows that bears on a cube."""
    heat = here.bench.temperature_c
    if here.setup is None:
        return FlowContext((), None, conditions.speed_mm_s, heat, (), None, None)
    spool = here.setup.spool
    strand = measured_diameter(here.book, spool)
    explained = None
    if strand and strand[1].verdict == "correct":
        explained = (
            f"the strand measures {strand[1].diameter_mm:.3f} mm where the slicer reckons with "
            f"{strand[1].slicer_mm:g}"
        )
    return FlowContext(
        tuple(earlier),
        spool,
        conditions.speed_mm_s,
        heat,
        tuple(_suspects(here, strand is not None)),
        explained,
        strand[1].flow_factor if strand else None,
    )


def _suspects(here: OnBench, strand_known: bool) -> list[str]:
    assert here.setup is not None
    nozzle, spool = here.setup.nozzle, here.setup.spool
    found = [f"nozzle {nozzle.name} is noted as worn"] if nozzle.worn else []
    for name in _WATCHED:
        now = here.stands(name)
        if now.status == "doubtful":
            found.append(f"{name} is doubtful: {now.why}")
    if not strand_known:
        found.append("the strand's diameter, never measured: metier diameter")
    if spool.flexible:
        found.append("jaws that squeeze a flexible wall: close them until they just touch")
    return found


def judge_cube(
    settings: FlowSettings, readings: Sequence[Reading], context: FlowContext
) -> FlowFinding:
    """Return the finding for a cube."""
    spool, like = context.spool, context.like(settings)
    low, high = settings.accept_percent
    finding = correct_flow(
        by_side(readings),
        settings.instrument_mm,
        settings.cube,
        rule=settings.rule,
        accept=(low / 100, high / 100),
        plausible=plausible_flow(spool.foaming, spool.flexible) if spool else plausible_flow(),
        round_step=settings.round_to_percent / 100,
        rounding=settings.round,
        earlier_offs_mm=offs_mm(like),
        earlier=[cube.as_wall() for cube in like],
    )
    verdict = finding.verdict
    if verdict.name == "recheck":
        verdict = verdict._replace(remedies=(*context.suspects, *verdict.remedies))
    notes = (
        *_conditions_notes(settings, context),
        *_lines_apart(settings, context, finding),
        *_strand(context, finding),
        *finding.notes,
        *_readings_notes(settings, readings, context, finding),
    )
    return finding._replace(verdict=verdict, notes=notes)


def by_side(readings: Sequence[Reading]) -> list[list[float]]:
    """Return the readings side by side, in the order the sides first appear."""
    sides: dict[str, list[float]] = {}
    for reading in readings:
        sides.setdefault(reading.side, []).append(reading.value_mm)
    return list(sides.values())


def _conditions_notes(settings: FlowSettings, context: FlowContext) -> list[str]:
    """Return where the conditions differ from those of the cube before."""
    if not context.earlier:
        return []
    notes, before = [], context.earlier[0]
    now, at = context.speed_mm_s, before.speed_mm_s
    if now and at and not same(now, at):
        notes.append(
            f"printed at {now:g} mm/s, trial {before.number} at {at:g}: "
            "another speed is another trial, the two do not compare"
        )
    then_c, now_c = before.temperature_c, context.temperature_c
    if temperature_matters(then_c, now_c, bool(context.spool and context.spool.foaming)):
        notes.append(
            f"printed at {now_c:g} °C, trial {before.number} at {then_c:g}: the two do not compare"
        )
    if before.settings.walls != settings.walls:
        notes.append(
            f"{settings.walls} lines a wall, trial {before.number} had "
            f"{before.settings.walls}: the two are not pooled"
        )
    if settings.steps_moved_from(before.settings):
        notes.append(
            f"e-steps changed from {before.settings.esteps:g} to {settings.esteps:g} since "
            f"trial {before.number}: the two do not compare"
        )
    return notes


def _lines_apart(settings: FlowSettings, context: FlowContext, finding: FlowFinding) -> list[str]:
    """Compare with the newest cube of another number of walls that was otherwise the same."""
    cube = settings.cube
    for before in context.earlier:
        other = before.settings.cube
        if other.walls == cube.walls or 1 not in (other.walls, cube.walls):
            continue
        if other._replace(walls=cube.walls) != cube or settings.steps_moved_from(before.settings):
            continue
        walls_mm = {other.walls: before.found.wall_mm, cube.walls: finding.wall.value}
        several = max(walls_mm)
        u95_mm = (before.found.wall_u95_mm**2 + finding.wall.u95**2) ** 0.5
        larger = cube._replace(walls=several)
        return [lines_apart_note(walls_mm[1], walls_mm[several], larger, u95_mm)]
    return []


def _strand(context: FlowContext, finding: FlowFinding) -> list[str]:
    """Say how much of the correction the strand's diameter explains."""
    if not context.strand or not context.strand_factor or finding.verdict.name != "correct":
        return []
    correction = 100 * (finding.flow_new / finding.flow_now - 1)
    explained = 100 * (context.strand_factor - 1)
    text = f"{context.strand}: that alone asks for {explained:+.1f} % of flow"
    if explained * correction < 0:
        return [f"{text} and explains nothing of the {correction:+.1f} % of this cube"]
    return [f"{text} of the {correction:+.1f} % this cube asks for; mend one of the two, not both"]


def _readings_notes(
    settings: FlowSettings, readings: Sequence[Reading], context: FlowContext, finding: FlowFinding
) -> list[str]:
    notes = []
    if _in_order_of_time(readings):
        values_mm = [reading.value_mm for reading in readings]
        drift = drift_note(values_mm, settings.instrument_mm)
        notes += [drift] if drift else []
    flexible = bool(context.spool and context.spool.flexible)
    if flexible and finding.flow_new > finding.flow_now:
        notes.append(
            "a flexible wall measures thin where the jaws squeeze it: let them just touch, and "
            "do not raise flow again and again"
        )
    return notes


def _in_order_of_time(readings: Sequence[Reading]) -> bool:
    """Tell whether readings went round the part, or all belong together; not side after side."""
    sides = [reading.side for reading in readings]
    blocks = 1 + sum(before != after for before, after in pairwise(sides))
    return len(set(sides)) == 1 or blocks > len(set(sides))
