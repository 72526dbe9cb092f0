"""`metier workshop`: an old notebook, or another workshop's, as one file."""

import pytest

from metier.clock import local_day

CSV = """\
what;name;nozzle_mm;material;kind;value;printer;spool;date;temperature_c;how
printer;wren;0,8;;;;;;;;
spool;smoke-1;;PETG;;;;;;;
value;;;;flow;93,5;wren;smoke-1;2025-11-02;;
value;;;;limit;19,5;wren;smoke-1;2025-11-03;240;
value;;;;esteps;405;wren;;2025-11-01;;read off
"""


def standing(bench, *options):
    values = bench.json("profile " + " ".join(options))["values"]
    return {name: (one["value"], one["status"]) for name, one in values.items() if one["value"]}


def test_a_notebook_is_taken_in_with_its_days_and_stands(metier):
    (metier.folder / "notebook.csv").write_text(CSV)
    taken = metier.json("workshop import notebook.csv")
    assert taken["taken"] == {"printer": 1, "nozzle": 0, "spool": 1, "value": 3}
    metier.json("bench --printer wren --spool smoke-1 --temperature 240")
    known = standing(metier)
    assert known["flow"] == (93.5, "entered")
    assert known["limit"] == (19.5, "entered")
    assert known["esteps"] == (405, "entered")
    done = metier.json("history")["done"]
    days = [str(local_day(one["at"])) for one in done if "entered" in one["words"]]
    assert days == ["2025-11-03", "2025-11-02"]
    # Once more, there is nothing new.
    assert metier.json("workshop import notebook.csv")["taken"]["value"] == 0
    assert metier("logbook check").out.startswith("The logbook is sound")


def test_what_is_written_out_is_taken_in_elsewhere(metier):
    metier("workshop template our.toml")
    assert metier.json("workshop import our.toml")["taken"]["value"] == 1
    metier.json("workshop export again.toml")
    metier.json("workshop import again.toml --logbook other.sqlite")
    bench = "bench --printer heron --nozzle heron-0.5 --spool fern-1 --temperature 210"
    for where in ("", "--logbook other.sqlite"):
        metier.json(f"{bench} {where}")
    assert standing(metier) == standing(metier, "--logbook other.sqlite")
    assert standing(metier)["flow"] == (94, "entered")
    spools = metier.json("spool list --logbook other.sqlite")["spools"]
    assert [(one["name"], one["maker"]) for one in spools] == [("fern-1", "Saltmarsh")]


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("value;;;;flow;930;wren;smoke-1;2025-11-02;;", "line 7: flow: 930 is no flow"),
        ("value;;;;limit;195;wren;smoke-1;2025-11-02;240;", "was it 19.5?"),
        ("value;;;;limit;19;wren;smoke-1;2025-11-02;;", "give temperature_c"),
        ("value;;;;flow;93;wren;smoke-9;2025-11-02;;", "no spool 'smoke-9'"),
        ("value;;;;flow;93;wren;smoke-1;2101-11-02;;", "still to come"),
        ("value;;;;flow;93;wren;smoke-1;;;", "line 7 (value) has no date"),
        ("value;;;;flow;93;wren;smoke-1;2025-11-02;;dreamt", "how 'dreamt'"),
        ("value;;;;speed;93;wren;smoke-1;2025-11-02;;", "there is no value 'speed'"),
        ("value;x;;;flow;93;wren;smoke-1;2025-11-02;;", "a value has no 'name'"),
        ("reel;x;;;;;;;;;", "'reel' is none of printer"),
    ],
)
def test_it_is_refused_as_a_whole_by_line(metier, line, said):
    (metier.folder / "notebook.csv").write_text(f"{CSV}{line}\n")
    assert said in metier.refuses("workshop import notebook.csv")
    assert metier.json("printer list")["printers"] == []


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[[value]\n", "is no TOML"),
        ("", "tells nothing"),
        ("name = 3\n", "'name' is none of [[printer]]"),
        ("[[printer]]\nname = 'heron'\n", "[[printer]] 1 (printer) has no nozzle_mm"),
    ],
)
def test_a_file_that_is_none_is_one_line(metier, text, said):
    (metier.folder / "our.toml").write_text(text)
    assert said in metier.refuses("workshop import our.toml")
