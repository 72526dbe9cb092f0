"""Which speeds to print as a tube of several, so that one print tells most."""

from argparse import Namespace
from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.flow.settling import rich
from metier.core.limit.plan import ACCELERATION_MM_S2, CORNERING_MM_S, MOSTLY
from metier.core.line.bead import PrintedLine, line_for_bore
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.values import VALUES
from metier.logbook.inforce import steps_in_force
from metier.logbook.trials import Conditions, latest_on
from metier.trials.flow.settings import FORM as FLOW_FORM
from metier.trials.flow.settings import SIDE_MM, FlowSettings, PrintedWalls, TubeShape
from metier.trials.kind import Settled
from metier.trials.on_bench import OnBench, figures_of, instrument_name, needed_setup
from metier.trials.printing import part_speed

# So many speeds tell a curve from a line; the fastest is so many times the slowest.
_SPEEDS, _WIDE = 4, 6.0
# Where no limit is known: what any hot end melts.
_SAFE_MM3_S, _OF_LIMIT = 8.0, 0.9
_FASTEST_MM_S, _SLOWEST_MM_S, _STEP_MM_S = 150.0, 10.0, 5.0
_WALLS, _MOST_SPEEDS = 3, 8
_FOAMING_RICH = 1.3
_LONGEST_SIDE_MM = 150.0


def planned_tube(options: Namespace, bench: OnBench) -> Settled[FlowSettings]:
    """Return the tube to print: sections alike in all but their speed.

    Raises:
        BadInput: speeds that do not melt, are not reached, or are too few or too many.
    """
    ready = needed_setup(bench.chosen)
    known = next(
        (FLOW_FORM.of(bench.book, trial) for trial in latest_on(bench.book, ready, "flow", 1)), None
    )
    width_mm, layer_mm = line_for_bore(ready.nozzle.bore_mm)
    if known and known.width_mm:
        width_mm, layer_mm = known.width_mm, known.layer_mm
    width_mm, layer_mm = options.width or width_mm, options.layer or layer_mm
    stands = bench.stands("flow")
    estimate = stands.value or stands.in_force or 1.0
    # Of lines that foam together nobody knows how much of the surplus rises.
    walls = options.walls or (1 if ready.spool.foaming else _WALLS)
    chosen = options.flow or estimate
    if walls > 1 and not options.flow:
        # Of foaming lines the fastest grow least, and are to touch, too.
        foaming = ready.spool.foaming
        richer = _FOAMING_RICH * estimate if foaming else rich(estimate, stands.trials > 0)
        chosen = round_to(richer, 0.01)
    line = PrintedLine(width_mm, layer_mm, "rounded", chosen)
    remarks: list[str] = []
    speeds = sorted(set(options.speeds or ())) or _proposed(bench, line, remarks)
    _check(speeds)
    for speed in speeds:
        part_speed(bench, line, speed)
    side_mm = _side_mm(speeds[-1], ready.printer.accel_mm_s2 or ACCELERATION_MM_S2)
    if side_mm > SIDE_MM:
        remarks.append(f"sides of {side_mm:g} mm, so that {speeds[-1]:g} mm/s are reached on them")
    name = instrument_name(options, None)
    seen = VALUES["flow"].seen
    settings = FlowSettings(
        layer_mm,
        seen(chosen),
        tuple(PrintedWalls(walls, 0, None, speed) for speed in speeds),
        figures_of(bench.book, name, "wall", options.zero),
        width_mm,
        (known and known.line_model) or ready.printer.line_model,
        set_percent=None if stands.in_force is None else seen(stands.in_force),
        by_plan=options.flow is None,
        round_to_percent=bench.chosen.flow_step_percent,
        esteps=steps_in_force(bench.book, ready.printer),
        diameter_mm=bench.slicer_mm,
        tube=TubeShape(side_mm),
    )
    return Settled(settings, Conditions(instrument=name), tuple(remarks))


def _proposed(bench: OnBench, line: PrintedLine, remarks: list[str]) -> list[float]:
    """Return speeds spread evenly by ratio, up to what the limit lets melt."""
    limit_mm3_s = bench.stands("limit").in_force
    if limit_mm3_s is None:
        remarks.append(
            f"no limit is known: speeds go up to {_SAFE_MM3_S:g} mm³/s (metier volumetric first, "
            "for more)"
        )
    most = _OF_LIMIT * limit_mm3_s if limit_mm3_s else _SAFE_MM3_S
    top = min(_FASTEST_MM_S, round_to(line.speed_mm_s(most), _STEP_MM_S, "down"))
    top = max(top, 2 * _SLOWEST_MM_S)
    low = max(_SLOWEST_MM_S, top / _WIDE)
    ratio = (top / low) ** (1 / (_SPEEDS - 1))
    return sorted({max(5.0, round_to(low * ratio**at, _STEP_MM_S)) for at in range(_SPEEDS)})


def _check(speeds: Sequence[float]) -> None:
    if not 2 <= len(speeds) <= _MOST_SPEEDS:
        raise BadInput(f"--speeds: {len(speeds)} are given: 2 to {_MOST_SPEEDS} different ones")
    if exceeds(1.2, speeds[-1] / speeds[0]):
        raise BadInput(
            f"--speeds: {speeds[0]:g} and {speeds[-1]:g} mm/s are too near to tell apart: the "
            "fastest is to be a fifth above the slowest at least"
        )


def _side_mm(speed_mm_s: float, accel_mm_s2: float) -> float:
    """Return how long a side has to be for most of it to run at that speed."""
    ramps_mm = max(0.0, speed_mm_s**2 - CORNERING_MM_S**2) / accel_mm_s2
    side_mm = max(SIDE_MM, round_to(ramps_mm / (1 - MOSTLY), 5.0, "up"))
    if exceeds(side_mm, _LONGEST_SIDE_MM):
        raise BadInput(
            f"{speed_mm_s:g} mm/s are not reached on sides of {_LONGEST_SIDE_MM:g} mm at "
            f"{accel_mm_s2:g} mm/s²: slower --speeds"
        )
    return side_mm
