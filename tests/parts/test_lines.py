"""The lines of the parts: what Metier writes, it reads as it was meant."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.job.cost import Motion, job_cost
from metier.core.job.moves import PRINT
from metier.core.job.sliced_ramp import ramp_in
from metier.core.job.sliced_walls import read_sections, wall_target
from metier.core.limit.ramp import Continuous
from metier.core.line.bead import line_for_bore, rounding_mm
from metier.parts.columns import Columns
from metier.parts.coupons import Coupons, reached_share
from metier.parts.fill import hatched, radii_of
from metier.parts.pairs import Pairs
from metier.parts.part import Compensated
from metier.parts.plate import DrawnSize, Plate
from metier.parts.solid import square
from tests.parts.drawn import (
    BORES,
    EVERY_BORE,
    FILAMENT_MM,
    all_parts,
    line_of,
    printed,
    ramp,
    rising,
    speeds,
    stepped,
    tube,
    written,
)

MOTION = Motion()


@pytest.mark.parametrize(
    ("bore_mm", "line"), [(0.4, (0.48, 0.2)), (0.5, (0.6, 0.24)), (0.6, (0.72, 0.32))]
)
def test_lines_are_proposed_for_the_bore(bore_mm, line):
    assert line_for_bore(bore_mm) == line


@pytest.mark.parametrize("bore_mm", EVERY_BORE)
@pytest.mark.parametrize(
    "sections",
    [
        ((3, 1.08), (2, 1.08), (1, 1.08)),
        ((1, 1.1), (1, 1.0), (1, 0.9)),
        ((2, 0.93),),
        ((4, 1.2), (3, 1.2)),
    ],
)
def test_a_tube_reads_back_as_planned(bore_mm, sections):
    line = line_of(bore_mm)
    text, sliced = written(tube(line, *sections))
    found = read_sections(sliced.moves, FILAMENT_MM)
    assert [one.walls for one in found] == [walls for walls, _ in sections]
    apart_mm = line.width_mm - rounding_mm(line.layer_mm)
    for one, (walls, flow) in zip(found, sections, strict=True):
        # Dosed is layer x distance of lines x flow; lines that just fill measure N·s + c.
        assert one.dosed_area_mm2 == pytest.approx(line.layer_mm * apart_mm * flow, rel=1e-6)
        assert one.layer_mm == pytest.approx(line.layer_mm, abs=1e-6)
        assert one.speed_mm_s == pytest.approx(40, abs=1e-6)
        distance = one.line_distance_mm or sliced.said.numbers["line distance"]
        assert distance == pytest.approx(apart_mm, abs=1e-6)
        target = wall_target(one._replace(line_distance_mm=distance), line.width_mm, flow)
        assert target.flow == pytest.approx(flow, rel=1e-6)
        assert target.wall_should_measure_mm == pytest.approx(
            walls * apart_mm + rounding_mm(line.layer_mm), abs=2e-6
        )
    assert "nan" not in text


def test_the_dose_of_the_worked_tube():
    line = line_of(0.5)._replace(width_mm=0.45, layer_mm=0.2)
    _, sliced = written(tube(line, (3, 1.05), (1, 1.05)))
    three, one = read_sections(sliced.moves, FILAMENT_MM)
    assert three.dosed_area_mm2 == pytest.approx(0.0854867, rel=1e-6)
    assert three.line_distance_mm == pytest.approx(0.4070796, abs=1e-6)
    assert one.walls == 1


def test_a_tube_is_as_wide_outside_as_it_says_and_its_seam_is_back_left():
    line = line_of(0.5)
    first = tube(line, (2, 1.0), side_mm=40.0).layers()[30]
    outer, inner = first.runs
    assert outer.points[0] == outer.points[-1] == (-20 + line.width_mm / 2, 20 - line.width_mm / 2)
    assert inner.points[0][0] - outer.points[0][0] == pytest.approx(line.apart_mm)
    # Against the clock, seen from above: from back left it goes to the front.
    assert outer.points[1][1] < outer.points[0][1]


@pytest.mark.parametrize("bore_mm", EVERY_BORE)
@pytest.mark.parametrize(("outline", "size_mm"), [("round", 40.0), ("square", 60.0)])
def test_a_stepped_ramp_reads_back_as_planned(bore_mm, outline, size_mm):
    line = line_of(bore_mm, 0.92)
    planned = stepped(line)
    _, sliced = written(ramp(line, planned, outline, size_mm))
    found = ramp_in(sliced.moves, FILAMENT_MM, MOTION)
    assert found.from_mm3_s == pytest.approx(planned.from_mm3_s, rel=1e-6)
    assert found.to_mm3_s == pytest.approx(planned.to_mm3_s, rel=1e-6)
    assert found.step_mm3_s == pytest.approx(planned.step_mm3_s, rel=1e-6)
    assert found.every_mm == pytest.approx(planned.every_mm, abs=1e-6)
    assert found.foot_mm == pytest.approx(planned.base_mm, abs=1e-6)
    assert len(found.steps) == planned.steps
    assert not found.capped


@pytest.mark.parametrize("bore_mm", EVERY_BORE)
def test_a_ramp_that_rises_all_the_way_reads_back_as_planned(bore_mm):
    line = line_of(bore_mm)
    planned = rising(line)
    _, sliced = written(ramp(line, planned))
    found = ramp_in(sliced.moves, FILAMENT_MM, MOTION)
    assert isinstance(found.ramp(), Continuous)
    assert found.rise_mm3_s_mm == pytest.approx(planned.rise_mm3_s_mm, rel=1e-6)
    assert found.from_mm3_s == pytest.approx(3.0, rel=1e-6)
    assert found.to_mm3_s == pytest.approx(7.0, rel=1e-6)


def test_ribs_end_where_steps_do_and_every_fifth_is_long():
    line = line_of(0.5)
    part = ramp(line, stepped(line))
    layers = part.layers()
    wide = []
    for number in range(2, len(layers)):
        points = layers[number].runs[0].points
        out = [abs(x) for x, y in points if y < -40 - 0.05]
        wide.append(2 * max(out, default=0.0))
    # Six layers a step: just below its end a rib stands out, just above it none does.
    ends = [wide[6 * step - 1] for step in range(1, part.ribs + 1)]
    # Half a layer below its end a rib stands out by 1.08 mm, its flanks at 45°.
    assert ends == pytest.approx([4 - 2.16] * 4 + [10 - 2.16] + [4 - 2.16] * 4, abs=0.2)
    assert all(wide[6 * step] == 0 for step in range(1, part.ribs))


def test_sections_of_a_part_of_speeds_differ_in_speed_alone():
    line = line_of(0.5, 1.08)
    _, sliced = written(speeds(line, 20.0, 40.0, 80.0))
    (found,) = read_sections(sliced.moves, FILAMENT_MM)
    assert found.walls == 3
    assert found.dosed_area_mm2 == pytest.approx(line.area_mm2, rel=1e-6)
    layers = speeds(line, 20.0, 40.0, 80.0).layers()
    by_layer = [{run.speed_mm_s for run in one.runs} for one in layers]
    each = round(8.0 / 0.24 + 0.4)
    # The walls; the floor and the tab are quicker.
    assert by_layer[0] == {20.0, 30.0}
    for place, speed in enumerate((20.0, 40.0, 80.0)):
        high = by_layer[2 + place * each : 2 + (place + 1) * each]
        # The tab, where it is, is as slow as the slowest.
        assert all(speed in one for one in high)
        assert all(one == {speed} for one in high[6:])


@pytest.mark.parametrize("bore_mm", EVERY_BORE)
def test_columns_are_hottest_below_and_bridged_step_by_step(bore_mm):
    line = line_of(bore_mm)
    part = Columns(13, line, (200.0, 220.0, 210.0), 40.0)
    layers = part.layers()
    assert [one.nozzle_c for one in layers][:2] == [220.0, 220.0]
    assert layers[-1].nozzle_c == 200.0
    assert [row.nozzle_c for row in part.table()] == [220.0, 210.0, 200.0]
    assert [row.to_mm for row in part.table()][-1] == pytest.approx(part.height_mm)
    text, _ = written(part)
    waited = [line for line in text.splitlines() if line.startswith(("M104", "M109"))]
    assert [one.split()[1] for one in waited] == ["S220", "S220", "S210", "S200", "S0"]
    bridged = [number for number, one in enumerate(layers) if any(map(_crosses, one.runs))]
    each = round(part.step_mm / line.layer_mm)
    # Three layers at the end of each step, beside the foot, which lies below the gap, too.
    ends = [2 + step * each + each - back for step in range(3) for back in (3, 2, 1)]
    assert [one for one in bridged if one >= 2] == ends
    # One line off the right column, with a leg to stand by.
    thin = max(layers[10].runs, key=lambda run: max(x for x, _ in run.points))
    assert len(thin.points) == 3
    assert thin.length_mm == pytest.approx(12 + 6 - line.width_mm / 2)


def _crosses(run):
    """Whether a line goes from one column to the other."""
    across = [x for x, _ in run.points]
    return min(across) < -7.5 and max(across) > 7.5


@pytest.mark.slow
@pytest.mark.parametrize("bore_mm", EVERY_BORE)
def test_what_every_part_costs_is_what_its_lines_say(bore_mm):
    for part in all_parts(bore_mm):
        layers = printed(part)
        _, sliced = written(part)
        cost = job_cost(sliced.moves, FILAMENT_MM, Motion(3000.0))
        lines_mm3 = math.fsum(run.length_mm * run.area_mm2 for one in layers for run in one.runs)
        prime_mm3 = 100 * 2 * 0.4 * line_of(bore_mm).layer_mm
        drawn_mm3 = cost.volume_mm3 - lines_mm3 - prime_mm3
        # What is drawn back last is not fed again.
        assert drawn_mm3 == pytest.approx(-math.pi * FILAMENT_MM**2 / 4, abs=2e-6 * lines_mm3)
        assert cost.printing_s < cost.time_s
        heights = np.unique(sliced.moves.z[sliced.moves.kind == PRINT])
        assert set(np.round(heights, 6)) == {one.top_mm for one in layers}


@given(
    st.floats(8, 60), st.floats(8, 60), st.sampled_from(BORES), st.floats(0.8, 1.3), st.booleans()
)
def test_lines_to_and_fro_fill_an_area(wide_mm, deep_mm, bore_mm, flow, turned):
    line = line_of(bore_mm, flow)
    region = square(1.0).envelope
    region = type(region)([(0, 0), (wide_mm, 0), (wide_mm, deep_mm), (0, deep_mm)])
    runs = hatched(region, line, 40.0, turned=turned)
    filled_mm3 = math.fsum(run.length_mm * run.area_mm2 for run in runs)
    # A little is lacking where short pieces at the corners are left out.
    edge_mm = 2 * (wide_mm + deep_mm) * line.width_mm
    whole_mm3 = wide_mm * deep_mm * line.layer_mm * min(flow, 1.0)
    assert abs(filled_mm3 - whole_mm3) < 0.8 * edge_mm * line.layer_mm
    inside = region.buffer(1e-3)
    assert all(inside.covers(square(1e-4, point)) for run in runs for point in run.points)


@pytest.mark.parametrize("bore_mm", EVERY_BORE)
def test_holes_and_posts_are_laid_at_their_size_and_moved_by_compensation(bore_mm):
    """Their edges lie half a line beside the lines along them, to 1 µm, on every layer."""
    line = line_of(bore_mm)
    sizes = [DrawnSize(kind, size) for kind in ("hole", "post") for size in (4, 10, 30)]
    for hole_mm, contour_mm in ((0.0, 0.0), (0.1, -0.05)):
        plate = Plate(9, sizes, line, 40.0, Compensated(hole_mm, contour_mm))
        for layer in plate.layers():
            for size, at in plate.places():
                loops = [run for run in layer.runs if run.points[0] == run.points[-1]]
                edge = min(loops, key=lambda run: _off(run, at, size, line, hole_mm, contour_mm))
                off = _off(edge, at, size, line, hole_mm, contour_mm)
                assert off < 1.1e-3, (size, layer.top_mm, off)


def test_pin_and_rings_are_laid_at_their_size():
    line, clearances = line_of(0.4), (0.05, 0.1, 0.4)
    for hole_mm, contour_mm in ((0.0, 0.0), (0.1, -0.05)):
        pairs = Pairs(10, clearances, line, 40.0, Compensated(hole_mm, contour_mm), 8.0)
        layer = pairs.layers()[round(3 / line.layer_mm)]
        loops = [run for run in layer.runs if run.points[0] == run.points[-1]]
        for diameter_mm, at in pairs.places():
            ring = DrawnSize("hole", diameter_mm)
            off = min(_off(run, at, ring, line, hole_mm, contour_mm) for run in loops)
            assert off < 1.1e-3
        pin = DrawnSize("post", 8.0)
        assert min(_off(run, pairs._pin_at, pin, line, 0.0, contour_mm) for run in loops) < 1.1e-3


def _off(run, at, size, line, hole_mm, contour_mm):
    """How far a line lies beside the one along the edge of a hole or post, at its worst."""
    radius = size.diameter_mm / 2
    wanted = radius + hole_mm + line.width_mm / 2
    if size.kind == "post":
        wanted = radius + contour_mm - line.width_mm / 2
    points = np.array(run.points) - at
    middles = (points[1:] + points[:-1]) / 2
    return max(np.abs(np.hypot(*array.T) - wanted).max() for array in (points, middles))


def test_coupons_share_a_layer_and_run_at_their_own_flow():
    line = line_of(0.5)
    part = Coupons(12, (6.0, 3.0), 2, line)
    layers = part.layers()
    gauge = layers[len(layers) // 2]
    radii = radii_of(6.0, line)
    # The same order in every layer, the slowest first, all outlines.
    flows = [round(run.area_mm2 * run.speed_mm_s, 9) for run in gauge.runs]
    assert flows == [3.0] * 2 * len(radii) + [6.0] * 2 * len(radii)
    assert radii[0] == pytest.approx(3 - line.width_mm / 2)
    foot = {round(run.area_mm2 * run.speed_mm_s, 9) for run in layers[3].runs}
    assert foot == {3.0}
    starts = [run.points[0] for run in gauge.runs]
    again = [run.points[0] for run in layers[len(layers) // 2 + 9].runs]
    assert starts == again


def test_the_share_of_a_rod_that_is_reached():
    line = line_of(0.5)
    radii = radii_of(8.0, line)
    # Round radius r no more than √(a·r): just what the third circle lets through.
    speed = math.sqrt(1000 * radii[2])
    found = reached_share(8.0, line, speed, 1000.0)
    assert found == pytest.approx(sum(radii[:3]) / sum(radii))
    assert reached_share(8.0, line, speed + 0.1, 1000.0) < found
