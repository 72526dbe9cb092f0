"""Where a printer is spoken to, on the command line."""

import argparse

from metier.words.arguments import baud, port

BAUD = 115200


def add_cable_options(parser: argparse.ArgumentParser) -> None:
    """Add where the printer is spoken to."""
    group = parser.add_argument_group("the printer's cable, where it is another than the set one")
    group.add_argument("--port", type=port, metavar="PORT", help="device or URL")
    group.add_argument("--baud", type=baud, metavar="N", help=f"speed of the line ({BAUD})")
    group.add_argument("--log", metavar="FILE", help="write down there what is sent and received")
