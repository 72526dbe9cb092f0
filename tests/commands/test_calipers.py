"""Calipers that speak: through a pipe, and on a serial port of their own."""

import os
import threading
import time

import pytest

from metier.cable.port import opened
from metier.formats.quantity import plain_line
from tests.commands.test_typing import Terminal, drafts
from tests.conftest import HANGS_S

pty = pytest.importorskip("pty")
tty = pytest.importorskip("tty")

STRAND = "diameter --slicer 1.75"


@pytest.mark.parametrize(
    ("sent", "plain"),
    [
        ("0.47", "0.47"),
        ("  0,47 mm\t", "0,47 mm"),
        ("\x0201A+00001.41\x03", "1.41"),
        ("01A-00000.02\r\n", "-00000.02"),
        ("1:1.41", "1.41"),
        ("12 : +0.470;", "0.470"),
        ("\ufeff1.74/1.72", "1.74/1.72"),
        ("\u00ef\u00bb\u00bf1.74", "1.74"),
        ("1.74\tin;;", "1.74 in"),
        ("\x00\x02\x03", ""),
        # What a person types stays what it is.
        ("u", "u"),
        ("y", "y"),
        ("+0.05", "+0.05"),
        ("1:", "1:"),
    ],
)
def test_what_stands_around_a_reading_is_left_out(sent, plain):
    assert plain_line(sent) == plain


@pytest.mark.parametrize("end", ["\r", "\n", "\r\n"])
def test_a_pipe_of_them_whatever_their_lines_end_with(heron, end):
    lines = ["\ufeff01A+00001.74", "\x021:1.75 mm;\x03", "0.0689in", "1,76"]
    ran = heron(f"{STRAND} --json", typed=end.join(lines) + end)
    assert (ran.status, ran.err) == (0, "")
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [one["value"] for one in taken] == pytest.approx([1.74, 1.75, 1.75006, 1.76])
    assert [one["typed"] for one in taken] == ["1.74", "1.75 mm", "0.0689in", "1,76"]


def test_a_bad_line_is_named_with_its_number_and_the_good_ones_are_kept(heron):
    told = heron(STRAND, typed="1.74\n1.75\nE4\n1.76\n")
    assert (told.status, told.out) == (2, "")
    assert told.err == (
        "metier diameter: line 3: reading: 'E4' is not a number of mm: type 0.47, 0,47, .47 or "
        "0.0185in (what was typed is kept: --resume goes on with it)\n"
    )
    assert len(drafts(heron)) == 1
    heron(f"{STRAND} --resume", typed="1.76\n")
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [one["value"] for one in taken] == [1.74, 1.75, 1.76]


@pytest.fixture
def calipers():
    """A serial port with calipers behind it: where they send, and what it is called."""
    own, others = pty.openpty()
    tty.setraw(others)
    yield own, os.ttyname(others)
    os.close(own)
    os.close(others)


def test_a_port_of_their_own(heron, calipers, monkeypatch):
    sends, port = calipers
    # Nobody sits there: once they are silent for a while, that is all.
    monkeypatch.setattr("metier.words.typed_line._DONE_S", 3)
    monkeypatch.setattr("metier.words.typed_line._MEANWHILE_S", 0.2)

    is_open = threading.Event()

    def opening(*words):
        line = opened(*words)
        is_open.set()
        return line

    monkeypatch.setattr("metier.cable.port.opened", opening)

    def send():
        # What was sent before is thrown away where a port is opened.
        is_open.wait(HANGS_S)
        for line in (b"01A+00001.74\r", b"\x021.75\x03\r\n", b"1.7", b"6 mm\r"):
            time.sleep(0.05)
            os.write(sends, line)

    sending = threading.Thread(target=send)
    sending.start()
    found = heron.json(f"{STRAND} --from-port {port}")
    sending.join()
    assert found["trial"] == 1
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [one["value"] for one in taken] == [1.74, 1.75, 1.76]


def test_port_and_keyboard_at_once(heron, calipers):
    sends, port = calipers
    terminal = Terminal(heron, f"{STRAND} --from-port {port}")
    terminal.until("> ")
    os.write(sends, b"01A+00001.74\r")
    terminal.until("mean 1.740 mm").type("1.75").until("mean 1.745 mm")
    os.write(sends, b"9:junk\r")
    terminal.until("is not a number").type("u").until("u takes back 1.75")
    terminal.type("u").until("took back 1.75")
    os.write(sends, b"1.76\r")
    terminal.until("mean 1.750 mm").type("").until("trial 1")
    assert terminal.status() == 0
    taken = heron.json("history 1")["trials"][0]["readings"]
    assert [one["value"] for one in taken] == [1.74, 1.76]


def test_a_port_that_is_none_is_one_line(heron):
    assert "is not there" in heron.refuses(f"{STRAND} --from-port /dev/no-such-port", status=1)
    assert "is no port" in heron.refuses(f"{STRAND} --from-port loop://")
