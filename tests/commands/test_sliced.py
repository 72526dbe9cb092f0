"""`metier sliced`, and sliced files in other commands."""

import pytest

from metier.demo.slicing import SlicedLine, Style, cube, globe, ramp
from tests.conftest import set_up_untold

FLOWS = [4 + 0.5 * step for step in range(41)]
STYLE = Style(xy_places=3, e_places=5)


def slice_all(bench):
    set_up_untold(bench)
    files = {
        "cube2.gcode": cube(SlicedLine(0.5, 0.2, "rectangular"), STYLE, walls=2),
        "cube1.gcode": cube(SlicedLine(0.5, 0.2, "rounded", 0.96), STYLE, closed_top=True),
        "ramp.gcode": ramp(SlicedLine(0.5, 0.2), FLOWS, 10, STYLE, radius_mm=60),
        "small.gcode": ramp(SlicedLine(0.5, 0.2), FLOWS, 10, STYLE, side_mm=20),
        "flat.gcode": ramp(SlicedLine(0.5, 0.2), FLOWS, 10, STYLE, radius_mm=60, cap_mm3_s=12),
        "globe10.gcode": globe(
            SlicedLine(0.5, 0.2), STYLE, radius_mm=10, limit_mm3_s=10, least_layer_s=0.1
        ),
        "globe13.gcode": globe(
            SlicedLine(0.5, 0.2), STYLE, radius_mm=10, limit_mm3_s=13, least_layer_s=0.1
        ),
        "letter.gcode": "Dear printer\n",
    }
    for name, text in files.items():
        (bench.folder / name).write_text(text)


@pytest.fixture
def shop(metier, built):
    return built(metier, slice_all)


def test_walls(shop):
    found = shop.json("sliced walls cube2.gcode --width 0.5")
    assert (found["walls"], found["line_model"], found["closed_top"]) == (2, "rectangular", False)
    assert found["wall_should_measure_mm"] == pytest.approx(1.0429, abs=1e-3)
    assert found["flow_percent"] == pytest.approx(100, abs=0.1)
    shop.json("flow --plan --width 0.5 --walls 1 --layer 0.2 --flow 100")
    warned = " ".join(shop.json("sliced walls cube2.gcode")["warnings"])
    assert "2 lines a wall are sliced, trial 1 planned 1 line" in warned
    warned = " ".join(shop.json("sliced walls cube1.gcode")["warnings"])
    assert "a top is closed" in warned
    assert "flow 100 % is no flow that was sliced: 96.0 % if rounded" in warned
    assert "0.500 mm" in shop("sliced walls cube1.gcode --flow 96 --width 0.5").out


def test_a_single_line_is_either_whatever_the_logbook_holds(shop):
    before = shop.json("sliced walls cube1.gcode --width 0.5")
    assert (before["line_model"], before["flow_percent"]) == ("either", None)
    assert before["flow_under_percent"]["rounded"] == pytest.approx(96, abs=0.1)
    shop.json("entered flow 87")
    shop.json("printer set heron --line-model rectangular")
    assert shop.json("sliced walls cube1.gcode --width 0.5") == before
    assert "either" in shop("sliced walls cube1.gcode --width 0.5").out


def test_flow_takes_the_cube_from_the_file(shop):
    found = shop.json("flow --sliced cube2.gcode --width 0.5 --read 1.05 1.06 1.04 1.05")
    assert found["target_mm"] == pytest.approx(1.0429, abs=1e-3)
    assert found["flow_now_percent"] == pytest.approx(100, abs=0.1)
    # Two lines and their width tell how the slicer doses them: it is known from then on, and said.
    assert shop.json("printer show heron")["printer"]["line_model"] == "rectangular"
    assert any("shows that lines are dosed rectangular" in note for note in found["notes"])
    given = shop.json("flow --sliced cube2.gcode --width 0.5 --flow 96 --read 1.05 1.04")
    assert any("the file says flow 1; you gave 0.96" in note for note in given["notes"])


def test_without_a_width_the_target_alone_is_taken(shop):
    found = shop.json("flow --sliced cube2.gcode --read 1.05 1.06 1.04 1.05")
    assert found["target_mm"] == pytest.approx(1.0429, abs=1e-3)
    assert shop.json("printer show heron")["printer"]["line_model"] is None


def test_ramp(shop):
    found = shop.json("sliced ramp ramp.gcode")
    assert (len(found["steps"]), found["capped"]) == (41, False)
    assert (found["from_mm3_s"], found["to_mm3_s"]) == pytest.approx((4, 24), abs=1e-2)
    assert (found["step_mm3_s"], found["every_mm"]) == pytest.approx((0.5, 2), abs=1e-3)
    assert "capped it" in shop("sliced ramp flat.gcode").out
    small = shop.json("sliced ramp small.gcode")
    assert (small["capped"], small["to_mm3_s"] < 14, small["asked_mm3_s"]) == (
        True, True, pytest.approx(24, abs=0.05),
    )  # fmt: skip
    assert any("acceleration holds the flow" in one for one in small["warnings"])
    assert any("1000 mm/s² is taken" in one for one in small["warnings"])
    assert not shop.json("sliced ramp small.gcode --accel 9000")["capped"]
    held = shop.json("volumetric --sliced small.gcode --clean")
    assert held["last_good_mm3_s"] == pytest.approx(small["to_mm3_s"], abs=0.2)
    limit = shop.json("volumetric --sliced ramp.gcode --gaps-at 31.5")
    assert (limit["last_good_mm3_s"], limit["limit_mm3_s"]) == (pytest.approx(11, abs=3e-3), 9.5)
    again = shop.json("volumetric --gaps-at 31.5")
    assert again["limit_mm3_s"] == 9.5
    voided = shop.json("volumetric --sliced flat.gcode --gaps-at 20")
    assert any("capped it" in note for note in voided["notes"])


def test_cost(shop):
    found = shop.json("sliced cost globe10.gcode globe13.gcode --limit 8 10")
    assert found["filament_g"] == pytest.approx(found["filament_mm3"] / 1000 * 1.24)
    assert found["with_limit_s"] > found["time_s"] > found["other"]["time_s"]
    assert found["difference"]["time_s"] < 0
    assert found["limits"][1]["share_of_time"] < 0.01
    assert found["flow_quantiles_mm3_s"]["1"] == pytest.approx(10, rel=5e-3)
    shop.json("entered limit 8")
    known = shop.json("sliced cost globe10.gcode --plot cost.png --even-looks 7")
    assert known["limit_mm3_s"] == 8
    assert (shop.folder / "cost.png").exists()
    said = " ".join(shop("sliced cost globe10.gcode").out.split())
    for words in ("an estimate: trapezoids, 1000 mm/s² (taken)", "limit 8 mm³/s, entered", "###"):
        assert words in said
    assert shop.json("sliced cost globe10.gcode --density 2")["filament_g"] > known["filament_g"]


@pytest.mark.parametrize(
    ("material", "density"),
    [("PLA", 1.24), ("PETG", 1.27), ("ABS", 1.04), ("asa", 1.07), ("TPU", 1.21), ("PC", 1.2)],
)
def test_grams_by_material(shop, material, density):
    found = shop.json(f"sliced cost cube2.gcode --material {material}")
    assert found["density_g_cm3"] == density
    assert found["filament_g"] == pytest.approx(found["filament_mm3"] / 1000 * density)


def test_infill_is_warned_of(shop):
    lines = ["G90", "M83", "G1 F2400"]
    for layer in range(1, 30):
        lines += [f"G1 Z{0.2 * layer:.1f}"]
        for inset in (0, 0.5):
            low, high = inset, 30 - inset
            lines += [f"G0 X{low} Y{low}"]
            for x, y in ((high, low), (high, high), (low, high), (low, low)):
                lines += [f"G1 X{x} Y{y} E{30 * 0.1 / 2.4053:.5f}"]
        for n in range(8):
            lines += [f"G0 X{2 + n} Y2", f"G1 X{20 + n} Y20 E1"]
    (shop.folder / "filled.gcode").write_text("\n".join(lines))
    found = shop.json("sliced walls filled.gcode --width 0.5")
    assert found["walls"] == 2
    assert any("infill?" in warning for warning in found["warnings"])
    hollow = shop.json("sliced walls cube2.gcode --width 0.5")
    assert not any("infill?" in warning for warning in hollow["warnings"])


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("sliced walls none.gcode", "cannot read"),
        ("sliced walls letter.gcode", "no G-code"),
        ("sliced walls globe10.gcode", "no straight walls"),
        ("sliced walls cube2.gcode --trial 9", "no trial 9"),
        ("sliced ramp cube2.gcode", "no ramp"),
        ("sliced cost globe10.gcode none.gcode", "cannot read"),
        ("sliced cost globe10.gcode --limit 0", "above zero"),
        ("sliced cost globe10.gcode --limit 8 8", "given twice"),
        ("sliced cost globe10.gcode --material clay", "density of clay"),
        ("sliced cost globe10.gcode --plot cost.gif", "must end in"),
        ("sliced cost globe10.gcode --tool 7", "no tool head 7"),
        ("volumetric --sliced cube2.gcode --gaps-at 3", "no ramp"),
        ("volumetric --sliced ramp.gcode --from 4 --rise-per-mm 1 --gaps-at 3", "give one of them"),
        ("volumetric --sliced flat.gcode --gaps-at 90", "above the ramp"),
        ("flow --sliced globe10.gcode --read 0.5", "no straight walls"),
    ],
)
def test_bad_input_is_met_with_one_line(shop, line, said):
    assert any(one in shop.refuses(line) for one in said.split("|"))
