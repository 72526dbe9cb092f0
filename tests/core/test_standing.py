"""What is in force and how firmly, from trials, sayings and changes."""

import pytest

from metier.core.measure.thresholds import round_to
from metier.core.standing import Changed, Said, Standing, Tried, settled, stand
from metier.core.values import temperature_matters, upset_by


def said(order, value):
    return Said(order, f"day {order}", value)


def tried(order, value_now, verdict, value_to_type=None, new=0.9243, u95=0.03):
    to_type = value_now if verdict in ("keep", "unclear") else value_to_type
    return Tried(order, f"day {order}", order, value_now, new, u95, to_type, verdict)


def changed(order, status="doubtful"):
    return Changed(order, f"day {order}", status, "mainboard changed since")


ADVICE = [said(1, 1.0), tried(2, 1.0, "correct", 0.92)]


@pytest.mark.parametrize(
    ("events", "status", "value", "in_force", "trials"),
    [
        ([], "unset", None, None, 0),
        ([said(1, 1.0)], "entered", 1.0, 1.0, 0),
        ([tried(1, 1.0, "keep")], "verified", 1.0, 1.0, 1),
        ([tried(1, 1.0, "unclear")], "entered", 1.0, 1.0, 1),
        # Advice is what to type, not what is in force.
        (ADVICE, "advised", 0.92, 1.0, 1),
        # Saying so, or printing at it, puts it in force.
        ([*ADVICE, said(3, 0.92)], "entered", 0.92, 0.92, 1),
        ([*ADVICE, tried(3, 0.92, "unclear")], "entered", 0.92, 0.92, 2),
        ([*ADVICE, tried(3, 0.92, "keep")], "verified", 0.92, 0.92, 2),
        ([*ADVICE, said(3, 0.92), tried(4, 0.92, "keep")], "verified", 0.92, 0.92, 2),
        # People round: what they typed counts, and the advice is spent.
        ([*ADVICE, said(3, 0.9)], "entered", 0.9, 0.9, 0),
        # Another trial at the old value replaces the advice.
        ([*ADVICE, tried(3, 1.0, "correct", 0.94)], "advised", 0.94, 1.0, 1),
        ([*ADVICE, tried(3, 1.0, "keep")], "verified", 1.0, 1.0, 2),
        # Once verified, a trial that cannot tell does not take that back; one that says
        # something is wrong does.
        ([tried(1, 1.0, "keep"), tried(2, 1.0, "unclear")], "verified", 1.0, 1.0, 2),
        ([tried(1, 1.0, "keep"), tried(2, 1.0, "recheck")], "entered", 1.0, 1.0, 2),
        # Saying what is in force anyway changes nothing.
        ([tried(1, 1.0, "keep"), said(2, 1.0)], "verified", 1.0, 1.0, 1),
        # A change leaves it doubtful until it is typed in or tried again.
        ([tried(1, 1.0, "keep"), changed(2)], "doubtful", 1.0, 1.0, 1),
        ([*ADVICE, changed(3)], "doubtful", 0.92, 1.0, 1),
        ([tried(1, 1.0, "keep"), changed(2), said(3, 1.0)], "entered", 1.0, 1.0, 1),
        ([tried(1, 1.0, "keep"), changed(2), tried(3, 1.0, "keep")], "verified", 1.0, 1.0, 2),
        ([tried(1, 1.0, "keep"), changed(2, "carried")], "carried", 1.0, 1.0, 1),
        ([tried(1, 1.0, "keep"), changed(2, "carried"), said(3, 1.0)], "entered", 1.0, 1.0, 1),
        ([changed(1), said(2, 1.0)], "entered", 1.0, 1.0, 0),
        ([changed(1)], "unset", None, None, 0),
    ],
)
def test_standing(events, status, value, in_force, trials):
    found = stand(events)
    assert (found.status, found.value, found.in_force, found.trials) == (
        status, value, in_force, trials,
    )  # fmt: skip
    assert found.why


def test_uncertainty_follows_the_trial_that_the_value_rests_on():
    typed_as_advised = stand([*ADVICE, said(3, 0.92)])
    assert (typed_as_advised.u95, typed_as_advised.trial, typed_as_advised.since) == (
        0.03, 2, "day 3",
    )  # fmt: skip
    assert stand([*ADVICE, tried(3, 0.92, "keep", u95=0.02)]).u95 == 0.02
    assert stand([*ADVICE, said(3, 0.9)]).u95 is None


def test_recheck_gives_no_value_to_type_and_leaves_what_is_in_force():
    found = stand([said(1, 1.0), tried(2, 1.0, "recheck")])
    assert isinstance(found, Standing)
    assert (found.value, found.status) == (1.0, "entered")
    assert "trial 2" in found.why


def test_a_window_of_events_is_enough_once_the_value_changed_within_it():
    assert not settled([])
    assert not settled([said(1, 1.0), tried(2, 1.0, "keep")])
    assert settled([*ADVICE, said(3, 0.92)])
    history = [*ADVICE, said(3, 0.92), tried(4, 0.92, "keep"), tried(5, 0.92, "keep")]
    for start in range(len(history)):
        if settled(history[start:]):
            assert stand(history[start:])[:4] == stand(history)[:4]


@pytest.mark.parametrize(
    ("what", "touched", "spared"),
    [
        ("mainboard", {"esteps", "flow", "limit", "hole", "contour"}, set()),
        ("extruder", {"esteps", "flow", "limit", "hole", "contour"}, set()),
        ("hotend", {"flow", "limit", "hole", "contour"}, {"esteps"}),
        ("nozzle", {"flow", "limit", "hole", "contour"}, {"esteps"}),
        ("motion", {"hole", "contour"}, {"esteps", "flow", "limit"}),
        ("other", set(), {"esteps", "flow"}),
    ],
)
def test_what_a_change_touches(what, touched, spared):
    assert touched <= set(upset_by(what))
    assert not spared & set(upset_by(what))


@pytest.mark.parametrize(
    ("then", "now", "foaming", "matters"),
    [
        (210, 215, False, False),
        (210, 215.1, False, True),
        (210, 204, False, True),
        (210, 210, True, False),
        (210, 211, True, True),
        (None, 240, False, False),
    ],
)
def test_temperature(then, now, foaming, matters):
    assert temperature_matters(then, now, foaming) is matters


@pytest.mark.parametrize(
    ("value", "step", "rounding", "rounded"),
    [
        (92.5, 1, "nearest", 93),
        (-0.5, 1, "nearest", 0),
        (0.1 + 0.2, 0.1, "down", 0.3),
        (0.7 * 3, 0.1, "up", 2.1),
        (92.01, 1, "up", 93),
        (92.99, 1, "down", 92),
        (426.50103, 0.01, "nearest", 426.5),
    ],
)
def test_rounding_forgives_binary_noise_and_ties_go_up(value, step, rounding, rounded):
    assert round_to(value, step, rounding) == rounded
