"""No line from outside ends the stand-in: neither on its cable nor on its control port."""

import random
import socket
import time
from contextlib import suppress

import pytest

from metier.standin import dialect
from metier.standin.firmware import Firmware, Memory
from metier.standin.truth import truth_of
from metier.standin.wire import Numbering
from tests.conftest import HANGS_S, LONG

NUMBERS = (
    *("", "-", ".", "+", "-.", "0", "-3", "12.5", "nan", "inf", "1e9", "\xb2"),
    *("9" * 5000, "-" + "9" * 5000, "1" * 300 + ".5", "99999", "0.0000001"),
)


def lines(luck, count):
    codes = [*dialect._COMMANDS, "G5", "M999", "T1", ""]
    for _ in range(count):
        kind = luck.random()
        if kind < 0.1:
            yield "".join(chr(luck.randrange(256)) for _ in range(luck.randrange(80)))
        elif kind < 0.2:
            yield f"N{luck.choice(NUMBERS)} {luck.choice(codes)}*{luck.choice(NUMBERS)}"
        else:
            words = [luck.choice("XYZEFSPRIJTN") + luck.choice(NUMBERS) for _ in range(4)]
            yield luck.choice(codes) + luck.choice(("", " ")).join(words)


@pytest.mark.parametrize("seed", range(3))
def test_whatever_comes_it_goes_on(seed):
    luck = random.Random(seed)
    board, numbering = Firmware(truth_of(7), Memory(90.0, 90.0)), Numbering()
    for line in lines(luck, 2000 * LONG):
        taken = numbering.take(line)
        if taken.command is None:
            continue
        _, until_s = dialect.run(board, taken.command)
        dialect.waits(board, taken.command)
        board.pass_time_to(min(until_s, board.now_s + 1000))
    dialect.run(board, "M104 S200")
    assert board.nozzle.target_c == 200
    assert 0 < board.memory.steps <= 1e5
    assert board.temperatures().count("nan") == 0


@pytest.mark.parametrize("turn", ["X1 Y1 I0 J0", "I" + "9" * 5000, "X5 I2.5 E1", "I-1e5 J1e5", ""])
def test_an_arc_of_any_radius_is_a_few_chords(turn):
    board = Firmware(truth_of(7), Memory(90.0, 90.0))
    dialect.run(board, f"G2 {turn}")
    assert len(board._ends_s) <= 2000


@pytest.mark.slow
@pytest.mark.parametrize(
    "sent",
    [
        b"[" * 20_000, b'"stop"\n', b"\xff\xfe\n", b'["swap", "nozzle", "", "wide"]\n', b"{}\n",
        b'["swap", "nozzle", "", "1e999"]\n', b'["swap"]\n', b"\n", b'["print", "/no/such"]\n',
    ],
)  # fmt: skip
def test_odd_words_on_its_control_port(heron, standin, sent):
    from metier.standin.folder import StandinFolder

    standin("--tcp", "0")
    _, control = StandinFolder(str(heron.folder / "metier-standin")).running()
    said = "not understood"
    # One that sends without end is hung up on.
    with socket.create_connection(("127.0.0.1", control)) as asked, suppress(OSError):
        asked.sendall(sent)
        asked.shutdown(socket.SHUT_WR)
        said = asked.makefile().readline()
    assert said.startswith(("not understood", "refused cannot read"))
    assert heron.json("cable steps")["carries"] == 94.6


def test_what_is_poured_into_its_line(heron, standin):
    port = int(standin("--tcp", "0").port.rpartition(":")[2])
    with socket.create_connection(("127.0.0.1", port)) as line:
        luck = random.Random(1)
        line.settimeout(0.2)
        for _ in range(40):
            try:
                line.sendall(luck.randbytes(5000) + b"G1 X-\n" + b"9" * 6000 + b"\n")
            except TimeoutError:
                # It takes no more than it can hold.
                break
    until = time.monotonic() + HANGS_S
    # What it took it goes through first.
    while heron.process("cable steps").status:
        assert time.monotonic() < until


def test_a_card_is_printed_without_a_cable(heron, standin):
    (heron.folder / "x.gcode").write_text(
        "M109 S210\nG28\nM83\nG1 Z0.2 F600\n" + "G1 X50 E2 F1200\nG1 X0 E2\n" * 20 + "M104 S0\n"
    )
    running = standin("--fast", "10")
    printed = heron.json("standin print x.gcode")
    assert printed["lines"] == 45
    # 2 m at 20 mm/s, and what heating takes.
    assert 2 < printed["minutes"] < 5
    assert float(heron.json("standin measure mass")["readings"][0]) == pytest.approx(0.24, abs=0.02)
    assert "/0.00 B" in heron("cable send M105").out
    running.stop()
    # And where it does not run.
    assert heron.json("standin print x.gcode")["lines"] == 45
    assert "cannot read y.gcode" in heron.refuses("standin print y.gcode")
