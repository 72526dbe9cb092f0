"""The pages say what the program does: every command, every option, every output."""

import argparse
import re

import pytest

from metier.cli import COMMANDS, command_named
from tests.doc_examples import FORMATS, PAGES, ROOT, Workbench, examples, keys_seen, same
from tests.doc_keys import BEGIN, END, opened_sockets, seen_answers
from tests.moment import FIRST, at

COMMANDS_PAGE = (ROOT / "docs/commands.md").read_text()
# What is said at its top is said of every command that has it.
OF_ALL = COMMANDS_PAGE.partition("\n## ")[0]
ALL_PAGES = (*sorted(ROOT.glob("*.md")), *sorted((ROOT / "docs").glob("*.md")))
# Those that speak with a printer, or are one.
WITH_SOCKETS = {"cable", "esteps --feed", "standin", "practise"}


@pytest.fixture(scope="module")
def printed(tmp_path_factory):
    """What each example prints, all run in their order."""
    with at(FIRST, "UTC"), seen_answers() as seen:
        bench = Workbench(tmp_path_factory.mktemp("pages"))
        found = {
            page: [(example, bench.run(example.command)) for example in examples(page.read_text())]
            for page in PAGES
        }
        found["keys"] = keys_seen(bench, seen)
        bench.close()
    return found


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_shown_output_is_what_the_program_prints(printed, page):
    for example, text in printed[page]:
        assert same(example.output, text), f"$ {example.command}\n{text}"


def test_every_key_is_listed_with_its_unit_or_type(printed):
    listed = FORMATS.read_text().partition(BEGIN)[2].partition(END)[0]
    # Whether something was null just now may hang on how fast this machine is.
    today, page = (" ".join(text.replace("?", "").split()) for text in (printed["keys"], listed))
    assert page == today, "python -m tests.doc_examples writes it anew"


def test_every_command_has_an_example():
    shown = {one.command.split()[1] for page in PAGES for one in examples(page.read_text())}
    assert shown >= set(COMMANDS) - {"demo", "practise"}


@pytest.mark.parametrize("name", COMMANDS)
def test_every_option_is_documented(name):
    pattern = rf"^## `metier {name}.*?(?=^## )"
    section = re.search(pattern, COMMANDS_PAGE + "\n## ", re.DOTALL | re.MULTILINE)
    assert section, f"no section on metier {name}"
    make_parser, _ = command_named(name)
    parsers = [make_parser()]
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
    told = OF_ALL + section[0]
    assert [option for option in sorted(options) if f"`{option}" not in told] == []


@pytest.mark.usefixtures("printed")
def test_only_what_speaks_with_a_printer_opens_a_socket():
    """Every command ran once at least, the stand-in and the cable among them."""
    assert opened_sockets <= WITH_SOCKETS
    assert "standin" in opened_sockets


def anchors(page):
    """What a heading of a page is linked by."""
    titles = re.findall(r"^#+ (.+)$", page.read_text(), re.MULTILINE)
    return {re.sub(r"[^\w -]", "", title.lower()).replace(" ", "-") for title in titles}


@pytest.mark.parametrize("page", ALL_PAGES, ids=lambda page: page.relative_to(ROOT).as_posix())
def test_links_and_pictures_are_there(page):
    for path, anchor in re.findall(r"\]\((?!https?:)([^)#]*)(?:#([^)]*))?\)", page.read_text()):
        target = page.parent / path if path else page
        assert target.exists(), path
        assert not anchor or anchor in anchors(target), f"{path}#{anchor}"


def test_every_picture_is_shown_somewhere():
    text = "".join(page.read_text() for page in ALL_PAGES)
    pictures = [path.name for path in (ROOT / "docs/screenshots").glob("*.png")]
    assert [name for name in pictures if name not in text] == []


def test_the_map_of_the_code_names_every_module():
    shown = (ROOT / "CONTRIBUTING.md").read_text()
    modules = {
        path.stem if path.parent.parent.name == "core" else path.name
        for path in (ROOT / "src/metier").rglob("*.py")
        if not path.name.startswith("__")
    }
    assert [name for name in sorted(modules) if name not in shown] == []
