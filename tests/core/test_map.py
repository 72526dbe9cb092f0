"""Flow by speed and temperature: against an oracle, and against what is known to be true."""

import math

import numpy as np
import pytest

from metier.core.errors import BadInput
from metier.core.flow.answer import Aim
from metier.core.flow.mapped import judge_map, level
from metier.core.flow.rows import DosedWall
from metier.core.flow.surface import Place, Points, Surface, fit, points_of
from metier.core.line.bead import rounding_mm

APART_MM = 0.6 - rounding_mm(0.24)


def independent(found, u=0.01):
    """Points with errors of their own, printed at 100 %."""
    count = len(found)
    common = tuple(tuple(u**2 if i == j else 0.0 for j in range(count)) for i in range(count))
    places = tuple(Place(speed, heat) for speed, heat, _ in found)
    none = (0.0,) * count
    shares = tuple(share for *_, share in found)
    return Points(places, (1.0,) * count, shares, common, none, none)


def wall(share, flow, lines=3, number=1):
    area_mm2 = flow * APART_MM * 0.24
    bare = DosedWall(0, 0.005, 0.02, lines, area_mm2, APART_MM, 0.24, number, "calipers")
    # Starved lines keep their distance.
    return bare._replace(wall_mm=bare.lines_mm(share, 0.0) + 0.008)


def test_the_fit_is_that_of_the_oracle():
    walls = [wall(share, 1.2, number=number) for number, share in enumerate((1.3, 1.25, 1.18, 1.1))]
    places = [Place(20, 230), Place(40, 230), Place(80, 235), Place(60, 240)]
    points = points_of(walls, places, 0.01)
    surface = Surface(points, ("constant", "speed", "temperature"))
    x = np.array([[1, 1.2 * one.speed_mm_s, one.temperature_c] for one in places])
    inverse = np.linalg.inv(np.array(points.common))
    spread = np.linalg.inv(x.T @ inverse @ x)
    beta = spread @ x.T @ inverse @ np.array(points.shares)
    found = surface.at(Place(50, 236))
    asked = np.array([1, 50 / found.share, 236])
    assert found.share == pytest.approx(asked @ beta, rel=1e-9)
    residuals = np.array(points.shares) - x @ beta
    assert surface.squares == pytest.approx(residuals @ inverse @ residuals)
    slope = (beta[1] * asked[1]) / found.share
    rising = asked @ spread @ x.T @ inverse @ np.array(points.rising)
    u = math.hypot(surface.scatter * math.sqrt(asked @ spread @ asked), rising)
    u95 = 1.96 * u / (1 + slope)
    assert found.u95 == pytest.approx(u95, rel=1e-3)


def test_a_bend_does_not_pass_for_a_surplus_that_rises():
    """Foaming filament bends with speed as a part of the surplus does: the points stay believed."""
    speeds, number = (15, 30, 60, 90), (0, 0, 0, 0, 1, 1, 1, 1)
    shares = (1.19, 1.125, 1.066, 1.04, 1.63, 1.47, 1.29, 1.21)
    walls = [wall(share, 1.06, number=at) for share, at in zip(shares, number, strict=True)]
    places = [Place(speed, heat) for heat in (225, 240) for speed in speeds]
    points = points_of(walls, places, 0.01)
    surface = fit(points)
    for place, share in zip(places, points.shares, strict=True):
        assert surface.at(place).share == pytest.approx(share, rel=0.15)


def test_effects_of_two_by_two_are_differences_of_means():
    shares = [(20, 220, 1.0), (20, 220, 1.02), (80, 220, 0.9), (80, 220, 0.92)]
    shares += [(20, 240, 1.1), (20, 240, 1.12), (80, 240, 1.0), (80, 240, 1.02)]
    surface = fit(independent(shares, 0.01))
    speed, heat = (one for one in surface.effects() if one.name in ("speed", "temperature"))
    assert (speed.change, heat.change) == (pytest.approx(-0.1), pytest.approx(0.1))
    # U of a difference of means of four each: 1.96·s·√(1/4 + 1/4).
    assert speed.u95 == pytest.approx(1.96 * surface.scatter * 0.01 * math.sqrt(0.5))
    assert speed.matters
    assert heat.matters


def test_a_square_comes_in_only_where_it_is_asked_for():
    straight = [(v, 230, 1.2 - 0.002 * v) for v in (20, 40, 60, 80)]
    assert fit(independent(straight)).terms == ("constant", "speed")
    bent = [(v, 230, 1.2 - 0.006 * v + 0.00004 * v * v) for v in (20, 40, 60, 80)]
    assert "speed squared" in fit(independent(bent, 0.003)).terms
    assert fit(independent([(40, 230, 1.1)])).terms == ("constant",)


def test_lines_that_do_not_touch_are_less_sure():
    touching = points_of([wall(1.0, 1.2)], [Place(40, 210)], 0.01)
    assert touching.shares[0] == pytest.approx(1.0, abs=1e-6)
    starved = wall(0.9, 1.0)
    apart = points_of([starved], [Place(40, 210)], 0.01)
    # Lines that kept their distance lack more than lines that shrank together.
    line_mm = starved.wall_mm - 0.008 - rounding_mm(0.24)
    kept = (line_mm - 2 * APART_MM) / APART_MM
    shrunk = line_mm / 3 / APART_MM
    assert apart.shares[0] == pytest.approx((kept + shrunk) / 2, abs=1e-6)
    assert abs(apart.starved[0]) == pytest.approx(abs(kept - shrunk) / math.sqrt(12), rel=1e-6)
    assert touching.starved[0] == pytest.approx(0.0, abs=1e-9)
    assert touching.rising[0] > 0.01 > apart.rising[0]
    assert fit(apart).at(Place(40, 210)).u95 > 1.96 * abs(apart.starved[0])


def test_points_lie_on_a_plane_that_they_are_made_of():
    truth = {(v, t): 1.0 + 0.002 * (t - 220) - 0.001 * v for v in (20, 40, 80) for t in (220, 240)}
    surface = fit(independent([(v, t, share) for (v, t), share in truth.items()]))
    assert surface.terms == ("constant", "speed", "temperature")
    assert surface.squares == pytest.approx(0, abs=1e-12)
    for (speed, heat), share in truth.items():
        found = surface.at(Place(speed, heat))
        # At the flow that is needed, which is another than it was printed at.
        assert found.share == pytest.approx(share + 0.001 * speed * (1 - found.flow), abs=1e-6)
        assert not found.beyond
    assert surface.at(Place(84, 240)).beyond
    assert surface.at(Place(87, 240)) is None
    assert surface.at(Place(40, 243)) is None
    assert surface.needed() == pytest.approx(
        [surface.at(place).flow for place in surface.points.places]
    )


def test_the_temperature_for_one_flow():
    truth = [(v, t, 1.0 + 0.002 * (t - 220) - 0.001 * v) for v in (20, 80) for t in (220, 240)]
    surface = fit(independent([*truth, (50, 230, 0.97)]))
    heat_c, u95_c = surface.temperature_for(1.0, 20)
    # 1 = 1 + 0.002·(T - 220) - 0.02.
    assert heat_c == pytest.approx(230, abs=0.01)
    assert 1 < u95_c < 20
    assert surface.temperature_for(0.8, 20) is None
    assert fit(independent([(20, 220, 1.0), (80, 220, 0.9)])).temperature_for(1.0, 20) is None
    assert surface.level_temperature(1.0) is None


def test_temperatures_that_nobody_noted():
    noted = independent([(20, 220, 1.0), (80, 220, 0.9), (40, None, 0.5)])
    assert fit(noted).at(Place(40, 220)).share > 0.9
    none = fit(independent([(20, None, 1.0), (80, None, 0.9)]))
    assert none.terms == ("constant", "speed")
    assert none.at(Place(50, None)).share == pytest.approx(0.95, abs=0.01)


def test_speed_and_heat_that_went_together_are_not_told_apart():
    both = fit(independent([(20, 220, 1.0), (40, 230, 1.05), (60, 240, 1.1)]))
    assert "temperature" not in both.terms


def test_readings_that_do_not_lie_on_a_line_widen_it():
    even = fit(independent([(v, 210, 1.0) for v in (20, 40, 60, 80)], 0.005))
    odd = fit(
        independent([(20, 210, 1.0), (40, 210, 1.04), (60, 210, 0.96), (80, 210, 1.0)], 0.005)
    )
    assert even.scatter == 1.0
    assert odd.scatter > 2
    assert odd.at(Place(50, 210)).u95 > 2 * even.at(Place(50, 210)).u95


def test_what_a_map_says():
    shares = [(20, 230, 1.6), (80, 230, 1.4), (20, 240, 1.8), (80, 240, 1.5)]
    surface = fit(independent(shares, 0.005))
    found = judge_map(surface, (20, 40, 80, 200), 230, None, Aim())
    assert [one.place.speed_mm_s for one in found.rows] == [20, 40, 80]
    assert found.verdict.name == "correct"
    assert not level(found)
    assert "nothing is said of 200 mm/s" in " ".join(found.notes)
    # The share that is typed for is the one at that flow: less plastic a second foams more.
    assert found.rows[2].share > 1.4
    heat = found.heats[1]
    served = judge_map(surface, (40,), heat.temperature_c, found.one_flow, Aim())
    assert served.rows[0].flow == pytest.approx(found.one_flow, rel=1e-3)
    assert found.narrows.place in [Place(v, t) for v in (20, 80) for t in (230, 240)]


def test_what_is_hardly_known_is_said_and_not_typed():
    points = independent([(20, 230, 1.0), (80, 230, 0.9)])
    points = points._replace(common=((0.01**2, 0.0), (0.0, 0.2**2)))
    found = judge_map(fit(points), (20, 80), 230, 1.0, Aim())
    assert [one.place.speed_mm_s for one in found.rows] == [20]
    assert len(found.to_type) == len(found.sure) == len(found.heats) == 1
    assert any("80 mm/s" in note and "too little known" in note for note in found.notes)
    # A fifth of the flow is the most.
    for u in (0.05, 0.06, 0.065, 0.07, 0.1):
        surface = fit(points._replace(common=((0.01**2, 0.0), (0.0, u**2))))
        one = surface.at(Place(80, 230))
        rows = judge_map(surface, (80,), 230, 1.0, Aim()).rows
        assert bool(rows) == (one.flow_u95 <= 0.2 * one.flow), u
    none = judge_map(fit(points), (80,), 230, 1.0, Aim())
    assert (none.rows, none.verdict.name) == ((), "unclear")


def test_where_one_flow_serves_all_speeds():
    shares = [(20, 230, 1.10), (80, 230, 1.00), (20, 250, 1.15), (80, 250, 1.25)]
    shares += [(50, 240, 1.125)]
    surface = Surface(
        independent(shares, 0.002), ("constant", "speed", "temperature", "speed x temperature")
    )
    heat_c, u95_c = surface.level_temperature(1.0)
    assert heat_c == pytest.approx(240, abs=1e-6)
    assert 0.1 < u95_c < 3
    stiff = fit(independent([(v, 210, 1.0) for v in (20, 40, 80)], 0.004))
    assert judge_map(stiff, (), 210, 1.0, Aim()).verdict.name == "unclear"
    assert judge_map(stiff, (20, 40, 80), 210, 1.0, Aim()).verdict.name == "keep"


def test_nothing_to_map():
    with pytest.raises(BadInput, match="nothing to map"):
        fit(Points((), (), (), (), (), ()))
    with pytest.raises(BadInput, match="not of the lines"):
        points_of([wall(1.0, 1.2)._replace(wall_mm=9.0)], [Place(40, 210)], 0.01)


def test_a_difference_that_is_not_proven_is_in_no_flow():
    """Speed does nothing here: one flow, its ± that of a mean; where it does, each has its own."""
    flat = fit(independent([(20, 230, 1.0), (40, 230, 1.01), (80, 230, 0.99), (60, 230, 1.0)]))
    found = judge_map(flat, (20, 80), 230, 1.0, Aim())
    assert [row.flow for row in found.rows] == [pytest.approx(1.0)] * 2
    assert found.verdict.reason.startswith("one flow is enough")
    slope = fit(independent([(20, 230, 1.1), (40, 230, 1.06), (60, 230, 1.0), (80, 230, 0.95)]))
    flows = [row.flow for row in judge_map(slope, (20, 80), 230, 1.0, Aim()).rows]
    assert flows[1] > 1.1 * flows[0]
