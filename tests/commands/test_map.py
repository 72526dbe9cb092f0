"""`metier map`: a tube of several speeds, the row it makes, and what a new speed leaves alone."""

import pytest

CUBE = "flow --width 0.6 --layer 0.24 --walls 3 --line-model rounded"
READ = "--read 2.33 2.34 2.32 --read 2.24 2.25 2.24 --read 2.13 2.14 2.12 --read 2.03 2.02 2.04"


@pytest.fixture
def foaming(heron):
    heron.json("spool add cloud-1 --material PLA --foaming --bed-temperature 60")
    heron.json("bench --spool cloud-1 --temperature 230")
    heron.json("printer set heron --bed 220x220 --line-model rounded")
    return heron


def test_points_alone_without_a_logbook(metier):
    found = metier.json("map --point 20=100/2 --point 80=110/2")
    assert [round(one["flow_percent"]) for one in found["flows"]] == [100, 110]
    assert [one["u95_percent"] for one in found["flows"]] == pytest.approx([2, 2], rel=0.25)
    assert found["verdict"] == "correct"
    assert metier.json("map --point 20@210=100/1 --point 80@210=100/1")["verdict"] == "keep"


def test_from_a_plan_to_the_row_of_a_profile(foaming):
    planned = foaming.json(
        "map --plan --walls 3 --speeds 10 20 30 55 --flow 108 --part speeds.gcode"
    )
    assert [one["speed_mm_s"] for one in planned["settings"]["sections"]] == [10, 20, 30, 55]
    gcode = (foaming.folder / "speeds.gcode").read_text()
    assert all(f"F{60 * speed}" in gcode for speed in (10, 20, 30, 55))
    found = foaming.json(f"map --trial 1 {READ}")
    flows = [one["flow_percent"] for one in found["flows"]]
    assert flows == sorted(flows)
    assert flows[0] == pytest.approx(69.8, abs=0.5)
    assert found["effects"][0]["matters"]
    seen = foaming.json("map --plot map.png")
    assert (foaming.folder / "map.png").read_bytes()[:4] == b"\x89PNG"
    assert (seen["flows"], seen["trials"]) == (found["flows"], [1])
    profile = foaming.json("profile --write cloud.toml")
    assert profile["flow_by_speed"] == found["flows"]
    assert "[[flow_by_speed]]" in (foaming.folder / "cloud.toml").read_text()
    assert "at 10 mm/s" in foaming("profile --card").out
    foaming.json("history 1 --plot again.svg")
    assert foaming.json("reading amend 1 1 2.30")["flows"] != found["flows"]
    foaming.json("logbook export all.json")
    foaming.json("logbook import all.json --logbook b.sqlite")
    assert foaming.json("logbook check --logbook b.sqlite")["sound"]
    assert "10-55" in foaming("history").out
    assert "map,measured" in foaming("history --csv").out


def test_typed_in_section_by_section(foaming):
    foaming.json("map --plan --walls 3 --speeds 20 40 --flow 108 --part speeds.gcode")
    assert foaming("map --trial 1", typed="2.24\n2.25\n\n2.13\n2.12\n").status == 0
    assert len(foaming.json("history 1")["trials"][0]["readings"]) == 4


def planned(bench, line="map --plan"):
    """Return the settings that are planned, and their speeds."""
    number = bench.json(line)["trial"]
    settings = bench.json(f"history {number}")["trials"][0]["settings"]
    return settings, [one["speed_mm_s"] for one in settings["sections"]]


def test_speeds_are_proposed_up_to_what_melts(foaming):
    """Four speeds, evenly by ratio, the fastest six times the slowest where that is possible."""
    line = "map --plan --width 0.6 --layer 0.24 --flow 100"
    # 8 mm³/s melt on any printer: 60.6 mm/s of this line.
    assert planned(foaming, line)[1] == [10, 20, 35, 60]
    assert "no limit is known" in " ".join(foaming(line).out.split())
    foaming.json("entered limit 20")
    speeds = planned(foaming, line)[1]
    assert speeds[-1] == 135  # nine tenths of 20 mm³/s
    assert speeds[0] == pytest.approx(135 / 6, abs=2.5)
    # On short sides that speed is not reached.
    foaming.json("printer set heron --accel 500")
    slow, _ = planned(foaming, "map --plan --speeds 20 100 --flow 100")
    assert slow["tube"]["side_mm"] > 30
    assert "not reached on sides of 150 mm" in foaming.refuses(
        "map --plan --speeds 20 400 --width 0.3 --layer 0.1 --flow 90"
    )
    assert "over the limit of 20: print at" in foaming.refuses("map --plan --speeds 20 300")


def test_how_it_was_dosed_may_be_told_after_it_was_planned(foaming):
    foaming.json("printer add wren --nozzle 0.4 --steps 400")
    foaming.json("bench --printer wren")
    foaming.json("map --plan --walls 3 --speeds 20 40 --flow 108 --width 0.6 --layer 0.24")
    read = "map --trial 1 --read 2.24 2.25 --read 2.13 2.12"
    assert "how that tube was dosed is not known" in foaming.refuses(read)
    foaming.json("printer set wren --line-model rounded")
    found = foaming.json(read)
    assert found["flows"][0]["flow_percent"] < found["flows"][1]["flow_percent"]


def test_a_new_speed_leaves_the_value_of_another_alone(heron):
    heron.json(f"{CUBE} --speed 40 --flow 100 --sure 50 --read 1.70 1.71 1.70 1.69")
    before = heron.json("profile")["values"]["flow"]
    found = heron.json(f"{CUBE} --speed 120 --flow 100 --read 1.60 1.61 1.60 1.60")
    assert found["verdict"] != "keep"
    assert heron.json("profile")["values"]["flow"] == before
    said = heron("flow --speed 120 --flow 100 --read 1.60 1.61 1.60 1.60").out
    assert "flow stands for 40 mm/s" in " ".join(said.split())
    assert [one["speed_mm_s"] for one in heron.json("map")["flows"]] == [40, 120]
    # Where walls are printed so from now on, that speed's is the value.
    heron.json("bench --speed 120")
    assert heron.json("profile")["values"]["flow"] != before


def test_a_flow_that_is_hardly_known_is_in_no_profile(foaming):
    """Hot it was printed at both speeds, cool at one: of the other next to nothing is known."""
    cube = "flow --width 0.6 --layer 0.24 --walls 3 --flow 80"
    foaming.json(f"{cube} --speed 20 --read 1.84 1.85 1.84 1.83")
    foaming.json(f"{cube} --speed 60 --read 1.65 1.66 1.64 1.65")
    assert [one["speed_mm_s"] for one in foaming.json("profile")["flow_by_speed"]] == [20, 60]
    foaming.json("bench --temperature 215")
    foaming.json(f"{cube} --speed 20 --read 1.64 1.65 1.64 1.63")
    found = foaming.json("map")
    assert [one["speed_mm_s"] for one in found["flows"]] == [20]
    assert "60 mm/s at 215 °C: its flow is too little known" in " ".join(found["notes"])
    assert foaming.json("profile")["flow_by_speed"] == []
    # Where it says to print, it knows afterwards.
    assert found["narrows"]["speed_mm_s"] == 60
    rich = cube.replace("--flow 80", "--flow 110")
    foaming.json(f"{rich} --speed 60 --read 1.74 1.75 1.74 1.74")
    assert [one["speed_mm_s"] for one in foaming.json("map")["flows"]] == [20, 60]


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("map", "nothing to map yet"),
        ("map --plan", "no bench to work on"),
        ("map --read 1.7", "give --trial N"),
        ("map --trial 9", "no trial 9"),
        ("map --walls 2", "goes with --plan"),
        ("map --point 20", "write SPEED@TEMPERATURE=FLOW/U"),
        ("map --point 20=0.9", "could be percent or a multiplier"),
        ("map --point 20@9000=90", "no temperature"),
        ("map --point 20=90/x", "not a number"),
        ("map --point 20=90 --plan", "leave --plan"),
        ("map --point 20=90 --plot a.gif", "must end in"),
    ],
)
def test_bad_input_is_named(metier, line, said):
    assert said in metier.refuses(line)


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("map --plan --speeds 40", "2 to 8"),
        ("map --plan --speeds 40 41", "too near"),
        ("map --plan --speeds 40 900", "not reached"),
        ("map --plan --speeds 20 40 --part a.3mf", "alike all the way up"),
        ("map --plan --speeds 20 40 --width 0.3 --part a.gcode", "narrower than"),
    ],
)
def test_tubes_that_cannot_be(foaming, line, said):
    assert said in foaming.refuses(line)
    assert foaming.json("history")["trials"] == []
