"""What the pictures say: their texts, as a reader of the SVG finds them."""

import re

import pytest

from metier.demo.slicing import SlicedLine, Style, globe
from tests.conftest import set_up_heron


def fill_shop(bench):
    set_up_heron(bench)
    (bench.folder / "coupons.csv").write_text(
        "flow_mm3_s,strength_mpa\n4,31.2\n4,32.0\n4,30.8\n8,31\n8,30\n11,23.4\n11,24.0\n11,23.1\n"
    )
    for limit in (8, 12):
        text = globe(
            SlicedLine(0.5, 0.2), Style(True, True, 3, 5), radius_mm=8, limit_mm3_s=limit,
            least_layer_s=0.1,
        )  # fmt: skip
        (bench.folder / f"globe{limit}.gcode").write_text(text)


@pytest.fixture
def shop(metier, built):
    return built(metier, fill_shop)


RAMP = "volumetric --from 4 --step 0.5 --every 2 --to 24 --width 0.5 --layer 0.2 --flow 100"
PLATE = "xy --hole 12=11.4 4=3.79 6=5.80 10=9.82 16=15.80 --post 4=4.09 6=6.1 16=16.09"


@pytest.mark.parametrize(
    ("line", "texts"),
    [
        (
            "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --side 0.54 0.55 --side 0.53 0.54",
            ["wall (mm)", "target", "kept", "mean ± U (95 %)", "readings, side 2", "100 %"],
        ),
        (
            f"{RAMP} --gaps-at 31.5 --matte-at 25 --failed-at 50 --base 1 "
            "--speeds outer=150 infill=40",
            ["height on the part (mm)", "flow (mm³/s)", "surface changes", "first gaps", "failed",
             "limit 9.5", "even looks to 9", "outer, capped", "infill", "foot, does not count"],
        ),
        (
            "volumetric --from 4 --rise-per-mm 0.5 --gaps-at 20.5",
            ["flow of the ramp", "limit 12.5", "last good flow below it"],
        ),
        (
            "volumetric --strength coupons.csv",
            ["flow (mm³/s)", "strength (MPa)", "slowest, ± U (95 %)", "lost, ± U (95 %)",
             "95 % of the slowest", "strong to 8"],
        ),
        (
            PLATE,
            ["size drawn (mm)", "measured less drawn (mm)", "holes, left out", "per side"],
        ),
        (
            "fit --pair 0.1=press 0.2=snug 0.15=slide 0.3=slide 0.4=loose --clearance 0.1",
            ["clearance on the diameter (mm)", "stuck", "press", "snug", "slide", "loose",
             "there is 0.1", "against the order"],
        ),
        (
            "sliced cost globe8.gcode globe12.gcode --limit 8 --even-looks 6",
            ["flow (mm³/s)", "printing time (%)", "height (mm)", "limit 8", "globe12.gcode",
             "surface changes above 6", "looks dull there", "globe8.gcode: mean of a layer"],
        ),
        (
            "weigh --strand 2.95 2.96 --length 1000",
            ["strand (g/m)", "weighing 1", "weighing 2", "2.95", "2.96", "2.955 ± 0.015"],
        ),
        (
            "weigh --strand 2.953 2.953 --length 1000 --part 12.31 --filament 4123 --flow 100",
            ["plastic, of what was dosed (%)", "by weight", "101.1 ± 2.0"],
        ),
        (
            "map --point 20@210=100/2 80@210=110/2 20@230=90/2 80@230=104/2",
            ["speed (mm/s)", "flow (%)", "at 210 °C ± U (95 %)", "at 230 °C ± U (95 %)",
             "one flow would do"],
        ),
        (
            "heat --step 220=many/even/sags/holds 210=none/even/straight/holds "
            "200=none/dull/straight/easy --set 220",
            ["nozzle (°C)", "strings", "surface", "bridge", "breaks", "many", "sags", "easy",
             "best: 210 °C", "set: 220 °C", "works"],
        ),
        (
            "proof --of globe --at root=0.46/0.46 belly=0.46/0.45 tip=0.39/0.39 --expect 0.45",
            ["place", "off what it should be (%)", "root", "belly", "tip", "thin below that"],
        ),
    ],
)  # fmt: skip
def test_axes_have_units_and_lines_have_names(shop, line, texts):
    shop.json(f"{line} --plot picture.svg")
    drawn = (shop.folder / "picture.svg").read_text()
    # Letters are drawn as shapes; what they spell is kept beside each.
    said = [one.strip() for one in re.findall(r"<!--(.*?)-->", drawn, re.DOTALL)]
    for text in texts:
        assert any(text in one for one in said), (text, said)
    title = {
        "flow": "Walls", "volumetric": "Volumetric limit", "xy": "Holes", "fit": "Fit",
        "weigh": "Weighing", "map": "Flow map", "heat": "Temperature", "proof": "Proof",
    }  # fmt: skip
    name = line.split()[0]
    assert any(one.startswith(title.get(name, "Flow of")) for one in said)


def test_scale_and_walls_side_by_side_and_a_question_is_drawn_too(shop):
    def spelt():
        drawn = (shop.folder / "picture.svg").read_text()
        return [one.strip() for one in re.findall(r"<!--(.*?)-->", drawn, re.DOTALL)]

    cube = "flow --width 0.6 --layer 0.24 --line-model rounded --walls 3 --flow 100"
    shop.json(f"{cube} --read 1.84 1.84 1.83 1.84")
    shop.json("weigh --strand 2.953 2.953 --length 1000 --part 12.31 --filament 4123")
    said = shop("weigh --what-if 2 --flow 97 --plot picture.svg").out
    assert "written to picture.svg" in said
    assert {"set: 97", "by weight", "by the walls of trial 1"} <= set(spelt())
    (shop.folder / "picture.svg").unlink()
    shop.json("history 2 --plot picture.svg")
    assert "set: 97" not in spelt()
    # What the scale shows empty is no filament, in the picture either.
    shop.json("instrument zero scale 0.5")
    shop.json("weigh --strand 3.45 --length 1000 --plot picture.svg --force")
    assert "2.95" in spelt()
    shop.json("spool set fern-1 --foaming yes")
    shop.json("history 2 --plot picture.svg --force")
    assert "plastic, of what was dosed (%)" in spelt()


@pytest.mark.parametrize("ending", ["png", "svg", "pdf"])
def test_every_form_is_written(shop, ending):
    shop.json(f"{PLATE} --plot plate.{ending}")
    begins = {"png": b"\x89PNG", "svg": b"<?xml", "pdf": b"%PDF"}
    assert (shop.folder / f"plate.{ending}").read_bytes().startswith(begins[ending])


@pytest.mark.parametrize(
    "line",
    [
        "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.5",
        f"{RAMP} --gaps-at 31.5",
        "volumetric --strength coupons.csv",
        PLATE,
        "fit --pair 0.1=press 0.3=slide",
        "sliced cost globe8.gcode",
        "weigh --strand 2.95 --length 1000",
        "heat --step 220=many/even/sags/holds 210=none/even/straight/holds",
        "proof --at root=0.46 --expect 0.45",
    ],
)
def test_where_none_can_be_written_it_is_said_before_anything_is_recorded(shop, line):
    assert "no such folder" in shop.refuses(f"{line} --plot nowhere/picture.png", status=1)
    assert "must end in" in shop.refuses(f"{line} --plot picture.bmp")
    assert shop.json("history")["trials"] == []


@pytest.mark.parametrize("ending", ["svg", "pdf", "png"])
def test_a_picture_says_what_it_is_to_whoever_cannot_see_it(shop, ending):
    line = "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --read 1.44 1.45"
    shop.json(f"{line} --plot picture.{ending}")
    written = (shop.folder / f"picture.{ending}").read_bytes()
    assert b"Walls of the test cubes" in written or b"W\x00a\x00l\x00l\x00s" in written
    if ending == "png":
        assert b"wall (mm)" in written


def test_walls_of_several_sections_stand_on_one_page(shop):
    shop.json("flow --plan --width 0.5 --layer 0.2 --sections 3 2 1 --line-model rounded")
    groups = "--read 1.70 1.69 --read 1.10 1.11 --read 0.57 0.58"
    shop.json(f"flow --trial {shop.json('history')['trials'][0]['number']} {groups} --plot p.png")
    header = (shop.folder / "p.png").read_bytes()[16:24]
    width, height = (int.from_bytes(header[at : at + 4], "big") for at in (0, 4))
    assert (width, height) == (1200, 720)
