"""``metier demo``: the whole job on shipped data, with the real commands."""

import os
import shlex
import textwrap
from argparse import Namespace

from metier.core.errors import BadInput, Failure
from metier.demo.folder import SLICED, Shell, prepare, show_command
from metier.demo.script import DATA, LOGBOOK, PARTS, PROFILE, STEPS, Step
from metier.packages import PLOTS, SOLIDS, require
from metier.show.sheet import WIDTH
from metier.words.arguments import option
from metier.words.parser import Answer, Parser, command_parser


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
    done = [_do(step, folder, quiet) for step in STEPS]
    payload = {
        "folder": folder,
        "logbook": os.path.join(folder, LOGBOOK),
        "profile": os.path.join(folder, PROFILE),
        "steps": done,
    }
    return Answer(payload, _closing(options.folder))


def _do(step: Step, folder: str, quiet: bool) -> dict[str, object]:
    """Run one command as a user would, in a process of its own."""
    command = shlex.join(["metier", *step.words])
    if not quiet:
        print(f"\n{textwrap.fill(step.why, WIDTH)}", end="")
        show_command(step.words)
    finished = Shell(folder, LOGBOOK).run(step.words, quiet=quiet)
    if finished.returncode != 0:
        raise DemoFailure(f"the demo stopped at: {command}")
    if not quiet:
        return {}
    import json

    return {"command": command, "why": step.why, "answer": json.loads(finished.stdout)}


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
