"""The manual page, made of the commands' own parsers as a wheel is built."""

import argparse
import sys
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface

_ROOT = Path(__file__).parent
_PAGE = _ROOT / "build" / "metier.1"


class ManualPage(BuildHookInterface[Any]):
    """Puts the page where ``man metier`` looks for it, beside the program."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Write the page; an installation that is worked on has none."""
        if version == "editable":
            return
        sys.path.insert(0, str(_ROOT / "src"))
        _PAGE.parent.mkdir(exist_ok=True)
        _PAGE.write_text(manual_page(self.metadata.version), encoding="utf-8")
        build_data["shared_data"][str(_PAGE)] = "share/man/man1/metier.1"


def manual_page(version: str) -> str:
    """Return the page: what Metier is, and every command with its options."""
    from argparse_manpage.manpage import Manpage

    page = Manpage(_whole_parser())
    page.source, page.manual = f"metier {version}", "Metier"
    page.description = "calibrate a 3D printer with calipers"
    return str(page)


def _whole_parser() -> argparse.ArgumentParser:
    """Return one parser of all commands, as the page wants it; the program itself never has it."""
    from metier.cli import COMMANDS, command_named

    parser = argparse.ArgumentParser(
        "metier",
        description="Readings off your calipers in, corrections for printer and slicer out, and a "
        "logbook that knows which value is in force, how sure it is and what is due next.",
        add_help=False,
    )
    parser.add_argument("--help", action="store_true", help="the job, and every command")
    parser.add_argument("--version", action="store_true", help="the version")
    commands = parser.add_subparsers(title="commands", metavar="COMMAND")
    for name, what in COMMANDS.items():
        made = command_named(name)[0]()
        made.format_help()
        commands.add_parser(name, help=what, add_help=False)
        commands.choices[name] = made
    return parser
