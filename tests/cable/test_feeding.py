"""`metier esteps --feed` in this process, the printer a board of the stand-in."""

import pytest

from metier.cable.link import Link
from metier.cable.port import CableFailure
from tests.cable.board import Working, plug_in

# What a right e-steps value is for this board, as a gear of its own says.
RIGHT = 408.9


@pytest.fixture
def board(heron, monkeypatch):
    """Heron on a cable, with a board that carries 400 and needs about 409."""
    working = Working(steps=400.0, hot=False, seed=11)
    plug_in(monkeypatch, working)
    heron.json("cable set heron --port /dev/ttyX0")
    return working


def left_for(board, runs, asked_mm=150.0, mark_mm=180.0):
    """What is left of runs at the steps that the board carries, exactly."""
    moved = asked_mm * board.firmware.memory.steps / RIGHT
    return [f"{mark_mm - moved:.2f}"] * runs


def feeds(board):
    return [one.asked_mm for one in board.firmware.fed]


def test_from_cold_to_verified(heron, board):
    answers = [*left_for(board, 3), "y", "30.1"]
    ran = heron("esteps --feed", typed="\n".join(answers) + "\n")
    assert ran.status == 0
    first, second = heron.json("history")["trials"][::-1]
    assert (first["verdict"], second["verdict"]) == ("correct", "keep")
    assert first["settings"]["steps"] == 400.0
    assert second["settings"]["steps"] == pytest.approx(RIGHT, abs=0.1)
    assert feeds(board) == [150] * 4
    memory = board.firmware.memory
    assert memory.steps == memory.stored_steps == second["settings"]["steps"]
    assert heron.json("profile")["values"]["esteps"]["status"] == "verified"
    # What the printer carried and what the logbook had differed: it is said, and taken up.
    assert "carries 400.00, the logbook has 412.00 in force" in ran.err
    assert first["conditions"]["through"] == "nozzle"
    assert first["conditions"]["feed_rate_mm_s"] == 1.5
    assert board.firmware.nozzle.target_c == 0
    assert ran.out.rstrip().endswith("Its heaters are off.")


def test_what_is_right_already_is_left(heron, board):
    board.firmware.memory.steps = board.firmware.memory.stored_steps = RIGHT
    found = heron("esteps --feed --json", typed="30.0\n30.1\n29.9\n").json
    assert (found["verdict"], found["steps_stored"], len(found["trials"])) == ("keep", None, 1)
    assert feeds(board) == [150] * 3
    assert board.firmware.memory.stored_steps == RIGHT


def test_runs_that_do_not_settle_go_on_and_end(heron, board):
    # Just where it cannot be told: the verdict stays unclear.
    board.firmware.memory.steps = RIGHT
    lines = ["28.5", "31.9", "28.9", "32.2", "28.0", "32.5", "99"]
    found = heron("esteps --feed --json", typed="\n".join(lines) + "\n").json
    assert found["verdict"] == "unclear"
    assert feeds(board) == [150] * 6
    assert found["steps_stored"] is None


def test_an_empty_line_ends_it_and_a_reading_may_be_taken_back(heron, board):
    right = left_for(board, 1)[0]
    lines = [right, "30.0", "u", right, "", "n"]
    ran = heron("esteps --feed", typed="\n".join(lines) + "\n")
    assert ran.status == 0
    (trial,) = heron.json("history")["trials"]
    assert [one["value"] for one in trial["readings"]] == [float(right)] * 2
    # A run that was taken back was fed all the same, and is not fed once more.
    assert feeds(board) == [150] * 3
    assert board.firmware.memory.stored_steps == 400.0


def test_other_lengths_and_marks(heron, board):
    lines = [*left_for(board, 3, 100.0, 130.0), "n"]
    found = heron(
        "esteps --feed --asked 100 --mark 130 --feed-rate 2 --json", typed="\n".join(lines)
    )
    assert found.json["asked_mm"] == 100
    assert found.json["steps_to_type"] == pytest.approx(RIGHT, rel=0.005)
    assert [one.rate_mm_s for one in board.firmware.fed] == [2.0] * 3


def test_nothing_is_recorded_that_the_printer_does_not_take(heron, board):
    run = board.answers
    board.answers = lambda command: ["ok"] if command.startswith("M92 E") else run(command)
    ran = heron("esteps --feed", typed="\n".join([*left_for(board, 3), "y", "30"]) + "\n")
    assert ran.status == 1
    assert "was told 408.89 and carries 400; its heaters are off" in ran.err
    assert heron.json("profile")["values"]["esteps"]["status"] == "advised"
    # What was measured before is a trial all the same, and it is left cold.
    assert len(heron.json("history")["trials"]) == 1
    assert board.firmware.nozzle.target_c == 0


def test_a_printer_that_does_not_store_is_set_all_the_same(heron, board):
    run = board.answers
    board.answers = lambda command: ["ok"] if command == "M500" else run(command)
    ran = heron("esteps --feed", typed="\n".join([*left_for(board, 3), "y", "30.1"]) + "\n")
    assert ran.status == 0
    assert "Set: it reads back 408.89, and is recorded as entered." in ran.out
    assert "the printer stores nothing (M500)" in ran.out
    memory = board.firmware.memory
    assert (memory.steps, memory.stored_steps) == (408.89, 400.0)
    assert heron.json("profile")["values"]["esteps"]["status"] == "verified"
    assert heron.json("printer show heron")["printer"]["steps_in"] == "start"


@pytest.mark.parametrize("away", [2, 3, 4])
def test_a_nozzle_beside_which_nobody_types_is_switched_off(heron, board, monkeypatch, away):
    """And heated again before the next length: while a reading, the last one of a round or the
    answer to the question is waited for."""
    answers, hot = iter([*left_for(board, 3), "y", "30.1"]), []

    def line(meanwhile=None, _=None):
        hot.append(board.firmware.nozzle.target_c)
        if len(hot) == away:
            board.clock_s += 601
            meanwhile()
            assert board.firmware.nozzle.target_c == 0
        return f"{next(answers)}\n"

    monkeypatch.setattr("metier.words.entry.typed_line", line)
    monkeypatch.setattr("metier.words.question.typed_line", line)
    ran = heron("esteps --feed", typed="")
    assert ran.status == 0, ran
    assert ran.err.count("Nothing was typed for 10 min: the nozzle is off") == 1
    assert feeds(board) == [150] * 4
    assert board.done.count("M104 S210") == 2
    assert heron.json("profile")["values"]["esteps"]["status"] == "verified"


def test_readings_are_kept_where_the_printer_fails(heron, board, monkeypatch):
    ask, count = Link.ask, []

    def failing(self, command, **more):
        count.append(command)
        # In the midst of the second length.
        if [one for one in count if one.startswith("G1 E")][250:]:
            raise CableFailure("here no longer answers")
        return ask(self, command, **more)

    monkeypatch.setattr(Link, "ask", failing)
    first = left_for(board, 1)[0]
    ran = heron("esteps --feed", typed=f"{first}\n{first}\n")
    assert ran.status == 1
    assert "what was typed is kept: --resume goes on with it" in ran.err
    assert heron.json("history")["trials"] == []
    monkeypatch.setattr(Link, "ask", ask)
    board.firmware.fed.clear()
    found = heron("esteps --feed --resume --json", typed="\n".join([*left_for(board, 2), "n"])).json
    assert len(heron.json(f"history {found['trial']}")["trials"][0]["readings"]) == 3
    # The run that was typed is not fed once more.
    assert feeds(board) == [150] * 2


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("--plan", "does not go with --plan"),
        ("--steps 412", "does not go with --steps"),
        ("--cut 98", "leave the readings out"),
        ("--by cut", "through the hot nozzle, to a pen mark"),
        ("--through open", "through the hot nozzle"),
        ("--asked 50 200", "asks for one length"),
        ("--asked 150 --mark 140", "mark at 140 mm must be beyond"),
    ],
)
@pytest.mark.usefixtures("board")
def test_what_does_not_go_with_it(heron, line, said):
    assert said in heron.refuses(f"esteps --feed {line}")


def test_it_has_to_be_known_how_hot_and_who(heron, board):
    heron.json("printer add wren --nozzle 0.8 --steps 405")
    heron.json("bench --printer wren")
    assert "where is the printer plugged in?" in heron.refuses("esteps --feed")
    heron.json("spool add smoke-1 --material PETG")
    heron.json("bench --printer heron --nozzle heron-0.5 --spool smoke-1")
    told = heron("esteps --feed", typed="30\n")
    assert feeds(board) == []
    assert "metier bench --temperature C" in told.err
