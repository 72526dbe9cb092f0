"""`metier entered` and `metier profile`: what is in force, the slip, and the file."""

import json
import tomllib
from importlib.resources import files

import jsonschema
import pytest

KINDS = ["diameter", "esteps", "flow", "limit", "hole", "contour", "scale"]
FLOW = (
    "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50 "
    "--read 1.54 1.55 1.53 1.54"
)


def valid(path):
    """Read a profile and check it against the schema that the package ships."""
    schema = json.loads(files("metier.formats").joinpath("profile.schema.json").read_text())
    jsonschema.Draft202012Validator.check_schema(schema)
    found = tomllib.loads(path.read_text())
    # Dates are TOML's own; JSON Schema knows them as text.
    jsonschema.validate(json.loads(json.dumps(found, default=str)), schema)
    return found


def test_the_contract_of_the_json(heron):
    found = heron.json("profile")
    assert list(found["values"]) == KINDS
    for value in found["values"].values():
        assert {"value", "u95", "unit", "status", "since", "trials", "why"} <= set(value)
    assert found["values"]["flow"]["value"] is None
    assert found["values"]["flow"]["status"] == "unset"
    assert found["values"]["esteps"]["value"] == 412
    assert found["bench"]["spool"] == "fern-1"


def test_from_advised_to_entered_to_verified(heron):
    heron.json(FLOW)
    advised = heron.json("profile")["values"]["flow"]
    assert (advised["value"], advised["in_force"], advised["status"]) == (92, 100, "advised")
    assert advised["u95"] == pytest.approx(5.24, abs=0.01)
    entered = heron.json("entered --advised")["entered"]
    (forecast,) = entered[0].pop("forecast")
    assert entered == [{"kind": "flow", "value": 92, "unit": "%", "status": "verified"}]
    assert forecast["what"] == "a wall of 3 lines"
    assert forecast["value"] == pytest.approx(1.444, abs=0.002)
    assert "nothing is advised" in heron.refuses("entered --advised")
    heron.json("flow --read 1.42 1.42 1.43 1.41")
    verified = heron.json("profile")["values"]["flow"]
    assert (verified["value"], verified["status"], verified["trials"]) == (92, "verified", 2)


def test_what_was_typed_in_wins_over_what_was_advised(heron):
    heron.json(FLOW)
    assert heron.json("entered flow 0.97x")["entered"][0]["value"] == 97
    found = heron.json("profile")["values"]["flow"]
    assert (found["value"], found["status"]) == (97, "entered")
    assert heron.json("flow --read 1.42 1.42 1.42")["flow_now_percent"] == 97


def test_every_kind_can_be_entered(heron):
    for kind, typed, value in (
        ("diameter", "1,73", 1.73),
        ("esteps", "426.5", 426.5),
        ("flow", "92", 92),
        ("limit", "11,5", 11.5),
        ("hole", "0.1", 0.1),
        ("contour", "-0.04", -0.04),
    ):
        assert heron.json(f"entered {kind} {typed}")["entered"][0]["value"] == value
    values = heron.json("profile")["values"]
    # The e-steps were 412 before flow was entered, not after: nothing is doubtful.
    assert {kind: values[kind]["status"] for kind in KINDS[:6]} == dict.fromkeys(
        KINDS[:6], "entered"
    )


def test_a_diameter_is_a_value_like_the_others(heron):
    heron.json(FLOW)
    heron.json("entered flow 92")
    heron.json("diameter --read 1.70/1.70 1.70/1.70 1.71/1.69 1.70/1.70 1.70/1.70")
    advised = heron.json("profile")["values"]["diameter"]
    assert (advised["value"], advised["in_force"], advised["status"]) == (1.7, 1.75, "advised")
    heron.json("instrument zero calipers 0")
    assert "metier entered diameter 1.7" in heron("next").out
    # The slicer feeds more of a thinner strand: the same plastic takes less flow, by the area.
    heron.json("entered diameter 1.70")
    values = heron.json("profile")["values"]
    assert (values["diameter"]["status"], values["flow"]["status"]) == ("entered", "carried")
    assert values["flow"]["value"] == pytest.approx(92 * (1.70 / 1.75) ** 2)
    assert "diameter changed by -2.9 %" in values["flow"]["why"]
    found = heron.json("diameter --read 1.70/1.70 1.70/1.70 1.71/1.69 1.70/1.70 1.70/1.70")
    assert (found["slicer_mm"], found["verdict"]) == (1.7, "keep")
    assert "1.70 mm" in heron("profile --card").out


def test_a_slip_in_what_was_typed_in_is_asked_about(heron):
    assert "--slicer 1.5 if it is another filament" in heron.refuses("diameter --read 1.50")
    for line, said in (
        ("entered limit 900", "was it 90?"),
        ("entered limit 0.29", "was it 2.9?"),
        ("entered limit 101", "was it 10.1?"),
        ("entered esteps 5001", "was it 500.1?"),
        ("entered esteps 19.9", "was it 199?"),
        ("entered hole 0.9", "was it 0.09?"),
        ("entered contour -1.2", "was it -0.12?"),
        ("entered diameter 17.5", "was it 1.75?"),
    ):
        assert said in heron.refuses(line)
        assert heron.json(f"{line} --anyway")["entered"][0]["status"] == "entered"
        heron.json("undo")
    for line in ("limit 0.3", "limit 100", "hole 0.5", "hole -0.5"):
        assert heron.json(f"entered {line}")["entered"][0]["status"] == "entered"
        heron.json("undo")


def test_the_flow_of_foaming_filament_goes_anywhere(heron):
    heron.json("spool add smoke-1 --material PLA --foaming")
    heron.json("bench --spool smoke-1")
    heron.json("entered flow 62")
    assert heron.json("entered flow 100")["entered"][0]["status"] == "entered"


@pytest.mark.parametrize(
    ("stands", "slip", "said"),
    [
        ("esteps 426.5", "esteps 4265", "was it 426.5?"),
        ("esteps 426.5", "esteps 42.65", "was it 426.5?"),
        ("flow 94", "flow 250", "was it 94?"),
        ("diameter 1.75", "diameter 2.85", "was it 1.75?"),
        ("limit 12", "limit 1.25", "was it 12.5?"),
    ],
)
def test_a_value_far_from_the_one_that_stands_is_asked_about(heron, stands, slip, said):
    heron.json(f"entered {stands}")
    assert said in heron.refuses(f"entered {slip}")
    assert heron.json(f"entered {slip} --anyway")["entered"][0]["status"] == "entered"
    # What is doubtful since a swap may be anything.
    heron.json(f"entered {stands} --anyway")
    heron.json("printer changed heron --what mainboard")
    heron.json("entered esteps 93")


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("entered", "give a kind"),
        ("entered flow", "give the value"),
        ("entered flow 92 --advised", "--advised alone"),
        ("entered flow 0.92", "0.92x"),
        ("entered flow much", "not a number"),
        ("entered scale 1", "there is no value 'scale' to type in"),
        ("entered flow 92 hole", "which hole?"),
        ("entered flow 92 flow 93", "flow is given twice"),
        ("entered hole 0.1 contour wide", "not a number"),
        ("entered esteps 0", "above zero"),
        ("entered esteps nan", "not a number"),
        ("entered limit -3", "above zero"),
        ("entered hole 12", "no compensation"),
        ("profile --force", "--write"),
        ("profile --card --write x.toml", "give one of them"),
        ("profile --write", "--write"),
        ("profile --write .", "is a folder"),
    ],
)
def test_bad_input_is_met_with_one_line(heron, line, said):
    assert said in heron.refuses(line)


@pytest.mark.parametrize("command", ["profile", "profile --card", "entered flow 92"])
def test_without_a_bench_it_says_what_to_do(metier, command):
    assert "metier setup" in metier.refuses(command)
    assert not metier.logbook.exists()


def test_the_profile_is_written_as_toml_that_keeps_to_its_schema(heron):
    path = heron.folder / "fern.toml"
    heron.json("profile --write fern.toml")
    bare = valid(path)
    assert "percent" not in bare["flow"]
    assert bare["flow"]["status"] == "unset"
    heron.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4")
    heron.json(FLOW)
    heron.json("entered contour -0.04")
    assert "exists" in heron.refuses("profile --write fern.toml")
    assert valid(path) == bare
    heron.json("profile --write fern.toml --force")
    found = valid(path)
    assert (found["esteps"]["steps_per_mm"], found["esteps"]["in_force_steps_per_mm"]) == (
        426.5,
        412,
    )
    assert found["flow"]["percent"] == 92
    assert found["flow"]["trials"] == 1
    assert found["contour"]["per_side_mm"] == -0.04
    assert found["bench"]["temperature_c"] == 210
    assert [one.name for one in heron.folder.glob("*.part")] == []


def test_the_card_says_what_to_type_where(heron):
    heron.json("esteps --asked 150 --mark 180 --left 35.1 34.8 35.4")
    heron.json(FLOW)
    card = heron("profile --card").out
    printer, slicer = card.split("In the slicer")
    assert "426.50 steps/mm" in printer
    assert "92 % (0.92x)" in slicer
    assert "advised" in slicer
    assert "not known" in slicer
    assert len({len(line) for line in card.splitlines()}) == 1


def test_temperature_and_hardware_show_in_the_profile(heron):
    heron.json(FLOW)
    heron.json("entered flow 92")
    assert heron.json("profile")["values"]["flow"]["status"] == "verified"
    heron.json("bench --temperature 225")
    found = heron.json("profile")["values"]["flow"]
    assert (found["status"], found["why"]) == (
        "doubtful",
        "found at 210 °C, the bench is at 225 °C",
    )


def test_an_unwritable_place_is_a_failure_outside(heron):
    assert "cannot be written" in heron.refuses("profile --write none/x.toml", status=1)


def test_several_values_are_said_at_once(heron):
    found = heron.json("entered hole 0.12 contour -0.07")["entered"]
    assert [(one["kind"], one["value"]) for one in found] == [("hole", 0.12), ("contour", -0.07)]
    values = heron.json("profile")["values"]
    assert (values["hole"]["value"], values["contour"]["value"]) == (0.12, -0.07)
    assert values["hole"]["since"] == values["contour"]["since"]
