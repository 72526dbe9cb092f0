"""Boards that mean no good, written apart from the stand-in: what a printer on a table may do.

Each is a board with a nozzle and a bed that heat and cool by themselves. It runs in a test's own
time (`Hostile`, in the place of a port), or over TCP in ours (`served`).
"""

import re
import socket
import threading
import time
from collections import deque
from contextlib import contextmanager, suppress

ROOM_C = 21.0


class Heater:
    """Gains so many degrees a second, and loses them."""

    def __init__(self, gains_c_s):
        self.gains_c_s, self.target_c, self.now_c = gains_c_s, 0.0, ROOM_C
        # What it does whatever it was told, from its target on.
        self.climbs_c_s = 0.0

    def pass_time(self, seconds):
        if self.climbs_c_s and (self.target_c or self.now_c > 100):
            reached = self.now_c >= self.target_c - 0.5
            self.now_c += (self.climbs_c_s if reached else self.gains_c_s) * seconds
            return
        way_c = max(self.target_c, ROOM_C) - self.now_c
        most_c = self.gains_c_s * seconds
        self.now_c += max(-most_c, min(most_c, way_c))


class Hostile:
    """A plain board of good will; what `mischief` names is what it does instead.

    ``after`` is how many commands it behaves for.
    """

    name = "here"
    gibberish = 0

    def __init__(self, mischief="", after=0, steps=412.0, chamber=False):
        self.mischief, self.after = mischief, after
        self.nozzle, self.bed = Heater(4.0), Heater(1.0)
        # Where there is one.
        self.chamber = Heater(0.2) if chamber else None
        self.steps = self.stored = steps
        self.clock_s, self.replies, self.done = 0.0, deque(), []
        self.last, self.dead, self.halted = 0, False, False

    # As a port is used.

    def now_s(self):
        return self.clock_s

    def receive(self, patience_s):
        if self.mischief == "chatters" and not self.quiet:
            self.pass_time(0.001)
            return "lorem ipsum"
        if self.replies:
            self.pass_time(0.002)
            return self.replies.popleft()
        self.pass_time(max(patience_s, 0.01))
        return None

    def send(self, line):
        for said in self.take(line):
            self.replies.append(said)

    def close(self):
        pass

    def pass_time(self, seconds):
        self.clock_s += seconds
        for heater in self.heaters:
            heater.pass_time(seconds)

    @property
    def heaters(self):
        return [one for one in (self.nozzle, self.bed, self.chamber) if one]

    @property
    def is_hot(self):
        """Whether something is on, or heats though it is not."""
        return any(one.target_c or (one.climbs_c_s and one.now_c > 100) for one in self.heaters)

    # As a board.

    def take(self, line):
        if self.dead or not line.strip():
            return []
        numbered = re.fullmatch(r"N(\d+) (.*)\*(\d+)", line.strip())
        command = numbered[2] if numbered else line.strip()
        if command == "M112":
            self.nozzle.target_c = self.bed.target_c = 0.0
            self.dead = True
            return []
        if command.startswith("M110"):
            self.last = 0
            return ["ok"] if self.mischief != "storms" or self.quiet else self._storm()
        if numbered and int(numbered[1]) != self.last + 1:
            return [f"Error:line number, last line: {self.last}", f"Resend: {self.last + 1}", "ok"]
        if self.mischief == "storms" and not self.quiet:
            return self._storm()
        self.last += bool(numbered)
        self.done.append(command)
        if self.mischief and not self.quiet:
            return getattr(self, f"_{self.mischief}", self._run)(command)
        return self._run(command)

    @property
    def quiet(self):
        return len(self.done) <= self.after

    def _run(self, command):
        if command.startswith("G1"):
            self.pass_time(0.25)
        code, words = command.split(" ")[0], dict(re.findall(r"([A-Z])(-?[\d.]+)", command[2:]))
        heater = {"M104": self.nozzle, "M109": self.nozzle}.get(code, self.bed)
        if code in ("M104", "M109", "M140", "M190") and "S" in words:
            heater.target_c = float(words["S"])
        if code in ("M141", "M191") and self.chamber:
            self.chamber.target_c = float(words["S"])
        # A tuning, a table of tools, a material by number, a macro and another file heat as well.
        if code in ("M303", "G10", "M568") and "S" in words:
            self.nozzle.target_c = float(words["S"])
        if code in ("PREHEAT", "M32") or (code == "M104" and "I" in words):
            self.nozzle.target_c = 200.0
        if code == "M105":
            names = zip("TBC", self.heaters, strict=False)
            shown = [f"{name}:{one.now_c:.1f} /{one.target_c:.1f}" for name, one in names]
            return [f"ok {' '.join(shown)} @:0"]
        if code == "M92" and "E" in words:
            self.steps = float(words["E"])
        elif code == "M92":
            return [f"M92 X80 Y80 Z400 E{self.steps:.2f}", "ok"]
        elif code == "M500":
            self.stored = self.steps
        elif code == "M501":
            self.steps = self.stored
        return ["ok"]

    # What it may do instead.

    def _runs_away(self, command):
        said = self._run(command)
        self.nozzle.climbs_c_s = 3.0 if self.nozzle.target_c else 0.0
        return said

    def _shorts(self, command):
        """It climbs, and goes on to when it is told to stop."""
        self.nozzle.climbs_c_s = 3.0
        return self._run(command)

    def _bed_runs_away(self, command):
        said = self._run(command)
        self.bed.climbs_c_s = 1.0 if self.bed.target_c else 0.0
        return said

    def _freezes(self, _):
        self.dead = True
        return []

    def _cold_nozzle(self, command):
        self.nozzle.gains_c_s = 0.0
        return self._run(command)

    def _slow_bed(self, command):
        self.bed.gains_c_s = 0.01
        return self._run(command)

    def _restarts(self, _):
        self.nozzle.target_c = self.bed.target_c = 0.0
        self.last, self.mischief = 0, ""
        return ["start"]

    def _burns_on(self, _):
        """It restarts with its heaters left on."""
        self.last, self.mischief = 0, ""
        return ["start"]

    def _reports(self, command):
        self.mischief = ""
        return [*self._run(command)[:-1], "Error:Heating failed, heater 0", "ok"]

    def _groans(self, command):
        """It goes on to report its fault, and does what it is told all the same."""
        return [
            *self._run(command)[:-1],
            "Error:Heating failed, heater 0",
            *self._run(command)[-1:],
        ]

    def _chatters(self, _):
        return []

    def _halts(self, _):
        self.dead = True
        return ["Error:Printer halted. Switch it off and on"]

    def _lies(self, command):
        return ["ok"] if command in ("M104 S0", "M140 S0") else self._run(command)

    def _hides(self, command):
        """It says nothing of its heat any more."""
        said = self._run(command)
        return ["ok"] if command == "M105" else said

    def _forgets(self, command):
        """It knows no memory."""
        if command.startswith("M50"):
            return [f"Unknown command: {command}", "ok"]
        return self._run(command)

    def _file(self, command):
        """Its steps are in a file of its own."""
        if command.split(" ")[0] in ("M92", "M500", "M501", "M503", "M85", "M155"):
            return [f"// Unknown command: {command}", "ok"]
        return self._run(command)

    def _brags(self, command):
        return [f"M92 E{'9' * 400}", "ok"] if command == "M92" else self._run(command)

    def _whispers(self, command):
        return ["M92 E1e-07", "ok"] if command == "M92" else self._run(command)

    def _runs_out(self, command):
        """Its filament ends, once."""
        said = self._run(command)
        if not command.startswith("G1"):
            return said
        self.mischief = ""
        return ["//action:out_of_filament T0", *said]

    def _waits(self, command):
        """It waits for somebody, and answers only when told to go on (M108)."""
        if not command.startswith("G1"):
            return self._run(command)
        self.mischief = ""
        self.last -= 1
        return ["busy: paused for user"]

    def _storm(self):
        return [f"Resend: {self.last + 1}", "ok"]


@contextmanager
def served(board, fast=1.0):
    """Serve a board over TCP in our own time, ``fast`` times over; yield its port."""
    listening = socket.create_server(("127.0.0.1", 0))
    ended = threading.Event()

    def serve():
        with suppress(OSError):
            while not ended.is_set():
                spoken, _ = listening.accept()
                with spoken, suppress(OSError):
                    _converse(spoken, board, ended, fast)

    thread = threading.Thread(target=serve)
    thread.start()
    try:
        yield f"socket://127.0.0.1:{listening.getsockname()[1]}"
    finally:
        ended.set()
        listening.shutdown(socket.SHUT_RDWR)
        listening.close()
        thread.join(10)


def _converse(spoken, board, ended, fast):
    spoken.settimeout(0.02)
    rest, then_s = b"", time.monotonic()
    while not ended.is_set():
        now_s = time.monotonic()
        board.pass_time(fast * (now_s - then_s))
        then_s = now_s
        try:
            data = spoken.recv(4096)
        except TimeoutError:
            continue
        if not data:
            return
        *lines, rest = (rest + data).split(b"\n")
        for line in lines:
            for said in board.take(line.decode("latin-1")):
                spoken.sendall(f"{said}\n".encode())
