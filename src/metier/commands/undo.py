"""``metier undo``: withdraw a trial; it is kept, marked, not counted."""

import argparse

from metier.core.refusal import Refusal
from metier.logbook.recording import bring_back, withdraw
from metier.logbook.trials import trial
from metier.show.figures import short_date
from metier.trials.reading_back import judge_after
from metier.words.arguments import trial_number
from metier.words.parser import Answer, Parser, command_parser, existing_logbook


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "undo",
        "Withdraw a trial that went wrong, by default the newest: it is kept and marked, but no "
        "longer counts for anything.",
        "  metier undo 3\n  metier undo --redo 3",
    )
    parser.add_argument("number", nargs="?", type=trial_number, metavar="N")
    parser.add_argument(
        "--redo", type=trial_number, metavar="N", help="let a withdrawn trial count again"
    )
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier undo``."""
    if options.redo and options.number:
        raise Refusal("undo a trial or --redo one, not both at once")
    with existing_logbook(options.logbook) as book:
        if options.redo:
            with book.transaction():
                state = bring_back(book, options.redo)
                anew = judge_after(book, options.redo)
            text = f"Trial {options.redo} counts again.{_anew(anew)}"
            payload = {"trial": options.redo, "state": state, "judged_anew": anew}
            return Answer(payload, text)
        with book.transaction():
            number = withdraw(book, options.number)
            anew = judge_after(book, number)
        found = trial(book, number)
        text = (
            f"Withdrew trial {number}: {found.test} of {short_date(found.at)}. It stays in "
            f"metier history, marked.{_anew(anew)}\nNext: metier profile shows what is in force "
            "without it."
        )
        return Answer({"trial": number, "state": found.state, "judged_anew": anew}, text)


def _anew(numbers: list[int]) -> str:
    """Say which trials were judged anew, since it bears on them."""
    if not numbers:
        return ""
    return f"\nJudged anew, since it bears on them: trials {', '.join(map(str, numbers[:12]))}."
