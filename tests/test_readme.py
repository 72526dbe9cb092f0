"""The README says what the program does: every command, every option, every output."""

import argparse
import re
from importlib import import_module

import pytest

from metier.cli import COMMANDS
from tests.readme_examples import README, ROOT, Workbench, examples, same

TEXT = README.read_text()


def test_shown_output_is_what_the_program_prints(tmp_path):
    bench = Workbench(tmp_path)
    found = examples(TEXT)
    assert {example.command.split()[1] for example in found} >= set(COMMANDS) - {"demo"}
    for example in found:
        printed = bench.run(example.command)
        assert same(example.output, printed), f"$ {example.command}\n{printed}"


@pytest.mark.parametrize("name", COMMANDS)
def test_every_option_is_documented(name):
    section = re.search(rf"^#### `metier {name}.*?(?=^##)", TEXT + "\n##", re.DOTALL | re.MULTILINE)
    assert section, f"no section on metier {name}"
    parsers = [import_module(f"metier.commands.{name}").parser()]
    for action in parsers[0]._actions:
        if isinstance(action, argparse._SubParsersAction):
            parsers += action.choices.values()
            assert all(f"`{choice}" in section[0] for choice in action.choices), section[0]
    options = {
        option
        for parser in parsers
        for action in parser._actions
        for option in action.option_strings
    } - {"-h", "--help", "--json", "--logbook"}
    assert [option for option in sorted(options) if f"`{option}" not in section[0]] == []


def test_links_and_pictures_are_there():
    linked = re.findall(r"\]\((?!https?:|#)([^)]+)\)", TEXT)
    assert len(linked) > 5
    assert [path for path in linked if not (ROOT / path).exists()] == []


def test_the_map_of_the_code_names_every_module():
    modules = {
        path.name
        for path in (ROOT / "src/metier").rglob("*.py")
        if path.name not in ("__init__.py", "__main__.py")
    }
    shown = TEXT[TEXT.index("### The map of the code") :]
    assert [name for name in sorted(modules) if name not in shown] == []
