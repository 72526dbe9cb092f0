"""``metier reading``: mend a typo in a recorded trial; the old reading stays visible."""

from argparse import Namespace

from metier.core.errors import BadInput
from metier.logbook.trials import placed_readings, trial
from metier.show.figures import numbers_text, proposed
from metier.show.sheet import Sheet
from metier.trials.judging import amend, judge_after
from metier.trials.registry import kept_named
from metier.words.arguments import option, trial_number
from metier.words.parser import Actions, Answer, Parser, existing_logbook


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier reading", "Readings of recorded trials.")
    amending = Actions(top).add(
        "amend",
        "put another value in the place of a mistyped reading, as metier trial N --amend does",
        "  metier trial 5 --amend 2=0.54\n  metier reading amend 5 2 0.54     the same",
    )
    option(amending, "trial TRIAL", read=trial_number)
    option(amending, "position N", "which one, from 1", trial_number)
    option(amending, "value VALUE")
    return top


def run(options: Namespace) -> Answer:
    """Run ``metier reading``."""
    with existing_logbook(options.logbook) as book:
        # Looked at and mended with the lock held: another process may be mending it, too.
        with book.transaction():
            recorded = trial(book, options.trial)
            if recorded.state != "measured":
                why = f"trial {recorded.number} is {recorded.state}: it has no readings that count"
                raise BadInput(why)
            placed = placed_readings(book, recorded.number)
            old = placed.get(options.position)
            if old is None:
                why = f"trial {recorded.number} has {len(placed)} readings, none of that number"
                raise BadInput(f"{why}: metier history {recorded.number} shows them")
            new = kept_named(recorded.test).mended(old, options.value)
            judged = amend(book, recorded, options.position, new)
            anew = judge_after(book, recorded.number)
        sheet = Sheet(f"Amended: trial {recorded.number}, {recorded.test}")
        sheet.row(f"reading {options.position}", new.typed, f"was {old.typed}")
        sheet.row("verdict", judged.verdict.name, f"was {recorded.verdict}")
        if anew:
            sheet.note(f"trials {numbers_text(anew)}, which it bears on", "anew")
        sheet.next("the whole trial:", proposed("history", str(recorded.number)))
        payload = {"trial": recorded.number, "position": options.position, "was": old.typed}
        payload = {**payload, "typed": new.typed, "judged_anew": anew, **judged.payload}
        return Answer(payload, sheet.text())
