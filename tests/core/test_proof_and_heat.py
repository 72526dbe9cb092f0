"""A real part at its places, and temperature steps by words."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import norm

from metier.core.errors import BadInput
from metier.core.heat import ASPECTS, WORDS, Step, judge_heat
from metier.core.measure.instruments import figures
from metier.core.proof import At, Job, later, other_lines_note, prove

JAWS = figures("calipers", "wall")
BAND = (-0.02, 0.03)


def globe(**walls):
    return [At(name, tuple(mm), 0.45) for name, mm in walls.items()]


def proved(places, **job):
    return prove(places, JAWS, BAND, Job(**job))


EVEN = dict.fromkeys(("root", "belly", "hip", "knee"), (0.46, 0.46, 0.45, 0.46))


def test_one_thin_place_is_found():
    found = proved(globe(**EVEN, tip=(0.39, 0.40, 0.39, 0.39)))
    assert (found.verdict.name, [one.name for one in found.thin]) == ("recheck", ["tip"])
    assert found.thinnest.name == "tip"
    # As a calculator gives it.
    assert found.thinnest.off == pytest.approx(0.3925 / 0.45 - 1)
    assert found.uneven_mm == pytest.approx(0.0289, abs=0.003)
    assert proved(globe(**EVEN, tip=(0.45, 0.46, 0.46, 0.46))).verdict.name == "keep"


def test_what_a_scatter_of_readings_would_do_is_not_called_thin():
    found = proved(globe(root=(0.46,), belly=(0.46,), tip=(0.43,)))
    assert (found.thin, found.verdict.name) == ((), "unclear")


def test_a_little_thinner_than_the_rest_is_not_thin():
    """A fat part, and a place that is 3 % thinner, surely: lines differ by as much."""
    fat = dict.fromkeys(("root", "belly", "hip", "knee"), (0.53,) * 30)
    found = proved(globe(**fat, tip=(0.518,) * 30))
    assert found.places[-1].off_u95 < found.places[0].off - found.places[-1].off
    assert (found.thin, found.verdict.name) == ((), "correct")


def test_two_thin_places_are_both_named():
    found = proved(globe(**EVEN, tip=(0.39,) * 4, rim=(0.40,) * 4))
    assert [one.name for one in found.thin] == ["tip", "rim"]


def test_a_part_that_is_thin_all_over_is_a_matter_of_flow():
    thin = {name: tuple(mm - 0.06 for mm in walls) for name, walls in EVEN.items()}
    found = proved(globe(**thin))
    assert (found.verdict.name, found.thin) == ("correct", ())
    assert found.off == pytest.approx(0.3975 / 0.45 - 1)
    # Of that texture is 0.008 mm; the chance is that of a normal in twice the band, by SciPy.
    assert found.texture == pytest.approx(0.008 / 0.45)
    u = found.off_u95 / 1.96
    true = found.off - found.texture
    assert found.sure == pytest.approx(norm.cdf(0.06, true, u) - norm.cdf(-0.04, true, u))


@pytest.mark.parametrize(
    ("mean_mm", "verdict"),
    [(0.458, "keep"), (0.453, "keep"), (0.440, "unclear"), (0.40, "correct"), (0.52, "correct")],
)
def test_verdicts_by_twice_the_band(mean_mm, verdict):
    walls = dict.fromkeys(("root", "belly", "hip", "knee"), (mean_mm,) * 4)
    assert proved(globe(**walls)).verdict.name == verdict


@pytest.mark.parametrize(
    ("mean_mm", "lines", "asked"),
    [(0.458, 1, None), (0.86, 1, "nearer to 2 lines than to 1"), (1.27, 2, "3 lines?"),
     (0.61, 1, None), (0.68, 1, "2 lines?")],
)  # fmt: skip
def test_another_whole_number_of_lines_is_asked_about(mean_mm, lines, asked):
    said = other_lines_note(mean_mm, lines, 0.4071, 0.2)
    assert said is None if asked is None else asked in said


def test_grams_and_minutes():
    found = proved(globe(**EVEN), grams=12.6, file_grams=12.0, minutes=66.0, file_minutes=60.0)
    assert (found.grams_off, found.factor) == (pytest.approx(0.05), pytest.approx(1.1))
    assert "metier weigh" in " ".join(found.notes)
    again = proved(globe(root=(0.44,), tip=(0.45,)))
    assert [name for name, *_ in later(found, again)] == ["root"]


@pytest.mark.parametrize(
    ("places", "said"),
    [
        ([], "no places"),
        (globe(root=(0.45,)) * 2, "named twice"),
        (globe(root=(4.5,)), "where 0.45 should be"),
    ],
)
def test_parts_that_cannot_be(places, said):
    with pytest.raises(BadInput, match=said):
        proved(places)


def step(line):
    heat, said = line.split("=")
    ranks = [WORDS[at].index(word) for at, word in zip(ASPECTS, said.split("/"), strict=True)]
    return Step(float(heat), tuple(ranks))


def steps(*lines):
    return [step(line) for line in lines]


TOWER = steps(
    "225=many/rough/sags/holds", "220=few/even/straight/holds", "215=none/even/straight/holds",
    "210=none/dull/straight/hard", "205=none/dull/straight/easy",
)  # fmt: skip


@pytest.mark.parametrize(
    ("now", "verdict"), [(215, "keep"), (220, "correct"), (240, "correct"), (None, "correct")]
)
def test_the_range_that_serves(now, verdict):
    found = judge_heat(TOWER, now)
    assert (found.low.temperature_c, found.high.temperature_c) == (207.5, 222.5)
    # Half of 5 either side, rectangular, and the eye: 1.96·√(2.5² + 5²/12).
    assert found.low.u95_c == pytest.approx(5.66, abs=0.01)
    assert (found.best_c, found.verdict.name) == (215, verdict if now != 220 else "keep")


GOOD, BAD = "none/even/straight/holds", "many/even/straight/holds"


@pytest.mark.parametrize(
    ("good", "best"),
    [((205, 210, 215), 210), ((205, 210), 205), ((205, 210, 215, 220), 210), ((215,), 215)],
)
def test_of_several_alike_the_middle_one_and_the_cooler_of_two(good, best):
    said = [f"{heat}={GOOD if heat in good else BAD}" for heat in range(200, 230, 5)]
    assert judge_heat(steps(*said), None).best_c == best


def test_of_two_ranges_the_longer_and_of_two_as_long_the_better():
    longer = steps("200=" + GOOD, "205=" + BAD, "210=few/dull/sags/hard", "215=few/dull/sags/hard")
    assert judge_heat(longer, None).best_c == 210
    alike = steps("200=few/even/straight/holds", "205=" + BAD, "210=" + GOOD, "215=" + BAD)
    assert judge_heat(alike, None).best_c == 210


def test_ends_of_the_steps_are_bounds():
    found = judge_heat(TOWER[1:3], 215)
    assert (found.low.u95_c, found.high.u95_c) == (None, None)
    assert len(found.notes) == 2
    assert judge_heat(steps("225=many/rough/fell/holds", "220=many/even/fell/holds"), 220).verdict
    none = judge_heat(steps("225=many/rough/fell/holds", "220=many/even/fell/holds"), 220)
    assert (none.verdict.name, none.best_c) == ("recheck", None)
    with pytest.raises(BadInput, match="one step"):
        judge_heat(TOWER[:1], 215)
    with pytest.raises(BadInput, match="given twice"):
        judge_heat([*TOWER, TOWER[0]], 215)


@given(st.lists(st.tuples(*[st.integers(0, 2)] * 4), min_size=2, max_size=9))
def test_the_value_to_type_serves_and_nothing_is_liked_better_in_its_range(ranks):
    found = judge_heat([Step(200.0 + 5 * at, one) for at, one in enumerate(ranks)], 210)
    if found.best_c is None:
        assert not any(one.serves for one in found.steps)
        return
    best = next(one for one in found.steps if one.temperature_c == found.best_c)
    inside = [
        one for one in found.steps
        if found.low.temperature_c <= one.temperature_c <= found.high.temperature_c
    ]  # fmt: skip
    assert all(one.serves for one in inside)
    assert best.cost == min(one.cost for one in inside)
