"""`metier volumetric` as it is used at the bench."""

import pytest

STEPPED = "volumetric --from 4 --step 0.4 --every 2.5 --to 24"
LINE = "--width 0.5 --layer 0.2 --flow 100"


@pytest.fixture
def files(metier):
    def write(name, text):
        (metier.folder / name).write_text(text)

    write("feed.csv", "flow_mm3_s;asked_mm;moved_mm\n2;100;100\n4;100;100\n6;100;99,9\n8;100;95\n")
    write(
        "coupons.csv",
        "flow_mm3_s,strength_mpa,note\n4,31.2,a\n4,32.0,\n4,30.8,\n11,23.4,\n11,24.0,\n11,23.1,\n",
    )
    write("force.csv", "flow_mm3_s,force_n\n4,612\n4,628\n4,605\n11,459\n11,471\n11,454\n")
    return metier


def test_a_ramp_without_a_logbook(metier):
    found = metier.json(f"{STEPPED} --gaps-at 31.5 32 --matte-at 22 {LINE}")
    assert found["trial"] is None
    assert found["last_good_mm3_s"] == pytest.approx(8.4)
    assert (found["limit_mm3_s"], found["even_looks_mm3_s"]) == (7.5, 6.5)
    assert found["speed_mm_s"] == pytest.approx(75)
    assert found["verdict"] == "correct"
    assert found["onset_mm3_s"] > found["last_good_mm3_s"] - 0.5
    assert 0 < found["onset_u95_mm3_s"] < 1
    assert not metier.logbook.exists()
    bare = metier.json(f"{STEPPED} --gaps-at 31,5")
    assert bare["speed_mm_s"] is None


@pytest.mark.parametrize(
    ("line", "last_good", "limit"),
    [
        ("volumetric --from 4 --rise-per-mm 0.6 --gaps-at 20.5", 16, 14),
        ("volumetric --from 4 --rise-per-mm 0.6 --base 2 --gaps-at 22.5 --margin 20", 16, 12.5),
        (f"{STEPPED} --marker-every 2.5 --clean-markers 5", 5.6, 5),
        (f"{STEPPED} --gaps-flow 8.8 --round-to 0.1", 8.4, 7.5),
        ("volumetric --gaps-flow 16", 16, 14),
        ("volumetric --from 4 --step 0.4 --gaps-flow 8.8", 8.4, 7.5),
        ("volumetric --from 4 --gaps-flow 16", 16, 14),
        (f"{STEPPED} --clean", 24, 24),
        ("volumetric --clean --to 20", 20, 20),
        (f"{STEPPED} --gaps-at 2", None, None),
        (f"{STEPPED} --good-to 32.9", 8.8, 7.5),
        ("volumetric --good-flow 16", 16, 14),
        # √(64 + 200 · 40) = 89.8 mm/s of 0.1 mm².
        (f"{STEPPED} --clean --accel 200 --outline 40 {LINE}", 8.98, 8.5),
        (f"{STEPPED} --clean --accel 200 --outline r40 {LINE}", 8.944, 8.5),
    ],
)
def test_the_ways_to_see_it(metier, line, last_good, limit):
    found = metier.json(line)
    assert found["last_good_mm3_s"] == (last_good and pytest.approx(last_good, abs=1e-3))
    assert found["limit_mm3_s"] == limit


def test_speeds_capped_by_line_model_and_flow(metier):
    ran = metier(
        f"{STEPPED} --gaps-at 31.5 --width 0.5 0.6 --layer 0.2 0.3 --flow 92 "
        "--line-model rectangular --speeds outer=150 infill=60 top=90@0.4x0.1 --why"
    )
    assert "width 0.5  width 0.6" in ran.out
    rows = {line.split()[0]: line.split() for line in ran.out.splitlines() if " x 0." in line}
    assert rows["outer"][-4:] == ["13.8", "82", "-46", "%"]
    assert rows["infill"][-2:] == ["not", "capped"]
    assert rows["top"][2:5] == ["0.4", "x", "0.1"]


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("volumetric --from -4 --rise-per-mm 0.6 --gaps-at 5", "above zero"),
        ("volumetric --from 4 --rise-per-mm -0.6 --gaps-at 5", "above zero"),
        ("volumetric --from 4 --rise-per-mm 0.6 --to 3 --gaps-at 5", "does not rise"),
        ("volumetric --from 4 --gaps-at 5", "--step and --every are needed"),
        ("volumetric --from 4 --step 0.4 --gaps-at 5", "--every is needed"),
        ("volumetric --from 4 --step 0.4 --rise-per-mm 1 --every 2 --gaps-at 5", "either"),
        ("volumetric --rise-per-mm 0.6 --gaps-at 5", "--from is needed"),
        ("volumetric --gaps-at 5", "--from, --step and --every are needed"),
        (f"{STEPPED} --gaps-at 200", "above the ramp"),
        (f"{STEPPED} --base 3 --gaps-at 2", "lies in the foot"),
        (f"{STEPPED} --marker-every 2.5 --clean-markers 60", "beyond the end"),
        (f"{STEPPED} --marker-every 2.5", "go together"),
        (f"{STEPPED} --gaps-at nan", "not a number"),
        (STEPPED, "nothing was seen"),
        ("volumetric --from 4 --rise-per-mm 1 --clean", "--to is needed"),
        ("volumetric --clean", "--to is needed"),
        ("volumetric --from 4 --step 1 --marker-every 5 --clean-markers 2", "--every is needed"),
        (f"{STEPPED} --gaps-at 9 --speeds outer=150", "--speeds needs the line"),
        (f"{STEPPED} --gaps-at 9 {LINE} --speeds wings=150", "there is no 'wings'"),
        (f"{STEPPED} --gaps-at 9 {LINE} --speeds outer=150 outer=60", "given twice"),
        (f"{STEPPED} --gaps-at 9 {LINE} --speeds outer", "write it outer=150"),
        (f"{STEPPED} --gaps-at 9 {LINE} --speeds outer=0", "above zero"),
        (f"{STEPPED} --gaps-at 9 --width 0.1 --layer 0.2", "swapped?"),
        (f"{STEPPED} --gaps-at 9 --margin 0.1", "type 10 for 0.1"),
        (f"{STEPPED} --gaps-at 9 --margin 120", "from 0 to 90"),
        (f"{STEPPED} --gaps-at 9 --clean", "do not go together|only one of the two"),
        (f"{STEPPED} --plan", "no bench to work on"),
        ("volumetric compare --gaps-at 5", "do not go together"),
        ("volumetric --printer heron --gaps-flow 9", "go with compare"),
        (f"{STEPPED} --gaps-at 9 --accel 900", "--outline is needed"),
        (f"{STEPPED} --gaps-at 9 --outline r25", "--accel is needed"),
        (f"{STEPPED} --gaps-at 9 --outline r --accel 900", "not a number"),
        (f"{STEPPED} --gaps-at 9 --outline 40 --accel 900", "--width and --layer are needed"),
        (f"{STEPPED} --gaps-at 9 --outline 900 --accel 900 {LINE}", "from above 0 to 500"),
        ("volumetric --feed none.csv", "cannot read none.csv"),
        ("volumetric --feed coupons.csv", "asked_mm, moved_mm"),
        ("volumetric --feed feed.csv --strength coupons.csv", "do not go together"),
        ("volumetric --strength feed.csv", "neither strength_mpa nor force_n"),
        ("volumetric --strength force.csv", "--coupon-diameter is needed"),
        ("volumetric --strength coupons.csv --accel 900", "go together"),
        (
            "volumetric --strength coupons.csv --accel 900 --coupon-length 30",
            "--width and --layer are needed",
        ),
    ],
)
def test_bad_input_is_met_with_one_line(files, line, said):
    assert any(one in files.refuses(line) for one in said.split("|"))


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        ("4,31\n4,32\n8,30\n", "one coupon at 8"),
        ("0,31\n0,32\n8,30\n8,31\n", "must be above zero"),
        ("4,31\n4,\n8,30\n8,31\n", "line 3 has neither"),
    ],
)
def test_bad_coupons_are_met_with_one_line(metier, rows, said):
    (metier.folder / "bad.csv").write_text(f"flow_mm3_s,strength_mpa\n{rows}")
    assert said in metier.refuses("volumetric --strength bad.csv")


def test_feed_and_strength(files):
    fed = files.json("volumetric --feed feed.csv")
    assert fed["last_good_mm3_s"] == pytest.approx(6 + 2 * (0.03 - 0.001) / (0.05 - 0.001))
    assert (fed["limit_mm3_s"], fed["verdict"]) == (6.0, "correct")
    strong = files.json("volumetric --strength coupons.csv --plot s.svg")
    assert (strong["limit_mm3_s"], strong["verdict"]) == (4.0, "correct")
    assert [group["verdict"] for group in strong["groups"]] == ["slowest", "lost"]
    assert "<svg" in (files.folder / "s.svg").read_text()
    forced = files.json("volumetric --strength force.csv --coupon-diameter 5")
    assert forced["groups"][0]["mean_mpa"] == pytest.approx(31.32, abs=0.01)
    ran = files(f"volumetric --strength coupons.csv --coupon-length 30 --accel 900 {LINE}")
    assert "acceleration held" in ran.out


def test_a_ramp_is_planned_printed_and_measured(heron):
    ramp = "--from 4 --to 24 --step 0.5"
    planned = heron.json(f"volumetric --plan {ramp} --width 0.5 --layer 0.2")
    assert planned["state"] == "planned"
    assert planned["settings"]["line"]["width_mm"] >= planned["settings"]["on"]["bore_mm"]
    assert 0 < planned["height_mm"] <= 102
    assert planned["time_s"] > 0
    assert "--trial 1" in heron.json("next")["command"]
    found = heron.json("volumetric --trial 1 --gaps-at 31.5 30.5")
    assert (found["trial"], found["limit_mm3_s"]) == (1, 9.5)
    assert heron.json("profile")["values"]["limit"]["status"] == "advised"
    heron.json("entered limit 9.5")
    again = heron.json("volumetric --gaps-at 31")
    assert (again["verdict"], again["limit_to_type_mm3_s"]) == ("keep", 9.5)
    limit = heron.json("profile")["values"]["limit"]
    assert (limit["value"], limit["status"], limit["unit"]) == (9.5, "verified", "mm³/s")
    assert "9.5 mm³/s" in heron("profile --card").out
    narrowed = heron.json("volumetric --plan")["settings"]["ramp"]
    assert narrowed["from_mm3_s"] < 9.5 < narrowed["to_mm3_s"] < 24
    listed = heron.json("history --kind volumetric")["trials"]
    assert [one["state"] for one in listed] == ["planned", "measured", "measured"]
    amended = heron.json("reading amend 2 1 26")
    assert (amended["limit_mm3_s"], amended["verdict"]) == (8.5, "correct")


def test_an_unclear_ramp_puts_nothing_in_force(heron):
    heron.json(f"{STEPPED} --clean")
    limit = heron.json("profile")["values"]["limit"]
    assert (limit["value"], limit["status"]) == (None, "unset")
    assert heron.json("volumetric compare")["limits"][0]["at_least"] is True
    ran = heron("volumetric --gaps-at 2")
    assert "UNCLEAR" in ran.out
    assert "below 3.6" in ran.out
    assert "metier volumetric --plan --from 1 --to 4" in ran.out


def test_preconditions_are_named(heron):
    ran = heron(f"{STEPPED} --gaps-at 31.5 --width 0.45 --layer 0.42 --walls 2")
    said = " ".join(ran.out.split())
    assert "RECHECK 2 lines a wall" in said
    assert "narrower than the 0.5 mm bore" in said
    assert "over 80 % of the 0.5 mm bore" in said
    assert "==> type nothing " in said


def test_a_cooler_limit_is_safe_a_hotter_one_doubtful_and_all_are_compared(untold):
    untold.json("entered flow 100")
    untold.json(f"{STEPPED} --gaps-at 31.5 --width 0.5 --layer 0.2")
    untold.json("entered --advised")
    untold.json("bench --temperature 225")
    limit = untold.json("profile")["values"]["limit"]
    assert (limit["value"], limit["status"]) == (7.5, "carried")
    assert "210 °C" in limit["why"]
    untold.json("volumetric --gaps-at 60")
    untold.json("bench --temperature 200")
    limit = untold.json("profile")["values"]["limit"]
    assert (limit["value"], limit["status"]) == (7.5, "doubtful")
    assert "found at 210 °C" in limit["why"]
    untold.json("bench --temperature 210")
    untold.json("printer add wren --nozzle 0.8 --steps 400")
    untold.json("bench --printer wren --temperature 210")
    untold.json("volumetric --gaps-flow 24")
    untold.json("bench --printer heron --nozzle heron-0.5")
    found = untold.json("volumetric compare --width 0.5 --layer 0.2")["limits"]
    assert [(one["printer"], one["temperature_c"], one["limit_mm3_s"]) for one in found] == [
        ("wren", 210, 21.5), ("heron", 225, 11.5), ("heron", 210, 7.5),
    ]  # fmt: skip
    assert [one["gain_percent"] for one in found] == pytest.approx([186.7, 53.3, 0], abs=0.1)
    assert found[-1]["speed_mm_s"] == pytest.approx(75)
    assert "225 °C melts 53 % more" in untold("volumetric compare").out
    only = untold.json("volumetric compare --printer wren --spool fern-1")["limits"]
    assert [one["printer"] for one in only] == ["wren"]
    assert "nobody" in untold.refuses("volumetric compare --printer nobody")


def test_heights_typed_one_by_one(heron):
    import subprocess

    from tests.moment import program

    finished = subprocess.run(
        program(*f"{STEPPED} --json".split()),
        input="32\n200\n",
        env=heron.environment,
        capture_output=True,
        text=True,
    )
    assert finished.returncode == 2
    assert "above the ramp" in finished.stderr
    finished = subprocess.run(
        program(*f"{STEPPED} --json --start-over".split()),
        input="32\n31.5\n\n",
        env=heron.environment,
        capture_output=True,
        text=True,
    )
    assert '"limit_mm3_s": 7.5' in finished.stdout


def test_the_picture(heron):
    heron.json(f"{STEPPED} --gaps-at 31.5 --matte-at 22 {LINE} --speeds outer=150 --plot ramp.png")
    assert (heron.folder / "ramp.png").read_bytes().startswith(b"\x89PNG")
    assert "needs the ramp" in heron.refuses("volumetric --gaps-flow 9 --plot new.png")
    assert "must end in" in heron.refuses(f"{STEPPED} --gaps-at 31.5 --plot ramp.gif")
    assert len(heron.json("history")["trials"]) == 2


def test_a_surface_change_at_the_very_beginning_tells_no_limit(metier):
    ran = metier("volumetric --from 4 --step 0.4 --every 2.5 --matte-at 1")
    assert ran.status == 0
    assert "UNCLEAR" in ran.out
    assert "the surface changes from the beginning" in " ".join(ran.out.split())


@pytest.mark.parametrize(
    ("seen", "words"),
    [("--gaps-at 31.5", "less 12 %,"), ("--failed-at 31.5", "less 24 %,"), ("--clean --to 12", "")],
)
def test_the_sheet_says_the_margin_that_was_taken(metier, seen, words):
    out = metier(f"{STEPPED} --margin 12 {seen}").out
    found = metier.json(f"{STEPPED} --margin 12 {seen}")
    margin = float(words.split()[1]) / 100 if words else 0
    unrounded = found["last_good_mm3_s"] * (1 - margin)
    assert found["limit_unrounded_mm3_s"] == pytest.approx(unrounded)
    assert words in out
    assert words or "less" not in out


def test_a_recheck_gives_no_limit_to_type(heron):
    heron.json("entered limit 9")
    found = heron.json(f"{STEPPED} --gaps-at 31.5 --walls 2")
    assert (found["verdict"], found["limit_to_type_mm3_s"]) == ("recheck", None)
    assert heron.json("profile")["values"]["limit"]["value"] == 9


def test_a_limit_between_two_temperatures_is_carried(heron):
    heron.json("bench --temperature 205")
    heron.json("entered limit 11.5")
    heron.json("bench --temperature 220")
    heron.json("entered limit 14")
    for temperature, value, status in (
        (212, 12.5, "carried"),
        (230, 15.0, "carried"),
        (200, 10.0, "carried"),
        # Too far beyond the two: what was found cooler is safe, what was found hotter is not.
        (240, 14.0, "carried"),
        (190, 11.5, "doubtful"),
    ):
        heron.json(f"bench --temperature {temperature}")
        found = heron.json("profile")["values"]["limit"]
        assert (found["value"], found["status"]) == (value, status), temperature


def test_strength_of_nozzles_and_temperatures_stands_side_by_side(heron):
    """From what a person has in hand, two sets of broken coupons, to what they print with."""
    soft = {4: (28, 31, 30), 8: (30, 31, 29), 12: (29, 33, 28), 16: (25, 27, 24)}
    hot = {4: (35, 36, 35), 8: (35, 34, 35)}
    for name, flows in (("soft", soft), ("hot", hot)):
        rows = [f"{flow},{mpa}" for flow, values in flows.items() for mpa in values]
        (heron.folder / f"{name}.csv").write_text("\n".join(["flow_mm3_s,strength_mpa", *rows]))
    heron.json("entered limit 14")
    told = heron("volumetric --strength soft.csv").out
    assert "==> type nothing" in told
    assert "12: " in told or " 12 " in told
    found = heron.json("volumetric --strength soft.csv")
    assert (found["limit_mm3_s"], found["limit_to_type_mm3_s"]) == (12, None)
    assert found["verdict"] == "unclear"
    heron.json("bench --temperature 225")
    heron.json("volumetric --strength hot.csv")
    lines = heron("volumetric compare").out.splitlines()
    at = lines.index("Strength of coupons, MPa")
    assert lines[at + 1].split() == ["mm³/s", "heron-0.5,", "225", "°C", "heron-0.5,", "210", "°C"]
    assert lines[at + 2].endswith("weaker")
    (first, second) = heron.json("volumetric compare")["strengths"]
    assert (first["temperature_c"], second["temperature_c"]) == (225, 210)
    assert [row["verdict"] for row in second["beside"]] == ["weaker", "weaker"]
