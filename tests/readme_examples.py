"""The console examples of the README: found, run, compared, and written anew.

    python -m tests.readme_examples      writes what the program prints today into the README

Examples run in their order in one folder with one logbook. A line of ``…`` alone stands for
output left out; an example that has one is compared up to there and never rewritten.
"""

import os
import re
import shlex
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import NamedTuple

from metier.demo.slicing import workshop_files

ROOT = Path(__file__).parent.parent
README = ROOT / "README.md"
CUT = "…"
_BLOCK = re.compile(r"```console\n(.*?)```", re.DOTALL)
_MONTH = "Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec"
_DATE = re.compile(rf"\b\d{{1,2}} (?:{_MONTH})(?: \d{{4}})?\b")


class Example(NamedTuple):
    """A command line as it stands after ``$``, and the output shown below it."""

    command: str
    output: str


def examples(readme: str) -> list[Example]:
    """Return the examples of a README."""
    return [example for block in _BLOCK.findall(readme) for example in _split(block)]


def _split(block: str) -> list[Example]:
    found = []
    for part in re.split(r"^\$ ", block, flags=re.MULTILINE)[1:]:
        command, _, output = re.sub(r"\\\n *", "", part).partition("\n")
        found.append(Example(command, output))
    return found


def same(shown: str, printed: str) -> bool:
    """Tell whether the README shows what was printed, whatever the day and so the alignment."""
    if shown.rstrip().endswith(CUT):
        return _levelled(printed).startswith(_levelled(shown.rstrip().removesuffix(CUT)))
    return _levelled(shown) == _levelled(printed)


def _levelled(text: str) -> str:
    return " ".join(_DATE.sub("DATE", text).split())


class Workbench:
    """A folder with the example files in it, where commands run as in a user's shell."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        data = ROOT / "src/metier/demo"
        for table in data.glob("*.csv"):
            (folder / table.name).write_bytes(table.read_bytes())
        for name, text in workshop_files().items():
            (folder / name).write_text(text)

    def run(self, command: str) -> str:
        """Run ``metier …`` or ``cat FILE`` and return all that it prints."""
        program, *words = shlex.split(command)
        if program == "cat":
            return "".join((self.folder / word).read_text() for word in words)
        finished = subprocess.run(
            [Path(sys.executable).parent / program, *words],
            cwd=self.folder,
            env={**os.environ, "METIER_LOGBOOK": str(self.folder / "logbook.sqlite")},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            encoding="utf-8",
        )
        return finished.stdout


def main() -> None:
    """Write the README anew with what its examples print."""
    readme = README.read_text()
    with tempfile.TemporaryDirectory() as folder:
        bench = Workbench(Path(folder))

        def rewritten(block: re.Match[str]) -> str:
            text = block[1]
            for example in _split(text):
                printed = bench.run(example.command)
                if not example.output.rstrip().endswith(CUT):
                    text = text.replace(_shown(text, example), _shown(text, example, printed))
            return f"```console\n{text}```"

        README.write_text(_BLOCK.sub(rewritten, readme))


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
