"""What Metier proposes can be pasted as it stands, whatever things are called."""

import re
import shlex

import pytest

from metier.demo.slicing import SlicedLine, ramp

PRINTER, NOZZLE, SPOOL, JAWS = "big heron", "heron's 0.8", "sea $(green) roll", "my calipers"


def set_up_odd_names(bench):
    bench.json("printer add", PRINTER, "--nozzle", "0.5", "--steps", "412")
    bench.json("printer set", PRINTER, "--line-model", "rounded")
    bench.json("nozzle add", NOZZLE, "--printer", PRINTER, "--bore", "0.8")
    bench.json("spool add", SPOOL, "--material", "PLA")
    bench.json("instrument add", JAWS, "--kind", "calipers")
    bench.json("bench --temperature 210 --printer", PRINTER, "--nozzle", NOZZLE, "--spool", SPOOL)


@pytest.fixture
def shop(metier, built):
    return built(metier, set_up_odd_names)


def proposals(out):
    """Return the commands that stand on lines of their own."""
    return re.findall(r"^ +(?:command +)?(metier .*)$", out, re.MULTILINE)


def pasted(bench, command, typed=None, **filled):
    words = [filled.get(word, word) for word in shlex.split(command)]
    return bench("", *words[1:], typed=typed)


@pytest.mark.parametrize(
    ("words", "typed", "filled"),
    [
        (("spool", "add", "blue's", "--material", "PLA"), None, {}),
        (("nozzle", "add", "fine one", "--printer", PRINTER, "--bore", "0.4"), None, {}),
        (("instrument", "add", "red jaws", "--kind", "calipers"), "0.01\n", {}),
        (("sliced", "ramp", "my ramp.gcode"), None, {"MM": "31.5"}),
        (("next",), "0.01\n", {}),
        (
            ("flow", "--plan", "--width", "0.8", "--walls", "1", "--layer", "0.3", "--flow", "90"),
            None,
            {},
        ),
    ],
)
def test_names_with_blanks_and_dollars_are_quoted(shop, words, typed, filled):
    flows = [4 + 0.5 * step for step in range(41)]
    (shop.folder / "my ramp.gcode").write_text(ramp(SlicedLine(0.8, 0.3), flows, 10))
    ran = shop("", *words)
    assert ran.status == 0, ran.err
    found = proposals(ran.out)
    assert found
    for command in found:
        again = pasted(shop, command, typed, **filled)
        # A command that asks for readings says so: it is right, only nobody types here.
        assert again.status == 0 or "no readings" in again.err, (command, again.err)


def test_an_instrument_is_named_so_that_it_can_be_pasted(shop):
    out = shop("instrument zero", JAWS, "0.01").out
    given = re.search(r"Given as (.*), it corrects", out)[1]
    words = shlex.split(f"diameter --read 1.75 1.76 {given}")
    assert shop.json("", *words)["verdict"] == "keep"
    assert (
        "my calipers"
        in shop("instrument check", JAWS, *["--gauge", "10", "--read", "10.1", "10.1"]).out
    )


def test_the_job_can_be_pasted_from_next_to_next(shop):
    """What next proposes runs as it stands, or asks for readings and then runs with them."""
    typed = {
        "diameter": "1.75\n1.75\n", "esteps": "30\n30.1\n29.9\n",
        "flow": "2.92\n2.92\n2.92\n2.91\n",
        "volumetric": "30\n", "xy": "10\n", "instrument": "0.01\n",
    }  # fmt: skip
    steps = []
    for _ in range(16):
        step = shop.json("next")
        steps.append(step["step"])
        if step["step"] in ("done", "proof", "hole"):
            break
        words = shlex.split(step["command"])[1:]
        ran = shop("", *words, typed=None if "--plan" in words else typed.get(words[0]))
        assert ran.status == 0, (step["command"], ran.err)
    assert steps[-1] in ("done", "proof", "hole"), steps
