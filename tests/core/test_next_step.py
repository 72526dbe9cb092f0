"""What to do now, and where to look first."""

import pytest

from metier.core.next_step import SYMPTOMS, Station, causes_of, next_step


def station(step, status, **more):
    return Station(step, status, f"why {step}", step, f"enter {step}", **more)


@pytest.mark.parametrize(
    ("stations", "step", "command"),
    [
        ([("esteps", "unset"), ("flow", "unset")], "esteps", None),
        ([("esteps", "verified"), ("flow", "unset")], "flow", None),
        ([("esteps", "advised"), ("flow", "unset")], "esteps", "enter esteps"),
        ([("esteps", "verified"), ("flow", "doubtful")], "flow", None),
        # What is merely entered is verified last, what is only carried too.
        ([("esteps", "entered"), ("flow", "unset")], "flow", None),
        ([("esteps", "entered"), ("flow", "verified")], "esteps", None),
        ([("esteps", "verified"), ("flow", "carried")], "flow", None),
        ([("esteps", "verified"), ("flow", "verified")], "done", "metier profile --card"),
    ],
)
def test_the_order_of_the_job(stations, step, command):
    found = next_step([station(*one) for one in stations])
    assert (found.step, found.command) == (step, command)
    assert found.why


def test_a_new_board_wants_the_old_value_back_first():
    board = station("esteps", "doubtful", retype=True)
    assert next_step([board]).command == "enter esteps"


def test_a_value_that_no_trial_ever_saw_is_measured_in_its_turn():
    untried = station("esteps", "entered", tried=False)
    assert next_step([untried, station("flow", "unset")]).step == "esteps"


def test_a_further_kind_of_trial_joins_by_its_place_alone():
    job = [station("flow", "verified"), station("limit", "unset"), station("hole", "unset")]
    assert next_step(job).step == "limit"


def test_what_is_built_on_flow_waits_until_flow_is_verified():
    flow, limit = station("flow", "entered"), station("limit", "unset", floor=1)
    assert next_step([flow, limit]).step == "flow"
    assert next_step([flow._replace(status="verified"), limit]).step == "limit"
    # A limit typed in as its ramp advised needs no second ramp.
    typed = limit._replace(status="entered", proven=True)
    assert next_step([flow._replace(status="verified"), typed]).step == "done"


@pytest.mark.parametrize("symptom", SYMPTOMS)
def test_the_least_trusted_cause_is_checked_first(symptom):
    trusted = [
        station(step, "verified") for step in ("diameter", "esteps", "flow", "limit", "hole", "dry")
    ]
    likeliest = causes_of(symptom, trusted)
    assert likeliest
    suspect = likeliest[-1].step
    doubted = [one._replace(status="doubtful") if one.step == suspect else one for one in trusted]
    assert causes_of(symptom, doubted)[0].step == suspect
    aged = [one._replace(old=one.step == suspect) for one in trusted]
    assert causes_of(symptom, aged)[0].step == suspect
