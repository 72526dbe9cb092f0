"""Help in two lengths: what fits a screen, and every option explained."""

import argparse
import textwrap
from collections.abc import Sequence

from metier.show.sheet import columns

# What nearly every command has; explained at length only.
_COMMON = ("--help", "--why", "--plot", "--force", "--json", "--logbook")
_SCREEN = 30


def described(told: str, example: str) -> str:
    """Return what a command is for, with its example below."""
    filled = textwrap.fill(told, columns())
    return f"{filled}\n\nexample:\n{example}" if example else filled


def brief(parser: argparse.ArgumentParser, job: Sequence[str]) -> str:
    """Return the help of a command on one screen: the options of the ``job`` are explained, as
    many as there is room for, the rest stand by name; all of it where that fits."""
    whole = parser.format_help()
    if whole.count("\n") <= _SCREEN:
        return whole
    head = [*parser.format_usage().splitlines(), "", *(parser.description or "").splitlines(), ""]
    listed = [action for action in parser._actions if _flag(action) not in _COMMON]
    known = {_flag(action): action for action in listed}
    shown: list[argparse.Action] = [action for action in listed if not action.option_strings]
    lines: list[str] = []
    for action in [known[flag] for flag in job] or listed:
        tried = list(dict.fromkeys([*shown, action]))
        text = [*_explained(parser, tried), *_by_name(parser, tried)]
        if len(head) + len(text) <= _SCREEN:
            shown, lines = tried, text
    return "\n".join([*head, *lines]) + "\n"


def _flag(action: argparse.Action) -> str:
    return action.option_strings[-1] if action.option_strings else action.dest


def _explained(parser: argparse.ArgumentParser, actions: Sequence[argparse.Action]) -> list[str]:
    formatter = parser._get_formatter()
    formatter.start_section("options")
    formatter.add_arguments(actions)
    formatter.end_section()
    return [*formatter.format_help().strip("\n").splitlines(), ""]


def _by_name(parser: argparse.ArgumentParser, shown: Sequence[argparse.Action]) -> list[str]:
    """Return the options that are not explained, and where they are."""
    flags = [_flag(action) for action in parser._actions if action not in shown]
    others = [flag for flag in flags if flag not in _COMMON]
    others += [flag for flag in _COMMON[1:] if flag in flags]
    named = textwrap.wrap("  ".join(others), columns() - 2, break_on_hyphens=False)
    where = f"More, explained by metier help {' '.join(parser.prog.split()[1:])} all:"
    return [where, *(f"  {line}" for line in named)]
