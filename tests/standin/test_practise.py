"""The whole evening with a stand-in, by Enter alone."""

import re

from tests.doc_examples import ROOT, same


def test_an_evening_from_nothing_to_what_is_true(metier):
    ran = metier.process("practise --seed 7 --fast 5000", patience_s=300)
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


def test_a_folder_that_is_in_use_is_left_alone(metier):
    (metier.folder / "metier-practise").mkdir()
    (metier.folder / "metier-practise" / "mine.txt").write_text("mine")
    assert "is not empty" in metier.refuses("practise")
