"""A line that drops, garbles and repeats: each command is done once and in order."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.cable.guard import numbered
from metier.cable.link import Link
from metier.cable.port import CableFailure, ResetInTheMiddle, TooCold
from metier.cable.replies import Heat, Shown, heat_in, reply_of, shown_in, steps_in
from metier.cable.talking import store_steps
from metier.standin.wire import Cable, Numbering
from tests.cable.board import Board, met


@given(st.integers(0, 10**6), st.sets(st.sampled_from(["drop", "garble"]), min_size=1))
def test_every_command_is_done_once_and_in_order(seed, faults):
    board = Board(Cable(tuple(sorted(faults)), seed))
    link = met(board)
    wanted = [f"G1 X{number} E0.{number:03d}" for number in range(300)]
    for command in [*wanted, "M400"]:
        link.ask(command)
    # A line whose number is garbled is no command that a board knows.
    assert [one for one in board.done if one.startswith("G1 X")] == wanted


def test_a_line_and_its_checksum():
    assert numbered(3, "T0") == "N3 T0*57"
    assert numbered(4, "G92 E0") == "N4 G92 E0*67"
    assert Numbering().take("N1 G28*18").command == "G28"
    assert Numbering().take("N1 G28*19").answer[:2] == (
        "Error:checksum mismatch, last line: 0",
        "Resend: 1",
    )


def test_counting_begins_anew_whatever_was_counted_before():
    board = Board()
    board.numbering.last = 500
    send, garbled = board.send, [True]

    def once_garbled(line):
        send(line.replace("M110 N0", "M110 N7") if garbled and garbled.pop() else line)

    board.send = once_garbled
    link = met(board)
    assert link.ask("M105") == ["ok"]
    assert board.done == ["M105"]


def test_a_line_that_lost_its_number_is_sent_once_more():
    board = Board()
    link = met(board)
    send, lost = board.send, [True]
    board.send = lambda line: send(line.replace("N2", "?2", 1) if lost and lost.pop() else line)
    link.ask("M83")
    # What no board knows is answered all the same.
    assert board.done == ["?2 M83*26", "M83"]
    # A command that this board does not know, its number understood, is not run twice.
    assert link.ask("X9") == ['echo:Unknown command: "X9"']
    assert board.done[2:] == ["X9"]


def test_what_is_asked_for_again_is_sent_again():
    garbled = iter([True, True, False])
    board = Board()
    send = board.send

    def once_garbled(line):
        send(line.replace("X", "Y", 1) if "X" in line and next(garbled) else line)

    link = met(board)
    board.send = once_garbled
    assert link.ask("G1 X1") == ["ok"]
    assert (board.done, link.again) == (["G1 X1"], 2)


@pytest.mark.parametrize("greets", [True, False])
def test_a_board_that_begins_anew_is_noticed(greets):
    board = Board()
    link = met(board)
    for number in range(100):
        link.ask(f"G1 X{number}")
    board.numbering = Numbering()
    if greets:
        board.replies.append("start")
    with pytest.raises(ResetInTheMiddle):
        link.ask("G1 X100")


def test_a_slow_answer_makes_no_trouble():
    board = Board()
    link = met(board)
    receive, late = board.receive, [True]

    def slow(patience_s):
        return None if late and late.pop() else receive(patience_s)

    board.receive = slow
    for number in range(3):
        # The first is sent twice before it is answered: the board objects to the copy, once.
        assert link.ask(f"G1 X{number}") in (["ok"], [])
    assert (board.done, link.again) == (["G1 X0", "G1 X1", "G1 X2"], 0)


def test_a_printer_that_chatters_is_asked_again_all_the_same():
    board = Board()
    link = met(board)
    # What came of the first answer got lost, and the printer goes on reporting its heat.
    link.ask("M83")
    board.done.clear()
    receive, lost = board.receive, []

    def chatter(patience_s):
        text = receive(patience_s)
        if text == "ok" and not lost:
            lost.append(text)
            text = None
        if text is None and patience_s <= 0:
            return None
        board.clock_s -= 0 if text else patience_s - 0.01
        return text or "T:20.0 /0.0"

    board.receive = chatter
    link.ask("G1 E5")
    assert (board.done, lost) == (["G1 E5"], ["ok"])


@pytest.mark.parametrize(
    ("command", "says", "longest_s"),
    [
        ("M105", "busy: processing", 30),
        ("M105", "lorem ipsum", 30),
        ("G28", "lorem ipsum", 120),
        ("G28", "busy: processing", 3600),
    ],
)
def test_every_answer_has_its_time_whatever_is_said_meanwhile(command, says, longest_s):
    board = Board()
    link = met(board)
    begun_s = board.clock_s

    def chatter(_):
        board.clock_s += 0.5
        return says

    board.receive = chatter
    with pytest.raises(CableFailure, match=rf"no longer answers \(to {command}\)"):
        link.ask(command)
    assert board.clock_s - begun_s == pytest.approx(longest_s, abs=2)


def test_a_storm_of_requests_for_one_line_ends_soon_however_long_the_print_was():
    board = Board()
    link = met(board)
    for number in range(300):
        link.ask(f"G1 X{number}")
    board.send = lambda _: board.replies.extend(["Resend: 302", "ok"])
    with pytest.raises(CableFailure, match="garbles too much: another cable"):
        link.ask("G1 X300")
    assert link.again <= 21


@pytest.mark.parametrize(("every", "again"), [(1, 41), (3, 41), (5, 60)])
def test_a_line_that_stays_bad_is_given_up_and_one_that_is_bad_at_times_is_not(every, again):
    board = Board()
    link = met(board)
    send, sent = board.send, []

    def garbled_at_times(line):
        sent.append(line)
        # The first time that every so many lines are sent, they come garbled.
        bad = "X" in line and sent.count(line) == 1 and len(set(sent)) % every == 0
        send(line.replace("X", "Y", 1) if bad else line)

    board.send = garbled_at_times
    wanted = [f"G1 X{number}" for number in range(300)]
    given_up = ""
    try:
        for command in wanted:
            link.ask(command)
    except CableFailure as failure:
        given_up = str(failure)
    assert link.again == again
    assert board.done == wanted[: len(board.done)]
    assert ("garbles too much: another cable" in given_up) == (len(board.done) < 300) == (every < 5)


def test_errors_of_the_printer_are_said_by_name():
    board = Board(answers=lambda _: ["Error:Heating failed, system stopped! Heater_ID: 0"])
    link = Link(board)
    with pytest.raises(
        CableFailure, match=r"«Heating failed, system stopped! Heater_ID: 0» \(at G28\)"
    ):
        link.ask("G28")
    board.answers = lambda _: ["echo: cold extrusion prevented", "ok"]
    with pytest.raises(TooCold):
        link.ask("G1 E10")
    board.answers = lambda _: ["ok"]
    # The answer to what was refused is not taken for the next one's.
    assert link.ask("M105") == ["ok"]
    assert not board.replies


def test_silence_and_gibberish_are_told_apart():
    with pytest.raises(CableFailure, match="does not answer: is the printer on"):
        Link(Board(answers=lambda _: [])).meet()
    with pytest.raises(CableFailure, match="nothing that can be understood: is --baud right"):
        Link(Board(answers=lambda _: ["~~\x0fz"])).meet()
    silent = Board()
    silent.send = lambda _: None
    with pytest.raises(CableFailure, match=r"no longer answers \(to M105\)"):
        Link(silent).ask("M105")
    assert 25 < silent.clock_s < 32


@pytest.mark.parametrize(
    ("memory", "words"), [({}, None), ({"M92": "lost"}, "was told 426.5 and carries 412")]
)
def test_steps_count_as_stored_only_when_the_printer_says_so(memory, words):
    kept = {"now": 412.0, "stored": 412.0}

    def answers(command):
        if command.startswith("M92 E") and memory.get("M92") != "lost":
            kept["now"] = float(command[5:])
        elif command == "M500" and memory.get("M500") != "lost":
            kept["stored"] = kept["now"]
        elif command == "M501":
            kept["now"] = kept["stored"]
        elif command == "M92":
            return [f"echo:  M92 X80.00 Y80.00 Z400.00 E{kept['now']:.2f}", "ok"]
        return ["ok"]

    link = met(Board(answers=answers))
    if words is None:
        store_steps(link, 426.5, 2)
        assert kept == {"now": 426.5, "stored": 426.5}
    else:
        with pytest.raises(CableFailure, match=words):
            store_steps(link, 426.5, 2)
        assert kept["stored"] == 412


@pytest.mark.parametrize(
    ("lines", "steps"),
    [
        (["echo:  M92 X80.00 Y80.00 Z400.00 E412.00"], 412),
        (["Steps/mm: X:80.0, Y:80.0, Z:400.0, E:93.500"], 93.5),
        (["M92 X100.000 Y100.000 Z2560.000 E0:689.4"], 689.4),
        (["ok"], None),
        (["echo:M204 P500.00 E3"], None),
    ],
)
def test_steps_are_read_off_however_they_are_written(lines, steps):
    assert steps_in(lines) == steps


@pytest.mark.parametrize("digits", ["9" * 400, "1e-07", "0", "0.1", "-4", "4.1.2", "51000"])
def test_steps_that_cannot_be_are_no_number(digits):
    with pytest.raises(CableFailure, match=r"«.{1,20}», which cannot be: look at the cable"):
        steps_in([f"M92 X80 E{digits}"])


@pytest.mark.parametrize(
    ("line", "kind", "number"),
    [
        ("ok", "ok", None),
        ("ok T:21.0 /0.0 B:21.0 /0.0 @:0", "ok", None),
        ("okay then", "text", None),
        ("Resend: 15", "resend", 15),
        ("rs N15", "resend", 15),
        ("echo:busy: processing", "busy", None),
        ("Error:checksum mismatch, Last Line: 14", "again", 15),
        ("!! thermal runaway", "error", None),
        ("T:208.5 /210.0 B:60.0 /60.0", "heat", None),
        ("echo: cold extrusion prevented", "cold", None),
        ("too cold to feed", "cold", None),
        ("not known here: M85", "unknown", None),
        ("// action: out_of_filament T0", "pause", None),
        ("echo:Filament runout", "pause", None),
        ("echo:busy: paused for user", "waits", None),
        ("MAXTEMP triggered, system stopped", "error", None),
        ("Watchdog Reset", "start", None),
        ("Resend: 99999999999999", "text", None),
    ],
)
def test_replies(line, kind, number):
    assert (reply_of(line).kind, reply_of(line).line) == (kind, number)


def test_heat():
    assert heat_in(["echo:x", "ok T:208.5 /210.0 B:60.0 /60.0"]) == Heat(208.5, 210)
    for none in ("ok", "ok T:nan /0 B:inf /0", "T:1e3 /0", f"T:{'2' * 400} /0", "B@:127 @:64"):
        assert heat_in([none]) is None
    assert shown_in("T0:20.5 /0 T1:-14 /200 B:60") == [
        *(Shown("T0", 20.5, 0), Shown("T1", -14, 200), Shown("B", 60, None))
    ]
