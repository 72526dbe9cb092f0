"""The whole evening with a stand-in, by Enter alone."""

import os
import re
import time
from contextlib import suppress
from pathlib import Path

import pytest

from metier.demo.folder import Shell
from metier.practise.evening import Due, Evening, Refused, readings
from tests.conftest import HANGS_S
from tests.doc_examples import ROOT, same


@pytest.mark.slow
def test_an_evening_from_nothing_to_what_is_true(metier):
    ran = metier.process("practise --seed 7 --fast 5000")
    assert (ran.status, ran.err) == (0, "")
    # Every real command is shown as it is run, and the job goes from the first to the last.
    shown = re.findall(r"^\$ metier (\S+)", ran.out, re.MULTILINE)
    assert list(dict.fromkeys(shown)) == [
        *("standin", "printer", "spool", "bench", "cable", "instrument", "diameter", "esteps"),
        *("flow", "entered", "volumetric", "xy", "profile"),
    ]
    folder = metier.folder / "metier-practise"
    metier.logbook = folder / "practise.sqlite"
    metier.environment["METIER_LOGBOOK"] = str(metier.logbook)
    values = metier.json("profile")["values"]
    assert {values[name]["status"] for name in ("esteps", "flow", "hole")} == {"verified"}
    metier.folder = folder
    revealed = metier.json("standin reveal")
    found = revealed["values"]
    assert list(found) == ["diameter", "e-steps", "flow", "onset", "hole", "contour"]
    assert sum(one["inside"] for one in found.values()) >= 5
    assert abs(found["flow"]["in_force"] / found["flow"]["true"] - 1) < 0.03
    assert revealed["prints"] >= 3
    assert revealed["stored_steps"] == values["esteps"]["in_force"]
    # The page shows how it ends.
    page = (ROOT / "docs/cable.md").read_text()
    end = re.search(r"```text\n(.*?)```", page, re.DOTALL)[1]
    assert same(end, ran.out[ran.out.index("$ metier standin reveal") :].partition("\n\nAll of")[0])


def processes(folder):
    """What runs in a folder or below it."""
    found = []
    for link in Path("/proc").glob("[0-9]*/cwd"):
        with suppress(OSError):
            found += [link.parent.name] if str(link.readlink()).startswith(str(folder)) else []
    return found


@pytest.mark.slow
@pytest.mark.skipif(not os.path.exists("/proc"), reason="nothing tells what runs where")
def test_an_evening_that_is_killed_goes_on_where_it_was_left(metier):
    """However it ends, its stand-in ends; nothing of it is done twice."""
    shown = ""
    for sign in ("$ metier instrument", "$ metier cable print", "| metier flow --trial"):
        with metier.started("practise --seed 7 --fast 5000") as process:
            process.stdin.close()
            for line in process.stdout:
                shown += line
                if sign in line:
                    break
            process.kill()
        give_up = time.monotonic() + HANGS_S
        while processes(metier.folder / "metier-practise"):
            assert time.monotonic() < give_up
            time.sleep(0.1)
    assert shown.count("An evening was left there: it goes on.") == 2
    for once in ("printer add", "spool add", "diameter", "esteps --feed", "flow --plan"):
        assert shown.count(f"$ metier {once}") == 1, once
    # What was planned and not printed to its end is printed anew before it is measured.
    assert shown.count("$ metier cable print") == 2


def test_a_folder_that_is_in_use_is_left_alone(metier):
    (metier.folder / "metier-practise").mkdir()
    (metier.folder / "metier-practise" / "mine.txt").write_text("mine")
    assert "is not empty" in metier.refuses("practise")


def test_what_is_typed_is_asked_for_until_it_can_be_read(monkeypatch, capsys):
    lines = iter(["0.47 abc", "0,47 0.48/0.49", "", EOFError])

    def typed(_):
        line = next(lines)
        if line is EOFError:
            raise EOFError
        return line

    monkeypatch.setattr("metier.practise.evening.watched", lambda: True)
    monkeypatch.setattr("builtins.input", typed)
    assert readings("Walls", ["0.5"]) == ["0,47", "0.48/0.49"]
    assert "'abc' is not a number of mm" in capsys.readouterr().out
    assert readings("Walls", ["0.5", "0.6"]) == ["0.5", "0.6"]
    with pytest.raises(KeyboardInterrupt):
        readings("Walls", ["0.5"])


def test_a_command_that_was_refused_is_done_once_more(monkeypatch, tmp_path):
    """Somebody types a slip; the evening goes on where it was."""
    steps = iter(["zero", "zero", "done"])
    monkeypatch.setattr("metier.practise.evening.watched", lambda: True)
    monkeypatch.setattr("metier.practise.evening.go_on", lambda: None)
    evening = Evening(Shell(str(tmp_path), "x.sqlite"), None)
    monkeypatch.setattr(evening, "_due", lambda: Due(next(steps), "", ()))
    done = []

    def do(due):
        done.append((due.step, evening._starts_over))
        if len(done) == 1:
            raise Refused("it stopped at: metier instrument zero")

    monkeypatch.setattr(evening, "_do", do)
    evening.go()
    assert done == [("zero", False), ("zero", True)]
