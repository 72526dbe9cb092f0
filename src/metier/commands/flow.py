"""``metier flow``: flow from the walls of a hollow test cube."""

import argparse
from typing import Any

from metier.commands.flow_sheet import flow_sheet
from metier.commands.on_bench import OnBench, on_bench
from metier.commands.options import (
    Answer,
    Parser,
    command_parser,
    existing_logbook,
    flow,
    length,
    percent,
    reading,
    signed_length,
    speed,
    walls,
)
from metier.core.bead import LINE_MODELS
from metier.core.cube import Cube
from metier.core.flow import ACCEPT, RULES, FlowFinding, correct_flow, plausible_flow
from metier.core.instruments import figures
from metier.core.refusal import Refusal
from metier.core.slips import refuse_slip
from metier.core.threshold import same
from metier.logbook.machines import set_printer
from metier.logbook.trials import Conditions, Outcome, Reading, Trial, latest_on, record_trial
from metier.show.values import on_screen

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
    how = parser.add_argument_group("how to reckon")
    how.add_argument(
        "--rule", choices=RULES, default="bead", help="bead geometry, or the plain ratio"
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
        default="nearest",
        help="of the value to type (nearest)",
    )
    how.add_argument("--round-to", type=percent, metavar="PERCENT", help="step of flow (1)")
    how.add_argument(
        "--instrument", choices=("calipers", "micrometer"), default="calipers", help="(calipers)"
    )
    how.add_argument("--zero", type=signed_length, metavar="MM", help="what it shows when closed")
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier flow``."""
    readings = _readings(options)
    accept = _accept(options)
    with existing_logbook(options) as book:
        here = on_bench(book)
        earlier = latest_on(book, here.setup, "flow", 2) if here.setup else []
        used = here.in_use("flow", options.flow, "--flow")
        cube, taken = _cube(options, here, earlier, used.value)
        instrument = figures(options.instrument, "wall")
        if options.zero is not None:
            instrument = instrument._replace(zero_mm=options.zero)
        spool = here.setup.spool if here.setup else None
        finding = correct_flow(
            _by_side(readings),
            instrument,
            cube,
            rule=options.rule,
            accept=accept,
            plausible=plausible_flow(spool.foaming, spool.flexible) if spool else plausible_flow(),
            round_step=_round_step(options, here),
            rounding=options.round,
            earlier_offs_mm=_offs_mm(earlier, cube),
        )
        notes = (*used.notes, *_condition_notes(options, cube, earlier), *finding.notes)
        payload = _payload(finding, cube, notes)
        number = None
        if here.setup:
            number = record_trial(
                book,
                here.setup,
                "flow",
                settings={
                    **_settings(cube),
                    "rule": options.rule,
                    "accept_percent": [100 * bound for bound in accept],
                    "zero_mm": options.zero,
                },
                conditions=Conditions(speed_mm_s=options.speed, instrument=options.instrument),
                readings=readings,
                findings=payload,
                verdict=finding.verdict.name,
                outcomes=[
                    Outcome(
                        "flow",
                        cube.flow,
                        finding.flow_new,
                        finding.flow_new_u95,
                        finding.flow_to_type,
                    )
                ],
            )
            _remember_line_model(options, here)
        payload = {"trial": number, **payload}
        printer = here.bench.printer
        model_known = bool(options.line_model or (printer and printer.line_model))
        text = flow_sheet(here, used, cube, taken, finding, notes, number, readings, model_known)
        return Answer(payload, text)


def _readings(options: argparse.Namespace) -> list[Reading]:
    ways = [way for way in ("read", "side", "file") if getattr(options, way)]
    if len(ways) > 1:
        raise Refusal("give the readings in one way only: --read, --side or --from")
    if not ways:
        raise Refusal("no readings: give --read, --side or --from FILE.csv")
    if options.file:
        from metier.formats.readings_csv import read_readings

        return [Reading(*found) for found in read_readings(options.file)]
    sides = options.side or [options.read]
    named = [f"side {n}" for n in range(1, len(sides) + 1)] if options.side else [""]
    return [
        Reading(name, one.value_mm, one.text)
        for name, side in zip(named, sides, strict=True)
        for one in side
    ]


def _by_side(readings: list[Reading]) -> list[list[float]]:
    sides: dict[str, list[float]] = {}
    for one in readings:
        sides.setdefault(one.side, []).append(one.value_mm)
    return list(sides.values())


def _accept(options: argparse.Namespace) -> tuple[float, float]:
    if options.accept is None:
        return ACCEPT
    low, high = options.accept
    if not -50 <= low <= 0 <= high <= 50:
        raise Refusal(
            f"--accept: {low:g} {high:g} must be a LOW from -50 to 0 and a HIGH from 0 to 50"
        )
    return low / 100, high / 100


def _round_step(options: argparse.Namespace, here: OnBench) -> float:
    step = here.bench.flow_step_percent if options.round_to is None else options.round_to
    if not 0.01 <= step <= 10:
        raise Refusal(f"--round-to: {step:g} must be from 0.01 to 10 percent")
    return float(step) / 100


def _cube(
    options: argparse.Namespace, here: OnBench, earlier: list[Trial], flow_now: float
) -> tuple[Cube, str]:
    """Return the cube, and which of its settings came from the logbook."""
    values, taken = {}, []
    for name, (option, meaning) in _CUBE_SETTINGS.items():
        values[name] = getattr(options, option[2:])
        if values[name] is None and earlier:
            values[name] = earlier[0].settings[name]
            taken.append(option[2:])
        if values[name] is None:
            raise Refusal(f"{option} is needed: {meaning}")
    which = "all" if len(taken) == len(_CUBE_SETTINGS) else " and ".join(taken)
    remark = f"{which} as in trial {earlier[0].number}" if taken else ""
    printer = here.bench.printer
    line_model = options.line_model or (printer and printer.line_model) or "plain"
    bore_mm = here.setup.nozzle.bore_mm if here.setup else _COMMON_BORE_MM
    refuse_slip(values["width_mm"], bore_mm, "line width")
    return Cube(**values, flow=flow_now, line_model=line_model, aim_mm=options.aim), remark


def _offs_mm(earlier: list[Trial], cube: Cube) -> list[float]:
    """Return how far earlier cubes of the same kind were off, oldest first, since one was right."""
    offs = []
    for trial in earlier:
        same_cube = all(
            trial.settings[name] == value
            for name, value in _settings(cube).items()
            if name != "flow_percent"
        )
        if not same_cube or not trial.findings or trial.verdict == "keep":
            break
        offs.append(trial.findings["wall_mm"] - trial.findings["target_mm"])
    return offs[::-1]


def _settings(cube: Cube) -> dict[str, Any]:
    """Return the cube as the logbook keeps it, flow in percent."""
    settings = cube._asdict()
    settings["flow_percent"] = on_screen("flow", settings.pop("flow"))
    return settings


def _condition_notes(options: argparse.Namespace, cube: Cube, earlier: list[Trial]) -> list[str]:
    if not earlier:
        return []
    before, notes = earlier[0], []
    speed_before = before.conditions.speed_mm_s
    if options.speed and speed_before and not same(options.speed, speed_before):
        notes.append(
            f"printed at {options.speed:g} mm/s, trial {before.number} at {speed_before:g}: "
            "another speed is another trial, the two do not compare"
        )
    if before.settings["walls"] != cube.walls:
        notes.append(
            f"{cube.walls} lines a wall, trial {before.number} had {before.settings['walls']}: "
            "the two do not compare"
        )
    return notes


def _remember_line_model(options: argparse.Namespace, here: OnBench) -> None:
    if here.setup and options.line_model not in (None, here.setup.printer.line_model):
        with here.book.transaction():
            set_printer(here.book, here.setup.printer, line_model=options.line_model)


def _payload(finding: FlowFinding, cube: Cube, notes: tuple[str, ...]) -> dict[str, Any]:
    to_type = finding.flow_to_type
    return {
        "wall_mm": finding.wall.value,
        "wall_u95_mm": finding.wall.u95,
        "target_mm": finding.target_mm,
        "targets_mm": finding.targets_mm._asdict(),
        "line_model": cube.line_model,
        "flow_now_percent": on_screen("flow", finding.flow_now),
        "flow_new_percent": 100 * finding.flow_new,
        "flow_new_u95_percent": 100 * finding.flow_new_u95,
        "flow_plain_percent": 100 * finding.flow_plain,
        "flow_under_percent": {
            model: 100 * ratio for model, ratio in finding.flow_under._asdict().items()
        },
        "flow_to_type_percent": None if to_type is None else on_screen("flow", to_type),
        "rule": finding.rule,
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
        "remedies": list(finding.verdict.remedies),
        "notes": list(notes),
    }
