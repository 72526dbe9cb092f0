"""``metier undo``: withdraw a trial; it is kept, marked, not counted."""

import argparse

from metier.commands.options import (
    Answer,
    Parser,
    command_parser,
    existing_logbook,
    trial_number,
)
from metier.logbook.trials import trial, withdraw
from metier.show.figures import short_date


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "undo",
        "Withdraw a trial that went wrong, by default the newest: it is kept and marked, but no "
        "longer counts for anything.",
        "  metier undo 3",
    )
    parser.add_argument("number", nargs="?", type=trial_number, metavar="N")
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier undo``."""
    with existing_logbook(options) as book:
        number = withdraw(book, options.number)
        found = trial(book, number)
        text = (
            f"Withdrew trial {number}: {found.test} of {short_date(found.at)}. It stays in "
            f"metier history, marked.\nNext: metier profile shows what is in force without it."
        )
        return Answer({"trial": number, "state": found.state}, text)
