"""A fault in Metier itself: one line, the traceback in a file, and what was recorded."""

import pytest

from metier.logbook import trials as trials_module
from metier.logbook.book import Logbook
from metier.trials.diameter.kind import Diameter

DIAMETER = "diameter --read 1.75 1.74"


def fails(*_, **__):
    raise KeyError("lost")


@pytest.mark.parametrize(
    ("method", "said", "trials"),
    [
        ("settle", "nothing was recorded", 0),
        ("judge", "nothing was recorded", 0),
        ("result", "nothing was recorded", 0),
        # By then the trial is in the logbook.
        ("sheet", "trial 1 is recorded", 1),
    ],
)
def test_it_says_where_the_traceback_is_and_what_was_recorded(
    heron, monkeypatch, method, said, trials
):
    monkeypatch.setattr(Diameter, method, fails)
    ran = heron(DIAMETER, METIER_DEBUG="")
    assert (ran.status, ran.out, ran.err.count("\n")) == (70, "", 1)
    assert said in ran.err
    assert "KeyError: 'lost'" in ran.err
    (report,) = (heron.folder / "state/metier").glob("fault-*.txt")
    assert str(report) in ran.err
    assert "Traceback" in report.read_text()
    assert heron.json("history")["count"] == trials
    with pytest.raises(KeyError):
        heron(DIAMETER)


def test_other_commands_say_so_too(heron, monkeypatch):
    monkeypatch.setattr("metier.commands.entered._remark", fails)
    assert "what you gave is recorded" in heron("entered flow 92", METIER_DEBUG="").err
    assert heron.json("profile")["values"]["flow"]["value"] == 92


def test_a_fault_in_its_own_sql_is_not_the_logbooks(heron, monkeypatch):
    monkeypatch.setattr(trials_module, "_TRIAL", trials_module._TRIAL.replace("through", "trough"))
    ran = heron("history", METIER_DEBUG="")
    assert ran.status == 70
    assert "damaged" not in ran.err
    assert "no such column" in ran.err


def test_a_logbook_that_lacks_a_table_is_damaged(heron):
    with heron.tables() as connection:
        connection.execute("DROP TABLE reading")
    assert "damaged" in heron.refuses(DIAMETER, status=1)


@pytest.mark.parametrize(
    "spoil",
    [
        "UPDATE trial SET findings = CAST(x'7b22ff' AS TEXT)",
        "UPDATE trial SET findings = '{'",
        "UPDATE trial SET settings = '[]'",
        'UPDATE trial SET settings = \'{"slicer_mm": "wide"}\'',
    ],
)
def test_rows_that_cannot_be_read_are_a_damaged_logbook(heron, spoil):
    heron.json(DIAMETER)
    with heron.tables() as connection:
        connection.execute("PRAGMA ignore_check_constraints = ON")
        connection.execute(spoil)
    for line in ("history 1", "logbook check"):
        said = heron.refuses(line, status=1)
        assert "damaged" in said or "cannot be" in said


def test_a_json_error_of_its_own_is_a_fault(heron, monkeypatch):
    import json

    def breaks(*_):
        raise json.JSONDecodeError("no", "", 0)

    monkeypatch.setattr(Logbook, "row", breaks)
    assert heron("profile", METIER_DEBUG="").status == 70


def test_a_picture_that_fails_after_all_leaves_its_trial(heron, monkeypatch):
    monkeypatch.setattr("matplotlib.figure.Figure.savefig", lambda *_, **__: fails_os())
    line = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.54 --plot x.png"
    said = heron.refuses(line, status=1)
    assert "x.png: cannot be written" in said
    assert "trial 1 is recorded" in said


def test_nowhere_to_write_the_report(heron, monkeypatch):
    monkeypatch.setattr(Diameter, "judge", fails)
    monkeypatch.setattr("os.makedirs", lambda *_, **__: fails_os())
    ran = heron(DIAMETER, METIER_DEBUG="")
    assert ran.status == 70
    assert "could not be written" in ran.err


def fails_os():
    raise OSError("full")
