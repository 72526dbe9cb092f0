"""The verdict on walls: keep, correct, unclear, recheck, each where it should be; what settles."""

import math

import numpy as np
import pytest
from scipy import stats

from metier.core.flow.answer import Aim, Known, model_odds
from metier.core.flow.posterior import Prior
from metier.core.flow.rows import DosedWall, ToldShare
from metier.core.flow.settling import foreseen_u, rich, tube_rows, whole_tube
from metier.core.flow.trials import Dose, FlowTrial, Section
from metier.core.flow.verdict import judge_flow, plausible_flow
from metier.core.line.bead import rounding_mm
from metier.core.measure.instruments import figures
from metier.core.measure.readings import (
    PRIOR_DOF,
    Instrument,
    drift_note,
    pairs_note,
    repeat_uncertainty,
)
from metier.core.measure.student import t95

WALL = figures("calipers", "wall")
EIGHT = [0.47, 0.49, 0.48, 0.46, 0.47, 0.48, 0.47, 0.46]
H, C = 0.2, rounding_mm(0.2)


# The e-steps in force come from a trial, and a sliced file showed the line model.
KNOWN = Known(Prior(1.0, 0.05), model_odds("rounded", certain=True))


def printed(*sections, flow=1.0, width=0.44, number=1, dose=None, advised=None, grams=None):
    """Return a print; a section is its lines and readings, and their width where it has one."""
    made = [
        Section.of(lines, [readings] * 4, WALL, None, flow, own[0] if own else width, dose)
        for lines, readings, *own in sections
    ]
    return FlowTrial(
        number, H, tuple(made), WALL.accuracy_mm, "calipers", advised, bore_mm=0.4, weighed=grams
    )


def judged(*trials, model="rounded", flow_set=1.0, known=KNOWN, **more):
    return judge_flow(trials, WALL, model=model, flow_set=flow_set, known=known, **more)


def wall_of(share, lines=3, flow=1.0, width=0.44, count=8):
    """Return a steady print whose walls deliver that share of their dose, rounded model."""
    apart = width - C
    bare = DosedWall(0, 0, 0, lines, flow * H * apart, apart, H)
    return lines, [round(bare.lines_mm(share) + 0.008, 3)] * count


def tube_of(share, weight=None, flow=1.0):
    """Return Metier's tube: three lines rich, a wide one, one; weighed as well where told."""
    sections = []
    for lines, width, rich_by in ((3, 0.48, 1.08), (1, 0.8, 1.0), (1, 0.48, 1.0)):
        dose = Dose.of_model(width, H, flow * rich_by, "rounded")
        bare = DosedWall(0, 0, 0, lines, dose.area_mm2, dose.spacing_mm, H)
        readings = [round(bare.lines_mm(share) + 0.008, 3)] * 8
        sections.append(Section.of(lines, [readings] * 4, WALL, None, flow * rich_by, width, dose))
    told = weight and ToldShare(weight, 0.003, 0.008, 1)
    return FlowTrial(1, H, tuple(sections), 0.02, "calipers", bore_mm=0.4, weighed=told)


@pytest.mark.parametrize(
    ("trial", "how", "verdict", "to_type", "rough"),
    [
        # The tube is sure of what is right and of what is far off; weighed, of what is near, too.
        (tube_of(1.0), {}, "keep", 1.0, False),
        (tube_of(1.08), {}, "correct", 0.94, False),
        (tube_of(1.08, 1.08), {}, "correct", 0.93, False),
        (tube_of(1.03, 1.03), {}, "correct", 0.98, False),
        # One line cannot tell that 100 % is right; a number is there all the same.
        (printed(wall_of(1.0, lines=1)), {}, "unclear", 1.0, True),
        (printed(wall_of(1.06, lines=1)), {}, "unclear", 0.97, True),
        (printed(wall_of(1.25, lines=1)), {}, "correct", 0.80, True),
        # Nothing is set.
        (tube_of(1.02, 1.02), {"flow_set": None}, "correct", 0.99, False),
        (printed(wall_of(1.02, lines=1)), {"flow_set": None}, "unclear", 0.99, True),
        # A wider band, or less certainty, keeps what a narrow one does not.
        (printed(wall_of(1.0)), {"aim": Aim(band=(-0.06, 0.10))}, "keep", 1.0, False),
        (printed(wall_of(1.0, lines=1)), {"aim": Aim(sure=0.3)}, "keep", 1.0, False),
        # What is set stands beside a best guess that is hardly surer.
        (tube_of(1.01, 1.01), {"aim": Aim(sure=0.8)}, "keep", 1.0, False),
        # The nearest steps about the estimate, where that is wanted.
        (tube_of(1.03, 1.03), {"aim": Aim(rounding="down", round_step=0.02)}, "unclear", 0.96,
         True),
        # A correction comes nearer to what is right with 9 chances in 10, where it is sure with 8.
        (printed((1, EIGHT)), {"flow_set": 1.04}, "unclear", 0.97, True),
        (printed((1, EIGHT)), {"flow_set": 1.05}, "correct", 0.97, True),
        (printed((1, EIGHT)), {"flow_set": 1.01, "aim": Aim(sure=0.5)}, "unclear", 0.97, False),
        (printed((1, EIGHT)), {"flow_set": 1.02, "aim": Aim(sure=0.5)}, "correct", 0.97, False),
        # Beyond belief; not for a foaming filament. Scatter like nothing that calipers do.
        (printed(wall_of(1.9)), {}, "recheck", None, False),
        (printed(wall_of(1.9)), {"plausible": plausible_flow(foaming=True)}, "correct", None, True),
        (printed((3, [1.0, 1.4, 1.2, 1.3])), {}, "recheck", None, False),
    ],
)  # fmt: skip
def test_verdicts(trial, how, verdict, to_type, rough):
    found = judged(trial, **how)
    assert (found.verdict.name, found.rough) == (verdict, rough)
    if to_type is not None:
        assert found.flow_to_type == pytest.approx(to_type)
    elif verdict == "recheck":
        assert (found.flow_to_type, found.sure_typed) == (None, None)
    if verdict == "keep":
        assert found.sure_typed == found.answer.sure_set


def test_a_wrong_line_model_shows_and_is_asked_for_where_it_decides():
    # Three lines as a rectangular model doses them at 100 %, and somebody told rounded.
    three = printed((3, [1.313] * 8), width=0.42)
    told = Known(Prior(1.0, 0.05), model_odds("rounded"))
    untold = Known(Prior(1.0, 0.05), model_odds(None))
    found = judged(three, known=told)
    assert found.answer.joint.odds["rectangular"] > 0.4
    assert found.ask_model == (
        "you told rounded; the walls fit rectangular as well: look once in the slicer's preview"
    )
    assert judged(three, model=None, known=untold).flow_new == pytest.approx(0.99, abs=0.02)
    # One line fits both: where nobody told, both are named; a number is there all the same.
    found = judged(printed((1, EIGHT)), model=None, known=untold)
    assert found.ask_model.startswith("how the slicer doses a line decides: 9")
    assert (found.verdict.name, found.flow_to_type) == ("unclear", 1.01)
    # A dose needs no model, and neither does a print that was shown for certain.
    assert not judged(printed((1, EIGHT), dose=Dose(H * 0.4, None)), known=untold).hangs_on_model
    assert judged(printed((1, EIGHT))).ask_model == ""


@pytest.mark.parametrize(("lines", "aim_mm"), [(1, 0.5), (3, 1.30), (3, 1.15)])
def test_another_wall_than_the_models_is_a_flow_at_which_it_comes_out(lines, aim_mm):
    trial = printed(wall_of(1.0, lines=lines, flow=1.08), flow=1.08)
    found = judged(trial, aim=Aim(wall_mm=aim_mm), plausible=(0.5, 2.0))
    wall = trial.as_walls("rounded")[0]
    came = wall._replace(area_mm2=wall.area_mm2 / 1.08 * found.flow_new).lines_mm(1.0)
    # Three lines tell their share to a hundredth.
    assert came + 0.008 == pytest.approx(aim_mm, abs=0.012 * aim_mm)


def test_a_flexible_wall_that_does_not_follow_flow_ends_in_recheck():
    readings = {
        1.00: [0.36, 0.35, 0.36, 0.35], 1.13: [0.36, 0.37, 0.36, 0.36],
        1.28: [0.37, 0.37, 0.37, 0.36],
    }  # fmt: skip
    trials, verdicts = [], []
    for number, (flow, taken) in enumerate(readings.items()):
        trials.append(printed((1, taken), flow=flow, width=0.4, number=number))
        found = judged(*trials, flow_set=flow, plausible=plausible_flow(flexible=True))
        verdicts.append(found.verdict.name)
    assert verdicts[-1] == "recheck"
    assert "do not follow flow" in found.verdict.reason
    assert found.flow_to_type is None


def test_three_prints_at_the_flow_advised_that_come_no_nearer():
    trials, flow, advised = [], 1.0, None
    for number in range(4):
        trials.append(printed(wall_of(1.12, flow=1.0), flow=flow, number=number, advised=advised))
        found = judged(*trials, flow_set=flow)
        advised = flow = round(flow * 0.9, 2)
        trials[-1] = trials[-1]._replace(advised=advised)
    assert found.verdict.name == "recheck"


def test_more_than_one_print_narrows_the_answer():
    one = judged(printed(wall_of(1.05)))
    three = judged(*(printed(wall_of(1.05), number=number) for number in range(3)))
    assert three.pooled == 3
    assert three.u95 < 0.95 * one.u95
    assert three.flow_new == pytest.approx(1 / 1.05, abs=0.012)


def test_influences_are_the_largest_first_and_checking_calipers_shrinks_theirs():
    trial = printed((1, EIGHT))
    found = judged(trial)
    made = found.influences
    assert [one.name for one in made[:2]] == ["calipers", "texture"]
    assert made[0].u95 == pytest.approx(
        1.96 * 0.02 / 3**0.5 / (0.44 - C) * found.flow_new**2, rel=0.01
    )
    half = {one.name: one.u95 for one in judged(trial._replace(accuracy_mm=0.01)).influences}
    assert half["calipers"] == pytest.approx(made[0].u95 / 2, rel=0.02)


def test_two_prints_that_hold_what_is_set_are_as_good_as_done():
    """Walls alone may never be sure; what two of them and both together hold has stood."""
    one = printed(wall_of(1.0, lines=1))
    assert not judged(one).stands
    assert judged(one, one._replace(number=2)).stands
    other = printed(wall_of(1.2, lines=1), number=2)
    assert not judged(one, other).stands


def test_several_lines_are_planned_rich():
    assert (rich(1.0, False), rich(0.92, False), rich(0.92, True)) == (1.08, 0.99, 0.97)


def test_what_settles_it_is_what_would_be_enough():
    """What is named tells enough by itself: it is looked at with the rows it would bring."""
    found = judged(printed(wall_of(1.0)))
    assert found.verdict.remedies == ("weighing this very print: {weigh}", "Metier's tube: {tube}")
    weighed = judged(printed(wall_of(1.0), grams=ToldShare(1.0, 0.003, 0.015)))
    assert weighed.answer.sure_new >= 0.75
    instrument = WALL._replace(accuracy_mm=0.02)
    rows = tube_rows(whole_tube(0.4), H, instrument, 1.0, 0.4)
    assert 1.96 * foreseen_u(rows, 1.0, KNOWN) == pytest.approx(0.0395, abs=0.004)
    assert judged(tube_of(1.0)).u95 == pytest.approx(1.96 * foreseen_u(rows, 1.0, KNOWN), rel=0.1)


@pytest.mark.parametrize(("beyond", "noted"), [(0.97, False), (1.03, True)])
def test_a_drift_and_a_pair_of_sides_are_noted_just_beyond_their_spread(beyond, noted):
    """Least squares of SciPy's and Student's t, what is known of the scatter counted with it."""
    jaws = Instrument(0.012, 0.02, 0.01)
    known = PRIOR_DOF * jaws.repeatability_mm**2
    wobble = np.array([0.01, -0.012, 0.004, 0.009, -0.015, 0.003, 0.012, -0.011])
    at = np.arange(8)
    line = stats.linregress(at, wobble)
    rest = wobble - line.intercept - line.slope * at
    dof = PRIOR_DOF + 8 - 2
    s_mm = math.sqrt((known + (rest**2).sum()) / dof)
    rise_mm = t95(dof) * s_mm * 7 / math.sqrt(((at - 3.5) ** 2).sum())
    assert (drift_note(1.5 + rest + beyond * rise_mm / 7 * at, jaws) is not None) == noted
    # Opposite sides agree, and the pairs differ.
    pairs = [np.array([0.02, -0.02]), np.array([0.03, -0.03])]
    squares = sum(2 * (pair**2).sum() for pair in pairs)
    dof = PRIOR_DOF + 4 + 4 - 2
    apart_mm = t95(dof) * math.sqrt((known + squares) / dof) * math.sqrt(1 / 4 + 1 / 4)
    x, y = (list(1.5 + off + pair) for off, pair in zip((0, beyond * apart_mm), pairs, strict=True))
    assert (pairs_note([x, y, x, y], jaws) is not None) == noted


def test_sides_of_unequal_readings_count_as_what_their_mean_is_known_to():
    """The mean of a side of one and a side of three: u² = s²/4 (1 + 1/3), as of three readings."""
    jaws = Instrument(0.012, 0.02, 0.01)
    sides = [[0.50], [0.51, 0.50, 0.49]]
    section = Section.of(1, sides, jaws)
    assert (section.u_repeat_mm, section.dof) == repeat_uncertainty(
        section.wall.scatter, section.wall.n, jaws, 3.0
    )


def test_what_was_delivered_is_what_a_rolls_own_prints_say():
    """What other rolls say is no part of what a roll says of itself, or they would bear themselves
    out."""
    trial = printed((3, [1.46, 1.47, 1.45]), width=0.5)
    alone = judged(trial)
    assert alone.delivered.share == pytest.approx(1 / alone.flow_new, rel=0.001)
    rolls = dict.fromkeys(("rounded", "rectangular"), ToldShare(1.03, 0.02))
    beside = judged(trial, known=KNOWN._replace(rolls=rolls))
    assert beside.delivered == pytest.approx(alone.delivered, rel=1e-3)
    assert beside.flow_new != pytest.approx(alone.flow_new, rel=1e-3)
    # Rolls that it contradicts count for nothing.
    rolls = dict.fromkeys(("rounded", "rectangular"), ToldShare(1.6, 0.02))
    apart = judged(trial, known=KNOWN._replace(rolls=rolls))
    assert apart.answer.joint.contradicts
    assert apart.flow_new == pytest.approx(alone.flow_new)
