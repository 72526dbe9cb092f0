"""``metier undo``: take back the last thing done, or withdraw a trial; it is kept, marked."""

from argparse import Namespace
from collections.abc import Mapping

from metier.core.errors import BadInput
from metier.logbook.book import Logbook
from metier.logbook.recording import bring_back, plan_again, withdraw
from metier.logbook.trials import trial
from metier.logbook.undoing import TakenBack, last_done, take_back_moment
from metier.show.figures import numbers_text, proposed, short_date
from metier.show.sheet import wrapped
from metier.trials.facts import facts, trials_at
from metier.trials.judging import judge_after, judge_mended
from metier.words.arguments import option, trial_number
from metier.words.missing import may_ask
from metier.words.parser import Answer, Parser, command_parser, existing_logbook
from metier.words.question import said_firmly

_NEXT = "Next: metier profile shows what is in force without it."


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "undo",
        "Take back the last thing done, whatever it was: a trial, an entry, a change, a zero, a "
        "roll. With a number, withdraw that trial: it is kept and marked, but no longer counts "
        "for anything.",
        "  metier undo\n  metier undo 3\n  metier undo --redo 3",
    )
    option(parser, "number N", read=trial_number, nargs="?")
    option(parser, "--redo N", "let a withdrawn trial count again", trial_number)
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier undo``."""
    if options.redo and options.number:
        raise BadInput("undo a trial or --redo one, not both at once")
    with existing_logbook(options.logbook) as book:
        if options.redo:
            return _brought_back(book, options.redo)
        if options.number:
            return _withdrawn(book, options.number)
        return _last(book, options)


def _brought_back(book: Logbook, number: int) -> Answer:
    with book.transaction():
        state = bring_back(book, number)
        anew = judge_after(book, number)
    payload = {"trial": number, "state": state, "judged_anew": anew}
    return Answer(payload, f"Trial {number} counts again.{_anew(anew)}")


def _withdrawn(book: Logbook, number: int) -> Answer:
    with book.transaction():
        withdraw(book, number)
        kept = plan_again(book, number)
        anew = judge_after(book, kept or number)
    recorded = trial(book, kept or number)
    said = (
        f"Withdrew trial {number}: {recorded.test} of {recorded.spool}, "
        f"{short_date(recorded.at)}. It stays in metier history, marked."
    )
    text = "\n".join(wrapped(said, "", "  ")) + _anew(anew)
    payload = {"trial": recorded.number, "state": recorded.state, "judged_anew": anew}
    return _with_waiting(book, Answer(payload, text), {number: kept} if kept else {})


def _with_waiting(book: Logbook, answer: Answer, waiting: Mapping[int, int]) -> Answer:
    """Say which plans wait again, and where what was measured of them is kept."""
    if not waiting:
        return answer.with_line(_NEXT)
    lines = []
    for number, kept in waiting.items():
        said = f"Trial {number} waits again; what was measured is trial {kept} now, withdrawn."
        command = proposed(trial(book, number).test, "--trial", str(number))
        lines += [*wrapped(said, "", "  "), f"Next: measure it again: {command}"]
    return Answer({**(answer.payload or {}), "waits": list(waiting)}, answer.text).with_line(
        "\n".join(lines)
    )


def _last(book: Logbook, options: Namespace) -> Answer:
    done = last_done(book)
    if done is None:
        raise BadInput("there is nothing to take back")
    words = _words(book, done)
    named = "; ".join(words)
    question = "\n".join(wrapped(f"Take back: {named}?", "", "  "))
    if may_ask(options.json) and not said_firmly(question):
        return Answer({}, "Nothing was taken back.")
    with book.transaction():
        # Another process may have done something meanwhile.
        if last_done(book) != done:
            raise BadInput("something else was done meanwhile: say metier undo again")
        taken = take_back_moment(book, done)
        anew = _judged_anew(book, taken)
    number = taken.withdrawn[0] if taken.withdrawn else None
    stays = " It stays in metier history, marked." if taken.withdrawn else ""
    said = "\n".join(wrapped(f"Took back: {named}.{stays}", "", "  "))
    payload: dict[str, object] = {"taken_back": words, "trial": number, "judged_anew": anew}
    if number:
        payload["state"] = trial(book, number).state
    return _with_waiting(book, Answer(payload, f"{said}{_anew(anew)}"), taken.waiting)


def _words(book: Logbook, done: int) -> list[str]:
    """Name what was done at a moment, with the roll it was done with."""
    other = [fact.words for fact in facts(book, done, done)]
    return [*trials_at(book, done), *other] or ["something that left no trace"]


def _judged_anew(book: Logbook, taken: TakenBack) -> list[int]:
    anew = set(judge_mended(book, set(taken.mended)))
    for number in taken.withdrawn:
        anew |= set(judge_after(book, number))
    return sorted(anew)


def _anew(numbers: list[int]) -> str:
    """Say which trials were judged anew, since it bears on them."""
    if not numbers:
        return ""
    text = f"Judged anew, since it bears on them: trials {numbers_text(numbers)}."
    return "\n".join(["", *wrapped(text, "", "  ")])
