"""A board at the end of a cable, in this process: a reply that does not come is silence."""

import re
from collections import deque

from metier.cable.guard import Guard
from metier.cable.link import Link
from metier.standin import dialect
from metier.standin.firmware import Firmware, Memory
from metier.standin.truth import truth_of
from metier.standin.wire import Cable, Numbering


class Board:
    """``done`` are the commands that it ran. ``answers`` may answer one otherwise than by ok.

    Its clock goes on by as much as is waited for, and a little with each line.
    """

    name = "here"
    gibberish = 0
    clock_s = 0.0

    def __init__(self, cable=None, answers=None):
        self.cable = cable or Cable((), 0)
        self.answers = answers or _answered
        self.numbering = Numbering()
        self.done = []
        self.replies = deque()

    def send(self, line):
        passed = self.cable.passes(line.encode())
        if passed.text is None:
            return
        taken = self.numbering.take(passed.text.decode("latin-1"))
        said = list(taken.answer)
        if taken.command is not None:
            self.done.append(taken.command)
            said += self.answers(taken.command)
        for one in said:
            back = self.cable.passes(one.encode())
            if back.text is not None:
                self.replies.append(back.text.decode("latin-1").strip())

    def now_s(self):
        return self.clock_s

    def receive(self, patience_s):
        self.clock_s += 0.001 if self.replies else max(patience_s, 0.001)
        return self.replies.popleft() if self.replies else None

    def close(self):
        pass


def _answered(command):
    if re.match(r"(G1|G28|M\d+)( |$)", command):
        return ["ok"]
    return [f'echo:Unknown command: "{command}"', "ok"]


class Working(Board):
    """A board of the stand-in, whose time goes as fast as it is asked for things."""

    def __init__(self, steps=100.0, hot=True, seed=7):
        super().__init__(answers=self._run)
        self.firmware = Firmware(truth_of(seed), Memory(steps, steps))
        if hot:
            heater = self.firmware.nozzle
            heater.target_c = heater.heat_c = heater.shown_c = 210.0

    def _run(self, command):
        board = self.firmware
        said, until_s = dialect.run(board, command)
        board.pass_time_to(max(until_s, board.now_s + 0.5))
        while dialect.waits(board, command):
            board.pass_time_to(board.now_s + 1)
        return said if any(one.startswith("ok") for one in said) else [*said, "ok"]


def met(board, most=None):
    """Return a link to a board that has met it, and whose heaters are known."""
    link = Link(board, guard=Guard(most))
    link.meet()
    link.ask("M105")
    board.done.clear()
    return link


def plug_in(monkeypatch, board):
    """Let every port be this board."""
    monkeypatch.setattr("metier.cable.guarded.Port", lambda *_: board)
