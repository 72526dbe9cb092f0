"""The parts of an evening: what they take, several as one print, on a bed that holds them."""

import itertools
import math

import pytest
import shapely

from metier.core.materials import PRINTED, part_cost
from tests.conftest import not_quick
from tests.parts.reader import read

PLANS = ("flow --plan", "volumetric --plan", "xy --plan")


def set_up_fine_heron(bench):
    """A plain machine with a nozzle of 0.4 mm."""
    bench.json("printer add heron --nozzle 0.4 --steps 412 --bed 220x220x250 --accel 1000")
    bench.json("spool add fern-1 --material PLA --bed-temperature 60")
    bench.json("bench --printer heron --spool fern-1 --temperature 210")


@pytest.fixture
def shop(metier, built):
    return built(metier, set_up_fine_heron)


@pytest.mark.slow
def test_an_evening_takes_less_than_an_hour_and_fifteen_grams(shop):
    planned = [shop.json(f"{plan} --part part-{n}.gcode")["part"] for n, plan in enumerate(PLANS)]
    alone = sum(part["time_s"] for part in planned)
    assert alone <= 60 * 60
    assert sum(part["grams"] for part in planned) <= 15
    plate = planned[2]
    assert (plate["time_s"] <= 20 * 60, plate["grams"] <= 6) == (True, True)
    whole = shop.json("part --together 1 2 3 evening.gcode")
    assert whole["grams"] == pytest.approx(sum(part["grams"] for part in planned), rel=1e-3)
    assert whole["time_s"] <= 60 * 60
    # As many minutes as the parts that are in it, and what going from one to the other takes.
    assert alone < whole["time_s"] < 1.15 * alone
    assert [part["trial"] for part in whole["parts"]] == [1, 2, 3]


@pytest.mark.parametrize("kind", [PRINTED[0], *not_quick(*PRINTED[1:])])
@pytest.mark.parametrize("bore_mm", [0.4, *not_quick(0.2, 1.0)])
def test_what_next_says_of_a_part_is_what_it_takes(metier, kind, bore_mm):
    metier.json(f"printer add heron --nozzle {bore_mm} --steps 412 --bed 250x250 --accel 1000")
    metier.json("spool add fern-1 --material PLA --bed-temperature 60")
    metier.json("bench --printer heron --spool fern-1 --temperature 210")
    part = metier.json(f"{kind} --plan --part part.gcode")["part"]
    told = part_cost(kind, bore_mm)
    assert told.minutes == pytest.approx(part["time_s"] / 60, rel=0.05)
    assert told.volume_cm3 == pytest.approx(part["volume_mm3"] / 1000, rel=0.05)


@pytest.mark.slow
def test_next_and_plan_and_part_say_what_it_takes_before_anything_is_written(shop):
    for line in ("instrument zero calipers 0", "diameter --read 1.75 1.75 1.75"):
        shop.json(line)
    shop.json("esteps --asked 150 --mark 180 --left 30 30.1 29.9")
    due = shop.json("next")
    assert due["takes"] == "about 15 min, 4 g"
    assert "flow, volumetric and xy wait" in due["together"]
    assert "about 15 min, 4 g to print" in shop("next").out
    # A plan without a file says so, too, and so does the part before it is written.
    planned = shop.json("xy --plan")
    shown = shop.json(f"part {planned['trial']}")
    assert planned["takes"]["grams"] == pytest.approx(shown["grams"])
    assert planned["takes"]["time_s"] == pytest.approx(shown["time_s"])
    shop.json("volumetric --plan")
    command = shop.json("next")["together"].partition(": ")[2]
    assert command == f"metier part --together {planned['trial']} {planned['trial'] + 1} " \
        "evening.gcode"  # fmt: skip
    assert shop(command.removeprefix("metier ")).status == 0


def test_a_post_is_no_thinner_than_its_lines(shop):
    ran = shop("xy --plan --hole 4 --post 0.7 --part plate.gcode")
    assert (ran.status, shop.json("history")["trials"]) == (2, [])
    assert "a post of 0.7 mm is too thin for lines of 0.48: 0.72 mm or more" in ran.err
    assert shop("xy --plan --hole 0.5 --post 0.8 --part plate.gcode").status == 0


@pytest.mark.slow
@pytest.mark.parametrize("limit_mm3_s", [3.0, *not_quick(9.0)])
def test_no_file_asks_for_more_than_the_limit_nor_primes_with_more_than_half(shop, limit_mm3_s):
    shop.json(f"entered limit {limit_mm3_s}")
    # As fast as the limit lets a line of 0.48 x 0.2 be.
    speed = limit_mm3_s / 0.0945
    plans = ("xy --plan --hole 6 10 --post 6", "fit --plan", "flow --plan")
    for plan in (*plans, f"flow --plan --speed {speed:.2f}"):
        shop.json(f"{plan} --part part.gcode --force")
        begun, _, printed = (shop.folder / "part.gcode").read_text().partition("; layer 1\n")
        flows = [
            line.area_mm2 * line.speed_mm_s
            for lines in read(printed).layers.values()
            for line in lines
        ]
        assert max(flows) <= limit_mm3_s + 1e-3
        ((primed,),) = read(begun).layers.values()
        assert primed.area_mm2 * primed.speed_mm_s <= limit_mm3_s / 2 + 1e-3


def test_a_quick_tube_says_what_it_costs(shop):
    ran = shop("flow --plan --quick --part quick.gcode")
    assert "tells flow to about ±" in ran.out
    part = shop.json("part 1")
    assert part["time_s"] < 5.1 * 60
    assert part["high_mm"] == pytest.approx(0.4 + 2 * 5)
    assert "sections 3 and 1" not in ran.out
    text = (shop.folder / "quick.gcode").read_text()
    lines = read(text.partition("; layer 1\n")[2]).layers[4.0]
    across = [x for line in lines for x, _ in (line.begin, line.end)]
    assert max(across) - min(across) == pytest.approx(20 - 0.48, abs=1e-6)
    for line in (
        "flow --quick --read .48",
        "flow --plan --quick --section-height 4 --part q.gcode",
    ):
        assert shop(line).status == 2


def drawn(path, width_mm):
    """The layers of a file: height, what is covered, in the order they are printed."""
    printed = path.read_text().partition("; layer 1\n")[2]
    found = []
    for top_mm, lines in itertools.groupby(read(printed).in_order, key=lambda line: line[0]):
        paths = [shapely.LineString([line.begin, line.end]) for _, line in lines]
        found.append((top_mm, shapely.buffer(shapely.unary_union(paths), width_mm / 2)))
    return found


@pytest.mark.slow
def test_parts_are_finished_one_by_one_where_the_head_has_room(shop):
    shop.json("flow --plan --quick --part a.gcode")
    shop.json("xy --plan --hole 6 10 --post 6 --part b.gcode")
    shop.json("volumetric --plan --from 8 --to 12 --part c.gcode")
    # The tube is 10.4 mm high, and neither it nor the ramp, which is lower, can come last.
    shop.json("printer set heron --head-room 30x8")
    assert not shop.json("part --together 1 2 3")["one_by_one"]
    shop.json("printer set heron --head-room 30x11")
    whole = shop.json("part --together 1 2 3 evening.gcode")
    assert whole["one_by_one"]
    # The lowest first: the plate, the ramp or the tube.
    assert whole["order"][0] == 2
    layers = drawn(shop.folder / "evening.gcode", 0.48)
    starts = [at for at, (top, _) in enumerate(layers) if at == 0 or top < layers[at - 1][0]]
    assert len(starts) == 3
    parts = [
        shapely.unary_union([region for _, region in layers[begin:end]])
        for begin, end in zip(starts, [*starts[1:], len(layers)], strict=True)
    ]
    for at, part in enumerate(parts):
        near = [part.distance(other) for other in parts[:at]]
        assert all(mm >= 30 - 1e-6 for mm in near), near
    bed = shapely.box(0, 9, 220, 220)
    assert all(bed.covers(part) for part in parts)
    highest = [max(top for top, _ in layers[a:b]) for a, b in itertools.pairwise(starts)]
    assert all(top <= 11 for top in highest)
    # Between parts it goes over all that stands.
    text = (shop.folder / "evening.gcode").read_text()
    over = [float(line.split()[1][1:]) for line in text.splitlines() if "over what stands" in line]
    assert len(over) == 2
    assert over[0] == pytest.approx(highest[0] + 2)
    assert over[1] == pytest.approx(max(highest) + 2)


@pytest.mark.slow
def test_without_room_they_are_printed_layer_by_layer_and_keep_their_speeds(shop):
    shop.json("flow --plan --quick --part a.gcode")
    shop.json("volumetric --plan --from 8 --to 12 --layer 0.15 --width 0.5 --part b.gcode")
    whole = shop.json("part --together 1 2 evening.gcode")
    assert not whole["one_by_one"]
    said = " ".join(shop("part --together 1 2").out.split())
    assert "metier printer set heron --head-room 35x20" in said
    text = (shop.folder / "evening.gcode").read_text()
    found = read(text.partition("; layer 1\n")[2])
    tops = list(found.layers)
    assert tops == sorted(tops)
    for name in ("a", "b"):
        alone = read((shop.folder / f"{name}.gcode").read_text().partition("; layer 1\n")[2])
        for top_mm, lines in alone.layers.items():
            mine = sorted((round(ln.area_mm2, 5), round(ln.speed_mm_s, 3)) for ln in lines)
            both = sorted(
                (round(ln.area_mm2, 5), round(ln.speed_mm_s, 3)) for ln in found.layers[top_mm]
            )
            for wanted in set(mine):
                assert both.count(wanted) >= mine.count(wanted), (name, top_mm, wanted)
    # Both stay trials of their own.
    assert [row["state"] for row in shop.json("history")["trials"]] == ["planned", "planned"]


def plan_what_does_not_go_together(bench):
    set_up_fine_heron(bench)
    bench.json("flow --plan --quick --part a.gcode")
    bench.json("xy --plan --hole 6 --post 100")
    bench.json("bench --temperature 225")
    bench.json("flow --plan --quick --part c.gcode")
    bench.json("bench --temperature 210")
    bench.json("heat --plan --from 220 --to 210 --every 10")
    bench.json("xy --plan --hole 6 --post 150")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ("1", "two trials or more"),
        ("1 1", "each once"),
        ("1 2 e.3mf", "must end in .gcode"),
        ("1 x e.gcode", "--together"),
        ("1 9 e.gcode", "no trial 9"),
        ("1 3 e.gcode", "one print has one bench"),
        ("1 2 --width 0.5", "leave line and --plot out"),
        ("1 4 e.gcode", "changes its heat by height"),
        ("1 2 5 e.gcode", "do not fit on 220 x 211 mm"),
    ],
)
def test_what_cannot_be_one_print_is_refused(metier, built, words, said):
    built(metier, plan_what_does_not_go_together)
    ran = metier(f"part --together {words}")
    assert ran.status == 2
    assert said in ran.err
    assert len(ran.err.splitlines()) == 1
    assert not (metier.folder / "e.gcode").exists()


def test_parts_are_no_higher_than_the_printer(shop):
    shop.json("printer set heron --bed 220x220x24")
    assert shop.json("printer show heron")["printer"]["bed_z_mm"] == 24
    ran = shop("flow --plan --part tube.gcode")
    assert (ran.status, shop.json("history")["trials"]) == (2, [])
    assert "24.4 mm high, and the printer prints 24" in ran.err
    ran = shop("flow --plan --walls 3 --width 0.48 --layer 0.2 --section-height 26 --part t.3mf")
    assert ran.status == 2
    assert "26.4 mm high, and the printer prints 24" in ran.err
    # Its size alone leaves the height as it was told.
    shop.json("printer set heron --bed 200x200")
    assert shop.json("printer show heron")["printer"]["bed_z_mm"] == 24
    assert "as high as it prints" in shop("printer show heron").out
    shop.json("printer set heron --bed 200x200x24.4")
    assert shop("flow --plan --part tube.gcode").status == 0
    for bed in ("220", "220x220x", "220x220x5", "220x220x20x20", "axb"):
        assert shop(f"printer set heron --bed {bed}").status == 2
    for room in ("35", "35x20x1", "0x20", "ax20"):
        assert shop(f"printer set heron --head-room {room}").status == 2


def test_own_gcode_is_shown_before_it_is_used(shop):
    (shop.folder / "start.g").write_text("G28\nM420 S1\n")
    (shop.folder / "end.g").write_text("M104 S0\nM140 S0\nM84\n")
    said = shop("printer set heron --start start.g --end end.g").out
    assert "  M420 S1\n" in said
    assert "  M84\n" in said
    assert shop("flow --plan --part tube.gcode").status == 0
    shop.json("logbook export a.json")
    shop.json("logbook import a.json --logbook other.sqlite")
    # In another copy nobody has seen it: it is named before it is first written.
    ran = shop("part 1 b.gcode --logbook other.sqlite")
    assert ran.status == 2
    assert "start and the end of each file on heron (5 lines" in ran.err
    assert "metier printer show heron" in ran.err
    assert not (shop.folder / "b.gcode").exists()
    assert "M420 S1" in shop("printer show heron --logbook other.sqlite").out
    assert shop("part 1 b.gcode --logbook other.sqlite").status == 0
    text = (shop.folder / "b.gcode").read_text()
    assert text.index("M420 S1") < text.index("M109")
    assert "prime the nozzle" not in text


def test_a_fast_hot_end_gets_a_wider_ramp_and_a_known_limit_a_finer_one(shop):
    plain = shop.json("volumetric --plan")["settings"]["ramp"]
    assert (plain["from_mm3_s"], plain["to_mm3_s"], plain["step_mm3_s"]) == (4, 16, 1)
    shop.json("nozzle add quick --printer heron --bore 0.4 --hot-end 'high flow'")
    shop.json("bench --nozzle quick")
    fast = shop.json("volumetric --plan")["settings"]["ramp"]
    assert fast["to_mm3_s"] == 32
    shop.json("bench --nozzle heron-0.4")
    shop.json("volumetric --trial 1 --gaps-at 16.5 17 16.9")
    limit = shop.json("profile")["values"]["limit"]["value"]
    known = shop.json("volumetric --plan")["settings"]["ramp"]
    assert known["step_mm3_s"] == 0.5
    assert known["from_mm3_s"] < limit < known["to_mm3_s"]
    assert math.isclose(known["to_mm3_s"], 1.4 * limit, abs_tol=0.5)
