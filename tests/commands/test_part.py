"""Parts from the command line: planned, written to a file, measured without typing more."""

import csv
import io
import math
import re

import lib3mf
import pytest
import trimesh

from metier.core.flow.posterior import Prior, joint
from metier.core.flow.rows import DosedWall
from tests.conftest import not_quick, set_up_heron

TUBE = [
    ".49 .48 .50 .49 .49 .49 .48 .50",
    ".90 .89 .91 .90",
    "1.35 1.34 1.36 1.35 1.35 1.36 1.34 1.35",
]


def set_up_bed(bench):
    set_up_heron(bench)
    bench.json("printer set heron --bed 235x235 --accel 2000")
    bench.json("spool set fern-1 --bed-temperature 60")


@pytest.fixture
def shop(metier, built):
    return built(metier, set_up_bed)


@pytest.fixture
def fine(shop):
    """The same with a nozzle of 0.4 mm, for which the worked tube is sliced."""
    shop.json("nozzle add fine --printer heron --bore 0.4")
    shop.json("bench --nozzle fine")
    return shop


def bodies_of(path):
    """The names of the bodies in a 3MF file."""
    model = lib3mf.get_wrapper().CreateModel()
    model.QueryReader("3mf").ReadFromFile(str(path))
    objects, names = model.GetMeshObjects(), []
    while objects.MoveNext():
        names.append(objects.GetCurrentMeshObject().GetName())
    return names


def gcode(bench, name):
    return (bench.folder / name).read_text()


def test_from_plan_to_flow_with_no_other_option(fine):
    shop = fine
    words = "--sections 3 2 1 --width 0.45 --layer 0.2 --flow 105"
    plan = shop.json(f"flow --plan --part tube.gcode {words}")
    assert plan["part"]["file"] == "tube.gcode"
    assert plan["settings"]["dose"] == {
        "area_mm2": pytest.approx(0.0854867, rel=1e-6),
        "spacing_mm": pytest.approx(0.4070796, rel=1e-6),
        "source": "part",
        "u": 0.0,
    }
    sliced = shop.json("sliced walls tube.gcode")
    assert [one["walls"] for one in sliced["sections"]] == [3, 2, 1]
    assert sliced["warnings"] == []
    for one in sliced["sections"]:
        assert one["dosed_area_mm2"] == pytest.approx(0.0854867, rel=1e-6)
        assert one["flow_percent"] == pytest.approx(105, rel=1e-6)
    groups = [f"--read {group}" for group in reversed(TUBE)]
    found = shop.json(f"flow --trial 1 {' '.join(groups)}")
    assert [one["walls"] for one in found["sections"]] == [3, 2, 1]
    assert found["flow_sliced_percent"] == 105
    assert shop.json("history 1")["trials"][0]["conditions"]["speed_mm_s"] == 40
    # The same by the posterior itself, from the dose and the readings alone.
    dose = 0.0854867
    walls = []
    for one in found["sections"]:
        readings = len(TUBE[one["walls"] - 1].split())
        u = max(0.012 / readings**0.5, 0.01 / 12**0.5)
        wall = DosedWall(
            one["wall_mm"], u * 1.07, 0.02, one["walls"], dose, 0.4070796, 0.2, 1, "calipers"
        )
        walls.append(wall)
    alone = joint({"rounded": walls}, {"rounded": 1.0}, Prior(1.0, 0.08))
    assert found["flow_new_percent"] == pytest.approx(100 * alone.flow, abs=0.3)


def test_the_tube_is_three_lines_rich_a_wide_one_and_one(fine):
    """At the flow that is in force, or 100 %; each section dosed by its own width and flow."""
    shop = fine
    plan = shop.json("flow --plan --part t.gcode")
    planned = plan["settings"]["sections"]
    assert [(one["walls"], one["width_mm"], one["flow_percent"]) for one in planned] == [
        (3, None, 108), (1, 0.8, None), (1, None, None),
    ]  # fmt: skip
    sliced = shop.json("sliced walls t.gcode")["sections"]
    apart = {width: width - 0.2 * (1 - math.pi / 4) for width in (0.48, 0.8)}
    assert [one["dosed_area_mm2"] for one in sliced] == pytest.approx(
        [1.08 * 0.2 * apart[0.48], 0.2 * apart[0.8], 0.2 * apart[0.48]], rel=1e-5
    )
    # A wide line is printed more slowly, for the same mm³/s.
    speeds = [one["speed_mm_s"] for one in sliced]
    assert speeds[1] / speeds[2] == pytest.approx(apart[0.48] / apart[0.8], rel=1e-3)
    # What is set is no other than before: the plan chose 108 % for three of the lines alone.
    found = shop.json("flow --trial 1 --read 1.44 1.45 --read 0.81 0.82 --read 0.49 0.49")
    assert (found["flow_sliced_percent"], found["flow_now_percent"]) == (100, None)
    assert [one["flow_percent"] for one in found["sections"]] == [108, 100, 100]


def test_readings_typed_go_through_the_sections_from_below(shop):
    shop.json("flow --plan --part tube.gcode")
    ran = shop("flow --trial 1", typed="1.8\n1.81\n\n1.01\n1.02\n\n0.61\n0.6\n\n")
    assert ran.status == 0, ran.err
    sides = [one["side"] for one in shop.json("history 1")["trials"][0]["readings"]]
    assert sides[::2] == ["3 lines, front", "1 line of 1 mm, front", "1 line, front"]
    # Sides may be given, too: as many for each section.
    shop.json("flow --plan --part more.gcode --sections 2 1")
    words = "--side 1.15 --side 1.16 --side 0.6 --side 0.61"
    shop.json(f"flow --trial 2 {words}")
    sides = [one["side"] for one in shop.json("history 2")["trials"][0]["readings"]]
    assert sides == ["2 lines, side 1", "2 lines, side 2", "1 line, side 1", "1 line, side 2"]


def test_walls_that_do_not_follow_flow_are_seen_on_one_print(shop):
    plan = shop.json("flow --plan --part flows.gcode --flows 90 95 100 105 110")
    flows = [one["flow_percent"] for one in plan["settings"]["sections"]]
    # The richest is the lowest: jaws let down from above touch the section they reach.
    assert flows == [110, 105, 100, 95, 90]
    sliced = shop.json("sliced walls flows.gcode")
    assert [one["flow_percent"] for one in sliced["sections"]] == pytest.approx(flows, rel=1e-6)
    groups = " ".join(["--read .62 .63 .62"] * 5)
    assert shop.json(f"flow --trial 1 {groups}")["verdict"] == "recheck"
    groups = " ".join(f"--read {0.0515 + 0.5485 * flow / 100:.2f}" for flow in flows)
    shop.json("undo 1")
    found = shop.json(f"flow --trial 1 --what-if {groups}")
    assert found["response"] == pytest.approx(1.0, abs=0.5)
    # Each wall is what its own flow delivers whole, less the texture.
    assert found["flow_new_percent"] == pytest.approx(101.4, abs=1)


def test_a_ramp_is_measured_by_its_ribs(shop):
    plan = shop.json("volumetric --plan --part ramp.gcode --from 4 --to 12 --step 0.5 --layer 0.24")
    settings = plan["settings"]
    # Steps of whole layers, on a foot of two.
    assert settings["ramp"]["every_mm"] == pytest.approx(1.92)
    assert settings["ramp"]["base_mm"] == pytest.approx(0.48)
    assert settings["marker_every_mm"] == pytest.approx(1.92)
    sliced = shop.json("sliced ramp ramp.gcode")
    assert sliced["from_mm3_s"] == pytest.approx(4, rel=1e-6)
    assert sliced["to_mm3_s"] == pytest.approx(12, rel=1e-6)
    assert sliced["foot_mm"] == pytest.approx(0.48, abs=1e-6)
    assert sliced["warnings"] == []
    shop.json("entered limit 6")
    found = shop.json("volumetric --trial 1 --clean-markers 9")
    assert found["last_good_mm3_s"] == pytest.approx(8)
    # No slicer made it: none can have held it to the limit in force.
    assert not [note for note in found["notes"] if "the slicer held" in note]
    table = list(csv.reader(io.StringIO(_written(shop, "volumetric --plan --to 12", "r.csv"))))
    assert table[0] == ["from_mm", "to_mm", "flow_mm3_s", "speed_mm_s"]
    assert float(table[-1][2]) == pytest.approx(12)


def _written(bench, plan, name):
    number = bench.json(plan)["trial"]
    bench.json(f"part {number} {name}")
    return gcode(bench, name)


@pytest.mark.parametrize("accel", [200, 1000, 20000])
def test_a_ramp_planned_without_its_part_is_written_all_the_same(shop, accel):
    shop.json(f"printer set heron --accel {accel}")
    plan = shop.json("volumetric --plan --from 4 --to 24")
    shop.json("part 1 ramp.gcode")
    found = shop.json("sliced ramp ramp.gcode")
    top = plan["settings"]["ramp"]["to_mm3_s"]
    assert found["to_mm3_s"] == pytest.approx(top, rel=1e-6)


def test_a_ramp_keeps_to_the_bed_and_to_what_is_reached(shop):
    shop.json("printer set heron --bed 120x120 --accel 500")
    plan = shop.json("volumetric --plan --part ramp.gcode")
    assert plan["outline_mm"] <= 45
    top = plan["settings"]["ramp"]["to_mm3_s"]
    found = shop.json("sliced ramp ramp.gcode")
    assert found["to_mm3_s"] == pytest.approx(top, rel=1e-6)
    assert not found["capped"]


@pytest.mark.parametrize(
    ("plan", "bodies"),
    [
        ("flow --plan --walls 2 --width 0.5 --layer 0.2", ["tube 1"]),
        *not_quick(
            ("volumetric --plan", ["ramp 1"]),
            ("xy --plan --hole 4 10x 10y --post 6 --facets 24", ["plate 1"]),
            ("fit --plan --pin 6 --clearances 0.1 0.2", ["pin 1", "rings 1"]),
            ("fit --plan --thread 'M8 6H/6g'", ["bolt 1", "nut 1"]),
            (
                "volumetric --strength --plan --coupon-flows 4 6 --coupons 1",
                ["rod 1 at 4 mm3/s", "rod 1 at 6 mm3/s"],
            ),
        ),
    ],
)
def test_every_plan_becomes_a_mesh_and_what_prints_it(shop, plan, bodies):
    shop.json(f"{plan} --part part.3mf")
    assert sorted(bodies_of(shop.folder / "part.3mf")) == bodies
    shop.json("part 1 part.gcode")
    shop.json("part 1 part.stl")
    shop.json("part 1 --plot part.png")
    assert trimesh.load(shop.folder / "part.stl").is_watertight
    shown = shop.json("part 1")
    cost = shop.json("sliced cost part.gcode")
    # Two bores wide, and as high as a layer.
    prime_mm = 100 * 2 * 0.5 * shown["layer_mm"] / (3.14159265 * 1.75**2 / 4)
    # What is drawn back last is not fed again.
    assert cost["filament_mm"] == pytest.approx(shown["filament_mm"] + prime_mm - 1, rel=1e-4)
    assert cost["time_s"] == pytest.approx(shown["time_s"], rel=0.05)
    out = shop("part 1").out
    assert "has 1 on it" in out
    assert "metier" in out.splitlines()[-1]


def test_a_file_brings_its_dose_and_a_mesh_takes_it_back(shop):
    shop.json("flow --plan --walls 3 --width 0.5 --layer 0.2 --flow 108 --line-model rectangular")
    plain = shop.json("history 1")["trials"][0]["settings"]
    assert plain["dose"] is None
    shop.json("part 1 tube.gcode")
    told = shop.json("history 1")["trials"][0]
    assert told["settings"]["dose"]["spacing_mm"] == pytest.approx(0.5 - 0.2 * 0.2146, abs=1e-4)
    assert told["conditions"]["speed_mm_s"] == 40
    shop.json("part 1 tube.3mf")
    assert shop.json("history 1")["trials"][0]["settings"]["dose"] is None
    # Taken back, the plan is as the file before had it.
    shop.json("undo")
    assert shop.json("history 1")["trials"][0]["settings"]["dose"] is not None


def test_what_belongs_to_the_printer_is_in_the_file(shop):
    (shop.folder / "start.g").write_text("G28\nM104 S{nozzle} ; mine\nM140 S{bed}\n")
    (shop.folder / "end.g").write_text("M104 S0\nG28 X\n")
    shop.json("flow --plan --part plain.gcode")
    plain = gcode(shop, "plain.gcode")
    assert re.search(r"^M109 S210\b.*\n(.*\n)*G90", plain, re.MULTILINE)
    assert "M190 S60" in plain
    assert plain.index("G28") < plain.index("G1 Z0.24")
    assert "; prime the nozzle" in plain
    assert plain.isascii()
    # PLA takes the fan whole; filament is drawn back by 1 mm.
    assert "M106 S255" in plain
    assert "G1 E-1 F2100" in plain
    shop.json("printer set heron --start start.g --end end.g --origin centre --retract 0")
    shop.json("spool set fern-1 --fan 50")
    shop.json("part 1 own.gcode")
    own = gcode(shop, "own.gcode")
    assert "M104 S210 ; mine\nM140 S60\n" in own
    assert own.rstrip().endswith("G28 X")
    assert "; prime the nozzle" not in own
    assert "M106 S128" in own
    assert "G1 E" not in own
    places = [float(one) for one in re.findall(r"G1 X(-?[\d.]+) Y-?[\d.]+ E", own)]
    assert min(places) == pytest.approx(-max(places), abs=0.02)
    # Without them again.
    shop.json("printer set heron --start plain --end plain")
    shop.json("part 1 again.gcode")
    assert "; prime the nozzle" in gcode(shop, "again.gcode")
    assert "start G-code: 0 lines" in shop("history").out


@pytest.mark.parametrize(
    ("before", "line", "said"),
    [
        ("", "part 9 x.gcode", "no trial 9"),
        ("", "part 1", "no trial 1"),
        ("", "flow --plan --part x.obj", "must end in .3mf, .stl, .gcode, .csv"),
        ("", "flow --plan --part none/x.stl --walls 1 --width 0.5 --layer 0.2", "no such folder"),
        ("", "flow --part x.gcode --read 0.5", "--part goes with --plan"),
        ("", "flow --plan --part x.3mf --sections 3 2 --width .6 --layer .2", "alike all the way"),
        ("", "flow --plan --part x.gcode --sections 1 3", "the thickest first"),
        ("", "flow --plan --part x.gcode --sections 3 3", "twice"),
        ("", "flow --plan --part x.gcode --flows 90 90", "twice"),
        ("", "flow --plan --part x.gcode --flows 90 100 --flow 92", "leave the rest out"),
        ("", "flow --plan --part x.gcode --tube-side 4", "from 15 to 150"),
        ("", "flow --sections 3 2 --read 0.5", "goes with --plan"),
        ("", "flow --plan --part x.gcode --width 0.4 --layer 0.2", "narrower than the 0.5 mm bore"),
        ("", "flow --plan --part x.gcode --width 0.6 --layer 0.45", "over 80 % of the 0.5 mm bore"),
        ("", "flow --plan --part x.csv --width .6 --layer .2", "nothing changes with height"),
        ("printer add wren --nozzle 0.8 ; bench --printer wren", "flow --plan --part x.gcode",
         "the bed of wren is not known: metier printer set wren --bed"),
        ("printer set heron --bed 35x35", "flow --plan --part x.gcode", "it is too large"),
        ("printer set heron --hottest 205", "flow --plan --part x.gcode", "too hot for heron"),
        ("spool set fern-1 --hottest 205", "flow --plan --part x.gcode", "too hot for fern-1"),
        ("spool add smoke-1 --material starch ; bench --spool smoke-1 --temperature 240",
         "flow --plan --part x.gcode", "the bed temperature of smoke-1 is not known"),
        ("entered limit 2", "flow --plan --part x.gcode --speed 60", "over the limit of 2"),
        ("xy --plan --hole 0.2", "part 1 x.stl", "is not drawn"),
        ("xy --plan --hole 4", "part 1 x.gcode --width 0.3", "narrower than the 0.5 mm bore"),
        ("flow --plan --walls 1 --width .6 --layer .2 --flow 100", "part 1 x.stl --width 0.5",
         "are those of its plan"),
        ("fit --plan --thread 'M3x0.5'", "part 1 x.stl", "is not drawn to be printed"),
        ("fit --plan --clearances 5", "part 1 x.stl", "at most 12, up to 2 mm"),
        ("", "fit --plan --pin 6 --thread M20", "leave --pin, --clearances out"),
        ("", "fit --pair 0.1=snug --clearances 0.1", "they go with --plan"),
        ("fit --plan", "fit --trial 1 --feel snug", "1 are given for 6 pairs"),
        ("", "fit --feel snug", "give --trial N"),
        ("", "volumetric --strength", "FILE.csv"),
        ("", "volumetric --strength --plan --coupon-flows 30 40", "are not reached"),
        ("", "volumetric --strength --plan --coupon-flows 3", "nothing to compare"),
        ("", "volumetric --coupon-flows 3 4 --plan", "go with --strength --plan"),
        ("volumetric --strength --plan", "volumetric --trial 1", "--strength coupons.csv"),
        ("", "volumetric --plan --outline r3 --part x.stl", "too small for ribs and a tab"),
        ("", "volumetric --plan --outline 12 --to 6 --part x.gcode", "too small for ribs"),
        ("", "volumetric --strength --plan --coupon-flows 3 4 5 --coupons 20", "40 at most"),
        ("", f"flow --plan --part x.gcode --flows {' '.join(map(str, range(80, 99)))}",
         "19 sections are too many"),
        (f"xy --plan --hole {' '.join(map(str, range(4, 50)))}", "part 1 x.stl", "40 at most"),
        ("", "printer set heron --bed 5x5", "no bed that prints"),
        ("", "printer set heron --bed wide", "write 235x235"),
        ("", "printer set heron --start none.g", "cannot read none.g"),
        ("", "printer set heron --start logbook.sqlite", "no text"),
        ("", "spool set fern-1 --fan 200", "from 0 to 100"),
        ("", "spool set fern-1 --bed-temperature 900", "no temperature"),
    ],
)  # fmt: skip
def test_what_cannot_be_printed_is_refused_and_leaves_nothing(shop, before, line, said):
    for command in before.split(" ; "):
        if command:
            shop.json(command)
    planned = shop.json("history")["trials"]
    ran = shop(line)
    assert (ran.status, ran.err.count("\n")) in ((2, 1), (1, 1)), ran
    assert said in ran.err
    assert not list(shop.folder.glob("x.*"))
    assert shop.json("history")["trials"] == planned


def test_a_part_lies_behind_what_is_kept_for_priming(shop):
    shop.json("printer set heron --bed 32x50")
    shop.json("flow --plan --part tube.gcode")
    lines = gcode(shop, "tube.gcode").partition("; layer 1\n")[2].partition("; end")[0]
    for letter, low, high in (("X", 0, 32), ("Y", 9, 50)):
        places = [float(one) for one in re.findall(rf"{letter}([\d.-]+)", lines)]
        # The middles of lines; their edges lie half a line further out.
        assert low + 0.3 - 1e-6 <= min(places)
        assert max(places) <= high - 0.3 + 1e-6
    shop.json("printer set heron --bed 32x48")
    assert "9 in front are kept for priming" in shop.refuses("flow --plan --part again.gcode")


def test_a_part_of_its_own_lines_asks_for_no_line_model(shop):
    from tests.commands.test_typing import Terminal

    terminal = Terminal(shop, "flow --plan --part tube.gcode")
    terminal.until("written to tube.gcode")
    assert terminal.status() == 0


def test_walls_keep_well_below_a_limit_that_is_known(shop):
    shop.json("entered limit 4")
    plan = shop.json("flow --plan --part tube.gcode")
    # Seven tenths of what 4 mm³/s allow at that dose, in whole mm/s.
    assert plan["settings"]["dose"]["area_mm2"] == pytest.approx(0.131639, abs=1e-6)
    assert plan["conditions"]["speed_mm_s"] == 19


def test_no_heat_no_part(metier):
    metier.json("printer add heron --nozzle 0.5 --steps 412 --bed 235x235")
    metier.json("spool add fern-1 --material PLA --bed-temperature 60")
    metier.json("bench --printer heron --spool fern-1")
    refused = metier.refuses("flow --plan --part x.gcode")
    assert "the nozzle temperature is not known: metier bench --temperature C" in refused


def test_a_file_that_stands_is_not_written_over_and_writing_is_whole(shop, monkeypatch):
    (shop.folder / "x.gcode").write_text("mine")
    for line in ("flow --plan --part x.gcode", "part 1 x.gcode"):
        assert "exists" in shop.refuses(line) or "no trial" in shop.refuses(line)
    assert gcode(shop, "x.gcode") == "mine"
    assert shop.json("history")["trials"] == []
    shop.json("flow --plan --part x.gcode --force")
    assert gcode(shop, "x.gcode").startswith("; Metier")
    # A disk that fails while the file is written: no file, and no plan either.
    before = shop.json("history")["trials"]
    monkeypatch.setattr("os.replace", lambda *_: (_ for _ in ()).throw(OSError(28, "No space")))
    assert "No space" in shop.refuses("flow --plan --part y.gcode", status=1)
    monkeypatch.undo()
    assert sorted(one.name for one in shop.folder.glob("y*")) == []
    assert shop.json("history")["trials"] == before


def test_a_bolt_and_nut_are_felt_not_inferred(shop):
    shop.json("entered hole 0.1 contour -0.05")
    plan = shop.json("fit --plan --thread 'M8 6H/6g' --part bolt.gcode")
    assert (plan["settings"]["way"], plan["settings"]["now_mm"]) == ("tried", pytest.approx(0.3))
    found = shop.json("fit --trial 1 --feel snug")
    assert (found["verdict"], found["now_mm"]) == ("unclear", pytest.approx(0.3))
    assert "bolt and nut once more" in found["remedies"][0]
    readings = shop.json("history 1")["trials"][0]["readings"]
    assert [(one["side"], one["typed"]) for one in readings] == [("snug", "0.1/-0.05=snug")]


def test_pairs_are_felt_in_their_order(shop):
    shop.json("fit --plan --pin 10 --clearances 0.3 0.1 0.2")
    shop.json("fit --trial 1 --feel press snug slide --clearance 0.15")
    readings = shop.json("history 1")["trials"][0]["readings"]
    assert [(one["value"], one["side"]) for one in readings] == [
        (0.1, "press"), (0.2, "snug"), (0.3, "slide"),
    ]  # fmt: skip


@pytest.mark.slow
def test_coupons_are_planned_for_what_so_thin_rods_reach(shop):
    plan = shop.json("volumetric --strength --plan")
    rods = plan["settings"]["rods"]
    assert rods["share"] >= 0.6
    assert len(rods["flows_mm3_s"]) == 4
    slower = shop.json("volumetric --strength --plan --accel 500")["settings"]["rods"]
    assert slower["flows_mm3_s"][-1] < rods["flows_mm3_s"][-1]
    thicker = shop.json("volumetric --strength --plan --accel 500 --coupon-diameter 14")
    assert thicker["settings"]["rods"]["flows_mm3_s"][-1] > slower["flows_mm3_s"][-1]
    (shop.folder / "c.csv").write_text("flow_mm3_s,force_n\n4,500\n4,510\n8,505\n8,500\n")
    found = shop.json("volumetric --trial 1 --strength c.csv")
    # The planned gauge makes stress of force.
    assert found["groups"][0]["mean_mpa"] == pytest.approx(505 / (3.14159265 * 9), rel=1e-4)


def test_next_proposes_what_can_be_printed(heron):
    heron.json("instrument zero calipers 0")
    heron.json("diameter --read 1.75 1.75 1.75 1.75")
    heron.json("esteps --asked 150 --mark 180 --left 30 30.1 29.9")
    heron.json("printer set heron --line-model rounded")
    assert heron.json("next")["command"] == "metier flow --plan --walls 3 --part tube-3.3mf"
    heron.json("printer set heron --bed 235x235")
    heron.json("spool set fern-1 --bed-temperature 60")
    command = heron.json("next")["command"]
    assert command == "metier flow --plan --part tube-3.gcode"
    heron.json(command.removeprefix("metier "))
    assert "as it was written" in heron("next").out


def test_what_a_printer_prints_with_goes_along_in_an_export(shop):
    (shop.folder / "start.g").write_text("G28\n")
    shop.json("printer set heron --start start.g --hottest 260 --origin centre --retract 0.5")
    shop.json("spool set fern-1 --fan 80 --hottest 230")
    shop.json("logbook export a.json")
    shop.json("logbook import a.json --logbook other.sqlite")
    for line in ("printer show heron", "spool show fern-1"):
        mine, theirs = shop.json(line), shop.json(f"{line} --logbook other.sqlite")
        for name in ("bed_x_mm", "origin", "start_gcode", "hottest_c", "bed_c", "fan_percent"):
            for kind in ("printer", "spool"):
                assert mine.get(kind, {}).get(name) == theirs.get(kind, {}).get(name)


def test_an_aim_is_kept_its_part_is_that_wide_and_offered_again(shop):
    shop.json("flow --plan --aim 1.1 --walls 2 --layer 0.2 --part aim.gcode")
    assert "==> wall of 1.100 mm   is aimed at" in shop("sliced walls aim.gcode").out
    plastic_mm = shop.json("sliced walls aim.gcode")["wall_should_measure_mm"]
    assert plastic_mm == pytest.approx(1.1 - 0.0085, abs=0.002)
    found = shop.json("flow --trial 1 --read 1.15 1.14 1.15 1.15")
    sliced = shop.json("history 1")["trials"][0]["settings"]["flow_percent"]
    assert found["flow_plain_percent"] == pytest.approx(sliced * 1.1 / 1.1475, rel=1e-3)
    again = shop.json("flow --plan --walls 2 --part again.gcode")
    assert again["settings"]["aim_mm"] == 1.1
    # Another width is another wall.
    assert shop.json("flow --plan --walls 2 --width 0.5")["settings"]["aim_mm"] is None
