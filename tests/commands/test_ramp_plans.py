"""Ramps planned from what the logbook knows, and the speeds that a limit means."""

import pytest

PLANNED = "volumetric --plan --from 4 --to 24 --step 0.5"


def plan(bench, line=""):
    found = bench.json(f"volumetric --plan {line}")
    bench.json(f"undo {found['trial']}")
    return found


def test_without_any_limit_known_the_range_is_wide_and_grows_with_the_bore(heron):
    fine = plan(heron)["settings"]
    heron.json("nozzle add heron-0.8 --printer heron --bore 0.8")
    heron.json("bench --nozzle heron-0.8")
    wide = plan(heron)["settings"]
    assert wide["ramp"]["from_mm3_s"] > fine["ramp"]["from_mm3_s"]
    assert wide["ramp"]["to_mm3_s"] > 1.4 * fine["ramp"]["to_mm3_s"]
    assert (fine["line"]["width_mm"], wide["line"]["width_mm"]) == (0.5, 0.8)
    assert wide["line"]["layer_mm"] <= 0.8 * 0.8


@pytest.mark.parametrize(
    ("known", "expected"),
    [
        # The same nozzle beats another one, and its temperature the nearest; it tells more, too.
        ([("heron-0.5", 210, 10), ("heron-0.8", 210, 20)], (10, 7, 14, 0.5)),
        ([("heron-0.8", 210, 20)], (20, 10, 32, 1)),
        ([("heron-0.5", 190, 8), ("heron-0.5", 205, 9)], (9, 6, 13, 0.5)),
    ],
)
def test_the_range_lies_round_the_limit_most_alike(heron, known, expected):
    heron.json("nozzle add heron-0.8 --printer heron --bore 0.8")
    for nozzle, temperature, limit in known:
        heron.json(f"bench --nozzle {nozzle} --temperature {temperature}")
        heron.json(f"entered limit {limit}")
    heron.json("bench --nozzle heron-0.5 --temperature 210")
    settings = plan(heron)["settings"]["ramp"]
    limit, *ramp = expected
    assert [settings[name] for name in ("from_mm3_s", "to_mm3_s", "step_mm3_s")] == ramp
    said = heron("volumetric --plan").out
    assert f"{limit} mm³/s is known of" in said


@pytest.mark.parametrize(
    ("given", "settings"),
    [
        ("--from 5 --to 15", {"from_mm3_s": 5, "to_mm3_s": 15}),
        ("--from 5 --to 15 --step 1 --every 3", {"step_mm3_s": 1, "every_mm": 3, "to_mm3_s": 15}),
        ("--from 5 --to 15 --rise-per-mm 0.2", {"rise_mm3_s_mm": 0.2, "to_mm3_s": 15}),
        ("--from 30 --accel 9000", {"from_mm3_s": 30, "to_mm3_s": 90}),
        ("--to 3", {"to_mm3_s": 3}),
        ("--base 2", {"base_mm": 2}),
        ("--width 0.6 --layer 0.3", {"width_mm": 0.6, "layer_mm": 0.3}),
        ("--flow 93", {"flow_percent": 93}),
    ],
)
def test_what_is_given_is_kept_and_the_rest_proposed(heron, given, settings):
    found = plan(heron, given)
    ramp = found["settings"]["ramp"]
    for name, value in settings.items():
        assert {**found["settings"]["line"], **ramp}[name] == pytest.approx(value), name
    assert ramp["from_mm3_s"] < ramp["to_mm3_s"]
    assert found["height_mm"] < 150
    assert found["to_mm_s"] > found["from_mm_s"] > 0
    assert found["filament_mm"] * 3.14159 * 1.75**2 / 4 == pytest.approx(
        found["volume_mm3"], rel=1e-4
    )


def test_a_plan_warns_of_its_line_and_of_a_limit_that_would_flatten_it(heron):
    said = " ".join(heron("volumetric --plan --width 0.4 --layer 0.3 --flow 100").out.split())
    assert "narrower than the 0.5 mm bore" in said
    assert "volumetric limit above 18.5" in said
    assert "no slowing for short layers" in said


def test_speeds_are_for_the_lines_that_the_bench_prints(untold):
    untold.json("flow --width 0.55 --walls 1 --layer 0.25 --flow 90 --read 0.55 0.55 0.54")
    found = untold.json("volumetric --from 4 --step 0.5 --every 2 --gaps-at 31.5")
    assert found["speed_mm_s"] == pytest.approx(9.5 / (0.55 * 0.25 * 0.9))
    text = untold("volumetric --gaps-at 31.5 --why").out
    assert "width 0.55" in text
    assert "  0.25 " in text
    # Another model doses less for the same width: the same limit, a higher speed.
    rounded = untold.json("volumetric --gaps-at 31.5 --line-model rounded")
    assert rounded["speed_mm_s"] > found["speed_mm_s"]
    untold.json("printer set heron --line-model rounded")
    assert untold.json("volumetric --gaps-at 31.5")["speed_mm_s"] == rounded["speed_mm_s"]


@pytest.mark.parametrize(
    ("flow_line", "note"),
    [
        ("entered flow 92", None),
        (
            "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50 "
            "--read 1.54 1.55",
            "advised",
        ),
    ],
)
def test_a_flow_that_is_not_settled_is_named(heron, flow_line, note):
    heron.json(flow_line)
    found = heron.json(
        "volumetric --from 4 --step 0.5 --every 2 --gaps-at 31.5 --width 0.5 --layer 0.2"
    )
    named = [one for one in found["notes"] if "speeds are worked out at flow" in one]
    assert bool(named) == bool(note)
    if note:
        assert note in named[0]


def test_heights_are_asked_for_round_the_part(heron):
    from tests.commands.test_typing import Terminal

    terminal = Terminal(heron, "volumetric --from 4 --step 0.5 --every 2 --to 24")
    terminal.until("gaps, front> ").type("34.5").until("earliest 34.5 mm, 12.5 mm³/s")
    terminal.until("gaps, right> ").type("345").until("above the ramp")
    terminal.until("gaps, right> ").type("33.5").until("earliest 33.5 mm, 12 mm³/s, 1 mm apart")
    terminal.until("gaps, back> ").type("u").until("took back 33.5")
    terminal.until("gaps, right> ").type("33.5").until("gaps, back> ").type("")
    terminal.until("still good, front> ").type("")
    terminal.until("limit").until("12.25 ± 0.77 mm³/s")
    assert terminal.status() == 0


def test_a_plate_is_asked_for_feature_by_feature(heron):
    from tests.commands.test_typing import Terminal

    heron.json("xy --plan --hole 4 10 --post 4 10x")
    terminal = Terminal(heron, "xy --trial 1")
    terminal.until("hole 4   > ").type("2").until("about half: a radius")
    terminal.until("hole 4   > ").type("3.79/3.81").until("2 readings")
    terminal.until("hole 10").type("9.82").until("post 4   > ").type("4.09")
    terminal.until("post 10 x").type("10.08").until("hole 4").type("")
    terminal.until("CORRECT").until("enlarge holes by 0.09 mm per side")
    assert terminal.status() == 0
    readings = heron.json("history 1")["trials"][0]["readings"]
    assert [one["side"] for one in readings] == [
        "hole 4", "hole 4", "hole 10", "post 4", "post 10 x",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("planned", "measured", "findings"),
    [
        (f"{PLANNED} --margin 20", "volumetric --gaps-at 31.5", {"limit_mm3_s": 8.5}),
        (f"{PLANNED} --round-to 0.1", "volumetric --gaps-at 31.5", {"limit_mm3_s": 9.9}),
        (
            f"{PLANNED} --marker-every 4",
            "volumetric --clean-markers 8",
            {"last_good_mm3_s": 11.5, "limit_mm3_s": 10},
        ),
        (f"{PLANNED} --within 4", "volumetric --gaps-at 31.5", {"last_good_mm3_s": 10}),
        ("fit --plan --clearance 0.1", "fit --pair 0.2=snug 0.3=slide", {"now_mm": 0.1}),
        ("fit --plan --thread M20", "fit --pair 0.2=snug 0.3=slide", {"now_mm": 0.239}),
        ("fit --plan --want press", "fit --pair 0.1=stuck 0.2=press", {"begins_mm": 0.15}),
        (
            "fit --plan --hole-set 0.1 --clearance 0.1",
            "fit --pair 0.2=snug 0.3=slide",
            {"hole_to_type_mm": 0.14},
        ),
        (
            "xy --plan --hole 10 --jaw-land 1.2",
            "xy --hole 10=9.8",
            {"hole_per_side_mm": (10 - (9.8**2 + 1.2**2) ** 0.5) / 2},
        ),
        ("xy --plan --free-scale --hole 4 9", "xy --hole 4=3.8 9=8.7", {"scale": 0.98}),
        ("xy --plan --hole-set 0.05 --hole 10", "xy --hole 10=9.8", {"hole_to_type_mm": 0.15}),
    ],
)
def test_what_was_planned_holds_when_it_is_measured(heron, planned, measured, findings):
    number = heron.json(planned)["trial"]
    found = heron.json(f"{measured} --trial {number}")
    for name, value in findings.items():
        assert found[name] == pytest.approx(value, abs=2e-4), name
