"""`metier demo`: the worked example with the real commands."""

import shlex

import pytest

from metier.demo.script import LOGBOOK, PROFILE, STEPS
from tests.commands.test_profile import valid


@pytest.mark.slow
def test_the_whole_job(metier):
    ran = metier.process("demo")
    folder = metier.folder / "metier-demo"
    assert (ran.status, ran.err) == (0, "")
    for step in STEPS:
        assert f"$ {shlex.join(['metier', *step.words])}\n" in ran.out
    assert "verified" in ran.out
    assert PROFILE in ran.out
    profile = valid(folder / PROFILE)
    assert (profile["esteps"]["steps_per_mm"], profile["flow"]["percent"]) == (426.5, 92)
    assert (profile["esteps"]["status"], profile["flow"]["status"]) == ("verified", "verified")
    assert not metier.logbook.exists()


def test_what_an_earlier_demo_left_is_moved_aside(metier, monkeypatch):
    monkeypatch.setattr("metier.commands.demo.STEPS", STEPS[:1])
    folder = metier.folder / "an orrery"
    first = metier.json("demo --folder 'an orrery'")
    assert [one["command"] for one in first["steps"]] == [shlex.join(["metier", *STEPS[0].words])]
    assert first["steps"][0]["answer"]["printer"]["name"] == "heron"
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
