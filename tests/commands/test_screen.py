"""What fits a screen: help in two lengths, text as wide as the terminal, the number first."""

import argparse

import pytest

from metier.cli import COMMANDS, command_named
from tests.conftest import set_up_heron

CUBE = "flow --width 0.5 --walls 3 --layer 0.2 --line-model rounded --flow 100"
PLATE = "xy --hole 4=3.72 10=9.78 30=29.7 --post 4=4.08 10=10.06 30=29.98"


def parsers_of(name):
    """Return the words of a command and of each of its actions, with their parsers."""
    parser = command_named(name)[0]()
    yield name, parser
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            yield from ((f"{name} {word}", one) for word, one in action.choices.items())


@pytest.mark.parametrize("name", COMMANDS)
def test_help_fits_a_screen_and_all_of_it_explains_every_option(metier, name):
    for words, parser in parsers_of(name):
        short = metier(f"{words} --help").out
        whole = metier(f"help {words} all").out
        assert (short.count("\n") <= 30, max(map(len, short.splitlines())) <= 80) == (True, True)
        for action in parser._actions:
            if action.option_strings and action.dest != "help":
                assert action.option_strings[-1] in short, words
                assert f"  {action.option_strings[-1]}" in whole, words
        if parser._example:
            assert parser._example.splitlines()[0] in short


def test_the_options_of_the_job_are_explained_first(metier):
    assert "one wall, with --should" in metier("help flow").out
    assert "step of flow" not in metier("help flow").out
    assert "step of flow" in metier("help flow all").out


@pytest.mark.parametrize("columns", [50, 64, 80, 100])
def test_text_is_as_wide_as_the_terminal(metier, columns):
    set_up_heron(metier)
    lines = ["diameter 1.74 1.75", f"{CUBE} --read 1.44 1.43 1.45", f"{PLATE} --why", "next"]
    for line in (*lines, "history", "history 3 --why", "profile", "shelf", "spool list", "drift"):
        said = metier(line, COLUMNS=str(columns)).out.splitlines()
        # Commands are copied, so they stay in one piece.
        told = [text for text in said if not text.lstrip().startswith("metier ")]
        assert max(map(len, told)) <= columns, (line, max(told, key=len))
    narrow = metier("profile", COLUMNS="20").out.splitlines()
    assert max(map(len, narrow)) == max(map(len, metier("profile", COLUMNS="50").out.splitlines()))


def test_a_table_without_room_is_told_in_words(metier):
    set_up_heron(metier)
    metier.json(f"{CUBE} --read 1.44 1.43 1.45")
    assert metier("history --kind flow").out.splitlines()[0].startswith("no.  date")
    told = " ".join(metier("history --kind flow", COLUMNS="50").out.split())
    assert "1: date " in told
    assert "test flow, spool fern-1, at 100 %, measured 1.440" in told


@pytest.mark.parametrize(
    ("line", "acts"),
    [
        ("esteps --asked 100 --moved 97 --steps 93", ["==> type 95.88 steps/mm"]),
        ("diameter --read 1.70 1.70 1.70", ["==> type 1.7"]),
        ("volumetric --gaps-flow 13", ["==> type 11.5 mm³/s"]),
        (PLATE, ["==> type +0.1", "==> type -0.0"]),
        ("fit --pair 0.1=press 0.2=snug 0.3=slide --clearance 0.1", ["==> draw +0."]),
    ],
)
def test_the_number_stands_on_the_second_line_and_little_below_it(metier, line, acts):
    said = metier(line).out.splitlines()
    assert [text for text in said if text.startswith("==>")] == said[1 : 1 + len(acts)]
    assert all(text.startswith(act) for text, act in zip(said[1:], acts, strict=False))
    body = "\n".join(said[1 + len(acts) :]).split("\n\n")
    assert len(body[2].splitlines()) <= 10
    assert len(metier(f"{line} --why").out.splitlines()) >= len(said)
