"""`metier volumetric --tried`: a part of one's own, and the highest flow that is good."""

import pytest


@pytest.mark.parametrize(
    ("tried", "limit", "verdict", "bound"),
    [
        ("14=starved 12=even/broken 10=even/held 8=even", 10, "correct", None),
        ("12=even/held 10=even/held", 12, "correct", "lower"),
        ("10.3=even 14=starved", 10, "correct", None),
        ("14=starved 12=even/broken", None, "unclear", "upper"),
        ("14=starved 12=even 10=starved", 12, "recheck", None),
    ],
)
def test_the_highest_flow_that_is_even_and_held(heron, tried, limit, verdict, bound):
    found = heron.json(f"volumetric --tried {tried}")
    assert (found["limit_mm3_s"], found["verdict"], found["bound"]) == (limit, verdict, bound)
    to_type = limit if verdict == "correct" else None
    assert heron.json("profile")["values"]["limit"]["value"] == to_type


def test_a_part_needs_no_margin_and_says_what_nobody_looked_at(heron):
    said = heron("volumetric --tried 12=even").out
    assert "==> type 12 mm³/s" in said
    assert "nothing was too fast" in said
    assert "nobody tried to break" in said
    heron.json("entered limit 12")
    assert heron.json("volumetric --tried 14=starved 12=even/held")["verdict"] == "keep"
    # What waits to be typed in is not hidden by calipers that were never zeroed.
    heron.json("volumetric --tried 14=starved 12=even/broken 9=even/held")
    assert heron.json("next")["command"] == "metier entered limit 9"


@pytest.mark.parametrize(
    ("tried", "said"),
    [
        ("14=sad", "write 14=starved"),
        ("14", "write 14=starved"),
        ("x=even", "is not a number"),
        ("14=even 14=starved", "there twice"),
        ("900=even", "no flow of a hot end"),
        ("14=even --gaps-at 12", "do not go together"),
        ("14=even --plot a.png", "draws a ramp or coupons"),
    ],
)
def test_what_was_not_tried_is_met_with_one_line(heron, tried, said):
    assert said in heron.refuses(f"volumetric --tried {tried}")
