"""``metier demo``: the whole job on shipped data, with the real commands."""

import os
import shlex
import sys
import textwrap
from argparse import Namespace

from metier.core.errors import BadInput, Failure
from metier.demo.folder import SLICED, Shell, prepare, show_command
from metier.demo.script import CHAPTERS, DATA, LOGBOOK, PARTS, PROFILE, Step
from metier.packages import PLOTS, SOLIDS, require
from metier.show.sheet import columns
from metier.words.arguments import option
from metier.words.missing import may_ask
from metier.words.parser import Answer, Parser, command_parser
from metier.words.typed_line import typed_line

# Answers of more lines are cut.
_MOST_LINES = 8


class DemoFailure(Failure):
    """A command of the demo did not work here."""


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "demo",
        "Do the whole job on made-up data with the real commands, in a folder of its own. What an "
        "earlier demo left there is moved aside, not deleted. Your own logbook is not touched.",
        "  metier demo --folder orrery",
    )
    option(parser, "--folder DIR", "where (metier-demo)", default="metier-demo")
    option(parser, "--all", "without a pause after each chapter")
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier demo``."""
    if options.logbook:
        raise BadInput("--logbook: the demo keeps its own logbook, in its --folder")
    require((*PLOTS, *SOLIDS))
    folder = os.path.abspath(options.folder)
    prepare(folder, options.folder)
    quiet: bool = options.json
    if not quiet:
        print("The orrery workshop calibrates printer heron for a roll of filament, fern-1.")
        print(f"Everything happens in {options.folder}, with the real commands.")
        print("Long answers are cut at …: metier history N has them whole.")
    done: list[dict[str, object]] = []
    for number, chapter in enumerate(CHAPTERS, 1):
        if not quiet:
            print(f"\n{number}. {chapter.title}")
        done += [_do(step, folder, quiet) for step in chapter.steps]
        last = number == len(CHAPTERS)
        if not last and not options.all and may_ask(quiet) and not _go_on(CHAPTERS[number].title):
            return Answer(None, f"Ended here; what there is so far is in {options.folder}.")
    payload = {
        "folder": folder,
        "logbook": os.path.join(folder, LOGBOOK),
        "profile": os.path.join(folder, PROFILE),
        "steps": done,
    }
    return Answer(payload, _closing(options.folder))


def _go_on(title: str) -> bool:
    """Wait at the end of a chapter; tell whether the next is wanted."""
    print(f"\nEnter goes on to «{title}», q ends > ", end="", file=sys.stderr, flush=True)
    return typed_line().strip().lower() not in ("q", "n", "no")


def _do(step: Step, folder: str, quiet: bool) -> dict[str, object]:
    """Run one command as a user would, in a process of its own."""
    command = shlex.join(["metier", *step.words])
    if not quiet:
        print(f"\n{textwrap.fill(step.why, columns())}", end="")
        show_command(step.words)
    finished = Shell(folder, LOGBOOK).run([*step.words, *(["--json"] if quiet else [])])
    if finished.returncode != 0:
        raise DemoFailure(f"the demo stopped at: {command}")
    said = finished.stdout.decode()
    if not quiet:
        print(said if step.whole else _cut(said), end="", flush=True)
        return {}
    import json

    return {"command": command, "why": step.why, "answer": json.loads(said)}


def _cut(said: str) -> str:
    """Return the beginning of a long answer, as far as a blank line before too many."""
    lines = said.splitlines(keepends=True)
    if len(lines) <= _MOST_LINES:
        return said
    blank = [place for place in range(1, _MOST_LINES) if not lines[place].strip()]
    return "".join([*lines[: max(blank, default=_MOST_LINES)], "  …\n"])


def _closing(folder: str) -> str:
    return "\n".join(
        [
            "",
            f"All of it is in {folder}:",
            f"  {LOGBOOK}   the logbook; to go on with it yourself:",
            f"    cd {shlex.quote(folder)} && export METIER_LOGBOOK=$PWD/{LOGBOOK}",
            f"  {PROFILE}    the profile",
            f"  {', '.join(DATA)}   the readings",
            f"  {', '.join(PARTS)}   the parts",
            f"  {', '.join(SLICED)}   what was sliced",
            "Now do it yourself, with a stand-in printer that hides a truth: metier practise",
            "Your own printer: metier alone shows the job in the order it is done.",
        ]
    )
