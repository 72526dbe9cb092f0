"""``metier flow``: flow from the walls of a hollow test cube."""

import argparse
from typing import Any

from metier.commands.flow_record import (
    Reckoning,
    cube_of,
    outcome_of,
    payload_of,
    record_notes,
    suspicions,
)
from metier.commands.flow_sheet import flow_sheet
from metier.commands.on_bench import OnBench, bench_phrase, figures_of
from metier.commands.options import (
    Answer,
    Parser,
    add_entry_options,
    command_parser,
    existing_logbook,
    flow,
    length,
    percent,
    piped_or_typed,
    reading,
    signed_length,
    speed,
    walls,
)
from metier.commands.picture import check_picture, drawing
from metier.commands.planning import (
    add_plan_options,
    instrument_name,
    measured,
    planned,
    planned_bench,
)
from metier.core.bead import LINE_MODELS
from metier.core.cube import Cube
from metier.core.flow import ACCEPT, RULES
from metier.core.readings import Instrument
from metier.core.refusal import Refusal
from metier.core.slips import refuse_slip
from metier.logbook.book import Logbook
from metier.logbook.inforce import steps_in_force
from metier.logbook.machines import set_printer
from metier.logbook.trials import Conditions, Reading, Trial, latest_on
from metier.show.values import value_text

# How many cubes before are looked at: for the trend, and for the table of trials so far.
MOST_EARLIER = 5
# What a cube is printed with; taken from the trial before when not given.
_CUBE_SETTINGS = {
    "width_mm": ("--width", "the line width the slicer printed with, in mm"),
    "walls": ("--walls", "how many lines a wall has"),
    "layer_mm": ("--layer", "the layer height, in mm"),
}

# What a line width is compared with for slips while no nozzle is known.
_COMMON_BORE_MM = 0.5


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "flow",
        "Correct the flow from the wall thickness of a hollow cube (no top, no infill). Flow is "
        "percent; 0.93x is a multiplier and means the same.",
        "  metier flow --width 0.44 --walls 1 --layer 0.2 --flow 100 \\\n"
        "    --side 0.47 0.49 --side 0.48 0.46 --side 0.47 0.48 --side 0.47 0.46",
    )
    ways = parser.add_argument_group("the wall readings, in mm (one of these)")
    ways.add_argument(
        "--read", nargs="+", action="extend", type=reading, metavar="MM", help="all round"
    )
    ways.add_argument(
        "--side",
        nargs="+",
        action="append",
        type=reading,
        metavar="MM",
        help="readings of one side; repeat it, every side counts alike",
    )
    ways.add_argument("--from", dest="file", metavar="FILE.csv", help="columns reading and side")
    cube = parser.add_argument_group("how the cube was printed")
    cube.add_argument("--width", type=length, metavar="MM", help="line width")
    cube.add_argument("--walls", type=walls, metavar="N", help="lines a wall")
    cube.add_argument("--layer", type=length, metavar="MM", help="layer height")
    cube.add_argument(
        "--flow", type=flow, metavar="PERCENT", help="flow it was printed at (93 or 0.93x)"
    )
    cube.add_argument(
        "--line-model", choices=LINE_MODELS, help="how the slicer doses a line (plain)"
    )
    cube.add_argument("--speed", type=speed, metavar="MM/S", help="print speed of the walls")
    cube.add_argument("--sliced", metavar="FILE", help="or take all that from the sliced file")
    how = parser.add_argument_group("how to reckon")
    how.add_argument(
        "--rule",
        choices=RULES,
        help="bead geometry, the plain ratio, or the trend of several cubes",
    )
    how.add_argument(
        "--aim", type=length, metavar="MM", help="wall wanted, instead of the line model's"
    )
    how.add_argument(
        "--accept",
        nargs=2,
        type=percent,
        metavar=("LOW", "HIGH"),
        help="deviation kept, percent (-2.5 4.5)",
    )
    how.add_argument(
        "--round",
        choices=("nearest", "down", "up"),
        help="of the value to type (nearest)",
    )
    how.add_argument("--round-to", type=percent, metavar="PERCENT", help="step of flow (1)")
    how.add_argument(
        "--instrument", metavar="NAME", help="calipers (default), micrometer or your own"
    )
    how.add_argument("--zero", type=signed_length, metavar="MM", help="what it shows when closed")
    parser.add_argument("--plot", metavar="FILE", help="draw the cubes so far: png, svg or pdf")
    add_plan_options(parser)
    add_entry_options(parser)
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier flow``."""
    way = _way(options)
    check_picture(options)
    with existing_logbook(options) as book:
        here, plan = planned_bench(book, options, "flow")
        ready = here.setup
        from_file: tuple[str, ...] = ()
        if options.sliced:
            from metier.commands.sliced_cube import fill_from_file

            from_file = fill_from_file(options, here, plan)
        earlier = latest_on(book, ready, "flow", MOST_EARLIER) if ready else []
        used = here.in_use("flow", options.flow, "--flow", plan and cube_of(plan.settings).flow)
        cube, taken = _cube(options, here, earlier, plan, used.value)
        conditions = Conditions(
            speed_mm_s=options.speed or (plan and plan.conditions.speed_mm_s),
            instrument=instrument_name(options, plan),
        )
        instrument = figures_of(book, instrument_name(options, plan), "wall", options.zero)
        steps = steps_in_force(book, ready.printer) if ready else None
        reckoning = _reckoning(options, here, plan, cube, instrument, steps)
        if options.plan:
            return planned(here, "flow", reckoning.settings(), conditions, _recipe(here, reckoning))
        entry = None
        if way:
            readings = _readings(options, way)
        else:
            from metier.commands.asking import ask_walls

            entry = ask_walls(options, cube, instrument)
            readings = entry.readings()
        like = (
            [
                trial
                for trial in earlier
                if reckoning.comparable(trial, conditions.speed_mm_s, ready)
            ]
            if ready
            else []
        )
        finding = reckoning.judge(readings, like, ready and ready.spool)
        suspected = suspicions(here, finding)
        if suspected:
            verdict = finding.verdict
            remedies = (*suspected, *verdict.remedies)
            finding = finding._replace(verdict=verdict._replace(remedies=remedies))
        extra = record_notes(here, reckoning, conditions.speed_mm_s, earlier, finding)
        notes = (*from_file, *used.notes, *extra, *finding.notes)
        payload = payload_of(finding, cube, notes)
        number = measured(
            here,
            "flow",
            reckoning.settings(),
            conditions,
            readings,
            payload,
            [outcome_of(finding)],
            plan,
        )
        _remember_line_model(options, here)
        if entry:
            entry.recorded()
        if options.plot:
            _plot(options.plot, book, here, like, number, payload, reckoning, readings)
        text = flow_sheet(
            here,
            used,
            cube,
            taken,
            finding,
            notes,
            number,
            readings,
            earlier=like,
            model_known=_model_known(options, here),
        )
        return Answer({"trial": number, **payload}, text)


def _way(options: argparse.Namespace) -> str | None:
    """Return how the readings are given; None when they are typed or piped in."""
    ways = [way for way in ("read", "side", "file") if getattr(options, way)]
    if len(ways) > 1:
        raise Refusal("give the readings in one way only: --read, --side or --from")
    if options.plan:
        if ways:
            raise Refusal("--plan is for a cube that is not measured yet: leave the readings out")
        return "plan"
    if not ways and not piped_or_typed():
        raise Refusal("no readings: give --read, --side or --from FILE.csv, or type them in")
    return ways[0] if ways else None


def _readings(options: argparse.Namespace, way: str) -> list[Reading]:
    if way == "file":
        from metier.formats.readings_csv import read_readings

        return [Reading(*found) for found in read_readings(options.file)]
    sides = options.side or [options.read]
    named = [f"side {n}" for n in range(1, len(sides) + 1)] if options.side else [""]
    return [
        Reading(name, one.value_mm, one.text)
        for name, side in zip(named, sides, strict=True)
        for one in side
    ]


def _plot(
    path: str,
    book: Logbook,
    here: OnBench,
    like: list[Trial],
    number: int | None,
    payload: dict[str, Any],
    reckoning: Reckoning,
    readings: list[Reading],
) -> None:
    """Draw this cube after those like it, recorded or not."""
    from metier.commands.wall_plot import plot_trials

    title = "Walls of the test cubes"
    if here.setup:
        title += f": {bench_phrase(here.setup)}"
    this = Trial(
        *(number or 0, "flow", "measured", "", "", "", "", None),
        Conditions(),
        reckoning.settings(),
        payload,
        payload["verdict"],
    )
    with drawing(number):
        plot_trials(path, title, book, like[::-1], (this, readings))


def _recipe(here: OnBench, reckoning: Reckoning) -> list[tuple[str, str]]:
    cube = reckoning.cube
    return [
        ("print", "a hollow cube: no top, no infill, a few centimetres wide"),
        ("walls", f"{cube.walls} line{'s' if cube.walls > 1 else ''} a wall"),
        ("line", f"{cube.width_mm:g} mm wide, {cube.layer_mm:g} mm high"),
        ("flow", value_text("flow", cube.flow, here.writing)),
        ("wall", f"should then measure {cube.target_mm():.3f} mm ({cube.line_model})"),
    ]


def _reckoning(
    options: argparse.Namespace,
    here: OnBench,
    plan: Trial | None,
    cube: Cube,
    instrument: Instrument,
    steps: float | None,
) -> Reckoning:
    """Return how to reckon: as given, else as planned, else as usual."""
    usual = Reckoning(
        cube, "bead", ACCEPT, here.bench.flow_step_percent / 100, "nearest", instrument, steps
    )
    if plan:
        usual = Reckoning.of(plan.settings)._replace(cube=cube, instrument=instrument, esteps=steps)
    if options.accept is not None:
        low, high = options.accept
        if not -50 <= low <= 0 <= high <= 50:
            raise Refusal(
                f"--accept: {low:g} {high:g} must be a LOW from -50 to 0 and a HIGH from 0 to 50"
            )
        usual = usual._replace(accept=(low / 100, high / 100))
    if options.round_to is not None:
        if not 0.01 <= options.round_to <= 10:
            raise Refusal(f"--round-to: {options.round_to:g} must be from 0.01 to 10 percent")
        usual = usual._replace(round_step=options.round_to / 100)
    return usual._replace(rule=options.rule or usual.rule, rounding=options.round or usual.rounding)


def _cube(
    options: argparse.Namespace,
    here: OnBench,
    earlier: list[Trial],
    plan: Trial | None,
    flow_now: float,
) -> tuple[Cube, str]:
    """Return the cube, and which of its settings came from the logbook."""
    known = plan or (earlier[0] if earlier else None)
    values, taken = {}, []
    for name, (option, meaning) in _CUBE_SETTINGS.items():
        values[name] = getattr(options, option[2:])
        if values[name] is None and known:
            values[name] = known.settings[name]
            taken.append(option[2:])
        if values[name] is None:
            raise Refusal(f"{option} is needed: {meaning}")
    which = "all" if len(taken) == len(_CUBE_SETTINGS) else " and ".join(taken)
    where = "planned" if plan else f"in trial {known.number if known else ''}"
    remark = f"{which} as {where}" if taken else ""
    bore_mm = here.setup.nozzle.bore_mm if here.setup else _COMMON_BORE_MM
    refuse_slip(values["width_mm"], bore_mm, "line width")
    printer = here.bench.printer
    planned_model = plan.settings["line_model"] if plan else None
    model = options.line_model or planned_model or (printer and printer.line_model) or "plain"
    aim_mm = options.aim or (plan and plan.settings["aim_mm"])
    return Cube(**values, flow=flow_now, line_model=model, aim_mm=aim_mm), remark


def _model_known(options: argparse.Namespace, here: OnBench) -> bool:
    return bool(options.line_model or (here.bench.printer and here.bench.printer.line_model))


def _remember_line_model(options: argparse.Namespace, here: OnBench) -> None:
    if here.setup and options.line_model not in (None, here.setup.printer.line_model):
        with here.book.transaction():
            set_printer(here.book, here.setup.printer, line_model=options.line_model)
