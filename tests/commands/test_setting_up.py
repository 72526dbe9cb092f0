"""Printers, nozzles, spools and the bench."""

import pytest


def test_a_printer_comes_with_its_nozzle_and_its_e_steps(metier):
    line = "printer add heron --nozzle 0.5 --steps 412 --decimals 3 --line-model rounded"
    found = metier.json(line)["printer"]
    assert found["nozzles"] == ["heron-0.5"]
    assert (found["steps"], found["decimals"], found["line_model"]) == (412, 3, "rounded")
    assert metier.json("printer show HERON") == {"printer": found}
    assert metier.json("printer list") == {"printers": [found]}
    assert metier.json("nozzle show heron-0.5")["nozzle"]["bore_mm"] == 0.5
    assert metier.json("printer add wren --nozzle 0.8 --decimals 0")["printer"]["decimals"] == 0


def test_printer_set_changes_only_what_is_given(heron):
    found = heron.json("printer set heron --line-model rectangular --steps 415")["printer"]
    assert (found["line_model"], found["steps"], found["decimals"]) == ("rectangular", 415, 2)
    assert "nothing to set" in heron.refuses("printer set heron")


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("printer add heron --nozzle 0.5", "already"),
        ("printer add HERON --nozzle 0.5", "already"),
        ("printer add '' --nozzle 0.5", "empty"),
        ("printer add ' ' --nozzle 0.5", "empty"),
        ("printer add wren", "--nozzle"),
        ("printer add wren --nozzle 0", "above zero"),
        ("printer add wren --nozzle 0.8 --steps many", "not a number"),
        ("printer add wren --nozzle 0.8 --decimals 9", "whole number"),
        ("printer add heron-0 --nozzle 0.5 --line-model square", "invalid choice"),
        ("printer show herno", "did you mean 'heron'?"),
        ("printer show quail", "known are heron"),
        ("spool show fern", "did you mean 'fern-1'?"),
        ("spool add FERN-1 --material PLA", "already"),
        ("spool add fern-2", "--material"),
        ("spool add fern-2 --material ' '", "printable"),
        ("nozzle add heron-0.5 --printer heron --bore 0.5", "already"),
        ("nozzle add x --printer wren --bore 0.5", "no printer 'wren'"),
        ("nozzle worn heron-5", "did you mean 'heron-0.5'?"),
        ("bench --printer heorn", "did you mean 'heron'?"),
        ("bench --spool fren-1", "did you mean 'fern-1'?"),
        ("bench --nozzle wren-0.8", "no nozzle"),
        ("bench --temperature 2100", "was it 210?"),
        ("bench --flow-step 0", "from 0.01 to 10"),
        ("printer changed heron", "--what"),
        ("printer changed heron --what belt", "invalid choice"),
        ("printer changed heron --what mainboard --fitted heron-0.5", "--what nozzle"),
        ("printer changed heron --what mainboard --affects flow", "--what other"),
        ("printer changed heron --what nozzle --fitted heron-9", "did you mean"),
        ("printer fly heron", "invalid choice"),
        ("printer", "say what to do: add, list"),
    ],
)
def test_bad_input_is_met_with_one_line(heron, line, said):
    assert said in heron.refuses(line)


def test_the_bench_takes_the_nozzle_it_can_and_asks_for_the_one_it_cannot(heron):
    assert heron.json("bench")["bench"]["nozzle"] == "heron-0.5"
    heron.json("printer add wren --nozzle 0.8")
    heron.json("nozzle add wren-0.4 --printer wren --bore 0.4 --hot-end long --material steel")
    assert "wren-0.4, wren-0.8" in heron.refuses("bench --printer wren")
    assert "belongs to wren" in heron.refuses("bench --printer heron --nozzle wren-0.4")
    chosen = heron.json("bench --printer wren --nozzle wren-0.4")["bench"]
    assert (chosen["printer"], chosen["nozzle"], chosen["hot_end"]) == ("wren", "wren-0.4", "long")
    # What was fitted last is taken from then on.
    heron.json("printer changed wren --what nozzle --fitted wren-0.8")
    assert heron.json("bench")["bench"]["nozzle"] == "wren-0.8"
    heron.json("bench --printer heron")
    assert heron.json("bench --printer wren")["bench"]["nozzle"] == "wren-0.8"


def test_another_material_wants_its_own_temperature(heron):
    heron.json("spool add fern-2 --material PLA")
    heron.json("spool add smoke-1 --material PETG --flexible")
    assert heron.json("bench --spool fern-2")["bench"]["temperature_c"] == 210
    assert heron.json("bench --spool smoke-1")["bench"]["temperature_c"] is None
    assert [one["flexible"] for one in heron.json("spool list")["spools"]] == [False, False, True]


def test_a_swapped_board_makes_everything_doubtful_and_says_what_to_do_first(heron):
    ran = heron("printer changed heron --what mainboard --note 'old one burnt'")
    assert "M92 E412.00, then M500" in ran.out
    assert ran.out.rstrip().endswith("metier entered esteps 412")
    values = heron.json("profile")["values"]
    assert (values["esteps"]["status"], values["esteps"]["value"]) == ("doubtful", 412)
    assert heron.json("printer show heron")["printer"]["changes"][0]["note"] == "old one burnt"
    heron.json("entered esteps 412")
    assert heron.json("profile")["values"]["esteps"]["status"] == "entered"


def test_an_other_change_asks_what_it_touched(heron):
    heron.json("entered flow 100")
    assert "--affects" in heron("printer changed heron --what other").out
    assert heron.json("profile")["values"]["flow"]["status"] == "entered"
    heron.json("printer changed heron --what other --affects flow hole")
    assert heron.json("profile")["values"]["flow"]["status"] == "doubtful"


def test_a_worn_nozzle_is_noted_once(heron):
    heron.json("entered flow 92")
    assert heron.json("nozzle worn heron-0.5")["nozzle"]["worn"] is True
    assert heron.json("profile")["values"]["flow"]["status"] == "doubtful"
    assert "already" in heron.refuses("nozzle worn heron-0.5")


def test_long_names_of_all_kinds_fit_a_screen(heron):
    long = "the one that hangs beside the window " * 2
    name = long[:58].strip()
    heron.json("spool add", name, "--material", long, "--maker", long, "--colour", long)
    heron.json("printer add", name[:50], "--nozzle", "0.4")
    heron.json("nozzle add", name, "--printer", name[:50], "--bore", "0.6", "--material", long)
    heron.json("instrument add", name, "--kind", "calipers")
    for command in ("spool list", "printer list", "nozzle list", "instrument list"):
        lines = heron(command).out.splitlines()
        assert max(map(len, lines)) <= 80, command
        assert any("…" in line for line in lines), command
    # Where there is room, nothing is cut.
    assert "heron-0.5" in heron("nozzle list").out
