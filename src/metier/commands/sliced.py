"""``metier sliced``: a sliced file as it is."""

import argparse
from argparse import Namespace

from metier.words.arguments import (
    flow,
    length,
    line_width,
    mm3_s,
    option,
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
    option(walls, "--width MM", "line width asked for", line_width)
    option(walls, "--flow PERCENT", "flow set in the slicer", flow)
    option(walls, "--trial N", "the plan to compare with", trial_number)
    ramp = actions.add(
        "ramp", "the ramp that is in a file: its flow by height", "  metier sliced ramp ramp.gcode"
    )
    _add_file_options(ramp)
    option(ramp, "--accel MM/S2", "acceleration", positive)
    cost = actions.add(
        "cost",
        "time, filament, flows, and what a volumetric limit makes of them; of one or two files",
        "  metier sliced cost old.gcode new.gcode --limit 10 13",
    )
    _add_file_options(cost)
    option(cost, "other OTHER", "a second file to compare with", nargs="?")
    option(cost, "--limit Q …", "limits (else the one in force)", mm3_s)
    option(cost, "--flow PERCENT", "of what the file extrudes (100)", flow)
    option(cost, "--all-known", "with every nozzle, temperature and roll that the logbook knows, "
           "best first")  # fmt: skip
    option(cost, "--accel MM/S2", "acceleration", positive)
    option(cost, "--cornering MM/S", "speed change at corners", positive)
    option(cost, "--material M", "for its density", small_text)
    option(cost, "--density G/CM3", "or the density itself", positive)
    option(cost, "--even-looks Q", "where the surface changes", mm3_s)
    add_plot_options(cost, "draw time by flow, and flow by layer")
    for action in (walls, ramp, cost):
        option(action, "--tool N", "one tool head alone", whole_or_zero)
    return top


def run(options: Namespace) -> Answer:
    """Run ``metier sliced``."""
    with existing_logbook(options.logbook) as book:
        if options.action == "walls":
            from metier.commands.sliced_walls import sliced_walls

            return sliced_walls(options, book)
        if options.action == "ramp":
            from metier.commands.sliced_walls import sliced_ramp

            return sliced_ramp(options, book)
        from metier.commands.sliced_job import sliced_cost

        return sliced_cost(options, book)


def _add_file_options(parser: argparse.ArgumentParser) -> None:
    """Add what every look at a sliced file takes."""
    option(parser, "file FILE", "plain G-code, or packed by gzip")
    option(parser, "--diameter MM", "of the filament (else the spool's, 1.75)", length)
