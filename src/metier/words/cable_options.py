"""Where a printer is spoken to, on the command line."""

import argparse

from metier.formats.quantity import read_count
from metier.words.arguments import small_text, typed

BAUD = 115200
_MOST_BAUD = 9_999_999

baud = typed(read_count, _MOST_BAUD)


def add_cable_options(parser: argparse.ArgumentParser) -> None:
    """Add where the printer is spoken to."""
    group = parser.add_argument_group("the printer's cable, where it is another than the set one")
    group.add_argument("--port", type=small_text, metavar="PORT", help="device or URL")
    group.add_argument("--baud", type=baud, metavar="N", help=f"speed of the line ({BAUD})")
    group.add_argument("--log", metavar="FILE", help="write down there what is sent and received")
