"""What is said to a printer, and a job streamed to it: against a board of the stand-in."""

import pytest

from metier.cable.port import CableFailure, LineLost, TooCold
from metier.cable.printing import CutShort, Job, job_lines, surveyed
from metier.cable.talking import feed, heat_to, read_heat, read_steps, store_steps
from metier.core.errors import BadInput
from tests.cable.board import Board, Working, met
from tests.cable.hostile import Hostile

JOB = """; a corner
M104 S210
G28 ; home
G90
M83
G1 Z0.2 F600
G1 X10 Y0 E0.5 F1200
G1 X20 Y0 E0.5

(park) G1 Z0.6 F600
G1 X10 E0.5
M104 S0
"""


@pytest.fixture
def job(tmp_path):
    path = tmp_path / "corner.gcode"
    path.write_text(JOB)
    return str(path)


def printed(board, path, told=lambda _: None, asked=lambda *_: False):
    return Job(met(board), surveyed(path, None), told, asked).print(job_lines(path, None))


def test_a_length_is_fed_whole_and_counted_from_nought_afterwards():
    board = Working()
    feed(met(board), 120.5, 2.0)
    assert board.firmware.fed[-1].asked_mm == pytest.approx(120.5)
    assert board.firmware.fed[-1].rate_mm_s == 2.0
    # What prints next may reckon with absolute lengths, as firmware starts.
    assert (board.firmware.place.e, board.firmware.place.absolute_e) == (0.0, True)
    feed(met(board), -30, 2.0)
    assert board.firmware.place.e == 0.0


def test_what_is_too_cold_is_not_fed():
    board = Working(hot=False)
    link = met(board)
    with pytest.raises(TooCold, match=r"too cold to feed: 21 °C; first metier cable heat 210"):
        feed(link, 100, 1.5)
    assert board.firmware.fed == []
    assert read_heat(link).nozzle_c == pytest.approx(21, abs=1)


@pytest.mark.parametrize("cools", [False, True])
def test_heat_is_waited_for_until_it_is_steady(cools):
    """On its way it may pass the target, and swing about it before it stays."""
    from_c = 240 if cools else 21
    at_s = {0: from_c, 1: 209, 2: 216, 3: 211, 4: 206, 5: 209}
    board = Board()

    def answers(command):
        shown_c = at_s[min(int(board.clock_s - begun_s), 5)]
        return [f"ok T:{shown_c}.0 /210.0"] if command == "M105" else ["ok"]

    begun_s = board.clock_s
    board.answers = answers
    link = met(board)
    begun_s = board.clock_s
    assert heat_to(link, 210, lambda _: None).nozzle_c == 209
    assert 7 <= board.clock_s - begun_s < 8


def test_steps_are_set_and_stored():
    board = Working(steps=93.0)
    link = met(board)
    assert read_steps(link) == 93
    store_steps(link, 94.126, 2)
    assert (board.firmware.memory.steps, board.firmware.memory.stored_steps) == (94.13, 94.13)


def test_it_heats_until_it_is_hot():
    board = Working(hot=False)
    seen = []
    assert heat_to(met(board), 200, seen.append).nozzle_c == pytest.approx(200, abs=2)
    assert seen[0].nozzle_c < 30
    assert len(seen) > 50


def test_what_comes_no_nearer_is_given_up():
    board = Hostile()
    board.nozzle.now_c, board.nozzle.gains_c_s = 193.0, 0.0
    with pytest.raises(CableFailure, match="stays at 193 °C and is to reach 200"):
        heat_to(met(board), 200, lambda _: None)


def test_a_job_is_read_with_its_time_and_its_heights(job):
    lines = list(job_lines(job, None))
    assert [line.command for line in lines][:3] == ["M104 S210", "G28", "G90"]
    assert [line.number for line in lines][:3] == [2, 3, 4]
    assert [line.height_mm for line in lines[-4:]] == [0.2, 0.2, 0.6, 0.6]
    # 0.2 mm at 10, 10 and 10 mm at 20, 0.4 mm at 10, 10 mm at 10 mm/s.
    assert lines[-1].until_s == pytest.approx(0.02 + 0.5 + 0.5 + 0.04 + 1.0)
    assert surveyed(job, None) == (10, lines[-1].until_s, 0.6)


def test_lengths_may_be_absolute(tmp_path):
    path = tmp_path / "x.gcode"
    path.write_text("G91\nG90\nG1 E5 F60\nG1 E6 F60\nG92 E0\nG1 X10 E1 F600\nG1 X20 E0.5\n")
    # 5 s, 1 s, and 10 mm at 10 mm/s; the last draws back.
    assert [line.until_s for line in job_lines(str(path), None)] == [0, 0, 5, 6, 6, 7, 8]


def test_words_for_the_display_are_sent_as_they_can_be(tmp_path):
    path = tmp_path / "x.gcode"
    path.write_text(f"M117 H\u00f6he {'x' * 200}\nG1 X1 E1\n")
    assert next(job_lines(str(path), None)).command == f"M117 H?he {'x' * 80}"


def test_a_job_is_printed(job):
    board = Working()
    told = []
    ran = printed(board, job, told.append)
    assert (ran.lines, ran.again, ran.height_mm) == (10, 0, 0.6)
    assert [line.asked_mm for line in board.firmware.lines] == [0.5, 0.5, 0.5]
    assert [line.z_mm for line in board.firmware.lines] == [0.2, 0.2, 0.6]
    assert board.firmware.ended
    assert told[0].of_s == surveyed(job, None).time_s


def test_heat_is_waited_for_where_it_is_watched(tmp_path):
    path = tmp_path / "x.gcode"
    path.write_text("M190 S60\nm109s200\nG1 X10 E1 F600\nM109 R180\nG1 X20 E2\nM104 S0\n")
    board = Working(hot=False)
    printed(board, str(path))
    assert not [one for one in board.done if one[:4].upper() in ("M109", "M190")]
    first, second = board.firmware.lines
    assert first.nozzle_c == pytest.approx(200, abs=3)
    assert second.nozzle_c == pytest.approx(180, abs=3)
    assert board.firmware.bed.shown_c == pytest.approx(60, abs=2)


@pytest.mark.parametrize(
    ("failure", "said"),
    [
        (KeyboardInterrupt, "stopped: printed up to 0.2 mm (line 6 of 10)"),
        (CableFailure("it burns"), "it burns: printed up to 0.2 mm (line 6 of 10)"),
        (LineLost("the line is lost"), "the line is lost: printed up to 0.2 mm (line 6 of 10)"),
    ],
)
def test_a_print_that_is_cut_short_says_how_far_it_came(job, failure, said):
    board = Working()
    send = board.send

    def broken(line):
        if "X20" in line:
            raise failure
        send(line)

    board.send = broken
    with pytest.raises(CutShort) as cut:
        printed(board, job)
    assert str(cut.value) == said


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "prints nothing"),
        ("G28\nhello there\n", "line 2 is «hello there»"),
        ("G28\n\u00e9toile\n", "line 2 is «?toile»"),
        (f"G1 X{'1' * 200} E1\n", "line 1 is"),
        ("M104 S200\nG1 E5 F60\n", "prints nothing"),
        ("G1 X1 E1\n;" + "x" * 5000, "line 2 is too long for any board"),
    ],
)
def test_what_is_no_job_is_refused(tmp_path, text, said):
    path = tmp_path / "x.gcode"
    path.write_text(text)
    with pytest.raises(BadInput) as refused:
        surveyed(str(path), None)
    assert said in str(refused.value)
