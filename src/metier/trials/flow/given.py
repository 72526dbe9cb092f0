"""How a cube was printed: what the options say of it, and what is known where they do not."""

import argparse
from typing import NamedTuple

from metier.core.flow.rule import ACCEPT
from metier.core.line.bead import LINE_MODELS, LineModel
from metier.core.measure.readings import Instrument
from metier.core.measure.slips import refuse_slip
from metier.core.refusal import Refusal
from metier.trials.flow.settings import FlowSettings
from metier.words.arguments import flow, length, speed, walls

# What a line width is compared with for slips while no nozzle is known.
_COMMON_BORE_MM = 0.5
# What a cube is printed with; taken from the trial before when not given.
_NEEDED = {
    "width": ("width_mm", "the line width the slicer printed with, in mm"),
    "walls": ("walls", "how many lines a wall has"),
    "layer": ("layer_mm", "the layer height, in mm"),
}


class GivenCube(NamedTuple):
    """What was given of a cube; None where nothing was. ``flow`` is a ratio."""

    width_mm: float | None
    walls: int | None
    layer_mm: float | None
    flow: float | None
    line_model: LineModel | None
    aim_mm: float | None
    speed_mm_s: float | None


def add_cube_options(parser: argparse.ArgumentParser) -> None:
    """Add what says how a cube was printed."""
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
    cube.add_argument(
        "--aim", type=length, metavar="MM", help="wall wanted, instead of the line model's"
    )
    cube.add_argument("--speed", type=speed, metavar="MM/S", help="print speed of the walls")
    cube.add_argument("--sliced", metavar="FILE", help="or take all that from the sliced file")


def given_cube(options: argparse.Namespace) -> GivenCube:
    """Return what the options say of a cube."""
    return GivenCube(
        options.width,
        options.walls,
        options.layer,
        options.flow,
        options.line_model,
        options.aim,
        options.speed,
    )


def cube_settings(
    given: GivenCube,
    known: FlowSettings | None,
    planned: FlowSettings | None,
    *,
    flow_percent: float,
    line_model: LineModel | None,
    usual_step_percent: float,
    bore_mm: float | None,
    instrument: Instrument,
    esteps: float | None,
) -> tuple[FlowSettings, str]:
    """Return the settings of a cube, and which of them were known and not given.

    ``known`` is the plan or the trial before, ``planned`` the plan alone: a cube is as wide as
    the last one, but only a plan says how to reckon. ``line_model`` is the printer's.

    Raises:
        Refusal: one that is needed is neither given nor known; names its option.
    """
    values: dict[str, float | int | None] = {}
    taken = []
    for option, (name, meaning) in _NEEDED.items():
        values[name] = getattr(given, name)
        if values[name] is None and known:
            values[name] = getattr(known, name)
            taken.append(option)
        if values[name] is None:
            raise Refusal(f"--{option} is needed: {meaning}")
    which = "all" if len(taken) == len(_NEEDED) else " and ".join(taken)
    width_mm, lines, layer_mm = values["width_mm"], values["walls"], values["layer_mm"]
    assert width_mm is not None
    assert isinstance(lines, int)
    assert layer_mm is not None
    refuse_slip(width_mm, bore_mm or _COMMON_BORE_MM, "line width")
    usual = planned or FlowSettings(
        *(width_mm, lines, layer_mm, line_model or "plain", None, flow_percent, "bead"),
        (round(100 * ACCEPT[0], 9), round(100 * ACCEPT[1], 9)),
        *(usual_step_percent, "nearest", instrument, esteps),
    )
    settings = usual._replace(
        width_mm=width_mm,
        walls=lines,
        layer_mm=layer_mm,
        line_model=given.line_model or usual.line_model,
        aim_mm=given.aim_mm or usual.aim_mm,
        flow_percent=flow_percent,
        instrument_mm=instrument,
        esteps=esteps,
    )
    return settings, which
