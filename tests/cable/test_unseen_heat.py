"""What heats without M104 or M140: a chamber, a tuning, a table of tools, a macro, another file."""

import pytest

from tests.cable.hostile import Hostile, served
from tests.cable.test_hostile import TOWER

# Each with what is said where it is refused; within the limits only what runs unseen is.
UNSEEN = {
    "M104 I0": "a heat that is kept in the printer",
    "PREHEAT": "a macro of the printer's own",
    "M32 a.g": "starts another file",
}
WITHIN = ("M141 S60", "M303 E0 S200 C8", "G10 P0 S200", "M568 P0 S200")
TOO_HOT = {
    "M303 E0 S290 C8": "290 °C is too hot for the nozzle: 240 at most",
    "G10 P0 S290": "290 °C is too hot for the nozzle: 240 at most",
    "M568 P0 R290": "290 °C is too hot for the nozzle: 240 at most",
    "M303 E-1 S200": "200 °C is too hot for the bed: 130 at most",
    "M191 S120": "120 °C is too hot for the chamber: 100 at most",
}


@pytest.fixture
def board(heron):
    board = Hostile(chamber=True)
    with served(board, 20) as port:
        heron.json(f"cable set heron --port {port}")
        heron.json("printer set heron --hottest 240")
        yield board


@pytest.mark.parametrize("command", TOO_HOT)
def test_what_is_too_hot_is_refused_however_it_is_told(heron, board, command):
    said = heron.refuses("cable send", command)
    assert TOO_HOT[command] in said
    assert "--anyway says it is meant" in said
    assert command not in board.done


@pytest.mark.parametrize("command", UNSEEN)
def test_what_runs_unseen_is_refused_and_where_it_is_meant_read_back(heron, board, command):
    assert UNSEEN[command] in heron.refuses("cable send", command)
    assert command not in board.done
    ran = heron("cable send --anyway", command)
    assert (ran.status, ran.out.splitlines()[-1]) == (0, "Its heaters are off.")
    assert not board.is_hot


@pytest.mark.parametrize("command", WITHIN)
def test_what_is_sent_is_read_back_and_switched_off(heron, board, command):
    ran = heron("cable send", command)
    assert (ran.status, ran.out.splitlines()[-1]) == (0, "Its heaters are off.")
    assert not board.is_hot


# No file of G-code has a macro by its name.
@pytest.mark.parametrize("command", [*WITHIN, "M104 I0", "M32 a.g"])
def test_a_file_that_ends_so_is_said_to_end_hot(heron, board, command):
    (heron.folder / "tower.gcode").write_text(f"{TOWER}\n{command}\n")
    printed = heron("cable print tower.gcode --anyway")
    assert "the file ends hot: its heaters are off now" in " ".join(printed.out.split())
    assert not board.is_hot


def test_off_switches_off_what_another_left_on_chamber_and_all(heron, board):
    board.chamber.target_c, board.nozzle.target_c = 60.0, 200.0
    assert heron("cable off").status == 0
    assert not board.is_hot
    assert "M141 S0" in board.done


def test_what_is_kept_hot_is_read_back(heron, board):
    (heron.folder / "tower.gcode").write_text(f"{TOWER}\nM104 S180\nM141 S50\n")
    printed = heron("cable print tower.gcode --keep-hot")
    last = "Its nozzle stays on at 180 °C and its chamber at 50 °C: metier cable off ends that."
    assert printed.out.splitlines()[-1] == last
    assert board.done[-1] != "M105"
    assert "M105" in board.done[board.done.index("M141 S50") :]


def test_a_board_without_a_chamber_says_nothing_of_one(heron):
    board = Hostile()
    with served(board, 20) as port:
        ran = heron(f"cable send 'M141 S60' --port {port}")
    assert (ran.status, ran.out) == (0, "ok\n")
