"""Damp filament: a fact of the roll, a symptom; and prints from before do not count."""

CUBE = "flow --width 0.5 --walls 3 --layer 0.2 --line-model rounded --flow 100"


def test_what_a_damp_roll_showed_does_not_count_with_what_it_shows_dry(heron):
    heron.json(f"{CUBE} --read 1.44 1.45 1.44 1.44")
    before = heron.json("profile")["values"]
    dried = heron.json("spool dried --hours 6 --temperature 45")["spool"]
    assert dried["dried_how"] == "6 h at 45 °C"
    now = heron.json("profile")["values"]
    assert (now["flow"]["status"], now["flow"]["why"]) == ("doubtful", "the roll was dried since")
    assert now["esteps"] == before["esteps"]
    again = heron.json(f"{CUBE} --read 1.42 1.42 1.42 1.42")
    assert again["trials_pooled"] == 1
    assert "spool fern-1, dried 6 h at 45 °C" in heron("history").out
    # Not of another roll.
    heron.json("spool add smoke-1 --material PETG")
    heron.json("bench --spool smoke-1")
    assert heron.json("profile")["values"]["flow"]["status"] != "doubtful"


def test_it_is_taken_back_and_goes_along_with_a_copy(heron):
    heron.json(f"{CUBE} --read 1.44 1.45 1.44 1.44")
    heron.json("spool dried fern-1")
    heron.json("logbook export a.json")
    heron.json("logbook import a.json --logbook b.sqlite")
    heron.json("bench --printer heron --spool fern-1 --temperature 210 --logbook b.sqlite")
    for where in ("", "--logbook b.sqlite"):
        assert heron.json(f"profile {where}")["values"]["flow"]["status"] == "doubtful"
    heron.json("undo")
    assert heron.json("profile")["values"]["flow"]["status"] != "doubtful"
    assert heron("logbook check").out.startswith("The logbook is sound")


def test_it_is_looked_for_where_a_print_hisses_and_not_again_once_dried(heron):
    found = heron.json("next --seen hiss")
    assert (found["step"], found["checks"][1]["step"]) == ("dry", "temperature")
    assert found["command"] == "metier spool dried fern-1 --hours 6 --temperature 45"
    heron.json("spool dried")
    checks = {one["step"]: one for one in heron.json("next --seen strings")["checks"]}
    assert checks["dry"]["status"] == "verified"
    assert "fern-1 was dried" in checks["dry"]["why"]
