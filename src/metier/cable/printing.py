"""A file streamed to a printer, line by line; heat is waited for here, where the guard sees it."""

from collections import deque
from collections.abc import Callable, Iterator
from typing import NamedTuple

from metier.cable.failure import CableFailure
from metier.cable.gcode_line import commands_of
from metier.cable.job import JobLine, Survey
from metier.cable.link import Link
from metier.cable.replies import Heat, Reply, heat_in
from metier.cable.talking import wait_for
from metier.core.refusal import Refusal

_HEAT_EVERY_S, _TOLD_EVERY_S = 2.0, 0.5
# Moves that a board may still have to do when it takes another; how much slower than at the speeds
# of the file they may be; and how long it may be silent beyond that.
_WAITING, _SLOWER, _SILENT_S = 64, 3.0, 30.0
_MOVES = ("G0", "G1", "G2", "G3")
# Commands that wait for heat on the board, and those that only tell it.
_WAITS = {"M109": "M104", "M190": "M140"}


class Progress(NamedTuple):
    """How far a print is: lines, the seconds that its moves take in all and up to here, heat."""

    done: int
    of: int
    done_s: float
    of_s: float
    height_mm: float
    heat: Heat | None


class Printed(NamedTuple):
    """What was streamed: lines, how many of them again, how long it took, up to which height."""

    lines: int
    again: int
    time_s: float
    height_mm: float


class CutShort(CableFailure):
    """A print that was not finished; says why and how far it came."""


# Told what a printer that asks for a pause says, and the height: returns where printing goes on.
Asked = Callable[[str, float], bool]


class Job:
    """One file on its way to the printer."""

    def __init__(
        self, link: Link, survey: Survey, watch: Callable[[Progress], None], asked: Asked
    ) -> None:
        self._link, self._survey = link, survey
        self._watch, self._asked = watch, asked
        self._heat: Heat | None = None
        self._line = JobLine("", 0, 0.0, 0.0, False)
        self._done = 0
        self._told_s = self._polled_s = link.now_s()
        # When the moves that may still wait their turn would be done, by the speeds of the file.
        self._ends_s: deque[float] = deque([0.0], maxlen=_WAITING)

    def print(self, lines: Iterator[JobLine]) -> Printed:
        """Stream it to its end.

        Raises:
            CutShort: it came to no good end, or the user stopped it.
        """
        begun_s = self._link.now_s()
        self._link.heard, self._link.paused = self._heard, self._paused
        try:
            for line in lines:
                self._send(line)
                self._line, self._done = line, self._done + 1
                if self._link.now_s() - self._polled_s > _HEAT_EVERY_S:
                    self._poll()
                self._tell()
            self._link.ask("M400", silent_s=self._patience_s(self._line))
        except (CableFailure, Refusal) as failure:
            raise CutShort(f"{failure}: {self._stopped_at()}") from None
        except KeyboardInterrupt:
            raise CutShort(f"stopped: {self._stopped_at()}") from None
        took_s = self._link.now_s() - begun_s
        return Printed(self._done, self._link.again, took_s, self._line.height_mm)

    def _stopped_at(self) -> str:
        of = self._survey.lines
        return f"printed up to {self._line.height_mm:g} mm (line {self._done} of {of})"

    def _send(self, line: JobLine) -> None:
        code = next((command.code for command in commands_of(line.command)), "")
        if code in _WAITS and self._wait(line.command, code):
            return
        self._link.ask(line.command, silent_s=self._patience_s(line) if code in _MOVES else None)
        self._ends_s.append(line.until_s)

    def _patience_s(self, line: JobLine) -> float:
        """Return how long a board may be silent that does the moves before this one."""
        return _SLOWER * (line.until_s - self._ends_s[0]) + _SILENT_S

    def _wait(self, text: str, code: str) -> bool:
        """Tell a heater what it is to reach, and wait for it; False where the board has to, since
        it does not say how hot that one is."""
        guard = self._link.guard
        command = commands_of(text)[0]
        heater, target_c = guard.target_of(command)
        self._poll()
        if target_c is None or guard.now_c(heater) is None:
            return False
        told = f"{_WAITS[code]} S{target_c:g}"
        self._link.ask(told if heater in ("B", guard.nozzle) else f"{told} T{heater[1:]}")
        if target_c > 0:
            wait_for(self._link, heater, target_c, self._poll, cools="R" in command.words)
        return True

    def _poll(self) -> None:
        self._heat = heat_in(self._link.ask("M105")) or self._heat
        self._polled_s = self._link.now_s()
        self._tell()

    def _heard(self, reply: Reply) -> None:
        # While it is at work, a printer reports its heat unasked.
        self._heat = heat_in([reply.text]) or self._heat
        self._tell()

    def _paused(self, reply: Reply) -> None:
        if not self._asked(reply.text, self._line.height_mm):
            raise CableFailure(f"the printer asked for a pause («{reply.text[:80]}»)")

    def _tell(self) -> None:
        if self._link.now_s() - self._told_s < _TOLD_EVERY_S and self._done:
            return
        self._told_s = self._link.now_s()
        line, survey = self._line, self._survey
        self._watch(
            Progress(
                self._done, survey.lines, line.until_s, survey.time_s, line.height_mm, self._heat
            )
        )
