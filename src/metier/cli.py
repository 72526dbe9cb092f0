"""The program: finds the command that is asked for, runs it, and answers for what goes wrong."""

import gc
import os
import sys
from contextlib import suppress
from importlib import import_module
from io import TextIOWrapper
from typing import NoReturn

from metier.core.refusal import Refusal
from metier.logbook.failure import LogbookFailure

# In the order of the job. A command is the module of its name in `metier.commands`.
COMMANDS = {
    "printer": "add a printer, list or change printers, note what was swapped",
    "nozzle": "add and list nozzles, note a worn one",
    "spool": "add and list rolls of filament",
    "bench": "choose printer, nozzle, spool and temperature now in use",
    "instrument": "calipers, ruler, micrometer: zero them, check them",
    "next": "the one thing to do now, or where to look for a symptom",
    "diameter": "the strand's diameter against the slicer's",
    "esteps": "steps per mm, from a marked or cut length of filament",
    "flow": "flow, from the walls of a hollow test cube",
    "volumetric": "how fast the hot end melts: the volumetric speed limit",
    "xy": "hole and contour compensation, from a plate of holes and posts",
    "fit": "mating parts and threads: where the wanted feel begins",
    "sliced": "a sliced file: its walls, its ramp, its time and plastic",
    "entered": "say what you really typed into printer or slicer",
    "profile": "every value for the bench, how sure it is, and what to type",
    "history": "the trials so far, or one of them whole",
    "reading": "mend a mistyped reading",
    "undo": "withdraw a trial that went wrong, or bring it back",
    "logbook": "where it lies; check, export and import it",
    "demo": "the whole job on shipped data, in a folder of its own",
}


def program() -> NoReturn:
    """Run a command as a process of its own."""
    status = main()
    for stream in _streams():
        with suppress(OSError, ValueError):
            stream.flush()
    # All is written and closed by now; taking the interpreter down piece by piece would only
    # cost a tenth of a command's time.
    os._exit(status)


def main(arguments: list[str] | None = None) -> int:
    """Run a command and return its exit status.

    0 for an answer, 1 when a file, a lock or a device fails, 2 for input that cannot be used.
    """
    # A command lives for an instant: looking for garbage would cost more than it frees.
    gc.disable()
    words = sys.argv[1:] if arguments is None else arguments
    for stream in _streams():
        # A terminal that cannot show ± or ³ gets a ? in its place.
        stream.reconfigure(errors="replace")
    name = words[0] if words and words[0] in COMMANDS else ""
    try:
        status = _run(name, words)
        for stream in _streams():
            stream.flush()
        return status
    except Refusal as refusal:
        return _fail(name, str(refusal), 2)
    except LogbookFailure as failure:
        return _fail(name, str(failure), 1)
    except BrokenPipeError:
        # Whoever reads has seen enough; keep the interpreter from flushing into the pipe again.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        return _fail(name, f"{error.filename or 'output'}: {error.strerror or error}", 1)
    except KeyboardInterrupt:
        return 130
    except Exception as error:
        if os.environ.get("METIER_DEBUG"):
            raise
        described = f"{type(error).__name__}: {error}".replace("\n", " ")
        return _fail(name, f"fault in Metier ({described}); METIER_DEBUG=1 shows where", 1)


def _streams() -> list[TextIOWrapper]:
    """Return standard output and error, without those that were closed from outside."""
    return [one for one in (sys.stdout, sys.stderr) if isinstance(one, TextIOWrapper)]


def _run(name: str, words: list[str]) -> int:
    if any("\udc80" <= letter <= "\udcff" for word in words for letter in word):
        raise Refusal("the command line has characters that are no text here")
    if not name:
        return _front(words)
    command = import_module(f"metier.commands.{name}")
    try:
        options = command.parser().parse_args(words[1:])
    except SystemExit as stop:
        # Only --help ends here: every other message of the parser is a refusal.
        return int(stop.code or 0)
    answer = command.run(options)
    if options.json:
        import json

        print(json.dumps(answer.payload, ensure_ascii=False, allow_nan=False))
    elif answer.text:
        print(answer.text)
    return 0


def _front(words: list[str]) -> int:
    """Answer `metier` alone, --help and --version; refuse anything else."""
    from metier.commands import front

    print(front.answer(words, COMMANDS))
    return 0


def _fail(name: str, message: str, status: int) -> int:
    one_line = " ".join(message.split())
    try:
        print(f"metier{' ' + name if name else ''}: {one_line}", file=sys.stderr)
        for stream in _streams():
            stream.flush()
    except OSError:
        pass
    return status
