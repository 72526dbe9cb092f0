"""``metier practise``: the whole evening with the stand-in printer, guided."""

import os
from argparse import Namespace

from metier.commands.standin import FOLDER
from metier.core.errors import BadInput
from metier.demo.folder import Shell
from metier.formats.quantity import read_count
from metier.packages import CABLE, SOLIDS, require
from metier.practise.evening import Evening, Standin, go_on, say
from metier.show.sheet import wrapped
from metier.words.arguments import option, option_reader, positive
from metier.words.parser import Answer, Parser, command_parser

LOGBOOK = "practise.sqlite"
_FAST = 3000.0
_MOST_SEED = 999_999_999


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "practise",
        "Do the whole job with a stand-in printer, which has a hidden truth: every real command "
        "is shown as it is run. Enter takes what the stand-in measures; at the end the truth is "
        "revealed. Your own logbook is not touched.",
        "  metier practise               another stand-in each time\n"
        "  metier practise --seed 7      the one with this truth",
    )
    option(parser, "--folder DIR", "where (metier-practise)", default="metier-practise")
    option(parser, "--seed N", "which one", option_reader(read_count, _MOST_SEED))
    option(parser, "--fast TIMES", f"how much faster its time goes ({_FAST:g})", positive)
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier practise``."""
    if options.logbook:
        raise BadInput("--logbook: practising keeps its own logbook, in its --folder")
    if options.json:
        raise BadInput("--json: practising is for people; the commands it runs take it")
    require((*SOLIDS, *CABLE))
    folder, left = _prepared(options.folder)
    shell = Shell(folder, LOGBOOK)
    say(
        "An evening with a stand-in printer. It speaks as a printer does, prints what is sent, and "
        "can be measured; what is true of it nobody knows but itself. "
        f"Everything happens in {options.folder}, with the real commands."
    )
    if left:
        say("An evening was left there: it goes on.")
    words = ["standin", "start", "--fast", f"{options.fast or _FAST:g}"]
    if options.seed:
        words += ["--seed", str(options.seed)]
    if os.name == "nt":
        words += ["--tcp", "0"]
    with Standin(shell, words) as standin:
        evening = Evening(shell, standin)
        _set_up(evening, standin)
        evening.take_up()
        say("From here on, metier next says what is to be done.")
        evening.go()
        say("Every value is as sure as calipers let it be. This is what to type where:")
        evening.run("profile", "--card")
        say("And what is true?")
        go_on()
        evening.run("standin", "reveal")
    return Answer({"folder": folder}, _closing(options.folder))


def _set_up(evening: Evening, standin: Standin) -> None:
    """Tell the logbook of all there is; what it knows from an evening that was left is not told
    again."""
    say("The logbook is told of the printer, a roll, and what is in use.")
    if not evening.looked_up("printer", "list")["printers"]:
        evening.run(
            *("printer", "add", "heron", "--nozzle", "0.5", "--bed", "235x235", "--accel", "1000")
        )
    if not evening.looked_up("spool", "list")["spools"]:
        evening.run("spool", "add", "fern-1", "--material", "PLA", "--bed-temperature", "60")
    evening.run("bench", "--printer", "heron", "--spool", "fern-1", "--temperature", "210")
    say("The printer is on its cable: what e-steps does it carry?")
    evening.run("cable", "set", "heron", "--port", standin.port)
    evening.run("cable", "steps")
    go_on()


def _prepared(path: str) -> tuple[str, bool]:
    """Return a folder for it, and whether an evening was left there.

    Raises:
        BadInput: something else is in it already.
        OSError: it cannot be made.
    """
    folder = os.path.abspath(path)
    os.makedirs(folder, exist_ok=True)
    held = set(os.listdir(folder))
    if held and not {FOLDER} <= held:
        raise BadInput(f"{path} is not empty: name another with --folder, or delete that")
    return folder, bool(held)


def _closing(folder: str) -> str:
    lines = wrapped(
        f"All of it is in {folder}: the logbook ({LOGBOOK}), the parts, the stand-in itself. To go "
        "on with it by hand, metier standin start in that folder, and metier cable in another "
        "terminal.",
        "",
        "",
    )
    return "\n".join(["", *lines, "", "Your own printer: metier alone shows the job in its order."])
