"""Cubes, ramps and jobs as they were sliced, against what wrote them."""

import math

import numpy as np
import pytest

from metier.core.errors import BadInput
from metier.core.job.cost import JobMeter, Motion, job_cost, pace, times_s
from metier.core.job.moves import PRINT
from metier.core.job.sliced_ramp import ramp_in
from metier.core.job.sliced_walls import read_sections, wall_target
from metier.core.line.bead import rounding_mm
from metier.core.values import LINE_MODELS
from metier.demo.slicing import SlicedLine, Style, cube, globe, ramp
from metier.formats.gcode import read_gcode


def walls_in(moves, diameter_mm):
    """Return the walls of a cube, which has one section."""
    (found,) = read_sections(moves, diameter_mm)
    return found


@pytest.fixture
def read(tmp_path):
    def reader(text):
        path = tmp_path / "x.gcode"
        path.write_text(text)
        return read_gcode(str(path)).moves

    return reader


# So fast that every line is printed at its set speed all along.
AT_ONCE = Motion(1e9, 1e6)

STYLES = [
    Style(), Style(relative=True), Style(arcs=True), Style(relative=True, arcs=True),
    Style(xy_places=2, e_places=4), Style(relative=True, arcs=True, xy_places=2, e_places=4),
]  # fmt: skip


@pytest.mark.parametrize("style", STYLES)
@pytest.mark.parametrize("model", LINE_MODELS)
@pytest.mark.parametrize(("walls", "flow", "angle"), [(1, 0.96, 0.0), (2, 1.0, 0.3), (3, 0.93, 0)])
def test_cubes_are_recovered(read, style, model, walls, flow, angle):
    line = SlicedLine(0.46, 0.2, model, flow)
    within = 5e-3 if style.xy_places else 1e-6
    found = walls_in(read(cube(line, style, walls=walls, angle=angle)), 1.75)
    target = wall_target(found, 0.46, flow)
    assert (found.walls, set(found.per_side)) == (walls, {walls})
    assert found.layer_mm == pytest.approx(0.2, abs=1e-6)
    assert found.dosed_area_mm2 == pytest.approx(line.area_mm2, rel=within)
    assert found.speed_mm_s == pytest.approx(40, rel=within)
    assert not found.closed_top
    assert target.flow == pytest.approx(flow, rel=within)
    assert target.line_model == model
    rounding = rounding_mm(0.2)
    if walls > 1:
        assert target.line_distance_mm == pytest.approx(line.apart_mm, rel=within)
    should = walls * line.apart_mm + rounding
    assert target.wall_should_measure_mm == pytest.approx(should, rel=within)
    assert target.bead_width_mm == pytest.approx(line.area_mm2 / 0.2 + rounding, rel=within)


@pytest.mark.parametrize("style", [STYLES[0], STYLES[5]])
@pytest.mark.parametrize(("bottom", "angle"), [(0, 0.3), (3, 0.0)])
def test_a_spiral_is_read_by_its_turns_above_its_floor(read, style, bottom, angle):
    line = SlicedLine(0.46, 0.2, "rounded", 0.96)
    moves = read(cube(line, style, bottom=bottom, angle=angle, spiral=True))
    found = walls_in(moves, 1.75)
    assert (found.walls, found.spiral, found.closed_top) == (1, True, False)
    assert (found.layer_mm, found.layers) == (pytest.approx(0.2, abs=1e-4), 20)
    assert found.line_distance_mm is None
    assert found.dosed_area_mm2 == pytest.approx(line.area_mm2, rel=1e-3)
    assert wall_target(found, 0.46, 0.96).line_model == "rounded"


def test_what_is_neither_layers_nor_a_spiral_is_refused(read):
    line = SlicedLine(0.46, 0.2)
    spiral = cube(line, bottom=2, spiral=True, layers=30)
    flat = "\n".join(one for one in cube(line).splitlines() if "Z0.2" not in one)
    with pytest.raises(BadInput, match="neither layers nor a spiral"):
        walls_in(read(spiral + flat), 1.75)


def rising(text, part):
    """Let a part of the lines of flat layers climb, as seams that slope do."""
    lines, z, rng = [], 0.0, np.random.default_rng(1)
    for line in text.splitlines():
        if line.startswith("G1 Z"):
            z = float(line.split()[1][1:])
        sloping = line.startswith("G1 X") and rng.random() < part
        lines.append(line.replace(" E", f" Z{z + 0.05:.4f} E") if sloping else line)
        if sloping:
            lines.append(f"G1 Z{z:.4f}")
    return "\n".join(lines)


def test_seams_that_slope_leave_layers_flat(read):
    line = SlicedLine(0.46, 0.2, "rounded", 0.96)
    moves = read(rising(cube(line, Style(relative=True)), 0.15))
    found = walls_in(moves, 1.75)
    assert (found.spiral, found.walls) == (False, 1)
    assert found.layer_mm == pytest.approx(0.2)
    assert found.dosed_area_mm2 == pytest.approx(line.area_mm2, rel=1e-6)


def test_a_part_with_walls_on_one_side_only_is_no_cube(read):
    flat = [f"G1 Z{0.2 * n:.1f}\nG1 X50 Y0 E2\nG1 X50 Y50 E2\nG0 X0 Y0" for n in range(1, 20)]
    with pytest.raises(BadInput, match="one side only"):
        walls_in(read("G90\nM83\nG1 F1200\n" + "\n".join(flat)), 1.75)


def test_a_spiral_whose_last_turn_fades_out_ends_before_it(read):
    line, steps = SlicedLine(0.5, 0.2), [4 + 0.5 * step for step in range(12)]
    text = ramp(line, steps, 10, Style(relative=True), spiral=True)
    whole = ramp_in(read(text), 1.75, AT_ONCE)
    moves = read(text)
    last = moves.z > moves.z.max() - 0.2
    faded = moves._replace(e=np.where(last & (moves.e > 0), 0.5 * moves.e, moves.e))
    found = ramp_in(faded, 1.75, AT_ONCE)
    assert found.to_mm3_s == pytest.approx(whole.to_mm3_s)
    assert found.steps[-1].top_mm == pytest.approx(whole.steps[-1].top_mm - 0.2, abs=0.02)


@pytest.mark.parametrize("foot", [0, 6])
def test_the_ramp_of_a_spiral(read, foot):
    line, steps = SlicedLine(0.5, 0.2), [4 + 0.5 * step for step in range(20)]
    found = ramp_in(read(ramp(line, steps, 10, spiral=True, foot_layers=foot)), 1.75, AT_ONCE)
    assert [one.flow_mm3_s for one in found.steps] == pytest.approx(steps, rel=1e-6)
    assert (found.step_mm3_s, found.every_mm) == pytest.approx((0.5, 2.0), rel=1e-3)
    assert (found.spiral, found.capped) == (True, False)
    # A line that rises lies half a layer lower than where it ends, on the average of a turn.
    assert found.foot_mm == pytest.approx(max(0.2 * foot - 0.1, 0), abs=0.11)
    rising = [4 + 0.02 * layer for layer in range(800)]
    found = ramp_in(read(ramp(line, rising, 1, spiral=True)), 1.75, AT_ONCE)
    assert found.rise_mm3_s_mm == pytest.approx(0.1, rel=1e-3)
    assert not found.capped


def test_a_ramp_counts_at_the_flow_that_acceleration_lets_it_reach(read):
    # Sides of 42 mm between corners of 4 mm radius, in chords: √(v² + 1000 · 42) and no more.
    steps = [4 + 1.0 * step for step in range(30)]
    moves = read(ramp(SlicedLine(0.5, 0.2), steps, 10))
    found = ramp_in(moves, 1.75, Motion(1000.0, 8.0))
    assert (found.capped, found.held, found.asked_mm3_s) == (True, True, pytest.approx(33))
    corner_mm_s = found.to_mm3_s**2 / 0.1**2 - 1000 * 42
    assert 0 < corner_mm_s < 60**2
    shares = [one.at_speed for one in found.steps]
    assert shares == sorted(shares, reverse=True)
    assert shares[0] > 0.95
    assert shares[-1] == 0


def test_a_single_line_fits_both_models(read):
    found = walls_in(read(cube(SlicedLine(0.46, 0.2, "rounded", 0.96))), 1.75)
    bare = wall_target(found, None, None)
    assert (bare.line_model, bare.flow, bare.flow_under) == (None, None, {})
    assert bare.wall_should_measure_mm == bare.bead_width_mm
    either = wall_target(found, 0.46, None)
    assert (either.line_model, either.flow) == ("either", None)
    assert either.flow_under == pytest.approx({"rounded": 0.96, "rectangular": 0.870}, abs=1e-3)
    by_flow = wall_target(found, None, 0.96)
    assert (by_flow.line_model, by_flow.wall_should_measure_mm) == (None, pytest.approx(0.46))
    other = wall_target(found, 0.46, 0.93)
    assert other.line_model is None
    assert "no flow that was sliced" in other.warnings[0]


def test_two_walls_need_no_line_model(read):
    found = walls_in(read(cube(SlicedLine(0.46, 0.2, "rectangular", 0.96), walls=2)), 1.75)
    target = wall_target(found, None, None)
    assert (target.line_model, target.flow) == (None, pytest.approx(0.96))
    assert target.wall_should_measure_mm == pytest.approx(2 * 0.46 + rounding_mm(0.2))
    assert "another width" in wall_target(found, 0.6, None).warnings[0]


def test_tops_and_what_is_no_cube(read):
    line = SlicedLine(0.5, 0.2)
    assert walls_in(read(cube(line, walls=2, closed_top=True)), 1.75).closed_top
    with pytest.raises(BadInput, match="no straight walls"):
        walls_in(read(globe(line, radius_mm=8)), 1.75)
    with pytest.raises(BadInput, match="layers are printed"):
        walls_in(read(cube(line, layers=3)), 1.75)


@pytest.mark.parametrize("style", STYLES)
@pytest.mark.parametrize("foot", [0, 5])
def test_ramps_are_recovered(read, style, foot):
    flows = [4 + 0.5 * step for step in range(20)]
    found = ramp_in(
        read(ramp(SlicedLine(0.5, 0.2, "rounded"), flows, 10, style, foot_layers=foot)),
        1.75,
        AT_ONCE,
    )
    within = 2e-3 if style.xy_places else 1e-6
    assert [one.flow_mm3_s for one in found.steps] == pytest.approx(flows, rel=within)
    assert found.foot_mm == pytest.approx(0.2 * foot, abs=1e-6)
    assert (found.step_mm3_s, found.every_mm) == pytest.approx((0.5, 2.0), rel=within)
    assert [one.z_mm for one in found.steps][:2] == pytest.approx([0.2 * foot, 0.2 * foot + 2])
    assert not found.capped


def test_continuous_and_capped_ramps(read):
    rising = [4 + 0.1 * layer for layer in range(80)]
    found = ramp_in(read(ramp(SlicedLine(0.5, 0.2), rising, 1)), 1.75, AT_ONCE)
    assert found.step_mm3_s is None
    assert found.rise_mm3_s_mm == pytest.approx(0.5)
    # At mid-layer the ramp is what the layer is printed at.
    assert found.ramp().flow_at(0.1) == pytest.approx(4)
    assert found.to_mm3_s == pytest.approx(11.95)
    flat = ramp_in(read(ramp(SlicedLine(0.5, 0.2), rising, 1, cap_mm3_s=9)), 1.75, AT_ONCE)
    assert flat.capped
    assert flat.to_mm3_s == pytest.approx(9, abs=0.06)
    steps = [4 + 0.5 * step for step in range(20)]
    stepped = ramp_in(read(ramp(SlicedLine(0.5, 0.2), steps, 10, cap_mm3_s=9)), 1.75, AT_ONCE)
    assert (stepped.capped, len(stepped.steps)) == (True, 11)
    assert stepped.step_mm3_s == pytest.approx(0.5)


@pytest.mark.parametrize(
    ("flows", "said"),
    [([10 - 0.5 * step for step in range(12)], "falls"), ([8.0] * 12, "same at every height")],
)
def test_what_is_no_ramp_is_refused(read, flows, said):
    with pytest.raises(BadInput, match=said):
        ramp_in(read(ramp(SlicedLine(0.5, 0.2), flows, 10)), 1.75, AT_ONCE)


MOTION = Motion(1000.0, 8.0)


def drawn(*places, speed=100):
    lines = ["G90", "M83", f"G1 F{60 * speed}"]
    return "\n".join([*lines, *(f"G1 X{x} Y{y} E0.1" for x, y in places), ""])


def corner(degrees, speed=100.0):
    """The speed at which a corner of that turn is taken."""
    return min(8 / (2 * math.sin(math.radians(degrees) / 2)), speed)


def side_s(length_mm, begin, end, speed=100.0, acceleration=1000.0):
    """How long a straight takes from one speed to another."""
    peak = min(speed, math.sqrt((begin**2 + end**2) / 2 + acceleration * length_mm))
    ramps_mm = (2 * peak**2 - begin**2 - end**2) / (2 * acceleration)
    return (2 * peak - begin - end) / acceleration + (length_mm - ramps_mm) / peak


@pytest.mark.parametrize(
    ("places", "seconds"),
    [
        ([(200, 0)], 200 / 100 + 100 / 1000),
        # Too short to reach full speed: up and down at once.
        ([(4, 0)], 2 * math.sqrt(4 / 1000)),
        # In line, two moves are as one.
        ([(100, 0), (200, 0)], 200 / 100 + 100 / 1000),
        (
            [(50, 0), (50, 50), (0, 50), (0, 0)],
            2 * side_s(50, 0, corner(90)) + 2 * side_s(50, corner(90), corner(90)),
        ),
        (
            [(50, 0), (0, 0), (50, 0), (0, 0)],
            2 * side_s(50, 0, corner(180)) + 2 * side_s(50, corner(180), corner(180)),
        ),
        # The last, tiny move cannot be entered faster than it can be left.
        ([(200, 0), (200.5, 0)], 200.5 / 100 + 100 / 1000),
    ],
)
def test_times_known_by_hand(read, places, seconds):
    moves = read(drawn(*places))
    assert times_s(moves, moves.feed, MOTION).sum() == pytest.approx(seconds, rel=1e-9)


def test_look_ahead_is_what_a_step_by_step_planner_finds(read):
    noise = np.random.default_rng(5)
    places = noise.uniform(0, 30, (120, 2)).round(3)
    moves = read(drawn(*(tuple(place) for place in places), speed=150))
    dx, dy, _ = moves.steps()
    length = np.hypot(dx, dy)[1:]
    unit = np.stack([dx[1:], dy[1:]]) / length
    turn = np.sqrt(np.sum((unit[:, 1:] - unit[:, :-1]) ** 2, axis=0))
    entry = np.concatenate(([0.0], np.minimum(8 / turn, 150.0), [0.0]))
    for i in reversed(range(len(length))):
        entry[i] = min(entry[i], math.sqrt(entry[i + 1] ** 2 + 2000 * length[i]))
    for i in range(len(length)):
        entry[i + 1] = min(entry[i + 1], math.sqrt(entry[i] ** 2 + 2000 * length[i]))
    expected = sum(side_s(length[i], entry[i], entry[i + 1], 150.0) for i in range(len(length)))
    assert times_s(moves, moves.feed, MOTION).sum() == pytest.approx(expected, rel=1e-9)


def test_cost_of_a_job_and_of_its_limit(read):
    # One line of 200 mm: 10 mm of filament at 100 mm/s.
    moves = read("G90\nM83\nG1 X200 E10 F6000\n")
    area = math.pi * 1.75**2 / 4
    found = job_cost(moves, 1.75, MOTION, [area * 5 / 2, 20.0])
    assert found.filament_mm == pytest.approx(10)
    assert found.quantiles_mm3_s[0.5] == pytest.approx(area * 5)
    slowed, free = found.limits
    assert slowed.time_s == pytest.approx(200 / 50 + 50 / 1000)
    assert (slowed.share_of_time, slowed.share_of_length) == (1, 1)
    assert (free.time_s, free.share_of_time) == (found.time_s, 0)
    assert sum(one.share for one in found.histogram) == pytest.approx(1)
    more = job_cost(moves, 1.75, MOTION, flow=1.1)
    assert more.filament_mm == pytest.approx(11)
    assert more.time_s == found.time_s
    with pytest.raises(BadInput, match="above zero"):
        job_cost(moves, 1.75, MOTION, [0.0])


@pytest.mark.parametrize("stop", ["G1 E-0.8 F2400\n", ""])
def test_a_job_taken_part_by_part_costs_the_same(read, monkeypatch, stop):
    noise = np.random.default_rng(3)
    lines = ["G90\nM83\nG1 X5 E0.1\n"]
    for number in range(300):
        x, y = noise.uniform(0, 200, 2)
        lines.append(
            f"G1 X{x:.3f} Y{y:.3f} Z{number // 50 / 5:g} E{x / 30:.4f} F{600 + x * 9:.0f}\n"
        )
        lines.append(stop * (number % 9 == 0))
    moves = read("".join(lines))
    whole = job_cost(moves, 1.75, MOTION, [5.0, 900.0], flow=1.1)
    monkeypatch.setattr("metier.core.job.cost._STRETCH", 20)
    meter = JobMeter(1.75, MOTION, [5.0, 900.0], flow=1.1)
    for begin in range(0, moves.entries, 37):
        # Each part begins where the one before ended.
        meter.take(moves.stretch(max(0, begin - 1), begin + 37))
    found = meter.cost()
    assert found.time_s == pytest.approx(whole.time_s, rel=1e-12)
    assert found.filament_mm == pytest.approx(whole.filament_mm, rel=1e-12)
    assert found.quantiles_mm3_s == pytest.approx(whole.quantiles_mm3_s, rel=1e-9)
    for part, expected in zip(found.limits, whole.limits, strict=True):
        assert part == pytest.approx(expected, rel=1e-9)
    for part, expected in zip(found.layers, whole.layers, strict=True):
        assert part == pytest.approx(expected, rel=1e-9)
    # What moves before any feed was given is made at the first.
    feed = np.where(moves.feed > 0, moves.feed, moves.feed[moves.feed > 0][0])
    seconds = pace(moves, feed, MOTION).time_s
    assert whole.printing_s == pytest.approx(seconds[moves.kind == PRINT].sum(), rel=1e-12)


def test_a_lower_limit_never_saves_time(read):
    moves = read(
        globe(SlicedLine(0.5, 0.2), Style(arcs=True, xy_places=3, e_places=5), radius_mm=8)
    )
    found = job_cost(moves, 1.75, MOTION, [12.0, 8.0, 5.0, 2.0])
    times = [found.time_s, *(one.time_s for one in found.limits)]
    assert times == sorted(times)
    assert found.layers[0].z_mm == pytest.approx(0.2)


def test_the_share_of_time_is_not_that_of_length(read):
    # 100 mm at 100 mm/s and 100 mm at 10: half the length, but a tenth of the time printed. What
    # is travelled in between counts for neither.
    moves = read("G90\nM83\nG1 X100 E5 F6000\nG0 X900 F600\nG1 X1000 E5 F600\n")
    fast = math.pi * 1.75**2 / 4 * 5
    (limit,) = job_cost(moves, 1.75, Motion(1e6, 100.0), [fast / 2]).limits
    assert limit.share_of_length == pytest.approx(0.5)
    assert limit.share_of_time == pytest.approx(1 / 11, rel=1e-3)
