"""What sheets say one way or the other, where a swapped word would mislead."""

import ast
import re
from pathlib import Path

import pytest

import metier
from tests.doc_keys import BEGIN

# What nobody says at a bench.
OUT = re.compile(
    r"reckon|afresh|as it were|hangs? on it|says something else is wrong|parted by"
    r"|once and for all|open by|\bserves?\b|\bs_p\b|kappa\b|own lines"
)
CUBE = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50 --read"


@pytest.mark.parametrize(
    ("before", "line", "says"),
    [
        ((), "history", "No trials yet"),
        ((f"{CUBE} 1.41",), "history --kind xy", "No such trials"),
        (("spool add smoke-1 --material PETG",), "bench --spool fern-1", "as last time"),
        ((f"{CUBE} 1.50 1.51 1.50",), "entered flow 94", "as advised"),
        (("entered flow 94",), "entered flow 94", "as before"),
        (("entered flow 94",), "entered flow 93", "was 94 %"),
        (
            ("instrument add pocket --kind scale",),
            "instrument zero pocket 0.1",
            "with nothing on it",
        ),
        (("instrument add jaws --kind calipers",), "instrument zero jaws 0.01", "when closed"),
        ((), "instrument add pocket --kind scale", "read it with nothing on it, and note that"),
        ((), "instrument add jaws --kind calipers", "close it, read it, and note that"),
        ((), "spool retire fern-1", "out of use: its trials stay"),
        (("spool retire fern-1",), "spool retire fern-1 --back", "in use again"),
        (("nozzle worn heron-0.5",), "nozzle list", "worn"),
        ((), "cable set heron --port /dev/ttyS0 --baud 57600", "57600 baud"),
        ((f"{CUBE} 1.41",), "logbook export a.json", "Wrote 1 trial to"),
        ((f"{CUBE} 1.41", f"{CUBE} 1.42"), "logbook export a.json", "Wrote 2 trials to"),
        ((f"{CUBE} 1.41", "undo 1"), "history 1", ", withdrawn;"),
        (("flow --plan --width 0.5 --walls 3 --layer 0.2",), "history 1", ", planned;"),
    ],
    ids=lambda text: text if isinstance(text, str) else "",
)
def test_it_says(heron, before, line, says):
    for one in before:
        heron.json(one)
    ran = heron(line)
    assert (ran.status, ran.err) == (0, "")
    assert says in " ".join(ran.out.split())


def printed_text(tree):
    """Yield the text in a module that may be printed: all but what explains the code."""
    explained = {
        id(body[0].value)
        for node in ast.walk(tree)
        if (body := getattr(node, "body", None))
        and isinstance(body, list)
        and isinstance(body[0], ast.Expr)
    }
    for node in ast.walk(tree):
        text = isinstance(node, ast.Constant) and isinstance(node.value, str)
        if text and id(node) not in explained:
            yield node.value


def test_no_word_that_nobody_says_is_printed():
    found = [
        (path.name, text)
        for path in Path(metier.__file__).parent.rglob("*.py")
        for text in printed_text(ast.parse(path.read_text()))
        if OUT.search(text)
    ]
    assert found == []
    pages = [Path("README.md"), *Path("docs").glob("*.md")]
    # Keys are no sentences.
    told = {page.name: page.read_text().partition(BEGIN)[0] for page in pages}
    assert [(name, said) for name, text in told.items() for said in OUT.findall(text)] == []
