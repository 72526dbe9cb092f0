"""Random command lines over every command and option: an answer or one line, and nothing lost."""

import argparse
import json
import random
import re

import pytest

from metier.cli import COMMANDS, command_named
from metier.demo.slicing import SlicedLine, cube
from tests.conftest import LONG

LINES = 1200 * LONG
# What people and machines give where a value is wanted, and what nobody should.
VALUES = (
    *("0.47", "0,47", ".47", "0.5", "150", "92", "0.92x", "0", "-1", "1e999", "nan", "inf", "-0"),
    *("heron", "fern-1", "heron-0.5", "calipers", "rounded", "1", "2", "3", "0.2", "40", "1.75"),
    *("", " ", "--", "-", "=", "$(touch x)", "a b", "\x1b[2J", "\u202e", "x" * 5000, "é", "0x10"),
    *("1.74/1.72", "10=9.82", "4=none", "0.1=press", "outer=150", "3.66@40", "M20x2.5", "r25"),
    *("here.csv", "cube.gcode", "none.csv", ".", "/dev/null", "out.json", "out.png", "1" * 400),
    *("out.3mf", "out.gcode", "235x235", "2.953g", "20=100/2", "80@210=110/2", "root=0.44/0.45"),
    *("tip=0.41:0.45", "220=few/even/straight/holds", "wren-0.8@215=none/-/-/-", "globe"),
    *("2026-11-25", "99999999999999999999", "1/0", "%s", "{}", "[]", "null", "\\", "'", '"'),
)  # fmt: skip
# These print the whole job each time; the other goes on until it is stopped.
_SLOW = {"demo", "practise"}
_ENDLESS = ("standin", "start")
_STEERING = re.compile("[\x00-\x09\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")


def parsers(name):
    """Return a command's parser with the words that reach it, and those of its actions."""
    top = command_named(name)[0]()
    for action in top._actions:
        if isinstance(action, argparse._SubParsersAction):
            return [((name, each), parser) for each, parser in action.choices.items()]
    return [((name,), top)]


def one_line(rng):
    """Return a random command line: options that exist, in any order, with any values."""
    name = rng.choice([one for one in COMMANDS if one not in _SLOW])
    words, parser = rng.choice([one for one in parsers(name) if one[0] != _ENDLESS])
    line = list(words)
    actions = [one for one in parser._actions if one.dest != "help"]
    chosen = rng.sample(actions, min(len(actions), rng.randint(0, 6)))
    chosen += [one for one in actions if not one.option_strings and one not in chosen]
    for action in chosen:
        values = []
        if action.nargs != 0:
            known = [str(each) for each in action.choices or ()]
            pool = known if known and rng.random() < 0.7 else VALUES
            many = rng.randint(1, 4) if action.nargs in ("+", "*") else 1
            values = [rng.choice(pool) for _ in range(many)]
        if action.option_strings:
            option = rng.choice(action.option_strings)
            if values and rng.random() < 0.2:
                line.append(f"{option}={values[0]}")
                values = values[1:]
            else:
                line.append(option)
        line += values
    if rng.random() < 0.05:
        line.insert(rng.randint(0, len(line)), rng.choice(VALUES))
    return [word for word in line if "\x00" not in word]


@pytest.fixture
def shop(heron):
    (heron.folder / "here.csv").write_text("side,reading\nfront,1.50\nback,1.51\n")
    (heron.folder / "cube.gcode").write_text(cube(SlicedLine(0.5, 0.2), layers=6))
    heron.json("flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --read 1.5 1.51")
    heron.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4")
    return heron


def readings_of(bench):
    trials = bench.json("history --limit 9999")["trials"]
    return {trial["number"]: len(trial["readings"]) for trial in trials}


@pytest.mark.slow
def test_every_line_is_answered_or_refused_and_no_reading_is_lost(shop):
    rng = random.Random(1)
    before = readings_of(shop)
    counts = {0: 0, 1: 0, 2: 0}
    for number in range(LINES):
        words = one_line(rng)
        as_json = "--json" in [*words, "--"][: [*words, "--"].index("--")]
        ran = shop("", *words, METIER_DEBUG="", typed=rng.choice([None, "0.5\n", "\n", ""]))
        told = (words, ran.status, ran.err[-800:])
        assert ran.status in counts, told
        counts[ran.status] += 1
        assert not _STEERING.search(ran.out + ran.err), told
        if ran.status == 0:
            if as_json and "--csv" not in words:
                json.loads(ran.out)
            elif "--csv" not in words and "completion" not in words:
                # Tables and scripts are for programs.
                # A word that is longer than a line has nowhere to be broken.
                long = [one for one in ran.out.splitlines() if len(one) > 80]
                assert not [one for one in long if max(map(len, one.split())) < 40], (words, long)
        else:
            assert ran.err.count("\n") == 1, told
            assert ran.err.startswith("metier"), told
        if number % 25 == 0:
            after = readings_of(shop)
            assert all(after[each] >= count for each, count in before.items()), told
            before = after
    assert not (shop.folder / "x").exists()
    assert shop.json("logbook check")["sound"]
    # Not all of it is refused at the first word.
    assert counts[0] > LINES / 20, counts


@pytest.mark.parametrize("zone", ["", ":", "Nowhere/Never", ":/etc/passwd", "X" * 3000, "<+99>"])
def test_a_time_zone_that_is_none_is_no_fault(shop, zone):
    assert shop("history", TZ=zone, METIER_DEBUG="").status == 0
    assert shop("profile", TZ=zone, METIER_DEBUG="").status == 0
    assert shop("next", TZ=zone, METIER_DEBUG="").status == 0
