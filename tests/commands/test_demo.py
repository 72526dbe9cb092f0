"""`metier demo`: the worked example with the real commands."""

import shlex

import pytest

from metier.demo.script import CHAPTERS, LOGBOOK, PROFILE, STEPS
from tests.commands.test_profile import valid
from tests.commands.test_typing import Terminal


@pytest.mark.slow
def test_the_whole_job(metier):
    ran = metier.process("demo")
    folder = metier.folder / "metier-demo"
    assert (ran.status, ran.err) == (0, "")
    for step in STEPS:
        assert f"$ {shlex.join(['metier', *step.words])}\n" in ran.out
    assert "verified" in ran.out
    lines = ran.out.splitlines()
    assert len(lines) <= 350
    # What is to be typed stands right below what it is of.
    acts = [lines[place - 1] for place, line in enumerate(lines) if line.startswith("==> ")]
    assert len(acts) > 8
    assert all(", trial " in line or line.startswith("==> ") for line in acts)
    assert PROFILE in ran.out
    profile = valid(folder / PROFILE)
    assert (profile["esteps"]["steps_per_mm"], profile["flow"]["percent"]) == (426.5, 92)
    assert (profile["esteps"]["status"], profile["flow"]["status"]) == ("verified", "verified")
    assert not metier.logbook.exists()


def test_what_an_earlier_demo_left_is_moved_aside(metier, monkeypatch):
    start = CHAPTERS[0]._replace(steps=STEPS[:1])
    monkeypatch.setattr("metier.commands.demo.CHAPTERS", (start,))
    folder = metier.folder / "an orrery"
    first = metier.json("demo --folder 'an orrery'")
    assert [one["command"] for one in first["steps"]] == [shlex.join(["metier", *STEPS[0].words])]
    assert first["steps"][0]["answer"]["bench"]["printer"] == "heron"
    assert first["logbook"] == str(folder / LOGBOOK)
    before = (folder / LOGBOOK).read_bytes()
    metier.json("demo --folder 'an orrery'")
    assert (folder / "earlier-1" / LOGBOOK).read_bytes() == before
    metier.json("demo --folder 'an orrery'")
    assert (folder / "earlier-2" / LOGBOOK).exists()


def test_where_it_cannot_write_or_may_not(metier):
    (metier.folder / "taken").write_text("a file")
    assert "cannot be written in" in metier.refuses("demo --folder taken", status=1)
    assert (metier.folder / "taken").read_text() == "a file"
    assert "its own logbook" in metier.refuses("demo --logbook mine.sqlite")


@pytest.mark.slow
def test_at_a_terminal_it_waits_after_a_chapter_and_asks_nothing_else(metier):
    screen = Terminal(metier, "demo").until("1. The bench").until("Zeroed calipers")
    screen.until("Enter goes on to «Diameter and e-steps», q ends > ").type("")
    screen.until("2. Diameter and e-steps").until("Enter goes on to «Flow», q ends > ").type("q")
    assert screen.until("Ended here; what there is so far is in metier-demo").status() == 0
    assert metier.json("history --logbook metier-demo/orrery-demo.sqlite")["count"] == 3
