"""``metier sliced``: what a sliced file says of walls, of a ramp, and of time and plastic."""

import argparse

from metier.words.arguments import (
    flow,
    length,
    mm3_s,
    positive,
    small_text,
    trial_number,
    whole_or_zero,
)
from metier.words.parser import Actions, Answer, Parser, add_plot_options, existing_logbook


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier sliced", "Read a sliced file: plain G-code, as it goes to the printer.")
    actions = Actions(top)
    walls = actions.add(
        "walls",
        "what the walls of a test cube should measure, and whether it is sliced as planned",
        "  metier sliced walls cube.gcode --width 0.5",
    )
    _add_file_options(walls)
    walls.add_argument("--width", type=length, metavar="MM", help="line width asked for")
    walls.add_argument("--flow", type=flow, metavar="PERCENT", help="flow set in the slicer")
    walls.add_argument("--trial", type=trial_number, metavar="N", help="the plan to compare with")
    ramp = actions.add(
        "ramp", "the ramp that is in a file: its flow by height", "  metier sliced ramp ramp.gcode"
    )
    _add_file_options(ramp)
    ramp.add_argument("--accel", type=positive, metavar="MM/S2", help="acceleration")
    cost = actions.add(
        "cost",
        "time, filament, flows, and what a volumetric limit makes of them; of one or two files",
        "  metier sliced cost old.gcode new.gcode --limit 10 13",
    )
    _add_file_options(cost)
    cost.add_argument("other", nargs="?", metavar="OTHER", help="a second file to compare with")
    cost.add_argument(
        "--limit", nargs="+", type=mm3_s, metavar="Q", help="limits (else the one in force)"
    )
    cost.add_argument(
        "--flow", type=flow, metavar="PERCENT", help="of what the file extrudes (100)"
    )
    cost.add_argument(
        "--all-known", action="store_true",
        help="with every nozzle, temperature and roll that the logbook knows, best first",
    )  # fmt: skip
    cost.add_argument("--accel", type=positive, metavar="MM/S2", help="acceleration")
    cost.add_argument("--cornering", type=positive, metavar="MM/S", help="speed change at corners")
    cost.add_argument("--material", type=small_text, metavar="M", help="for its density")
    cost.add_argument("--density", type=positive, metavar="G/CM3", help="or the density itself")
    cost.add_argument("--even-looks", type=mm3_s, metavar="Q", help="where the surface changes")
    add_plot_options(cost, "draw time by flow, and flow by layer")
    for action in (walls, ramp, cost):
        action.add_argument("--tool", type=whole_or_zero, metavar="N", help="one tool head alone")
    return top


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier sliced``."""
    with existing_logbook(options.logbook) as book:
        if options.action == "walls":
            from metier.commands.sliced_walls import sliced_walls

            return sliced_walls(options, book)
        if options.action == "ramp":
            from metier.commands.sliced_ramp import sliced_ramp

            return sliced_ramp(options, book)
        from metier.commands.sliced_job import sliced_cost

        return sliced_cost(options, book)


def _add_file_options(parser: argparse.ArgumentParser) -> None:
    """Add what every look at a sliced file takes."""
    parser.add_argument("file", metavar="FILE", help="plain G-code, or packed by gzip")
    parser.add_argument(
        "--diameter", type=length, metavar="MM", help="of the filament (else the spool's, 1.75)"
    )
