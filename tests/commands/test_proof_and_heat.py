"""`metier proof` and `metier heat` as they are used at the bench."""

import pytest

from metier.demo.slicing import SlicedLine, Style, cube

PLACES = "--at root=0.46/0.46 belly=0.46/0.45 hip=0.45/0.46 tip=0.39/0.39"
STEPS = (
    "--step 225=many/rough/sags/holds 220=few/even/straight/holds 215=none/even/straight/holds "
    "210=none/dull/straight/hard 205=none/dull/straight/easy"
)


def test_a_proof_finds_the_thin_place_without_a_logbook(metier):
    found = metier.json(f"proof --of globe {PLACES} --expect 0.45 --layer 0.2")
    assert (found["verdict"], found["thin"], found["trial"]) == ("recheck", ["tip"], None)
    assert "what differs there" in metier(f"proof {PLACES} --expect 0.45").out


def test_the_same_part_later_is_laid_beside_the_first(heron):
    first = heron.json(f"proof --of globe {PLACES} --expect 0.45 --minutes 72 --estimate 60")
    assert first["time_factor"] == pytest.approx(1.2)
    (heron.folder / "globe.jpg").write_bytes(b"x")
    ran = heron(
        "proof --of Globe --at tip=0.45/0.45 root=0.46/0.46 belly=0.46/0.46 --expect 0.45 "
        "--says 'no seam' --photo globe.jpg --plot p.svg"
    )
    said = " ".join(ran.out.split())
    assert "trial 1, " in said
    assert "no seam" in said
    assert (heron.folder / "p.svg").exists()
    heron.json("reading amend 2 1 0.39")
    assert heron.json("history 2")["trials"][0]["findings"]["places"][0][
        "wall_mm"
    ] == pytest.approx(0.42)
    assert "globe" in heron("history --kind proof").out
    assert "proof" in heron("history --csv").out
    heron.json("logbook export all.json")
    heron.json("logbook import all.json --logbook b.sqlite")
    assert heron.json("logbook check --logbook b.sqlite")["sound"]


def test_what_walls_should_be_comes_from_the_last_cube_or_from_each_place(heron):
    heron.json("printer set heron --line-model rounded")
    heron.json("flow --width 0.5 --layer 0.2 --walls 1 --flow 100 --read 0.50 0.51")
    found = heron.json("proof --at root=0.50 tip=0.51 rim=0.95:0.96")
    assert [round(one["expected_mm"], 3) for one in found["places"]] == [0.5, 0.5, 0.96]
    typed = heron("proof --of leaf --json", typed="root=0.50/0.51\ntip=0.51\n")
    assert [one["name"] for one in typed.json["places"]] == ["root", "tip"]


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("proof", "no places"),
        ("proof --at root=0.45", "--expect is needed"),
        ("proof --at root --expect 0.45", "write NAME=MM"),
        ("proof --at root=thin --expect 0.45", "is not a number"),
        ("proof --at root=0.45 root=0.46 --expect 0.45", "named twice"),
        ("proof --at root=4.5 --expect 0.45", "where 0.45 should be"),
        ("proof --at root=0.45 --expect 0.45 --photo none.jpg", "there is no file"),
        ("proof --at root=0.45 --sliced none.gcode", "cannot read"),
        ("proof --plan --at root=0.45", "leave the readings out"),
        ("heat", "nothing is said of any step"),
        ("heat --step 220", "write 220=few"),
        ("heat --step 220=lots 215=none", "is no word for strings: none, few, many"),
        ("heat --step 220=none/even/straight/holds/well 215=none", "a word each"),
        ("heat --step 220=none", "one step tells no range"),
        ("heat --step 220=none 220=few", "given twice"),
        ("heat --step 9000=none 215=none", "no temperature"),
        ("heat --from 225 --step 220=none 215=none", "goes with --plan"),
        ("heat --plan", "no bench to work on"),
    ],
)
def test_bad_input_is_named(metier, line, said):
    assert said in metier.refuses(line)


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("heat --plan --from 225 --to 222", "2 to 12"),
        ("heat --plan --from 235 --to 100", "melt nothing"),
        ("heat --plan --from 400 --to 380", "too hot for fern-1"),
        ("heat --plan --step-height 40", "from 5 to 20"),
    ],
)
def test_steps_that_cannot_be_printed(heron, line, said):
    heron.json("spool set fern-1 --hottest 240")
    assert said in heron.refuses(line)


@pytest.mark.slow
def test_temperature_from_plan_to_profile(heron):
    heron.json("printer set heron --bed 220x220 --line-model rounded")
    heron.json("spool set fern-1 --bed-temperature 60")
    planned = heron.json("heat --plan --from 225 --to 205 --part columns.gcode")
    assert planned["settings"]["temperatures_c"] == [225, 220, 215, 210, 205]
    gcode = (heron.folder / "columns.gcode").read_text()
    assert "M109 S225" in gcode
    changes = [line.split()[1] for line in gcode.splitlines() if line.endswith("; from here on")]
    assert changes == ["S220", "S215", "S210", "S205"]
    heron.json("part 1 columns.3mf")
    heron.json("part 1 columns.csv")
    rows = (heron.folder / "columns.csv").read_text().splitlines()
    assert (rows[0], rows[1].split(",")[2]) == ("from_mm,to_mm,nozzle_c", "225")
    assert "is no step of that plan" in heron.refuses("heat --trial 1 --step 219=none 215=none")
    found = heron.json(f"heat --trial 1 {STEPS} --plot heat.png")
    assert (found["low_c"], found["high_c"], found["temperature_to_type_c"]) == (207.5, 222.5, 215)
    now = heron.json("profile --write fern.toml")["values"]["temperature"]
    assert (now["value"], now["status"], now["in_force"]) == (215, "advised", 210)
    assert "celsius = 215" in (heron.folder / "fern.toml").read_text()
    heron.json("entered --advised")
    assert heron.json("bench")["bench"]["temperature_c"] == 215
    heron.json("undo")
    assert heron.json("bench")["bench"]["temperature_c"] == 210
    assert "is no word for strings" in heron.refuses("reading amend 1 1 even")
    heron.json("reading amend 1 1 few")
    assert "225" in heron("history 1").out


def test_typed_step_by_step_and_several_nozzles(heron):
    heron.json("heat --plan --from 220 --to 210")
    lines = "few even straight holds\nnone even straight holds\n- dull straight easy\n"
    found = heron("heat --trial 1 --json", typed=lines).json
    assert (found["low_c"], found["high_c"]) == (212.5, 220)
    assert found["steps"][0]["strings"] is None
    beside = heron.json(
        "heat --step 220=few/even/straight/holds 210=none/dull/straight/easy "
        "wide@220=none/even/straight/holds wide@210=none/even/straight/easy"
    )
    assert "wide: 215 to 220 °C work" in " ".join(beside["notes"])


def test_a_word_is_mended_and_the_range_follows(heron):
    heron.json(f"heat {STEPS}")
    before = heron.json("history 1")["trials"][0]["findings"]
    sides = [one["side"] for one in heron.json("history 1")["trials"][0]["readings"]]
    number = sides.index("205 °C, breaks, on heron-0.5") + 1
    heron.json(f"reading amend 1 {number} holds")
    after = heron.json("history 1")["trials"][0]["findings"]
    assert after["low_c"] < before["low_c"]
    assert "is no word for breaks: holds, hard, easy" in heron.refuses(
        f"reading amend 1 {number} curly"
    )
    assert heron.json("history 1")["trials"][0]["findings"] == after
    heron.json("undo")
    assert heron.json("history 1")["trials"][0]["findings"] == before


def test_a_file_says_what_a_part_should_be(heron):
    (heron.folder / "cube.gcode").write_text(
        cube(SlicedLine(0.5, 0.2), Style(xy_places=3, e_places=5), walls=2)
    )
    heron.json("printer set heron --line-model rounded")
    found = heron.json("proof --of globe --at root=0.96/0.95 tip=0.96 --sliced cube.gcode")
    # Two lines dosed as rectangles, 0.5 mm apart, each rounded: 0.5 + 0.5 + 0.2 (1 - π/4).
    expected = [one["expected_mm"] for one in found["places"]]
    assert expected == pytest.approx([1.0429, 1.0429], abs=1e-4)
    minutes = heron.json("sliced cost cube.gcode")["time_s"] / 60
    late = heron.json(
        f"proof --of globe --at root=0.96 --sliced cube.gcode --minutes {1.25 * minutes:.4f}"
    )
    assert late["time_factor"] == pytest.approx(1.25, abs=1e-3)
    assert heron.json("sliced cost cube.gcode")["time_factor"] == pytest.approx(1.25, abs=1e-3)
    assert "x 1.25, as 1 proof on this printer took" in heron("sliced cost cube.gcode").out
    said = heron("proof --of globe --at root=0.96 --sliced cube.gcode --grams 3 --file-grams 2.5")
    assert "the file says 2.50: +20.0 %" in said.out
    assert "cannot read" in heron.refuses("proof --at root=0.96 --sliced none.gcode")


def test_a_planned_proof_keeps_what_its_walls_should_be(heron):
    heron.json("proof --plan --of leaf --expect 0.45 --layer 0.2")
    # Whatever else was printed meanwhile.
    heron.json("flow --width 0.5 --walls 3 --layer 0.25 --line-model rounded --flow 100 --read 1.5")
    found = heron.json("proof --trial 1 --at root=0.46 tip=0.45")
    assert [one["expected_mm"] for one in found["places"]] == [0.45, 0.45]
    assert heron.json("history 1")["trials"][0]["settings"]["layer_mm"] == 0.2
    assert "leaf" in heron("history 1").out
    heron.json("proof --plan --of leaf --expect 0.45")
    told = heron.json("proof --trial 3 --at root=0.46 tip=0.90:0.91 --expect 0.47")
    assert [one["expected_mm"] for one in told["places"]] == [0.47, 0.91]


def test_a_planned_proof_of_a_file_counts_its_minutes_as_the_files(heron):
    (heron.folder / "cube.gcode").write_text(
        cube(SlicedLine(0.5, 0.2), Style(xy_places=3, e_places=5), walls=2)
    )
    heron.json("proof --plan --sliced cube.gcode --line-model rounded")
    heron.json("proof --trial 1 --at root=0.96 --minutes 30")
    kept = heron.json("history 1")["trials"][0]["settings"]
    assert (kept["estimate_from"], kept["minutes"]) == ("file", 30)


def test_two_nozzles_stand_side_by_side_a_column_each(heron):
    heron.json("nozzle add wide --printer heron --bore 0.8")
    said = heron(
        "heat --step 220=few/even/straight/holds 215=none/even/straight/holds "
        "wide@220=many/even/sags/holds wide@215=few/even/straight/holds"
    ).out
    rows = [line.split() for line in said.splitlines() if line.startswith("  2")]
    assert ["°C", "heron-0.5", "wide"] in [line.split() for line in said.splitlines()]
    assert rows[0] == ["220", "few/even/straight/holds", "works", "many/even/sags/holds"]
    assert rows[1][0] == "215"
    assert rows[1][3:] == ["few/even/straight/holds", "works"]
