"""The program as a whole: its front, its errors, its start, and any command line at all."""

import json
import re
import shlex
import subprocess
import sys

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from metier.cli import COMMANDS
from metier.show.sheet import wrapped
from tests.conftest import HANGS_S, METIER, not_quick
from tests.moment import program

FLOW = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.54"
EVERYDAY = {
    "esteps": "esteps --asked 150 --mark 180 --left 35.1",
    "flow": FLOW,
    "volumetric": "volumetric --from 4 --step 0.4 --every 2.5 --gaps-at 31.5",
    "entered": "entered flow 92",
    "profile": "profile",
    "history": "history",
    "undo": "undo",
}


def test_alone_it_prints_the_job_in_order(metier):
    ran = metier("")
    assert ran.status == 0
    job = ("setup", "instrument", "diameter", "esteps", "flow", "volumetric", "xy", "profile")
    places = [ran.out.index(f"metier {name}") for name in job]
    assert places == sorted(places)
    # A small terminal shows all of it; --help has every command besides.
    assert len(ran.out.splitlines()) <= 24
    whole = metier("--help").out
    assert all(f"\n  {name} " in whole for name in COMMANDS)
    assert max(len(line) for line in (ran.out + whole).splitlines()) <= 80
    assert metier.json("")["commands"] == COMMANDS
    assert re.fullmatch(r"metier \d+\.\d+\.\d+\n", metier("--version").out)
    module = subprocess.run([sys.executable, "-m", "metier"], capture_output=True, text=True)
    assert module.stdout == ran.out


@pytest.mark.parametrize("name", COMMANDS)
def test_help_describes_every_option_and_has_an_example(metier, name):
    ran = metier(f"{name} --help")
    assert (ran.status, ran.err) == (0, "")
    actions = re.findall(r"^    (\w+)  ", ran.out, re.MULTILINE) if "ACTION" in ran.out else []
    for line in [f"{name} {action} --help" for action in actions] or [f"{name} --help"]:
        text = metier(line).out
        assert "example:" in text, line
        assert "--json" in text
        assert max(len(row) for row in text.splitlines()) <= 80


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("flwo", "did you mean flow?"),
        ("qqqqq", "metier --help lists them"),
        ("--flow 93", "the command comes first"),
        (f"{'x' * 500}", "'that'"),
        ("flow --help-me", "unrecognized"),
    ],
)
def test_unknown_commands_and_options(metier, line, said):
    assert said in metier.refuses(line)


def test_an_error_is_one_line_even_where_the_input_is_not(metier):
    metier.refuses("flow --read", "0.47\nand more")
    metier.refuses("printer add", "he\nron\tx" * 20, "--nozzle", "0.5")


def test_a_terminal_that_cannot_show_every_letter_gets_a_stand_in(metier):
    ran = metier.process(FLOW, PYTHONIOENCODING="ascii")
    assert ran.status == 0
    assert "0.540 ? 0.035 mm" in ran.out


LOCALES = (
    {"LC_ALL": "C"},
    {"LC_ALL": "POSIX", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0"},
    {"LC_ALL": "C.UTF-8"},
    {"LC_ALL": "none_NONE.none"},
    {"LC_ALL": "C", "PYTHONIOENCODING": "latin-1"},
    {"LC_ALL": "C", "PYTHONIOENCODING": "ascii:strict"},
    {"LC_ALL": "C.UTF-8", "PYTHONIOENCODING": "utf-8:strict", "TZ": "Nowhere/Nothing"},
    {"PYTHONIOENCODING": "utf-16"},
)


@pytest.mark.parametrize(
    "environment", [*LOCALES[:2], *not_quick(*LOCALES[2:])], ids=lambda one: " ".join(one.values())
)
def test_every_locale_records_the_same_and_says_it_as_it_can(heron, environment):
    heron.json("spool add", "moos-grün", "--material", "PLA")
    for line, typed in (
        ("bench --spool moos-grün --temperature 210", None),
        ("flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --line-model rounded", "0,54\n0.55\n"),
        ("trial 1 --note 'auf dem grünen Tisch'", None),
        ("history", None),
        ("profile --card", None),
        ("undo 1", None),
    ):
        ran = subprocess.run(
            program(*shlex.split(line)), input=(typed or "").encode(), capture_output=True,
            env={**heron.environment, "METIER_DEBUG": "", **environment}, check=False,
            timeout=HANGS_S,
        )  # fmt: skip
        # A name that a locale cannot spell is refused in a line; nothing else may differ.
        assert ran.returncode in (0, 2), (line, ran)
        assert b"Traceback" not in ran.stderr
        assert ran.returncode == 0 or ran.stderr.count(b"\n") >= 1
    for one in heron.json("history")["trials"]:
        assert [reading["typed"] for reading in one["readings"]] == ["0,54", "0.55"]


@pytest.mark.parametrize("closed", ["<&-", ">&-", "2>&-", "<&- >&- 2>&-"])
def test_closed_streams_are_no_fault(heron, closed):
    for line in (FLOW, "flow --width 0.5", "history"):
        finished = subprocess.run(
            ["sh", "-c", f"{METIER} {line} {closed}"],
            env=heron.environment,
            capture_output=True,
            text=True,
        )
        assert finished.returncode in (0, 1, 2)
        assert "Traceback" not in finished.stderr
        assert "fault" not in finished.stderr


def test_bytes_that_are_no_text_are_refused(metier):
    finished = subprocess.run(
        program("printer", "add", b"\xff", "--nozzle", "0.5"),
        env=metier.environment,
        capture_output=True,
    )
    assert finished.returncode == 2
    assert finished.stderr.count(b"\n") == 1


def test_a_reader_that_goes_away_and_a_full_disk(heron):
    with subprocess.Popen(
        program("history"), env=heron.environment, stdout=subprocess.PIPE, stderr=subprocess.PIPE
    ) as piped:
        piped.stdout.close()
        assert piped.stderr.read() == b""
        assert piped.wait(60) == 0
    with open("/dev/full", "w") as full:
        stopped = subprocess.run(
            program("history"), env=heron.environment, stdout=full, stderr=subprocess.PIPE
        )
    assert stopped.returncode == 1
    assert stopped.stderr.count(b"\n") == 1


@given(st.text(max_size=200), st.integers(0, 100), st.integers(0, 100))
def test_any_text_is_wrapped_and_nothing_of_it_lost(text, lead, indent):
    text = " ".join(text.split())
    lines = wrapped(text, "x" * lead, " " * indent)
    assert " ".join(" ".join(lines).replace("x" * lead, "", 1).split()) == text
    longest = max([len(word) for word in text.split()] or [0])
    assert all(len(line) <= max(80, lead, lead + longest, indent + longest) for line in lines)


def test_colour_only_on_a_terminal_that_wants_it(heron, monkeypatch):
    from metier.show.sheet import Sheet

    assert "\033" not in heron(FLOW).out
    sheet = Sheet("Flow")
    sheet.verdict("correct", "too thick")
    assert "\033" in sheet.text(colour=True)
    monkeypatch.setattr("sys.stdout.isatty", lambda: True, raising=False)
    monkeypatch.setenv("TERM", "xterm")
    monkeypatch.delenv("NO_COLOR", raising=False)
    assert "\033" in sheet.text()
    monkeypatch.setenv("NO_COLOR", "1")
    assert "\033" not in sheet.text()


@pytest.mark.parametrize("name", EVERYDAY)
def test_everyday_commands_import_nothing_heavy(heron, name):
    heron.json(FLOW)
    forbidden = (
        *("numpy", "scipy", "matplotlib", "pandas", "rich", "tomlkit", "platformdirs", "csv"),
        *("shapely", "manifold3d"),
    )
    program = (
        "import sys; from metier.cli import main; status = main(sys.argv[1:]);"
        f"print([one for one in {forbidden!r} if one in sys.modules], file=sys.stderr);"
        "sys.exit(status)"
    )
    finished = subprocess.run(
        [sys.executable, "-c", program, *EVERYDAY[name].split()],
        env=heron.environment,
        capture_output=True,
        text=True,
    )
    assert finished.returncode == 0
    assert finished.stderr == "[]\n"


WORDS = st.sampled_from(
    shlex.split(
        """--read --side --left --cut --asked --mark --steps --flow --width --walls --layer --json
        --swallowed --aim --zero --accept --round-to --advised --card --limit --kind --spool
        --printer --trial --plan --resume --start-over --rule trend --since --csv --seen gaps
        --gauge
        --redo --from --plot --slicer add show list changed --what other zero check amend export
        import path esteps flow heron fern-1 calipers x.json 0.47 47 150 93 0,5 0.93x -1 1e9 nan 3
        1/2 1.75/1.74 noise.bin % ± ''"""
    )
) | st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=8)


@settings(
    max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(
    # These do the whole job, or a whole evening.
    st.sampled_from([name for name in COMMANDS if name not in ("demo", "practise")]),
    st.lists(WORDS, max_size=9),
    st.binary(max_size=200),
)
def test_any_command_line_is_answered_or_refused(heron, name, words, noise):
    (heron.folder / "noise.bin").write_bytes(noise)
    ran = heron(name, *words)
    assert ran.status in (0, 1, 2)
    if ran.status:
        assert ran.err.count("\n") == 1
    elif "--json" in words and "-h" not in words:
        assert isinstance(json.loads(ran.out), dict)
