"""Every example that help, README and pages show, as a person types it: piped and at a terminal.

    python -m tests.as_typed      writes what the program says to each today into as_typed.txt

Examples are typed in a workshop in which the prints of the job wait to be measured: those of one
help after one another, those that pages name each by itself. What is asked is answered as somebody
at the bench would.
"""

import argparse
import os
import pty
import re
import select
import shlex
import shutil
import sys
import tempfile
import time
import warnings
from collections.abc import Callable, Iterable, Iterator
from datetime import timedelta
from pathlib import Path
from typing import NamedTuple

from metier.cli import COMMANDS, command_named, main
from metier.commands import front
from metier.demo.slicing import SlicedLine, cube
from tests.conftest import HANGS_S, Bench, Ran, forked_child
from tests.doc_examples import PAGES, ROOT, Workbench
from tests.moment import FIRST, at

# An hour after what is there was set up.
LATER = FIRST + timedelta(hours=1)
SEEN = Path(__file__).with_suffix(".txt")
# What is to be filled in, or done by a shell: no example as it stands.
_NOT_AS_IT_STANDS = re.compile(r"\b(N|G|Q|M|S|MM|FILE|PORT|OUT|TEMPLATE|NAME|COMMAND)\b|[|$…]")
# These go on for minutes, or until they are stopped, and have tests of their own; what ports there
# are differs from machine to machine.
_BY_THEMSELVES = re.compile(r"metier (demo|practise|standin start|cable ports)\b")
_INLINE = re.compile(r"`(metier [^`]*)`")
_FENCED = re.compile(r"```(\w*)\n(.*?)```", re.DOTALL)
# Behind two blanks stands what a line is for.
_REMARK = re.compile(r"\s{2,}\S.*|, then .*")
# What a command writes must not be there, though it is what others read.
_WRITTEN = re.compile(r"(?:--part|--write|part \d|template|export) ([a-z]\S+)")


class Group(NamedTuple):
    """Examples that are typed one after the other, and the workshop in which they are."""

    begins: Callable[[Bench], None]
    commands: list[str]


def groups() -> list[Group]:
    """Return all examples, those of one help together, those that pages name each by itself."""
    pages = (*PAGES, ROOT / "docs/reliability.md", ROOT / "docs/windows.md")
    told = [*_of_help()]
    told += [Group(set_up_waiting, [line]) for page in pages for line in _named_in(page)]
    found, seen = list[Group](), set[str]()
    for group in told:
        lines = [line for line in group.commands if _as_it_stands(line)]
        if lines and not seen.issuperset(lines):
            seen.update(lines)
            found.append(group._replace(commands=lines))
    return found


def _as_it_stands(line: str) -> bool:
    named = _NOT_AS_IT_STANDS.search(line) or _BY_THEMSELVES.match(line)
    return not (named or _names_an_option(line))


def _of_help() -> Iterator[Group]:
    for name in COMMANDS:
        for parser in _parsers(command_named(name)[0]()):
            # What is added is not there yet, but for what it is added to.
            begins = {"metier nozzle add": set_up_printer}.get(parser.prog, set_up_files)
            new = parser.prog == "metier setup" or parser.prog.endswith(" add")
            yield Group(begins if new else set_up_waiting, list(_lines(parser._example)))
    for text in (front._SHORT, front._WHOLE_JOB):
        yield Group(set_up_files, list(_lines(re.sub(r"  +(?=metier )", "\n", text))))


def _parsers(parser: argparse.ArgumentParser) -> Iterator[argparse.ArgumentParser]:
    yield parser
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for each in action.choices.values():
                yield from _parsers(each)


def _named_in(page: Path) -> Iterator[str]:
    """Yield the commands that a page names, but for those whose output it shows."""
    text = page.read_text()
    for kind, block in _FENCED.findall(text):
        if kind != "console":
            yield from _lines(block)
    for command in _INLINE.findall(_FENCED.sub("", text)):
        yield " ".join(command.split())


def _names_an_option(line: str) -> bool:
    """Tell whether a command is named for its last option, without what that takes."""
    command, *words = line.split()[1:]
    if not words or not words[-1].startswith("--") or command not in COMMANDS:
        return False
    actions = [each._option_string_actions for each in _parsers(command_named(command)[0]())]
    known = [each[words[-1]] for each in actions if words[-1] in each]
    return words[-1] == "--json" or any(each.nargs != 0 for each in known)


def _lines(text: str) -> Iterator[str]:
    for line in re.sub(r"\\\n *", "", text).splitlines():
        if line.strip().startswith("metier "):
            yield _REMARK.sub("", line.strip())


class Person:
    """Somebody at a terminal who answers what is asked there."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self._command = ""
        self._given: dict[str, int] = {}
        self.asked: list[str] = []
        self.stops = False

    def __call__(self, line: str, *words: str) -> Ran:
        """Run a command as `Bench` does, but that all of it is seen on one screen."""
        self._command = " ".join([line, *words])
        with warnings.catch_warnings():
            # The child goes on with nothing but the command.
            warnings.simplefilter("ignore", DeprecationWarning)
            child, screen = pty.fork()
        if child == 0:
            with forked_child():
                os.chdir(self._bench.folder)
                os.environ.update({**self._bench.environment, "TERM": "dumb", "METIER_DEBUG": ""})
                sys.stdin, sys.stdout, sys.stderr = map(os.fdopen, range(3), "rww")
                os._exit(main([*shlex.split(line), *words]))
        text, heard, give_up = "", 0, time.monotonic() + HANGS_S
        while time.monotonic() < give_up:
            if select.select([screen], [], [], 0.05)[0]:
                try:
                    text += os.read(screen, 65536).decode("utf-8", "replace")
                except OSError:
                    break
            elif _PROMPT.search(asked := text[heard:].rpartition("\n")[2]):
                os.write(screen, f"{self._answer(asked)}\n".encode())
                heard = len(text)
        os.close(screen)
        status = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
        return Ran(status, text.replace("\r\n", "\n"), "")

    def _answer(self, asked: str) -> str:
        """Return what is answered to a question: Ctrl-C of one who stops at it, or where it goes on
        and on."""
        self.asked.append(asked)
        if self.stops or self.asked.count(asked) > 8:
            return "\x03"
        for pattern, answers in _ANSWERS.items():
            if re.search(pattern, f"{self._command} {asked}"):
                number = self._given[pattern] = self._given.get(pattern, 0) + 1
                return answers[number - 1] if number <= len(answers) else ""
        return ""


_PROMPT = re.compile(r"(> ?|\[[yY]/[nN]\] )$")
# What is answered to what; then an empty line.
_ANSWERS = {
    r"\[Y/n\]": (),
    r"\[y/n\]": ("y",) * 9,
    r"q ends": ("q",),
    r"3 lines,": ("1.83", "1.84", "1.83", "1.84"),
    r"1 line of [\d.]+ mm,": ("1.03", "1.04", "1.03", "1.04"),
    r"1 line,": ("0.62", "0.63", "0.62", "0.63"),
    **{rf"hole {size}\b": (f"{size - 0.2:.2f}",) for size in (4, 6, 10, 16, 30)},
    **{rf"post {size}\b": (f"{size + 0.1:.2f}",) for size in (4, 6, 10, 16, 30)},
    r"gaps,": ("17", "17.5", "18"),
    r"\d+ °C": ("few/even/straight/holds",) * 3,
    r"strand, weighing": ("2.95",),
    r"print, weighing": ("4.5",),
    r"run \d": ("30.1", "30.0", "29.9"),
    r"diameter.*place \d": ("1.75/1.74", "1.75", "1.74"),
    r"proof.*place \d": ("north=0.50", "pole=0.51"),
    r"clean jaws closed": ("0.01",),
    r"The e-steps this": ("412",),
    r"setup A name for the printer": ("heron",),
    r"setup The bore": ("0.5",),
    r"setup Its e-steps": ("412",),
    r"setup Its bed": ("235x235",),
    r"setup A name for the roll": ("fern-1",),
    r"What to call the (?:printer|roll)": ("wren",) * 9,
    r"bore of its nozzle": ("0.8",) * 9,
    r"PLA, PETG": ("PLA",) * 9,
    r"Which instrument": ("calipers",),
    r"gauge's true size": ("10",),
    r"What it shows of it": ("10.03 10.04",),
    r"The wall that": ("0.5",),
}


def set_up_files(bench: Bench) -> None:
    """Put the files into a folder that commands read, and nothing else."""
    folder = Workbench(bench.folder).folder
    for name in ("globe", "moon", "old", "new"):
        other = "new" if name == "new" else "old"
        shutil.copy(folder / f"globe-{other}.gcode", folder / f"{name}.gcode")
    shutil.copy(folder / "filament.ini.in", folder / "mine.ini.in")
    (folder / "notebook.csv").write_text(_NOTEBOOK)
    (folder / "cube.gcode").write_text(cube(SlicedLine(0.5, 0.2)))


_NOTEBOOK = """\
what;name;nozzle_mm;material;kind;value;printer;spool;date;temperature_c;how
printer;wren;0,8;;;;;;;;
value;;;;esteps;405;wren;;2025-11-01;;read off
"""


def set_up_printer(bench: Bench) -> None:
    """Set up a workshop with a printer, to add nozzles to."""
    bench.json("printer add heron --nozzle 0.5 --steps 412")


def set_up_waiting(bench: Bench) -> None:
    """Set a workshop up in which the prints of the job wait: 4 a tube, 6 a ramp, 8 a plate, 9
    rings."""
    set_up_files(bench)
    for line in (
        "setup --printer heron --nozzle 0.5 --steps 412 --bed 235x235x250 --spool fern-1 "
        "--material PLA --temperature 210",
        "spool add fern-2 --material PLA",
        "printer set --preview 3.66@40 --width 0.5 --layer 0.2 --flow 100 --accel 2000",
        "nozzle add heron-0.8 --printer heron --bore 0.8",
        "spool set fern-1 --maker Saltmarsh",
        "bench --nozzle heron-0.5 --spool fern-1",
        "instrument zero calipers 0.00",
        "diameter --read 1.75/1.74 1.75/1.76 1.74/1.75 --along 12",
        "esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --through nozzle --feed-rate 1.5",
        "entered esteps 426.5",
        "esteps --left 30.2 29.8 30.1 --through nozzle --feed-rate 1.5",
        "flow --plan --part tube.gcode",
        "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --speed 40 --along 20 "
        "--read 0.55 0.54 0.55 0.56",
        "volumetric --plan --part ramp.gcode",
        "proof --of globe --at north=0.50 pole=0.51 --expect 0.5",
        "xy --plan --part plate.3mf",
        "fit --plan --part pairs.3mf",
        "workshop export our.toml",
        "logbook export workshop.json",
    ):
        bench.json(line)


class Attended(Bench):
    """A bench at which somebody sits; what comes through a pipe comes through one here, too."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self.person = Person(self)
        self.status = 0

    def __call__(self, line: str, *words: str, typed: str | None = None, **environment: str) -> Ran:
        """Run a command line at a terminal."""
        if typed is not None:
            ran = super().__call__(line, *words, typed=typed, **environment)
        else:
            ran = self.person(line, *words)
        self.status = ran.status
        return ran


class Told(NamedTuple):
    """A command, and what is seen of it: its exit and its first two lines, piped and typed."""

    command: str
    piped: str
    typed: str

    def __str__(self) -> str:
        typed = "" if self.typed == self.piped else f"  typed at a terminal\n{self.typed}"
        return f"$ {self.command}\n{self.piped}{typed}"


def _told(ran: Ran, folder: Path) -> str:
    text = (ran.out + ran.err).replace(str(folder), "FOLDER")
    text = re.sub(r"T\d\d:\d\d:\d\dZ", "T…Z", text)
    lines = [line.rstrip() for line in text.splitlines() if line.strip()]
    return "".join(f"  {line}\n" for line in [f"exit {ran.status}", *lines[:2]])


def told_of_group(group: Group, folder: Path) -> Iterator[Told]:
    """Yield what is seen of commands that are typed one after the other in two copies of a folder,
    ``piped`` and ``typed``."""
    bench, at_terminal = Bench(folder / "piped"), Bench(folder / "typed")
    person = Person(at_terminal)
    for command in group.commands:
        for name in _WRITTEN.findall(command):
            for each in (bench, at_terminal):
                (each.folder / name).unlink(missing_ok=True)
        words = shlex.split(command)[1:]
        piped = _told(bench("", *words, METIER_DEBUG=""), bench.folder)
        yield Told(command, piped, _told(person("", *words), at_terminal.folder))


def text_of(told: Iterable[Told]) -> str:
    """Return what is seen of a group, as it stands in the file."""
    return "".join(map(str, told))


def main_() -> None:
    """Write the file anew."""
    texts = []
    with tempfile.TemporaryDirectory() as made:
        for number, group in enumerate(groups()):
            shop, folder = Path(made, group.begins.__name__), Path(made, str(number))
            if not shop.exists():
                shop.mkdir()
                with at(FIRST, "UTC"):
                    group.begins(Bench(shop))
            for name in ("piped", "typed"):
                shutil.copytree(shop, folder / name)
            with at(LATER, "UTC"):
                texts.append(text_of(told_of_group(group, folder)))
    SEEN.write_text("\n".join(texts))


if __name__ == "__main__":
    main_()
