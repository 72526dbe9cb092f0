"""The console examples of the pages: found, run, compared, and written anew.

    python -m tests.doc_examples      writes what the program prints today into the pages

Examples run in their order in one folder with one logbook, page after page, all on one day. A line
of ``…`` alone stands for output left out; an example that has one is compared up to there and never
rewritten.
"""

import json
import re
import shlex
import subprocess
import tempfile
from pathlib import Path
from typing import Any, NamedTuple

from metier.demo.slicing import workshop_files
from tests.conftest import HANGS_S, Bench
from tests.moment import FIRST, at

ROOT = Path(__file__).parent.parent
# In the order in which their examples run.
PAGES = (
    ROOT / "README.md",
    *(ROOT / "docs" / f"{name}.md" for name in ("tutorial", "commands", "answers", "logbook")),
    *(ROOT / "docs" / f"{name}.md" for name in ("formats", "cable")),
)
FORMATS = ROOT / "docs/formats.md"
CUT = "…"
_BLOCK = re.compile(r"```console\n(.*?)```", re.DOTALL)
# Where a stand-in listens is another place each time.
_PORT = re.compile(r"/dev/pts/\d+")
_TOOK = re.compile(r"took +\d+ s\b")
_UP = "Ctrl-C stops it."


_TEMPLATE = """\
[filament]
name = @{spool}, @{maker} @{material}
flow_multiplier = @{flow_ratio:.2f}
most_mm3_s = @{limit_mm3_s:.1f}
"""


class Example(NamedTuple):
    """A command line as it stands after ``$``, and the output shown below it."""

    command: str
    output: str


def examples(page: str) -> list[Example]:
    """Return the examples of a page."""
    return [example for block in _BLOCK.findall(page) for example in _split(block)]


def _split(block: str) -> list[Example]:
    found = []
    for part in re.split(r"^\$ ", block, flags=re.MULTILINE)[1:]:
        command, _, output = re.sub(r"\\\n *", "", part).partition("\n")
        found.append(Example(command, output))
    return found


def same(shown: str, printed: str) -> bool:
    """Tell whether a page shows what was printed, whatever terminal a stand-in got and how fast
    this machine is."""
    if shown.rstrip().endswith(CUT):
        return levelled(printed).startswith(levelled(shown.rstrip().removesuffix(CUT)))
    return levelled(shown) == levelled(printed)


def levelled(text: str) -> str:
    """Return text without what differs from run to run."""
    return _TOOK.sub("TOOK", _PORT.sub("PORT", text)).strip()


class Workbench:
    """A folder with the example files in it, where commands run as in a user's shell."""

    def __init__(self, folder: Path, bench: type[Bench] = Bench) -> None:
        self.folder = folder
        folder.mkdir(exist_ok=True)
        self.metier = bench(folder)
        self._port = ""
        self._running: list[subprocess.Popen[str]] = []
        data = ROOT / "src/metier/demo"
        for table in data.glob("*.csv"):
            (folder / table.name).write_bytes(table.read_bytes())
        (folder / "filament.ini.in").write_text(_TEMPLATE)
        for name, text in workshop_files().items():
            (folder / name).write_text(text)

    def run(self, command: str) -> str:
        """Run ``metier …`` or ``cat FILE`` and return all that it prints.

        One that goes on in the background is left to run once it says that it is up; two may be
        a pipe.
        """
        if command.endswith(" &"):
            return self._up(command.removesuffix(" &"))
        first, pipe, second = command.partition(" | ")
        program, *words = shlex.split(_PORT.sub(self._port or "PORT", first))
        if program == "cat":
            return "".join((self.folder / word).read_text() for word in words)
        ran = self.metier("", *words)
        if pipe:
            ran = self.metier("", *shlex.split(second)[1:], typed=ran.out)
        return ran.out + ran.err

    def _up(self, command: str) -> str:
        process = self.metier.started("", *shlex.split(command)[1:])
        assert process.stdout is not None
        said = ""
        while _UP not in said and (line := process.stdout.readline()):
            said += line
        found = _PORT.search(said)
        self._port = found[0] if found else ""
        self._running.append(process)
        return said

    def close(self) -> None:
        """Wait for what was left to run: the page stops it."""
        for process in self._running:
            process.communicate(timeout=HANGS_S)


def keys_seen(bench: Workbench, seen: dict[str, Any]) -> str:
    """Return the part of a page that lists all keys, by what was answered so far."""
    from tests.doc_keys import keys_section

    keys = json.loads(bench.run("metier profile --json"))["keys"]
    tables = ("metier history --csv", "metier history --readings", "metier shelf --csv")
    return keys_section(seen, keys, {name: bench.run(name).partition("\n")[0] for name in tables})


def main() -> None:
    """Write the pages anew with what their examples print, and the keys of all files."""
    from tests.doc_keys import BEGIN, END, seen_answers

    with at(FIRST, "UTC"), tempfile.TemporaryDirectory() as folder, seen_answers() as seen:
        bench = Workbench(Path(folder))

        def rewritten(block: re.Match[str]) -> str:
            text = block[1]
            for example in _split(text):
                printed = bench.run(example.command)
                if not example.output.rstrip().endswith(CUT):
                    text = text.replace(_shown(text, example), _shown(text, example, printed))
            return f"```console\n{text}```"

        for page in PAGES:
            page.write_text(_BLOCK.sub(rewritten, page.read_text()))
        before, begin, rest = FORMATS.read_text().partition(BEGIN)
        FORMATS.write_text(before + begin + keys_seen(bench, seen) + END + rest.partition(END)[2])
        bench.close()


def _shown(block: str, example: Example, output: str | None = None) -> str:
    """Return the example as it stands in its block, or with other output."""
    for part in re.split(r"^(?=\$ )", block, flags=re.MULTILINE):
        joined = re.sub(r"\\\n *", "", part)
        if joined == f"$ {example.command}\n{example.output}":
            if output is None:
                return part
            head = part.removesuffix(example.output)
            blank = "\n" if example.output.endswith("\n\n") else ""
            return f"{head}{output.rstrip()}\n{blank}" if output.strip() else f"{head}{blank}"
    raise ValueError(f"not in its block: {example.command}")


if __name__ == "__main__":
    main()
