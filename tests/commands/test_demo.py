"""`metier demo`: the worked example with the real commands."""

import shlex

from metier.demo.script import LOGBOOK, PROFILE, STEPS
from tests.commands.test_profile import valid


def test_the_whole_job_twice_and_nothing_is_lost(metier):
    ran = metier("demo")
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
    first = (folder / LOGBOOK).read_bytes()
    assert metier("demo").status == 0
    assert (folder / "earlier-1" / LOGBOOK).read_bytes() == first
    assert metier("demo").status == 0
    assert (folder / "earlier-2" / PROFILE).exists()


def test_as_one_object(metier):
    found = metier.json("demo --folder 'an orrery'")
    assert [one["command"].split()[1] for one in found["steps"]] == [one.words[0] for one in STEPS]
    answers = {one["command"]: one["answer"] for one in found["steps"]}
    assert answers["metier profile"]["values"]["flow"]["value"] == 92
    assert found["logbook"] == str(metier.folder / "an orrery" / LOGBOOK)


def test_where_it_cannot_write_or_may_not(metier):
    (metier.folder / "taken").write_text("a file")
    assert "cannot write" in metier.refuses("demo --folder taken")
    assert (metier.folder / "taken").read_text() == "a file"
    assert "its own logbook" in metier.refuses("demo --logbook mine.sqlite")
