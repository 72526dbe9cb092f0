"""A job with all that is known, its walls by colour, what its walls and holes should measure."""

import math

import pytest

from tests.conftest import set_up_heron

WIDTH, LAYER, FILAMENT_MM2 = 0.45, 0.2, math.pi * 1.75**2 / 4
FED = WIDTH * LAYER / FILAMENT_MM2


def ring(x, y, side, feed=1800):
    """A square line with its lower left corner there."""
    corners = [(x + side, y), (x + side, y + side), (x, y + side), (x, y)]
    lines = [f"G0 X{x:.3f} Y{y:.3f} F7200"]
    lines += [f"G1 X{u:.3f} Y{v:.3f} E{side * FED:.5f} F{feed}" for u, v in corners]
    return lines


def block(x, side=20.0, feed=1800):
    """Two walls and sparse infill: one colour of a part."""
    lines = []
    for wall in range(2):
        at = WIDTH / 2 + wall * WIDTH
        lines += ring(x + at, at, side - 2 * at, feed)
    for part in range(1, 5):
        across = x + side * part / 5
        lines += [f"G0 X{across:.3f} Y1.0 F7200"]
        lines += [f"G1 X{across:.3f} Y{side - 1:.3f} E{(side - 2) * FED:.5f} F{feed}"]
    return lines


def two_colours(inner=False):
    """Two blocks side by side, or one inside the other's hollow."""
    lines = ["G21", "G90", "M83"]
    for layer in range(20):
        lines += [f"G1 Z{LAYER * (layer + 1):.2f} F600", "T0"]
        lines += ring(-WIDTH / 2, -WIDTH / 2, 20 + WIDTH) if inner else block(-20)
        lines += ["T1", *block(0)]
    return "\n".join([*lines, ""])


def fill_workshop(bench):
    set_up_heron(bench)
    bench.json("printer set heron --bed 220x220 --line-model rounded")
    bench.json("spool set fern-1 --bed-temperature 60")
    (bench.folder / "two.gcode").write_text(two_colours())


@pytest.fixture
def workshop(metier, built):
    return built(metier, fill_workshop)


def test_walls_where_colours_meet_are_inner_ones(workshop):
    found = workshop.json("sliced cost two.gcode")["colours"]
    assert [one["tool"] for one in found] == [0, 1]
    for one in found:
        outer_mm = one["outer_mm"] / (one["outer_mm"] + one["inner_mm"])
        # Three of the four sides of its first wall, none of the second.
        assert outer_mm == pytest.approx(0.75 * 19.55 / (19.55 + 18.65), abs=0.03)
        assert one["other_mm"] > 0
    assert "T1" in workshop("sliced cost two.gcode").out
    (workshop.folder / "in.gcode").write_text(two_colours(inner=True))
    outside, inside = workshop.json("sliced cost in.gcode")["colours"]
    assert outside["outer_mm"] > 0
    assert inside["outer_mm"] == 0
    assert "its colour is never seen" in workshop("sliced cost in.gcode").out
    assert workshop.json("sliced cost in.gcode --tool 1")["colours"] == []


def test_a_job_with_all_that_is_known_best_first(workshop):
    fast = "\n".join(["G21", "G90", "M83", *(
        line for layer in range(20)
        for line in (f"G1 Z{LAYER * (layer + 1):.2f} F600", *block(0, 60.0, 12000))
    ), ""])  # fmt: skip
    (workshop.folder / "fast.gcode").write_text(fast)
    workshop.json("volumetric --gaps-flow 16 --matte-flow 12")
    workshop.json("bench --temperature 225")
    workshop.json("volumetric --gaps-flow 20")
    workshop.json("printer add wren --nozzle 0.8 --steps 405")
    workshop.json("bench --printer wren --temperature 210")
    workshop.json("volumetric --gaps-flow 30")
    workshop.json("bench --printer heron --temperature 210")
    workshop.json("weigh --strand 2.95 --length 1000")
    before = workshop.json("sliced cost fast.gcode --all-known")
    rows = before["known"]
    assert [one["nozzle"] for one in rows] == ["heron-0.5", "heron-0.5", "wren-0.8"]
    assert [one["temperature_c"] for one in rows] == [225, 210, 210]
    assert rows[0]["time_s"] < rows[1]["time_s"]
    assert rows[2]["other_bore"]
    # At 210 °C walls are dull from 12 on, and all layers have both; at 225 nothing is known.
    assert rows[1]["dull_bands_share"] == pytest.approx(1.0, abs=0.06)
    assert rows[0]["dull_bands_share"] is None
    assert rows[0]["filament_g"] == pytest.approx(before["filament_mm"] * 0.00295)
    workshop.json("proof --at a=0.45 b=0.45 c=0.45 --expect 0.45 --minutes 66 --estimate 60")
    after = workshop.json("sliced cost fast.gcode --all-known")
    assert after["time_factor"] == pytest.approx(1.1)
    assert after["known"][0]["time_s"] == pytest.approx(1.1 * rows[0]["time_s"])
    assert after["known"][2]["time_factor"] is None
    said = " ".join(workshop("sliced cost fast.gcode --all-known").out.split())
    assert "x 1.10, as 1 proof on this printer took" in said
    workshop.json("undo")
    assert workshop.json("sliced cost fast.gcode")["time_factor"] is None


def test_a_printers_factor_is_of_files_that_metier_estimated_where_there_are_some(workshop):
    proof = "proof --at a=0.45 b=0.45 --expect 0.45"
    workshop.json(f"{proof} --minutes 90 --estimate 60")
    assert workshop.json("sliced cost two.gcode")["time_factor"] == pytest.approx(1.5)
    workshop.json(f"{proof} --minutes 72 --estimate 60")
    both = workshop.json("sliced cost two.gcode")["time_factor"]
    assert both == pytest.approx(math.sqrt(1.5 * 1.2))
    estimated_s = workshop.json("sliced cost two.gcode")["time_s"]
    minutes = 1.1 * estimated_s / 60
    found = workshop.json(f"{proof} --sliced two.gcode --minutes {minutes}")
    assert found["time_factor"] == pytest.approx(1.1)
    assert workshop.json("sliced cost two.gcode")["time_factor"] == pytest.approx(1.1)


def test_strength_kept_is_the_part_of_the_time_below_what_coupons_held(workshop):
    rows = "flow_mm3_s,strength_mpa\n" + "".join(
        f"{flow},{mpa}\n"
        for flow, each in (
            (1.0, (30, 31, 29, 30)),
            (2.0, (30, 30, 31, 29)),
            (6.0, (20, 21, 19, 20)),
        )
        for mpa in each
    )
    (workshop.folder / "coupons.csv").write_text(rows)
    workshop.json("volumetric --strength coupons.csv")
    workshop.json("volumetric --gaps-flow 9")
    (row,) = workshop.json("sliced cost two.gcode --all-known")["known"]
    assert 0 < row["strength_kept_share"] < 1


def test_what_walls_and_holes_should_measure(workshop):
    workshop.json("flow --plan --part tube.gcode")
    workshop.json(
        "flow --trial 1 --read 1.87 1.86 1.87 1.87 --read 1.05 1.06 1.05 1.05 "
        "--read 0.64 0.65 0.65 0.64"
    )
    tube = workshop.json("profile --forecast tube.gcode")
    # The same file once more should measure what it measured.
    for one, measured in zip(tube["walls"], (1.8675, 1.0525, 0.645), strict=True):
        assert abs(one["wall_mm"] - measured) < 0.01
        assert 0.01 < one["u95_mm"] < 0.08
    workshop.json("xy --plan --part plate.gcode")
    assert "metier xy" in " ".join(tube["notes"]) or tube["rounds"] == []
    workshop.json(
        "xy --trial 2 --hole 4=3.79 6=5.80 10=9.82 16=15.80 --post 4=4.09 6=6.10 10=10.08 16=16.09"
    )
    plate = workshop.json("profile --forecast plate.gcode")
    holes = {round(one["enclosed_mm"]): one for one in plate["rounds"] if one["kind"] == "hole"}
    posts = {round(one["enclosed_mm"]): one for one in plate["rounds"] if one["kind"] != "hole"}
    for size, measured in ((4, 3.79), (6, 5.80), (10, 9.82), (16, 15.80)):
        assert holes[size]["measures_mm"] == pytest.approx(measured, abs=0.03)
    for size, measured in ((4, 4.09), (6, 6.10), (10, 10.08), (16, 16.09)):
        assert posts[size]["measures_mm"] == pytest.approx(measured, abs=0.03)
    assert "should measure" in workshop("profile --forecast plate.gcode").out


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("sliced cost two.gcode --all-known", "no limit is known anywhere"),
        ("sliced cost two.gcode --all-known --limit 8", "leave OTHER"),
        ("profile --forecast none.gcode", "cannot read"),
        ("profile --forecast two.gcode", "no wall and no hole can be foreseen"),
        ("profile --forecast two.gcode --card", "are two answers"),
    ],
)
def test_bad_input_is_named(workshop, line, said):
    assert said in workshop.refuses(line)
