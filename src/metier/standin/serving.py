"""The stand-in at work, and what it is told."""

import json
import os
import select
import socket
import time
from collections import deque
from contextlib import suppress

from metier.core.errors import BadInput, Failure
from metier.standin import dialect
from metier.standin.machine import GREETING, Machine, filament_named, print_card
from metier.standin.truth import ITEMS
from metier.standin.wire import Cable, Numbering, Wire

_PATIENCE_S, _LONGEST = 10.0, 4096


class Control:
    """Where a running stand-in takes such words: on this machine alone."""

    def __init__(self) -> None:
        self._listening = socket.socket()
        self._listening.bind(("127.0.0.1", 0))
        self._listening.listen()
        self.port: int = self._listening.getsockname()[1]
        self.number = self._listening.fileno()

    def take(self) -> tuple[list[str], socket.socket]:
        """Return the words that came, and where to answer them; no words for what is none."""
        asking, _ = self._listening.accept()
        asking.settimeout(1.0)
        words: object = []
        with suppress(OSError, ValueError, RecursionError):
            words = json.loads(asking.makefile(encoding="utf-8").readline(_LONGEST))
        return ([str(word) for word in words] if isinstance(words, list) else []), asking

    def close(self) -> None:
        """Take no more."""
        self._listening.close()


def answer(asking: socket.socket, text: str) -> None:
    """Answer who asked."""
    with suppress(OSError):
        asking.sendall(f"{text}\n".encode())
    asking.close()


def tell(port: int, *words: str, patience_s: float = _PATIENCE_S) -> str:
    """Tell a running stand-in something and return its answer.

    Raises:
        Failure: it does not answer.
    """
    try:
        with socket.create_connection(("127.0.0.1", port), _PATIENCE_S) as asked:
            asked.settimeout(patience_s)
            asked.sendall(json.dumps(words).encode() + b"\n")
            return asked.makefile(encoding="utf-8").readline().strip()
    except OSError:
        raise Failure("the stand-in does not answer: is it still running?") from None


# How often a board says that it is still at work, and how long it sleeps at most.
_BUSY_EVERY_S, _IDLE_S = 2.0, 0.2
_SHORT_S = 0.0005
# No line is longer, and no more of them wait: who sends more has to wait as well.
_LONGEST_LINE, _MOST_WAITING = 4096, 256
# What ends waiting for heat, whatever else waits its turn.
_AT_ONCE = "M108"


class Server:
    """Serves a machine on a wire; ``fast`` is how much faster its time goes, ``leash`` a file
    whose end is its own."""

    def __init__(
        self,
        machine: Machine,
        wire: Wire,
        control: Control,
        cable: Cable,
        fast: float,
        leash: int | None = None,
    ) -> None:
        self._machine, self._wire, self._control = machine, wire, control
        self._cable, self._fast, self._leash = cable, fast, leash
        self._numbering = Numbering()
        self._rest = b""
        self._lines: deque[str] = deque()
        self._command: str | None = None
        self._until_s = 0.0
        self._said_s = self._reported_s = 0.0
        self._heard_s = time.monotonic()
        self._begun = time.monotonic()
        self._stopped = False

    def run(self) -> None:
        """Serve until it is told to stop."""
        self._say(GREETING)
        while not self._stopped:
            self._listen()
            self._work()

    def _now_s(self) -> float:
        return (time.monotonic() - self._begun) * self._fast

    def _listen(self) -> None:
        """Take what came; sleep until something does, or is due."""
        wait_s = _IDLE_S
        if self._command is not None:
            wait_s = (self._until_s - self._now_s()) / self._fast
            wait_s = min(max(wait_s, _SHORT_S), _IDLE_S)
        elif self._lines:
            wait_s = 0.0
        heard = self._wire.readable() if len(self._lines) < _MOST_WAITING else []
        held = [] if self._leash is None else [self._leash]
        ready, _, _ = select.select([*heard, self._control.number, *held], [], [], wait_s)
        if held and self._let_go():
            self._machine.save()
        if self._control.number in ready:
            self._obey()
        if not heard:
            return
        data = self._wire.read(ready)
        if not data:
            return
        self._heard_s = time.monotonic()
        *lines, self._rest = (self._rest + data).split(b"\n")
        self._rest = self._rest[-_LONGEST_LINE:]
        for line in lines:
            self._take(line[:_LONGEST_LINE])

    def _let_go(self) -> bool:
        """Look whether the leash ended, which ends this, too."""
        if self._leash is not None and not self._stopped:
            ready, _, _ = select.select([self._leash], [], [], 0)
            self._stopped = bool(ready) and not os.read(self._leash, _LONGEST_LINE)
        return self._stopped

    def _take(self, line: bytes) -> None:
        passed = self._cable.passes(line)
        if passed.late_s:
            time.sleep(passed.late_s)
        if self._cable.resets():
            self._reset()
            return
        if passed.text is None:
            return
        text = passed.text.decode("latin-1").strip()
        if _AT_ONCE in text and self._command is not None:
            self._command = None
            self._say("ok")
        self._lines.append(text)

    def _work(self) -> None:
        """Acknowledge what is done, and begin what is next."""
        board = self._machine.board
        board.pass_time_to(self._now_s())
        every_s = board.reports_every_s
        if board.idle_s and time.monotonic() - self._heard_s > board.idle_s:
            board.nozzle.target_c = board.bed.target_c = 0.0
        if every_s and time.monotonic() - self._reported_s > every_s:
            self._reported_s = time.monotonic()
            self._say(board.temperatures())
        while True:
            if self._command is not None and not self._done(self._command):
                return
            if not self._lines:
                return
            taken = self._numbering.take(self._lines.popleft())
            for text in taken.answer:
                self._say(text)
            if taken.command is None:
                continue
            said, self._until_s = dialect.run(board, taken.command)
            for text in said:
                self._say(text)
            self._command = "" if any(text.startswith("ok") for text in said) else taken.command
            self._machine.settle()
            self._said_s = time.monotonic()

    def _done(self, command: str) -> bool:
        """Acknowledge a command if it is done; else say now and then that it is at work."""
        board = self._machine.board
        heating = dialect.waits(board, command)
        if not heating and board.now_s >= self._until_s - 1e-9:
            if command:
                self._say("ok")
            self._command = None
            return True
        # Heat is reported each second of its time, other work each two of ours.
        every_s = 1.0 / self._fast if heating else _BUSY_EVERY_S
        if time.monotonic() - self._said_s > max(every_s, 0.02):
            self._say(board.temperatures() if heating else "busy: at work")
            self._said_s = time.monotonic()
        return False

    def _say(self, text: str) -> None:
        passed = self._cable.passes(f"{text}\n".encode())
        if passed.late_s:
            time.sleep(passed.late_s)
        if passed.text is not None:
            self._wire.write(passed.text)

    def _obey(self) -> None:
        words, asking = self._control.take()
        match words:
            case ["stop"]:
                self._stopped = True
                self._machine.save()
            case ["power"]:
                self._reset()
            case ["swap", item, filament, bore] if item in ITEMS and _is_bore(bore):
                known = next(known_item for known_item in ITEMS if known_item == item)
                self._machine.swap(known, filament_named(filament), float(bore) if bore else None)
                self._reset()
            case ["print", path] if self._command is None:
                try:
                    printed = print_card(self._machine, path, self._let_go)
                except BadInput as refusal:
                    answer(asking, f"refused {refusal}")
                    return
                # Its time goes on from where that ended.
                self._begun = time.monotonic() - self._machine.board.now_s / self._fast
                answer(asking, f"printed {printed.lines} {printed.minutes:.1f}")
                return
            case _:
                answer(asking, "not understood")
                return
        answer(asking, "done")

    def _reset(self) -> None:
        """Lose power, or start anew: what was not stored is lost."""
        self._machine.power_cut()
        self._numbering = Numbering()
        self._lines.clear()
        self._command = None
        self._say(GREETING)


def _is_bore(text: str) -> bool:
    """Tell whether it is a bore in mm, or empty for the one that is there."""
    with suppress(ValueError):
        return not text or 0.05 <= float(text) <= 5
    return False
