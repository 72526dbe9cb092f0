"""The program against the stand-in printer, each a process of its own, over a real line."""

import json
import os
import re
import signal
import subprocess
import time
from pathlib import Path

import pytest

from metier.commands.standin import WHAT
from tests.cable.network import Box
from tests.conftest import HANGS_S, METIER, not_quick, set_up_heron

termios = pytest.importorskip("termios")

TUBE = "flow --plan --part tube.gcode --width 0.5 --layer 0.2"
pytestmark = pytest.mark.skipif(os.name == "nt", reason="there are no pseudo-terminals")


def plan_a_tube(bench):
    """A tube that is ready to print."""
    set_up_heron(bench)
    bench.json("printer set heron --bed 235x235 --accel 2000")
    bench.json("spool set fern-1 --bed-temperature 60")
    bench.json(TUBE)


@pytest.fixture
def tube(metier, built):
    return built(metier, plan_a_tube)


@pytest.fixture(params=["terminal", *not_quick("tcp")])
def wire(request):
    """How the stand-in listens."""
    return ("--tcp", "0") if request.param == "tcp" else ()


def measured(metier, what):
    return metier.json(f"standin measure {what}")["readings"]


def test_steps_are_set_stored_and_remembered(heron, standin, wire):
    standin(*wire)
    found = heron.json("cable steps")
    assert (found["carries"], found["logbook"], found["same"]) == (94.6, 412.0, False)
    text = heron("cable steps").out
    assert (
        "The printer carries 94.60, the logbook has 412.00 in force: the board forgot\n  it, or it "
        "was changed by hand." in text
    )
    assert "  metier cable steps 412.00\n" in text
    assert "  metier entered esteps 94.60 --printer heron" in text
    stored = heron.json("cable steps 92.8")
    assert (stored["before"], stored["carries"]) == (94.6, 92.8)
    assert heron.json("profile")["values"]["esteps"]["in_force"] == 92.8
    heron.json("standin power")
    assert heron.json("cable steps")["same"] is True
    # Set by hand and never stored: the next start has forgotten it.
    heron.json("cable send 'M92 E100' --anyway")
    assert heron.json("cable steps")["carries"] == 100
    heron.json("standin power")
    assert heron.json("cable steps")["carries"] == 92.8
    heron.json("standin swap board")
    heron.json("printer changed heron --what mainboard")
    assert heron.json("cable steps")["carries"] != 92.8
    # After a board change the old value is typed back before anything else.
    assert heron.json("next")["command"] == "metier cable steps 92.8"
    assert heron.json("cable steps 92.8")["recorded"] is True
    assert "e-steps" in heron.json("undo")["taken_back"][0]


@pytest.mark.slow
def test_a_line_on_the_network(heron, standin):
    box = Box(standin().port)
    try:
        heron.json(f"cable set heron --port {box.url}")
        assert heron.process("cable steps --json").json["carries"] == 94.6
        assert heron.process("cable steps 92.8 --json").json["recorded"] is True
        assert heron.process("cable steps --json").json["same"] is True
    finally:
        box.close()


def test_what_is_advised_is_set_and_where_a_printer_is_goes_along(heron, standin):
    running = standin()
    assert "no e-steps are advised for heron" in heron.refuses("cable steps --advised")
    heron.json("esteps --asked 150 --mark 180 --left 27.2 27.1 27.3 --steps 94.6")
    assert heron.json("next")["command"] == "metier cable steps 92.87"
    assert heron.json("cable steps --advised")["carries"] == 92.87
    shown = heron.json("cable show")
    assert shown["printers"] == [{"printer": "heron", "port": running.port, "baud": 115200}]
    log = Path(shown["log"])
    assert log == Path(f"{heron.logbook}.cable.log")
    assert re.search(r"> N\d+ M92\*", log.read_text())
    assert log.stat().st_mode & 0o777 == 0o600
    heron.json("logbook export out.json")
    heron.json("logbook import out.json --logbook other.sqlite")
    assert heron.json("cable show --logbook other.sqlite")["printers"] == shown["printers"]
    assert heron.json("printer show heron")["printer"]["port"] == running.port
    assert isinstance(heron.json("cable ports")["ports"], list)


def test_the_line_stays_up_between_two_commands(heron, standin):
    """A board that resets when its line goes down would be cold for the next command."""
    port = standin().port
    heron.json("cable steps")
    line = os.open(port, os.O_RDWR | os.O_NOCTTY)
    try:
        assert not termios.tcgetattr(line)[2] & termios.HUPCL
    finally:
        os.close(line)


def test_a_cold_nozzle_does_not_feed(heron, standin, wire):
    standin(*wire)
    assert "too cold to feed: 21 °C; first metier cable heat" in heron.refuses(
        "cable feed 150", status=1
    )
    assert "nothing was fed yet" in heron.refuses("standin measure left")
    assert heron.json("cable heat 210")["nozzle_c"] == pytest.approx(210, abs=2)
    assert heron.json("cable feed 150 --rate 2")["fed_mm"] == 150
    # 94.6 steps where the gear needs 92.9: more moves than is asked for.
    assert 180 - float(measured(heron, "left")[0]) == pytest.approx(152.7, abs=1.5)
    assert heron.json("cable off")["off"] is True
    assert "T:" in heron("cable send M105").out
    assert "/0.00 B" in heron("cable send M105").out


@pytest.mark.slow
def test_a_print_survives_a_bad_cable(tube, standin, wire):
    clean = standin(*wire)
    printed = tube.json("cable print tube.gcode")
    assert printed["again"] == 0
    assert printed["height_mm"] == pytest.approx(24.4)
    assert "94.60, the logbook has 412.00 in force" in printed["note"]
    walls = measured(tube, "walls")
    ran = {what: tube(f"standin measure {what}").status for what in WHAT}
    nothing = ("left", "cut", "heights", "dull", "plate", "foot", "pairs", "steps")
    assert ran == {what: 2 if what in nothing else 0 for what in WHAT}
    clean.stop()
    tube.folder.joinpath("metier-standin").rename(tube.folder / "before")
    standin(*wire, "--faults", "garble")
    assert tube.json("cable print tube.gcode")["lines"] == printed["lines"]
    assert measured(tube, "walls") == walls
    assert len(walls) == 3 * 8 + 2
    # Line by line what was sent: three lines, two, one.
    thick = [sum(map(float, walls[at : at + 8])) / 8 for at in (0, 9, 18)]
    assert thick[0] - thick[1] == pytest.approx(thick[1] - thick[2], abs=0.05)


@pytest.mark.slow
def test_a_reset_in_the_middle_ends_the_print(tube, standin, wire):
    standin(*wire, "--faults", "reset")
    told = tube.refuses("cable print tube.gcode", status=1)
    assert "the printer began anew in the middle: printed up to" in told
    assert told.rstrip().endswith("its heaters are off")
    assert "was cut short: print it again" in tube.refuses("standin measure walls")
    assert "T:" in tube("cable send M105").out


def begun(metier, *words):
    """Start a print, and return it once it lays down lines."""
    log = metier.folder / "seen.txt"
    process = metier.started("cable print tube.gcode --log seen.txt", *words)
    until = time.monotonic() + HANGS_S
    while not (log.exists() and "N40 " in log.read_text()):
        assert time.monotonic() < until
        assert process.poll() is None, process.communicate()
        time.sleep(0.02)
    return process


@pytest.mark.slow
@pytest.mark.parametrize("name", [signal.SIGINT, signal.SIGTERM])
def test_stopping_a_print_leaves_the_heaters_off(tube, standin, wire, name):
    standin(*wire, "--fast", "60")
    process = begun(tube)
    process.send_signal(name)
    out, err = process.communicate(timeout=HANGS_S)
    assert (process.returncode, out) == (1, "")
    assert re.search(r"stopped: printed up to \d\.\d mm \(line \d+ of", err)
    assert err.rstrip().endswith("its heaters are off")
    assert "/0.00 B" in tube("cable send M105").out


def test_stopping_while_it_heats_leaves_the_heater_off(heron, standin):
    standin("--fast", "1")
    with heron.started("cable heat 210 --log seen.txt") as process:
        log = heron.folder / "seen.txt"
        while not (log.exists() and "M104 S210" in log.read_text()):
            time.sleep(0.02)
        process.send_signal(signal.SIGINT)
        _, err = process.communicate(timeout=HANGS_S)
    assert (process.returncode, err) == (1, "metier cable: stopped: its heaters are off\n")
    assert "/0.00 B" in heron("cable send M105").out


@pytest.mark.slow
def test_a_pulled_cable_is_said(tube, standin, wire):
    running = standin(*wire, "--fast", "60")
    process = begun(tube)
    running.stop()
    _, err = process.communicate(timeout=HANGS_S)
    assert process.returncode == 1
    assert re.search(r"is lost: printed up to \d\.\d mm \(line \d+ of", err)
    assert err.rstrip().endswith("the heater may still be on: switch the printer off")
    assert "Traceback" not in err


@pytest.mark.slow
def test_two_programs_at_one_port(tube, standin, wire):
    standin(*wire, "--fast", "60")
    process = begun(tube)
    # In a process of its own: pyserial leaves a socket open that was closed from outside.
    told = tube.process("cable steps")
    assert (told.status, told.err.count("\n")) == (1, 1)
    assert "another program" in told.err
    process.send_signal(signal.SIGINT)
    process.communicate(timeout=HANGS_S)
    assert tube.json("cable steps")["carries"] == 94.6


def test_the_guided_run(heron, standin, wire):
    standin(*wire)
    left, questions = [], []
    with heron.started("esteps --feed --json") as process:
        for line in process.stderr:
            if line.endswith("measure what is left\n"):
                left += measured(heron, "left")
                process.stdin.write(f"{left[-1]}\n")
            elif line.endswith("[y/n]\n"):
                questions.append(line)
                process.stdin.write("y\n")
            process.stdin.flush()
        found = json.loads(process.stdout.read())
    assert process.returncode == 0
    assert questions == [
        f"Set {found['steps_stored']:.2f} in heron, store it and read it back? [y/n]\n"
    ]
    assert found["verdict"] == "keep"
    assert [one["verdict"] for one in heron.json("history")["trials"]] == ["keep", "correct"]
    trial = heron.json(f"history {found['trials'][0]}")["trials"][0]
    assert [one["value"] for one in trial["readings"]] == [float(one) for one in left[:3]]
    assert trial["settings"]["steps"] == 94.6
    assert found["steps_stored"] == pytest.approx(92.9, rel=0.01)
    assert heron.json("profile")["values"]["esteps"]["status"] == "verified"
    heron.json("standin power")
    assert heron.json("cable steps")["same"] is True


def test_the_guided_run_sets_nothing_unasked(heron, standin):
    standin()
    answers = "27.2\n27.1\n27.3\n"
    ran = heron.process("esteps --feed", typed=answers)
    assert ran.status == 0
    assert "CORRECT" in ran.out
    assert heron.json("cable steps")["carries"] == 94.6
    assert heron.json("profile")["values"]["esteps"]["status"] == "advised"


@pytest.mark.skipif(
    signal.getsignal(signal.SIGHUP) is signal.SIG_IGN, reason="run so that nothing hears it"
)
def test_a_closed_terminal_leaves_the_guided_run_cold(heron, standin):
    standin()
    with heron.started("esteps --feed") as process:
        for line in process.stderr:
            if "run 1" in line:
                process.send_signal(signal.SIGHUP)
                break
        _, err = process.communicate(timeout=HANGS_S)
    assert process.returncode == 1
    assert "stopped: its heaters are off" in err
    assert "/0.00 B" in heron("cable send M105").out


@pytest.mark.slow
def test_readings_survive_a_cable_that_is_pulled(heron, standin):
    running = standin()
    with heron.started("esteps --feed") as process:
        for line in process.stderr:
            if "run 2" in line:
                running.stop()
            if "measure what is left" in line:
                process.stdin.write("27.2\n")
                process.stdin.flush()
    assert process.returncode == 1
    assert heron.json("history")["trials"] == []
    standin()
    again = heron("esteps --feed --start-over", typed="")
    assert again.status == 2


@pytest.mark.parametrize(
    ("line", "said", "status"),
    [
        ("cable steps --port /dev/no-such-port", "is not there: is the printer on", 1),
        ("cable steps --port nonsense://x", "is no port", 2),
        ("cable set heron --port spy:///dev/null?file=logbook.sqlite", "is no port: give a", 2),
        ("cable steps --port SPY://loop://?file=logbook.sqlite", "is no port: give a device", 2),
        ("flow --from-port hwgrep://x", "is no port: give a device", 2),
        ("cable steps --port notes.txt", "notes.txt is no serial line", 1),
        ("cable steps --port .", ". is no serial line", 1),
        ("cable steps --port socket://127.0.0.1:1", "takes no connection", 1),
        ("cable steps --port /dev/null", "/dev/null is no serial line", 1),
        ("cable steps --port socket://x", "socket://HOST:PORT or rfc2217", 2),
        ("cable steps", "where is the printer plugged in? give --port", 2),
        ("cable print no-such-file.gcode --port /dev/null", "cannot read no-such-file.gcode", 2),
        ("cable print notes.txt --port /dev/null", "is no G-code to print: line 1 is «eggs", 2),
        ("cable print moves.gcode --port /dev/null", "prints nothing", 2),
        ("cable send '' --port /dev/null", "is no line of G-code", 2),
        ("cable feed 0 --port /dev/null", "feed up to 2000 mm", 2),
        ("cable heat 900 --port /dev/null", "900", 2),
        ("cable steps 4.1 --port /dev/null", "was it 41?", 2),
        ("cable set wren --port /dev/null", "wren", 2),
        ("cable steps --port /dev/null --log /no/such/folder/x", "cannot be written", 1),
        ("cable steps --port /dev/null --log notes.txt", "is there and no log of a cable", 2),
        ("cable steps --port /dev/null --log link.txt", "is a link to", 2),
        ("cable steps --port /dev/null --log logbook.sqlite", "is the logbook", 2),
        ("cable print . --port /dev/null", ". is a folder: name a file of G-code", 2),
        ("cable print /dev/zero --port /dev/null", "is no regular file: name a file of G-code", 2),
        ("cable print pipe --port /dev/null", "pipe is no regular file: name a file of G-code", 2),
        ("standin measure walls", "there is no stand-in in metier-standin", 2),
        ("standin swap roll", "there is no stand-in", 2),
        ("standin stop", "there is no stand-in", 2),
        ("standin reveal", "there is no stand-in", 2),
        ("esteps --feed --left 35", "leave the readings out", 2),
        ("esteps --feed", "where is the printer plugged in?", 2),
        ("practise --json", "--json: practising is for people", 2),
        ("practise --folder .", "is not empty", 2),
    ],
)
def test_what_cannot_be_is_said_in_one_line(heron, line, said, status):
    (heron.folder / "notes.txt").write_text("eggs\n")
    (heron.folder / "moves.gcode").write_text("G28\nG1 X10\n")
    (heron.folder / "link.txt").symlink_to("new.txt")
    os.mkfifo(heron.folder / "pipe")
    assert said in heron.refuses(line, status=status)


def test_everyday_commands_know_no_cable():
    script = (
        "import sys; from metier.cli import main\n"
        "for line in ('next', 'profile', 'history', 'esteps --help', 'entered --help'):\n"
        "    main(line.split())\n"
        "print([name for name in sys.modules if name.split('.')[0] == 'serial'"
        " or name.startswith(('metier.cable', 'metier.standin'))])"
    )
    python = os.path.join(os.path.dirname(METIER), "python")
    ran = subprocess.run([python, "-c", script], capture_output=True, text=True, check=True)
    assert ran.stdout.splitlines()[-1] == "[]"
