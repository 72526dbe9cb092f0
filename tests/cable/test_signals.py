"""Whatever ends a process, or stops it where it is, no heater stays on."""

import os
import pty
import signal
import sys
import time

import pytest

from tests.cable.hostile import Hostile, served
from tests.cable.test_hostile import COMMANDS, TOWER
from tests.commands.test_typing import Terminal
from tests.conftest import HANGS_S, forked_child
from tests.moment import program

pytestmark = pytest.mark.skipif(os.name == "nt", reason="there are no such signals")
# One that whoever runs the tests has ignored (nohup) is ignored on purpose by all that they start.
NAMES = tuple(
    name
    for name in (
        *("SIGINT", "SIGTERM", "SIGHUP", "SIGQUIT", "SIGTSTP"),
        *("SIGUSR1", "SIGALRM", "SIGXCPU"),
    )
    if signal.getsignal(getattr(signal, name, signal.SIGINT)) is not signal.SIG_IGN
)


def waited(what):
    until = time.monotonic() + HANGS_S
    while not what():
        assert time.monotonic() < until
        time.sleep(0.01)


@pytest.fixture
def warm(heron):
    """Starts a command, and returns it once the nozzle of its board is warm."""
    (heron.folder / "tower.gcode").write_text(TOWER)

    def start(board, port, command):
        process = heron.started(f"{COMMANDS[command]} --port {port} --log {command}.log")
        waited(lambda: board.nozzle.now_c > 60 or process.poll() is not None)
        assert process.poll() is None, process.communicate()
        return process

    heron.json("cable set heron --port socket://127.0.0.1:1")
    return start


@pytest.mark.slow
@pytest.mark.parametrize("command", ["heat", "print", "guided"])
@pytest.mark.parametrize("name", NAMES)
def test_each_signal_leaves_it_cold(warm, name, command):
    board = Hostile()
    with served(board, 5) as port, warm(board, port, command) as process:
        process.send_signal(getattr(signal, name))
        if name == "SIGTSTP":
            # It is switched off before it stops, and ends when it is let go on; where no shell is
            # left to let it go on, it ends at once.
            waited(lambda: state(process) in ("T", "Z"))
            assert not board.is_hot
            process.send_signal(signal.SIGCONT)
        _, err = process.communicate(timeout=HANGS_S)
    assert process.returncode == 1
    said = "; its heaters are off" if command == "print" else "stopped: its heaters are off"
    assert err.splitlines()[-1].endswith(said)
    assert not board.is_hot
    assert board.done[-1] == "M85 S0"


def state(process):
    with open(f"/proc/{process.pid}/stat") as file:
        return file.read().rpartition(")")[2].split()[0]


@pytest.mark.parametrize("command", ["heat", "print"])
def test_ctrl_c_twice_and_more_waits_until_it_is_off(warm, command):
    board = Hostile()
    with served(board, 5) as port, warm(board, port, command) as process:
        while process.poll() is None:
            process.send_signal(signal.SIGINT)
            time.sleep(0.002)
        _, err = process.communicate(timeout=HANGS_S)
    assert process.returncode == 1
    assert err.rstrip().endswith("its heaters are off")
    assert not board.is_hot


def test_killed_the_board_has_a_limit_of_its_own(warm):
    board = Hostile()
    with served(board, 5) as port, warm(board, port, "heat") as process:
        process.kill()
        process.communicate(timeout=HANGS_S)
        assert board.is_hot
        assert "M85 S1800" in board.done


@pytest.mark.slow
def test_a_frozen_board_is_said_to_be_hot(warm):
    board = Hostile("freezes", 25)
    with served(board, 5) as port, warm(board, port, "heat") as process:
        waited(lambda: board.dead)
        process.send_signal(signal.SIGINT)
        _, err = process.communicate(timeout=HANGS_S)
    assert process.returncode == 1
    assert err.rstrip().endswith("stopped: the heater may still be on: switch the printer off")


@pytest.mark.slow
def test_while_somebody_is_waited_for_it_is_watched(warm):
    board = Hostile()
    with served(board, 5) as port, warm(board, port, "guided") as process:
        for line in process.stderr:
            if "measure what is left" in line:
                # Nobody types it.
                board.mischief = "runs_away"
        process.wait(30)
    assert "the nozzle climbs to" in line
    assert "its heaters are off" in line
    assert not board.is_hot


def test_a_closed_terminal_leaves_it_cold(heron):
    """The window is closed in the middle: the shell's children get SIGHUP, and nobody reads."""
    board = Hostile()
    with served(board, 5) as port:
        pid, terminal = pty.fork()
        if pid == 0:
            with forked_child():
                signal.signal(signal.SIGHUP, signal.SIG_DFL)
                os.chdir(heron.folder)
                os.environ.update(heron.environment)
                os.execv(sys.executable, program("cable", "heat", "200", "--port", port))
        waited(lambda: board.nozzle.now_c > 60)
        os.close(terminal)
        _, status = os.waitpid(pid, 0)
    assert os.waitstatus_to_exitcode(status) == 1
    assert not board.is_hot


@pytest.mark.slow
@pytest.mark.parametrize("mischief", ["runs_out", "waits"])
@pytest.mark.parametrize("answer", ["g", "e"])
def test_at_a_terminal_a_pause_is_asked_about(heron, mischief, answer):
    (heron.folder / "tower.gcode").write_text(TOWER)
    board = Hostile(mischief, 60)
    with served(board, 20) as port:
        terminal = Terminal(heron, f"cable print tower.gcode --port {port}")
        terminal.until("The printer asks for a pause at 0.2 mm: «").until("e cools and ends >")
        # It is watched meanwhile.
        polled = len(board.done)
        if mischief == "runs_out":
            waited(lambda: board.done[polled:].count("M105") > 1)
        terminal.type("?").until("e cools and ends >").type(answer)
        terminal.until("Printed tower.gcode" if answer == "g" else "its heaters are off")
        assert terminal.status() == (0 if answer == "g" else 1)
    assert not board.is_hot
    laid = sum(line.startswith("G1 X") for line in board.done)
    assert laid == 1200 if answer == "g" else laid < 100
