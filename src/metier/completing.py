"""What a shell is told while a command line is typed: commands, options, and what the logbook has
by name. Only then is any of it imported."""

import argparse
import os
import shlex
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from argcomplete.completers import FilesCompleter, SuppressCompleter
from argcomplete.finders import CompletionFinder

from metier.cli import COMMANDS, command_named
from metier.core.errors import BadInput, Failure
from metier.core.values import VALUES, typed_values
from metier.logbook.book import Logbook
from metier.logbook.items import MACHINES, listed
from metier.logbook.machines import Nozzle, Printer, Spool
from metier.logbook.trials import trials
from metier.show.figures import short_date
from metier.words.parser import existing_logbook

# A word for each thing that is offered, and what stands beside it where a shell shows that.
Offer = dict[str, str]
# No more trials than a person looks through.
_MOST_TRIALS = 40
_OF_TRIALS = ("number", "numbers", "trial", "what_if", "redo", "of", "together")


def complete() -> None:
    """Answer the shell that waits for the words that may come next, and end the process."""
    before = os.environ["COMP_LINE"][: int(os.environ["COMP_POINT"])]
    try:
        words = shlex.split(before)[1:]
    except ValueError:
        # A quotation that is still open.
        words = before.split()[1:]
    asks_help = words[:1] == ["help"]
    name = words[0] if words and words[0] in COMMANDS else ""
    if name and (len(words) > 1 or before[-1].isspace()):
        # The command is the program, for what may stand behind it.
        os.environ["_ARGCOMPLETE"] = "2"
        parser: argparse.ArgumentParser = command_named(name)[0]()
        _offer_names(parser, name)
    else:
        parser = argparse.ArgumentParser(prog="metier", add_help=False)
        parser.add_argument("command").completer = lambda **_: COMMANDS | {"help": "of a command"}  # type: ignore[attr-defined]
        if asks_help:
            os.environ["_ARGCOMPLETE"] = "2"
        else:
            parser.add_argument("--help", action="store_true", help="the job, and every command")
            parser.add_argument("--version", action="store_true")
    suppressed = SuppressCompleter()
    CompletionFinder()(parser, always_complete_options="long", default_completer=suppressed)


def _offer_names(parser: argparse.ArgumentParser, command: str, action_name: str = "") -> None:
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for each, made in action.choices.items():
                _offer_names(made, command, each)
            continue
        offer = _offer_of(action, command, action_name)
        if offer:
            action.completer = offer  # type: ignore[attr-defined]
        elif str(action.metavar or "").startswith("FILE"):
            action.completer = FilesCompleter()  # type: ignore[attr-defined]


def _offer_of(
    action: argparse.Action, command: str, action_name: str
) -> Callable[..., Offer] | None:
    """Return what offers the words of an option; None where only its person knows them."""
    named = {"fitted": "nozzle", "scale": "instrument"}.get(action.dest, action.dest)
    if action.dest == "name" and command in MACHINES and action_name != "add":
        named = command
    if action.dest in _OF_TRIALS:
        return partial(_from_logbook, _trials)
    if named in MACHINES:
        return partial(_from_logbook, partial(_items, named))
    if action.dest == "pairs":
        return lambda **_: {name: VALUES[name].also for name in typed_values()}
    return None


def _from_logbook(
    read: Callable[[Logbook], Iterator[tuple[str, str]]], parsed_args: argparse.Namespace, **_: Any
) -> Offer:
    """Offer what is in the logbook that the line names; nothing where it cannot be read."""
    try:
        with existing_logbook(getattr(parsed_args, "logbook", None)) as book:
            return dict(read(book))
    except (BadInput, Failure, OSError):
        return {}


def _items(table: str, book: Logbook) -> Iterator[tuple[str, str]]:
    if table == "printer":
        yield from ((printer.name, "printer") for printer in listed(book, Printer))
    elif table == "nozzle":
        yield from ((nozzle.name, f"{nozzle.bore_mm:g} mm") for nozzle in listed(book, Nozzle))
    elif table == "spool":
        for spool in listed(book, Spool):
            told = (spool.maker, spool.material, spool.colour)
            yield spool.name, " ".join(filter(None, told))
    else:
        from metier.core.measure.instruments import KINDS

        rows = book.connection.execute("SELECT name, kind FROM instrument WHERE retired = 0")
        yield from (dict.fromkeys(KINDS, "") | dict(rows.fetchall())).items()


def _trials(book: Logbook) -> Iterator[tuple[str, str]]:
    for trial in trials(book, _MOST_TRIALS):
        state = "" if trial.state == "measured" else f", {trial.state}"
        yield str(trial.number), f"{trial.test} of {trial.spool}, {short_date(trial.at)}{state}"
