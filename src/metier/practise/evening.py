"""An evening with the stand-in, by what next says."""

import json
import os
import shlex
import subprocess
import sys
from collections.abc import Sequence
from contextlib import suppress
from types import TracebackType
from typing import Any, NamedTuple, Self

from metier.core.errors import BadInput, Failure
from metier.demo.folder import Shell, program, show_command
from metier.formats.quantity import read_length_mm
from metier.show.sheet import clean, wrapped
from metier.whole_file import write_whole


def watched() -> bool:
    """Tell whether somebody sits there who may answer; else all goes on by itself."""
    return all(stream is not None and stream.isatty() for stream in (sys.stdin, sys.stdout))


def typed(prompt: str) -> str:
    """Return the next line that is typed.

    Raises:
        KeyboardInterrupt: nobody types any more.
    """
    try:
        return input(prompt)
    except EOFError:
        raise KeyboardInterrupt from None


def say(text: str) -> None:
    """Say something, in lines of the usual width."""
    print("\n" + clean("\n".join(wrapped(text, "", ""))), flush=True)


def _check_lengths(word: str) -> None:
    """Check one length, or two parted by a stroke.

    Raises:
        BadInput: it is none.
    """
    for part in word.split("/"):
        read_length_mm(part, "reading", True)


def readings(question: str, measured: Sequence[str]) -> list[str]:
    """Ask for readings, offering those that were measured; typed ones have blanks between them."""
    shown = wrapped(f"{question}: the stand-in shows {' '.join(measured)}", "", "  ")
    print(clean("\n".join(shown)), flush=True)
    while watched():
        words = typed("Enter takes that, or type your own, with blanks between > ").split()
        try:
            for word in words:
                _check_lengths(word)
        except BadInput as refusal:
            print(f"  {clean(str(refusal))}", flush=True)
            continue
        return words or list(measured)
    return list(measured)


def go_on() -> None:
    """Wait for Enter where somebody watches."""
    if watched():
        typed("Enter goes on > ")


_STOPS_S = 10.0


class Standin:
    """A stand-in that runs as long as this is entered; ``port`` is where it listens."""

    def __init__(self, shell: Shell, words: Sequence[str]) -> None:
        show_command(words, note="        (in a terminal of its own)")
        self._shell = shell
        self._process = subprocess.Popen(
            # However this process ends, the pipe ends with it, and so does the stand-in.
            program([*words, "--json", "--until-closed"]),
            cwd=shell.folder,
            env=shell.environment,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            # Ctrl-C is meant for what is practised, not for the printer.
            start_new_session=True,
        )
        assert self._process.stdout is not None
        line = self._process.stdout.readline()
        if not line:
            self._process.wait()
            raise Failure("the stand-in printer does not start here")
        said = json.loads(line)
        self.port, self.seed = str(said["port"]), int(said["seed"])

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._process.terminate()
        with suppress(subprocess.TimeoutExpired):
            self._process.communicate(timeout=_STOPS_S)

    def measured(self, what: str) -> list[str]:
        """Return what the stand-in's calipers show, one a line; none where there is nothing."""
        finished = self._shell.run(["standin", "measure", what, "--json"])
        if finished.returncode != 0:
            return []
        return [str(load) for load in json.loads(finished.stdout)["readings"]]


# More steps than any evening has: something goes round in circles.
_MOST = 60
_REFUSED = 2
# What is left after all is a part of one's own: the stand-in has none.
_AT_THE_END = ("done", "proof")
_FED = "measure what is left"
# What is kept of an evening beside its logbook and its stand-in.
_KEPT = "evening.json"
# What is measured of the part of each kind, and what its readings are called.
_MEASURED = {
    "flow": ("walls", "A section, twice round it"),
    "volumetric": ("heights", "Heights where gaps begin, going round it"),
    "xy": ("plate", "Holes and posts, each at two angles"),
}


class Due(NamedTuple):
    """What `metier next` names: the step, why, and the command."""

    step: str
    why: str
    command: tuple[str, ...]


class Refused(Failure):
    """A command that did not take what it was given."""


class Evening:
    """One evening with one stand-in."""

    def __init__(self, shell: Shell, standin: Standin) -> None:
        self._shell, self._standin = shell, standin
        self._written = 0
        self._starts_over = False

    def go(self) -> None:
        """Do what is due until nothing is.

        Raises:
            Failure: a command does not work here, or there is no end to it.
        """
        for _ in range(_MOST):
            due = self._due()
            if due.step in _AT_THE_END:
                if due.step == "proof":
                    say("What is left is a part of your own: metier proof.")
                return
            say(f"{due.step}: {due.why}.")
            try:
                self._do(due)
                self._starts_over = False
            except Refused:
                # Whoever typed that may try again; nobody else would do any better.
                if not watched():
                    raise
                say("That was not taken: once more.")
                self._starts_over = True
            go_on()
        raise Failure(f"there is no end to it after {_MOST} steps: metier next goes on")

    def run(self, *words: str) -> None:
        """Run a command and show it.

        Raises:
            Failure: it does not work.
        """
        show_command(words)
        self._check(words, self._shell.run(words, taken=False).returncode)

    def _check(self, words: Sequence[str], status: int) -> None:
        if status == 130:
            raise KeyboardInterrupt
        stopped = f"it stopped at: {shlex.join(['metier', *words])}"
        if status == _REFUSED:
            raise Refused(stopped)
        if status != 0:
            raise Failure(stopped)

    def looked_up(self, *words: str) -> Any:
        """Return what a command answers, as JSON has it.

        Raises:
            Failure: it does not work.
        """
        finished = self._shell.run([*words, "--json"])
        self._check(words, finished.returncode)
        return json.loads(finished.stdout)

    def _due(self) -> Due:
        due = self.looked_up("next")
        return Due(due["step"], due["why"], tuple(shlex.split(due["command"]))[1:])

    def _do(self, due: Due) -> None:
        words = due.command
        if words[0] == "instrument":
            show_command(["standin", "measure", "zero"])
            zero = readings("What the closed jaws show", self._standin.measured("zero"))
            self.run(*words, *zero)
        elif words[0] == "diameter":
            show_command(["standin", "measure", "strand"])
            strand = readings("Places of the strand", self._standin.measured("strand"))
            self.run("diameter", "--read", *strand)
        elif words[:2] == ("esteps", "--feed"):
            self._feed(words)
        elif "--plan" in words:
            self._print(words)
        elif "--trial" in words:
            self._measure(words)
        else:
            if words[0] == "entered":
                say("(Now it is typed in at the slicer.)")
            self.run(*words)

    def _print(self, words: tuple[str, ...]) -> None:
        """Plan a part as G-code and print it: the stand-in has no slicer beside it."""
        self._written += 1
        name = words[words.index("--part") + 1] if "--part" in words else words[0]
        part = f"{name.rpartition('.')[0] or name}-{self._written}.gcode"
        plan = words[: words.index("--part")] if "--part" in words else words
        if words[0] == "xy":
            say("(At home your slicer slices this plate: it has the compensation.)")
        self._keep(part)
        self.run(*plan, "--part", part)
        self._print_part(part)

    def _print_part(self, part: str) -> None:
        if self._written == 1:
            say("Over the cable, line by line:")
            self.run("cable", "print", part)
        else:
            say("Off a card in the printer, for the sake of your patience:")
            self.run("standin", "print", part)
        self._keep(None)

    def _keep(self, part: str | None) -> None:
        """Write down what is to be printed, so that an evening goes on where it was left."""
        text = json.dumps({"written": self._written, "part": part})
        write_whole(os.path.join(self._shell.folder, _KEPT), text + "\n", overwrite=True)

    def take_up(self) -> None:
        """Go on where an evening was left: print what was planned and is not printed."""
        try:
            with open(os.path.join(self._shell.folder, _KEPT), encoding="utf-8") as file:
                kept = json.load(file)
            self._written, part = int(kept["written"]), kept["part"]
        except (OSError, ValueError, KeyError, TypeError):
            return
        # What was typed for it and not taken is typed anew.
        self._starts_over = True
        if part and os.path.exists(os.path.join(self._shell.folder, part)):
            self._print_part(part)

    def _measure(self, words: tuple[str, ...]) -> None:
        """Measure what is printed, each kind in its own way."""
        kind, number = words[0], words[words.index("--trial") + 1]
        what, called = _MEASURED[kind]
        shown = self._standin.measured(what)
        if kind == "volumetric" and not shown:
            say("No gaps up to its top.")
            self.run("volumetric", "--trial", number, "--clean")
        else:
            self._pipe(what, called, shown, words)

    def _pipe(self, what: str, called: str, shown: list[str], words: Sequence[str]) -> None:
        """Pipe what is measured into a test, section by section as it is read."""
        show_command(["standin", "measure", what], words)
        sections = [part.split() for part in "\n".join(shown).split("\n\n")]
        words = [*words, "--start-over"] if self._starts_over else words
        taken = [readings(called, section) for section in sections]
        piped = "\n\n".join("\n".join(section) for section in taken)
        finished = subprocess.run(
            program(words), cwd=self._shell.folder, env=self._shell.environment,
            input=f"{piped}\n", text=True, check=False,
        )  # fmt: skip
        self._check(words, finished.returncode)

    def _feed(self, words: Sequence[str]) -> None:
        """Let the guided run ask, and answer it."""
        words = [*words, "--start-over"] if self._starts_over else words
        show_command(words)
        with subprocess.Popen(
            program(words), cwd=self._shell.folder, env=self._shell.environment,
            stdin=subprocess.PIPE, stderr=subprocess.PIPE, text=True, encoding="utf-8",
        ) as process:  # fmt: skip
            assert process.stdin is not None
            assert process.stderr is not None
            for line in process.stderr:
                answer = self._answer(line.rstrip())
                if answer is not None:
                    process.stdin.write(f"{answer}\n")
                    process.stdin.flush()
        self._check(words, process.returncode)

    def _answer(self, line: str) -> str | None:
        """Return what to answer to a line of the guided run; None for what is no question."""
        if line.endswith("[y/n]"):
            question = line.removesuffix(" [y/n]").strip()
            if not watched():
                print(f"{question} y", flush=True)
                return "y"
            return "n" if typed(f"{question} [Y/n] ").lower() in ("n", "no") else "y"
        if _FED in line:
            return readings(line.strip(), self._standin.measured("left"))[0]
        if line:
            print(line, file=sys.stderr, flush=True)
        return None
