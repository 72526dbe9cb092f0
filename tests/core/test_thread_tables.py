"""The tables of ISO 965-1, line by line: tolerances and positions of the pitch diameter, in µm."""

import math

import pytest

from metier.core.errors import BadInput
from metier.core.fit.thread import profile_of, thread_of

# A diameter of each range with its pitches: bolt grade 6, nut grade 6.
TOLERANCES = [
    (1.2, 0.2, 48, None),
    (1.2, 0.25, 53, 71),
    (1.4, 0.3, 56, 75),
    (2.0, 0.25, 56, None),
    (2.0, 0.4, 67, 90),
    (2.5, 0.35, 63, 85),
    (2.5, 0.45, 71, 95),
    (4.0, 0.5, 75, 100),
    (3.5, 0.6, 85, 112),
    (4.0, 0.7, 90, 118),
    (4.5, 0.75, 90, 118),
    (5.0, 0.8, 95, 125),
    (8.0, 0.75, 100, 132),
    (8.0, 1.0, 112, 150),
    (8.0, 1.25, 118, 160),
    (10.0, 1.5, 132, 180),
    (16.0, 1.0, 118, 160),
    (12.0, 1.25, 132, 180),
    (20.0, 1.5, 140, 190),
    (12.0, 1.75, 150, 200),
    (16.0, 2.0, 160, 212),
    (22.0, 2.5, 170, 224),
    (30.0, 1.0, 125, 170),
    (24.0, 1.5, 150, 200),
    (30.0, 2.0, 170, 224),
    (27.0, 3.0, 200, 265),
    (33.0, 3.5, 212, 280),
    (39.0, 4.0, 224, 300),
    (42.0, 4.5, 236, 315),
    (64.0, 1.5, 160, 212),
    (64.0, 2.0, 180, 236),
    (64.0, 3.0, 212, 280),
    (64.0, 4.0, 236, 315),
    (52.0, 5.0, 250, 335),
    (60.0, 5.5, 265, 355),
    (72.0, 6.0, 280, 375),
    (100.0, 2.0, 190, 250),
    (100.0, 3.0, 224, 300),
    (100.0, 4.0, 250, 335),
    (100.0, 6.0, 300, 400),
    (150.0, 8.0, 335, 450),
]

# Pitch: how far e, f and g lie below the basic profile.
POSITIONS = [
    (0.35, None, 34, 19),
    (0.5, 50, 36, 20),
    (0.6, 53, 36, 21),
    (0.7, 56, 38, 22),
    (0.75, 56, 38, 22),
    (0.8, 60, 38, 24),
    (1.0, 60, 40, 26),
    (1.25, 63, 42, 28),
    (1.5, 67, 45, 32),
    (1.75, 71, 48, 34),
    (2.0, 71, 52, 38),
    (2.5, 80, 58, 42),
    (3.0, 85, 63, 48),
    (3.5, 90, 70, 53),
    (4.0, 95, 75, 60),
    (4.5, 100, 80, 63),
    (5.0, 106, 85, 71),
    (5.5, 112, 90, 75),
    (6.0, 118, 95, 80),
    (8.0, 140, 118, 100),
]

# Grades beside 6: the bolt's and the nut's tolerance as a part of the bolt's of grade 6.
BOLTS = {3: 0.5, 4: 0.63, 5: 0.8, 7: 1.25, 8: 1.6, 9: 2.0}
NUTS = {4: 0.85, 5: 1.06, 6: 1.32, 7: 1.7, 8: 2.12}


@pytest.mark.parametrize(("diameter", "pitch", "bolt", "nut"), TOLERANCES)
def test_tolerances(diameter, pitch, bolt, nut):
    found = thread_of(f"M{diameter:g}x{pitch:g} 6H/6g")
    assert 1000 * found.external_tolerance_mm == pytest.approx(bolt)
    if nut is not None:
        assert 1000 * found.internal_tolerance_mm == pytest.approx(nut)
    # The formula the table is made by, before its rounding; the table strays no farther than a
    # step of its series.
    formula = 90 * pitch**0.4 * (found.diameter_mm**0.1)
    assert found.external_tolerance_mm * 1000 == pytest.approx(formula, rel=0.1)


@pytest.mark.parametrize(("pitch", "e", "f", "g"), POSITIONS)
def test_positions(pitch, e, f, g):
    diameter = max(6 * pitch, 2)
    below = {"e": e, "f": f, "g": g}
    for position, expected in below.items():
        designation = f"M{diameter:g}x{pitch:g} 6H/6{position}"
        if expected is None:
            with pytest.raises(BadInput, match="no position e"):
                thread_of(designation)
            continue
        assert 1000 * thread_of(designation).allowance_mm == pytest.approx(expected)
        constant = {"e": 50, "f": 30, "g": 15}[position]
        assert expected == pytest.approx(constant + 11 * pitch, rel=0.1)
    assert thread_of(f"M{diameter:g}x{pitch:g} 6H/6h").allowance_mm == 0
    above = thread_of(f"M{diameter:g}x{pitch:g} 6G/6h")
    assert 1000 * above.allowance_mm == pytest.approx(g)


@pytest.mark.parametrize("designation", ["M6", "M10", "M20x2.5", "M36", "M64x6"])
def test_grades_are_steps_of_one_series(designation):
    middle = thread_of(f"{designation} 6H/6g").external_tolerance_mm
    for grade, part in BOLTS.items():
        found = thread_of(f"{designation} 6H/{grade}g")
        assert found.external_tolerance_mm == pytest.approx(part * middle, rel=0.035)
    for grade, part in NUTS.items():
        found = thread_of(f"{designation} {grade}H/6g")
        assert found.internal_tolerance_mm == pytest.approx(part * middle, rel=0.035)
        assert found.least_play_mm < found.most_play_mm


def test_the_profile_of_a_thread_is_the_standards():
    """ISO 68-1 and 965-1, M20x2.5 6H/6g at its least play: D1 17.294, d2 18.334, d 19.958."""
    thread = thread_of("M20x2.5 6H/6g")
    nut, bolt = (profile_of(thread, piece, "least") for piece in ("nut", "bolt"))
    assert nut.minor_mm == pytest.approx(17.294, abs=1e-3)
    assert nut.pitch_diameter_mm == pytest.approx(18.376, abs=1e-3)
    assert nut.major_mm == pytest.approx(20.0, abs=1e-3)
    assert bolt.pitch_diameter_mm == pytest.approx(18.334, abs=1e-3)
    assert bolt.major_mm == pytest.approx(19.958, abs=1e-3)
    # Crests and roots do not touch, and flanks stand at 60°.
    assert bolt.minor_mm < nut.minor_mm
    rise = bolt.radius_mm(0.2) - bolt.radius_mm(0.3)
    assert 2 * math.atan(0.1 * 2.5 / rise) == pytest.approx(math.radians(60))
