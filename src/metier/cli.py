"""The program: finds the command that is asked for, runs it, and answers for what goes wrong."""

import gc
import os
import sys
from argparse import Namespace
from collections.abc import Callable
from functools import partial
from importlib import import_module
from io import TextIOWrapper

from metier.core.errors import BadInput, Failure
from metier.logbook.book import NOTHING_RECORDED
from metier.logbook.location import LogbookFailure
from metier.show.sheet import clean, clean_error, clean_json
from metier.words.parser import Answer, Parser, forget_opened, opened_logbooks, what_is_recorded

# In the order of the job. A command is the module of its name in `metier.commands`, or a kind of
# trial, which `metier.trials.runner` runs.
COMMANDS = {
    "setup": "the first start: printer, roll and bench, asked for one by one",
    "printer": "add a printer, list or change printers, note what was swapped",
    "nozzle": "add and list nozzles, note a worn one",
    "spool": "add and list rolls of filament",
    "bench": "choose printer, nozzle, spool and temperature now in use",
    "instrument": "calipers, ruler, micrometer, scale: zero them, check them",
    "cable": "the printer on its cable: e-steps, heat, feeding, printing",
    "part": "the printed part of a planned trial: a mesh, or ready to print",
    "next": "the one thing to do now, or where to look for a symptom",
    "diameter": "the strand's diameter against the slicer's",
    "esteps": "steps per mm, from a marked or cut length of filament",
    "heat": "temperature steps: the range that works, and the value to type",
    "flow": "flow, from the walls of a hollow test cube",
    "map": "flow by speed and temperature: which speed needs which",
    "volumetric": "how fast the hot end melts: the volumetric speed limit",
    "xy": "hole and contour compensation, from a plate of holes and posts",
    "fit": "mating parts and threads: where the wanted feel begins",
    "proof": "a real part after the cube: its walls, grams, minutes",
    "weigh": "a scale as second witness: what a print really took",
    "sliced": "a sliced file: its walls, its ramp, its time and plastic",
    "entered": "say what you really typed into printer or slicer",
    "profile": "every value for the bench, how sure it is, and what to type",
    "shelf": "every roll at a glance, by printer and nozzle",
    "drift": "values over time: trends, rolls, batches, what is due",
    "history": "the trials so far, or one of them whole",
    "trial": "mend what was said of a trial: roll, day, settings, readings",
    "reading": "mend a mistyped reading",
    "undo": "take back the last thing done, or withdraw a trial",
    "workshop": "an old notebook, or another workshop's, taken in as one file",
    "logbook": "where it lies; check, export and import it",
    "report": "one page of a bench: what to type, how sure, what it rests on",
    "label": "a label for the roll: its values, and a code that holds them",
    "completion": "what makes your shell complete commands and names",
    "demo": "the whole job on shipped data, in a folder of its own",
    "practise": "the whole job with a stand-in printer, guided",
    "standin": "a stand-in printer with a hidden truth, to practise on",
}

# What keeps all that it does in a folder of its own.
_OWN_FOLDERS = ("demo", "practise", "standin")
# What takes longer than an instant: commands, and options of the others.
_LONG = ("cable", "part", "sliced", "drift", "logbook", "report", "label", *_OWN_FOLDERS)
_LONG_OPTIONS = ("feed", "sliced", "part", "plot")


_UTF_8 = ("utf-8", "utf8")
# In the words of sysexits.h: a fault of the program's own.
_FAULT = 70


def main(arguments: list[str] | None = None) -> int:
    """Run a command and return its exit status.

    0 for an answer, 1 when a file, a lock or a device fails, 2 for input that cannot be used, 70
    for a fault in Metier itself; with METIER_DEBUG set, that is raised instead.
    """
    words = _asked_about(sys.argv[1:] if arguments is None else arguments)
    for stream in output_streams():
        # A terminal that cannot show ± or ³ gets a ? in its place.
        stream.reconfigure(errors="replace")
    name = words[0] if words and words[0] in COMMANDS else ""
    try:
        return _run(name, words)
    except BadInput as refusal:
        return _fail(name, _with_recorded(refusal), 2)
    except LogbookFailure as failure:
        return _fail(name, str(failure), 1)
    except Failure as failure:
        return _fail(name, f"{failure}{_recorded(failure)}", 1)
    except BrokenPipeError:
        # Whoever reads has seen enough; keep the interpreter from flushing into the pipe again.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        where = error.filename or "output"
        return _fail(name, f"{where}: {error.strerror or error}{_recorded(error)}", 1)
    except KeyboardInterrupt as stop:
        return _fail(name, _stopped(name, stop), 130)
    except Exception as error:
        if _interrupted(error):
            return _fail(name, _stopped(name, error), 130)
        if isinstance(error, ModuleNotFoundError):
            from metier.packages import not_installed

            lacking = not_installed(error)
            if lacking:
                return _fail(name, f"{lacking}{_recorded(error)}", 1)
        if os.environ.get("METIER_DEBUG"):
            raise
        from metier.fault import report

        damage = _damage(error)
        if damage:
            return _fail(name, damage, 1)

        return _fail(name, report(error, name), _FAULT)


def _asked_about(words: list[str]) -> list[str]:
    """Return what is asked of the help of one command, wherever the word for help stands."""
    if len(words) > 1 and words[0] in ("help", "--help", "-h") and words[1] in COMMANDS:
        command = [word for word in words[1:] if word != "all"]
        return [*command, "--help", *(["all"] if "all" in words[2:] else [])]
    return words


def _damage(error: BaseException) -> str:
    """Say what is wrong with a logbook that was opened: what looks like a fault may be that."""
    from metier.commands.logbook import damage_of

    failure = next(filter(None, map(damage_of, opened_logbooks())), "")
    return str(failure).replace(NOTHING_RECORDED, _recorded(error).strip(" ()") or NOTHING_RECORDED)


def output_streams() -> list[TextIOWrapper]:
    """Return standard output and error, without those that were closed from outside."""
    return [stream for stream in (sys.stdout, sys.stderr) if isinstance(stream, TextIOWrapper)]


def _run(name: str, words: list[str]) -> int:
    if any("\udc80" <= letter <= "\udcff" for word in words for letter in word):
        raise BadInput("the command line holds bytes that are no text in this terminal's encoding")
    if not name:
        return _front(words)
    make_parser, run = command_named(name)
    forget_opened()
    try:
        options = make_parser().parse_args(words[1:])
    except SystemExit as stop:
        # Only --help ends here: every other message of the parser is a refusal.
        return int(stop.code or 0)
    if name in _LONG or any(getattr(options, option, None) for option in _LONG_OPTIONS):
        gc.enable()
    answer = run(options)
    try:
        if options.json:
            if answer.payload is not None:
                import json

                # A stream that has not all letters is no reason for another document.
                ascii_only = str(getattr(sys.stdout, "encoding", "")).lower() not in _UTF_8
                text = json.dumps(answer.payload, ensure_ascii=ascii_only, allow_nan=False)
                print(clean_json(text))
        elif answer.text:
            print(clean(answer.text))
        for stream in output_streams():
            stream.flush()
    except OSError as error:
        error.add_note(what_is_recorded())
        raise
    return 0


def command_named(name: str) -> tuple[Callable[[], Parser], Callable[[Namespace], Answer]]:
    """Return what makes a command's parser, and what runs it; imported only now."""
    from metier.trials.registry import KINDS

    if name in KINDS:
        runner = import_module("metier.trials.runner")
        return partial(runner.parser, name), partial(runner.run, name)
    command = import_module(f"metier.commands.{name}")
    return command.parser, command.run


def _front(words: list[str]) -> int:
    """Answer `metier` alone, --help and --version; refuse anything else."""
    from metier.commands import front

    print(front.answer(words, COMMANDS))
    for stream in output_streams():
        stream.flush()
    return 0


def _interrupted(error: BaseException | None) -> bool:
    """Tell whether Ctrl-C is what went wrong: while a module is imported, Python makes other
    errors of it."""
    while error is not None:
        if isinstance(error, KeyboardInterrupt):
            return True
        error = error.__cause__ or error.__context__
    return False


def _stopped(name: str, stop: BaseException) -> str:
    """Say what is kept after Ctrl-C."""
    if name in _OWN_FOLDERS:
        return "stopped; what there is so far stays in its folder"
    return f"stopped; {_recorded(stop).strip(' ()') or what_is_recorded() or NOTHING_RECORDED}"


def _with_recorded(refusal: BadInput) -> str:
    return f"{refusal}{_recorded(refusal)}"


def _recorded(error: BaseException) -> str:
    """Say what is in the logbook, or kept, all the same, where something is."""
    notes = [note for note in getattr(error, "__notes__", ()) if note]
    told = [note for note in dict.fromkeys(notes) if note != NOTHING_RECORDED]
    return f" ({'; '.join(told)})" if told else ""


def _fail(name: str, message: str, status: int) -> int:
    try:
        if sys.stderr is not None:
            print(f"metier{' ' + name if name else ''}: {clean_error(message)}", file=sys.stderr)
        for stream in output_streams():
            stream.flush()
    except (OSError, ValueError):
        pass
    return status
