"""Boards that mean no good, each command, and where every heater stands at the end: in this
process, by the clock of the board."""

import random

import pytest

from metier.cable.printing import surveyed
from tests.cable.board import plug_in
from tests.cable.hostile import Hostile
from tests.conftest import not_quick

OFF, MAY_BE_ON = "its heaters are off", "the heater may still be on: switch the printer off"
PRINT = "M140 S60\nM104 S200\nG28\nM190 S60\nM109 S200\nG91\nG1 Z0.2 F600\n"
TOWER = PRINT + "G1 X5 E0.5 F1200\nG1 X-5 E0.5\n" * 600 + "M104 S0\nM140 S0\n"
COMMANDS = {
    "steps": "cable steps",
    "set": "cable steps 420",
    "heat": "cable heat 200",
    "cool": "cable heat 0",
    "feed": "cable feed 100",
    "send": "cable send 'M104 S200'",
    "print": "cable print tower.gcode",
    "guided": "esteps --feed",
    "off": "cable off",
}


@pytest.fixture
def printer(heron, monkeypatch):
    """Runs a command against a board; what it gave back, its last line, and the board."""
    heron.json("cable set heron --port /dev/ttyX0")
    (heron.folder / "tower.gcode").write_text(TOWER)
    monkeypatch.setattr("metier.words.typed_line._MEANWHILE_S", 0.01)

    def run(board, command, typed=None):
        plug_in(monkeypatch, board)
        ran = heron(COMMANDS.get(command, command), typed=typed)
        lines = (ran.err if ran.status else ran.out).rstrip().splitlines()
        return ran, lines[-1] if lines else ""

    run.bench = heron
    return run


def left(board):
    """Let the board alone for a while, as it is left."""
    board.pass_time(60.0)
    return board.is_hot


@pytest.mark.parametrize("command", COMMANDS)
def test_a_plain_board_is_left_as_it_is_said(printer, command):
    board = Hostile()
    board.nozzle.now_c = board.nozzle.target_c = 210.0 if command == "feed" else 0.0
    ran, last = printer(board, command, typed="34\n34\n34\n" if command == "guided" else None)
    assert (ran.status, ran.err.count("Error")) == (0, 0), ran
    stays = {"heat": "The nozzle of heron is at 200 °C and stays on: metier cable off ends that."}
    stays["feed"] = "Its nozzle stays on at 210 °C: metier cable off ends that."
    assert left(board) is (command in stays)
    assert stays.get(command, last) == last
    if command in ("send", "guided"):
        assert last == "Its heaters are off."
    # Ours while it lasts, then the board's own again.
    watched = command in ("heat", "feed", "send", "print", "guided")
    assert (board.done[-1] == "M85 S0") is watched
    assert ("M155 S2" in board.done) is ("M155 S0" in board.done) is watched


SAID = {
    "runs_away": "climbs to",
    "shorts": "climbs to",
    "bed_runs_away": "the bed climbs",
    "freezes": "no longer answers",
    "cold_nozzle": "the nozzle stays at 2",
    "slow_bed": "the bed stays at 2",
    "restarts": "began anew in the middle",
    "burns_on": "began anew in the middle",
    "reports": "«Heating failed, heater 0»",
    "groans": "«Heating failed, heater 0»",
    "halts": "Switch it off and on»",
    "hides": "how hot its nozzle is",
    "chatters": "no longer answers",
    "storms": "garbles too much",
}


@pytest.mark.parametrize("command", ["heat", "print", "guided"])
@pytest.mark.parametrize("mischief", SAID)
def test_whatever_a_board_does_no_heater_is_left_on_unsaid(printer, mischief, command):
    if "bed" in mischief and command != "print":
        pytest.skip("no bed is heated")
    # Enough for it to be warm, and in the middle of things.
    late = {"freezes": 60, "chatters": 60, "storms": 60, "hides": 60}.get(mischief, 8)
    board = Hostile(mischief, late)
    ran, last = printer(board, command, typed="34\n34\n34\n")
    assert ran.status == 1
    assert SAID[mischief] in last
    assert last.endswith((OFF, MAY_BE_ON))
    assert last.endswith(MAY_BE_ON) is (
        mischief in ("freezes", "halts", "hides", "chatters", "storms")
    )
    if last.endswith(OFF) and mischief != "shorts":
        assert not left(board)
    if mischief == "shorts":
        # Off is all that can be told it; that it may go on is said.
        assert "if it goes on, switch the printer off" in last
    assert printer.bench.json("history")["trials"] == []
    assert board.clock_s < 600


@pytest.mark.parametrize("command", ["heat", "send", "print", "off"])
def test_a_board_that_lies_about_being_off(printer, command):
    board = Hostile("lies")
    board.nozzle.target_c = 100.0 if command == "off" else 0.0
    ran, last = printer(board, command)
    if command == "heat":
        assert last.endswith("stays on: metier cable off ends that.")
        return
    assert ran.status == 1
    assert last.endswith(MAY_BE_ON)


@pytest.mark.parametrize(
    ("mischief", "command", "said"),
    [
        ("brags", "cable steps", "«99999999999999999999», which cannot be: look at the cable"),
        ("whispers", "cable steps", "«1E-07», which cannot be: look at the cable"),
        ("brags", "cable steps 412", "which cannot be"),
        ("brags", "esteps --feed", "which cannot be"),
        ("storms", "cable steps 412", "garbles too much: another cable"),
        ("chatters", "cable steps 412", "no longer answers"),
        ("freezes", "cable steps 412", "no longer answers"),
        ("reports", "cable steps 412", "the printer reports «Heating failed, heater 0»"),
    ],
)
def test_what_cannot_be_is_one_line_and_not_recorded(printer, mischief, command, said):
    board = Hostile(mischief)
    ran, _ = printer(board, command)
    assert (ran.status, ran.out) == (1, "")
    assert ran.err.count("\n") == 1
    assert said in ran.err
    assert printer.bench.json("history")["trials"] == []
    assert printer.bench.json("profile")["values"]["esteps"]["in_force"] == 412
    assert board.clock_s < 120


def test_what_is_too_hot_is_not_heated(printer):
    bench, board = printer.bench, Hostile()
    bench.json("printer set heron --hottest 240 --hottest-bed 70")
    bench.json("spool set fern-1 --hottest 220")
    for command, said in (
        ("cable heat 221", "221 °C is too hot for the nozzle: 220 at most; --anyway"),
        ("cable send 'M140 S71'", "71 °C is too hot for the bed: 70 at most"),
        ("cable send M500", "M500 writes what the printer carries now"),
    ):
        assert said in bench.refuses(command)
    assert printer(board, "cable heat 221 --anyway")[0].status == 0
    bench.json("bench --temperature 225")
    assert "225 °C is too hot for the nozzle: 220 at most" in bench.refuses("esteps --feed")
    bench.json("bench --temperature 210")
    # Nobody else may make it hotter while it is in hand.
    board = Hostile()
    board.nozzle.climbs_c_s = 1.0
    _, last = printer(board, "cable heat 215")
    assert "the nozzle shows 22" in last
    assert "may have 220" in last


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("M104 S301", "line 8 («M104 S301»): 301 °C is too hot for the nozzle: 300 at most"),
        ("M140 S131", "line 8 («M140 S131»): 131 °C is too hot for the bed: 130 at most"),
        ("M500", "line 8 («M500»): M500 writes"),
        ("M502 ; back", "line 8 («M502»)"),
        ("M92 E4120", "line 8 («M92 E4120»): M92 sets the e-steps to 4120"),
        ("G1 Z-3", "line 8 («G1 Z-3»): it moves to z -2.8 mm, into the bed"),
    ],
)
def test_a_file_is_read_before_anything_is_sent(printer, line, said):
    bench, board = printer.bench, Hostile()
    (bench.folder / "tower.gcode").write_text(PRINT + line + "\nG1 X5 E1\nM104 S0\nM140 S0\n")
    ran, last = printer(board, "print")
    assert ran.status == 2
    assert said in last
    assert last.endswith("--anyway says it is meant")
    assert board.done == []
    ran, _ = printer(Hostile(), "cable print tower.gcode --anyway")
    assert ran.status == 0


def test_what_changes_under_way_is_stopped_at(printer, monkeypatch):
    """It was read, and is another file by the time it is sent."""
    board, path = Hostile(), printer.bench.folder / "tower.gcode"

    def survey(*given):
        whole = surveyed(*given)
        path.write_text(TOWER.replace("G1 X-5 E0.5", "M502", 1))
        return whole

    monkeypatch.setattr("metier.commands.cable_work.surveyed", survey)
    _, last = printer(board, "print")
    assert "line 9 («M502»): M502 sets everything back" in last
    assert last.endswith(OFF)
    assert "M502" not in board.done
    assert not left(board)


@pytest.mark.parametrize("debug", ["1", ""])
def test_a_fault_in_metier_itself_leaves_it_cold(printer, monkeypatch, debug):
    board = Hostile()
    monkeypatch.setattr(
        "metier.cable.printing.heat_in", lambda _: 1 / 0 if board.nozzle.now_c > 60 else None
    )
    if debug:
        with pytest.raises(ZeroDivisionError):
            printer(board, "print")
    else:
        monkeypatch.setitem(printer.bench.environment, "METIER_DEBUG", "")
        ran, last = printer(board, "print")
        assert ran.status == 70
        assert "division by zero" in last
        assert f"; {OFF}; what happened is in " in last
    assert not left(board)


@pytest.mark.parametrize("keeps", [False, True])
def test_a_file_that_ends_hot(printer, keeps):
    bench, board = printer.bench, Hostile()
    (bench.folder / "tower.gcode").write_text(TOWER.replace("M104 S0\n", ""))
    ran, _ = printer(board, "cable print tower.gcode" + " --keep-hot" * keeps)
    assert ran.status == 0
    assert left(board) is keeps
    text = " ".join(ran.out.split())
    if keeps:
        assert "Its nozzle stays on at 200 °C: metier cable off ends that." in text
    else:
        assert "the file ends hot: its heaters are off now (--keep-hot leaves them on)" in text


def test_a_pause_that_nobody_answers_cools_and_ends(printer):
    board = Hostile("runs_out", 300)
    ran, last = printer(board, "print")
    assert ran.status == 1
    assert "asked for a pause («//action:out_of_filament T0»): printed up to 0.2 mm (line" in last
    assert last.endswith(OFF)
    assert not left(board)


@pytest.mark.parametrize(
    ("steps", "passes"),
    [(412, True), (494, True), (495, False), (330, True), (329, False), (4120, False), (93, False)],
)
def test_steps_far_from_those_in_force_are_asked_about(printer, steps, passes):
    board = Hostile()
    ran, last = printer(board, f"cable steps {steps}")
    assert (ran.status == 0) is passes
    assert board.steps == board.stored == (steps if passes else 412)
    if not passes:
        assert "the printer carries 412, the logbook has 412 in force; --anyway" in last
    assert printer(board, f"cable steps {steps} --anyway")[0].status == 0
    assert board.stored == steps


def test_a_swapped_board_takes_the_old_steps_and_nothing_tenfold(printer):
    # The board carries what it came with; what the logbook has is typed back unasked.
    assert printer(Hostile(steps=93), "cable steps 412")[0].status == 0
    board = Hostile(steps=4100)
    ran, last = printer(board, "cable steps 4120")
    assert ran.status == 2
    assert "the printer carries 4100, the logbook has 412 in force" in last
    assert board.stored == 4100


def test_a_printer_without_a_memory(printer):
    bench, board = printer.bench, Hostile("forgets")
    ran, _ = printer(board, "cable steps 420")
    assert ran.status == 0
    text = " ".join(ran.out.split())
    assert "E-steps of heron: 420.00 steps/mm, set read" not in text
    assert "the printer stores nothing (M500)" in text
    assert "M92 E420.00 at the start of each file sets them" in text
    assert bench.json("profile")["values"]["esteps"]["in_force"] == 420
    assert board.steps == 420
    bench.json("printer set heron --bed 235x235")
    bench.json("spool set fern-1 --bed-temperature 60")
    bench.json("flow --plan --part tube.gcode --width 0.5 --layer 0.2")
    lines = (bench.folder / "tube.gcode").read_text().splitlines()
    assert [line for line in lines if line.startswith("M92")] == [
        "M92 E420.00 ; e-steps, which the printer does not keep"
    ]
    # What Metier's own files set is what is in force.
    assert printer(Hostile("forgets", steps=412), "cable print tube.gcode")[0].status == 0
    # Once it keeps them, files need not carry them any more.
    assert printer(Hostile(), "cable steps 420")[0].status == 0
    assert bench.json("printer show heron")["printer"]["steps_in"] == "memory"


def test_a_printer_that_keeps_its_steps_in_a_file(printer):
    bench = printer.bench
    bench.json("instrument zero calipers 0")
    bench.json("diameter --read 1.75 1.75 1.75 1.75 --slicer 1.75")
    bench.json("printer set heron --full-steps 200 --microsteps 16")
    ran, _ = printer(Hostile("file"), "cable steps")
    assert ran.status == 0
    assert "they are in a file of its own" in " ".join(ran.out.split())
    board = Hostile("file")
    ran, last = printer(board, "guided", typed="35.1\n34.8\n35.4\n")
    assert (ran.status, ran.err.count("not known")) == (0, 0)
    text = " ".join(ran.out.split())
    assert "write 426.50 steps/mm, or 7.5029 mm per motor turn there" in text
    assert "metier entered esteps 426.50 --printer heron" in text
    assert last == "Its heaters are off."
    assert not left(board)
    assert "in the printer's own file: 426.50 steps/mm" in " ".join(bench("next").out.split())
    assert bench.json("history")["trials"][0]["settings"]["steps"] == 412
    board = Hostile("file")
    board.nozzle.now_c = board.nozzle.target_c = 200.0
    ran, last = printer(board, "cable steps 426.5")
    assert ran.status == 0
    # What was on before stays so, and that is said here, too.
    assert last == "Its nozzle stays on at 200 °C: metier cable off ends that."
    assert "to be written by hand" in ran.out
    assert bench.json("profile")["values"]["esteps"]["in_force"] == 412
    assert printer(Hostile("file"), "print")[0].status == 0


@pytest.mark.parametrize("seed", [*range(5), *not_quick(*range(5, 50))])
def test_fifty_evenings_end_cold_or_say_that_they_may_not(printer, seed):
    luck = random.Random(seed)
    steps = luck.sample(["steps", "set", "heat", "feed", "send", "print", "guided"], 5)
    stays = ("stays on: metier cable off ends that.", "metier cable off ends that.")
    board = Hostile()
    for command in steps:
        mischief = luck.choice(["", *SAID, "lies", "file", "forgets", "runs_out"])
        hot = board.nozzle
        board = Hostile(mischief, luck.randrange(60))
        board.nozzle.target_c, board.nozzle.now_c = hot.target_c, hot.now_c
        ran, last = printer(board, command, typed="34\n34.2\n33.8\n")
        assert ran.status in (0, 1, 2)
        if left(board):
            told = MAY_BE_ON in last or "if it goes on" in last
            assert told or last.endswith(stays), (command, mischief)
    ran, last = printer(board, "off")
    if left(board):
        assert last.endswith(MAY_BE_ON) or board.mischief == "shorts"
