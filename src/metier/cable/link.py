"""A printer that answers: each command is numbered, sent with a checksum, and done once, whatever
the line drops, garbles or repeats. Its guard hears all of it."""

from collections import deque
from collections.abc import Callable

from metier.cable.guard import Guard, commands_of, numbered
from metier.cable.log import CableLog
from metier.cable.port import CableFailure, Line, LineLost, ResetInTheMiddle, TooCold
from metier.cable.replies import Reply, idle_in, reply_of

# A board that resets when it is spoken to takes some seconds to come up.
_COMES_UP_S, _ASKED_EVERY_S = 20.0, 1.5
# Without an answer for so long a line is sent again, the first time by how long answers took
# lately, so that a slow move is waited for.
_PATIENCE_S = (2.0, 4.0, 8.0, 16.0, 32.0, 60.0)
_LEAST_S, _AS_LATELY, _FORGETS = 0.4, 4.0, 0.9
# After so long a command is given up: what is answered at once, whatever else is said meanwhile;
# what takes its time, without any sign of life, and in all.
_AT_ONCE_S, _SILENT_S, _IN_ALL_S = 30.0, 120.0, 3600.0
_AT_ONCE = {
    f"M{number}"
    for number in (85, 92, 104, 105, 106, 107, 110, 115, 140, 155, 220, 221, 500, 501, 503)
}
# What is answered by a report of the heat, or waits for it and reports it meanwhile.
_TELLS_HEAT = {"M105", "M109", "M116", "M190", "M191", "M303"}
# How often a board reports its heat by itself; after how long without a move it switches off by
# itself, where it can: longer than any bed takes to get hot.
_REPORTS_S, _IDLE_S = 2, 1800
# Of what is said to one command, so much is listened to.
_SAID_MOST = 500
# How long a printer may take to answer again once what it waited for was cut off.
_RESTARTED_S = 10.0
# What is under way when a line is asked for again is waited for.
_QUIET_S, _DRAINED_S = 0.15, 2.0
# Lines that may be asked for again. Whoever asks for older ones has begun anew.
_REMEMBERED = 64
_AGAIN_MOST, _AGAIN_OF_ONE = 40, 20
_ODD_MOST = 3

Heard = Callable[[Reply], None]


def _unheard(_: Reply) -> None:
    """Nobody listens to what else is said."""


def _nobody_there(reply: Reply) -> None:
    raise CableFailure(f"the printer asks for a pause («{reply.text[:80]}»)")


class Link:
    """A printer at the other end of a line, ready to take commands.

    A command that has its number already is not run again by a printer, so sending it once more
    is safe. ``heard`` is told of each line that is no answer, ``paused`` of a pause that the
    printer asks for: it returns where printing goes on, else raises.
    """

    def __init__(self, port: Line, log: CableLog | None = None, guard: Guard | None = None) -> None:
        self._port, self._log = port, log
        self.guard = guard or Guard()
        self._number = 0
        self._sent: deque[tuple[int, str]] = deque(maxlen=_REMEMBERED)
        self.again = 0
        # Lines sent twice unasked: the printer will object to each that came twice.
        self._spare = 0
        # How often in a row a line was asked for that cannot be meant.
        self._odd = 0
        # The longest that an answer took lately.
        self._slowest_s = _PATIENCE_S[0]
        # Whether a command waits for its answer, and which: cut off there, counting begins anew.
        self.asking, self._command = False, ""
        # The board's own limit for inactivity, while ours is set.
        self._before_s: float | None = None
        self.heard: Heard = _unheard
        self.paused: Heard = _nobody_there

    def close(self) -> None:
        """Let go of the line."""
        self._port.close()
        if self._log:
            self._log.close()

    def now_s(self) -> float:
        """Return the time by the clock of the line."""
        return self._port.now_s()

    def meet(self, patience_s: float = _COMES_UP_S) -> None:
        """Wait until the printer answers, and begin to count lines, or begin anew.

        Raises:
            CableFailure: it does not.
        """
        until = self.now_s() + patience_s
        self._number, self._spare, self.asking = 0, 0, False
        self._sent.clear()
        heard = 0
        while self.now_s() < until:
            self._port.send(numbered(0, "M110 N0"))
            asked_s = self.now_s()
            while self.now_s() < asked_s + _ASKED_EVERY_S:
                text = self._receive_first()
                if text is None:
                    continue
                heard += 1
                kind = reply_of(text).kind
                if kind in ("resend", "again"):
                    # It came garbled, and the ok behind that is none.
                    self._drain()
                    break
                if kind == "ok":
                    self._drain()
                    return
        if heard or self._port.gibberish:
            raise CableFailure(
                f"{self._port.name} says nothing that can be understood: is --baud right, and is "
                "it a printer?"
            )
        raise CableFailure(
            f"{self._port.name} does not answer: is the printer on, and not busy with a print?"
        )

    def _receive_first(self) -> str | None:
        try:
            return self._receive(_ASKED_EVERY_S / 3)
        except LineLost:
            raise CableFailure(
                f"{self._port.name} closed the line at once: another program speaks to it, or it "
                "is no printer"
            ) from None

    def ask(self, command: str, takes_s: float = 0.0, silent_s: float | None = None) -> list[str]:
        """Have a command done, which itself takes so long, and return what the printer said to it.

        It is given up after ``silent_s`` without a sign of life.

        Raises:
            CableFailure: it does not answer, reports an error, or began anew.
            HeaterFault: a heater does what it should not.
            TooCold: it is too cold to feed.
        """
        if self._before_s is None and self.guard.would_heat(command):
            self.watch()
        self._number += 1
        self._sent.append((self._number, command))
        first = next(iter(commands_of(command)), None)
        self._command = first.code if first else ""
        self.asking = True
        self._write(self._number)
        said = self._answered(command, takes_s, silent_s or _SILENT_S)
        self.asking = False
        self.guard.look(self.now_s(), polled=self._command == "M105")
        return said

    def watch(self) -> None:
        """Have the board report its heat by itself, and switch off by itself should nobody speak
        to it any more, where it can."""
        self._before_s = 0.0
        self._before_s = idle_in(self.ask("M85")) or 0.0
        self.ask(f"M85 S{_IDLE_S}")
        self.ask(f"M155 S{_REPORTS_S}")

    def unwatch(self) -> None:
        """Leave the board as it was before."""
        if self._before_s is not None:
            self.ask("M155 S0")
            self.ask(f"M85 S{self._before_s:g}")
            self._before_s = None

    def _answered(self, command: str, takes_s: float, silent_s: float) -> list[str]:
        """Wait for the answer, sending again what was lost."""
        asked_s = lived_s = self.now_s()
        at_once = self._command in _AT_ONCE
        due_s = asked_s + takes_s + self._patience_s
        said: deque[str] = deque(maxlen=_SAID_MOST)
        tries, again, cold = 0, self.again, False
        pause: Reply | None = None
        # A line that lost its number is a command that no board knows, and is answered all the
        # same: it is sent once more. A board that had understood its number objects to that.
        unknown, doubted = False, False
        while True:
            now_s = self.now_s()
            gone_s = now_s - asked_s - takes_s
            if gone_s > (_AT_ONCE_S if at_once else _IN_ALL_S) or (
                not at_once and now_s - lived_s > takes_s + silent_s
            ):
                raise CableFailure(
                    f"{self._port.name} no longer answers (to {command[:40]}): is the printer "
                    "still on?"
                )
            if self.again - again > _AGAIN_OF_ONE:
                raise self._garbled()
            text = self._receive(max(0.0, due_s - now_s))
            if text is None:
                tries += 1
                self._spare += 1
                self._write(self._number)
                due_s = self.now_s() + _PATIENCE_S[min(tries, len(_PATIENCE_S) - 1)]
                if at_once:
                    due_s = min(due_s, asked_s + takes_s + _AT_ONCE_S)
                continue
            reply = reply_of(text)
            if reply.kind == "ok":
                if unknown and not doubted:
                    doubted = True
                    self._spare += 1
                    self._write(self._number)
                    continue
                self._odd = 0
                took_s = self.now_s() - asked_s - takes_s
                self._slowest_s = max(took_s, _FORGETS * self._slowest_s)
                if cold:
                    raise TooCold("the nozzle is too cold to feed")
                if pause:
                    self.asking = False
                    self.paused(pause)
                return [*said, text]
            if reply.kind in ("resend", "again"):
                if self._answered_again(reply):
                    return list(said)
                due_s = self.now_s() + self._patience_s
                continue
            if reply.kind in ("busy", "heat"):
                # It lives; other chatter is no sign of that.
                lived_s = self.now_s()
            if reply.kind == "busy":
                # And it is at work on that line.
                due_s = max(due_s, lived_s + _PATIENCE_S[1])
            said.append(text)
            cold = cold or reply.kind == "cold"
            unknown = unknown or reply.kind == "unknown"
            self._check(reply, command)
            if reply.kind == "pause":
                pause = reply
            if reply.kind == "waits":
                # It answers only once somebody was there.
                self.paused(reply)
                self.restart()
                return [*said, text]
            self.heard(reply)

    def rest(self, seconds: float) -> None:
        """Let time go by, and listen to what is said unasked.

        Raises:
            CableFailure: the printer began anew, or reports an error.
            HeaterFault: a heater does what it should not.
        """
        until_s = self.now_s() + seconds
        while (left_s := until_s - self.now_s()) > 0:
            text = self._receive(left_s)
            if text is not None:
                reply = reply_of(text)
                self._check(reply, "")
                self.heard(reply)

    def idle(self) -> None:
        """Look at the heaters while somebody is waited for.

        Raises:
            CableFailure, HeaterFault: as `rest`.
        """
        self.rest(_QUIET_S)
        if not self.asking:
            self.ask("M105")

    def hurry(self, command: str) -> None:
        """Say something that does not wait its turn, such as that heating is not waited for, and
        pass over the answers that were still to come."""
        self._port.send(command)
        self._drain()

    @property
    def _patience_s(self) -> float:
        return min(max(_AS_LATELY * self._slowest_s, _LEAST_S), _PATIENCE_S[0])

    def restart(self) -> None:
        """Begin to count anew after something was cut off in the middle of its answer.

        Raises:
            CableFailure: the printer does not answer any more.
        """
        self.hurry("M108")
        self.meet(_RESTARTED_S)

    def _check(self, reply: Reply, command: str) -> None:
        """Refuse to go on where the printer cannot; what is switched off is, whatever it says.

        Raises:
            CableFailure: why.
        """
        if self.guard.ending:
            return
        if reply.kind == "start":
            raise ResetInTheMiddle("the printer began anew in the middle")
        if reply.kind == "error":
            at = f" (at {command[:40]})" if command else ""
            raise CableFailure(f"the printer reports «{reply.text[:100]}»{at}")

    def _answered_again(self, reply: Reply) -> bool:
        """Send again what is asked for; tell whether the newest command is done already."""
        wanted, more = self._settled(reply)
        if wanted is None:
            # Which line is meant got lost: the newest, in all likelihood.
            wanted = self._number
        oldest = self._sent[0][0]
        if wanted > self._number + 1 or wanted < oldest or (wanted == 1 and self._number > 3):
            # A number may be garbled once; a board that has begun anew keeps to it.
            self._odd += 1
            if self._odd == _ODD_MOST:
                raise ResetInTheMiddle("the printer began anew in the middle")
            wanted = self._number
        # It objects to a line that came twice, or an answer to the newest came behind.
        twice = self._spare > 0 and "checksum" not in reply.text.lower()
        if wanted > self._number or (wanted == self._number and (more or twice)):
            self._spare = max(0, self._spare - 1)
            return wanted > self._number or more
        self.again += 1
        if self.again > _AGAIN_MOST and self.again > self._number / 4:
            raise self._garbled()
        for number in range(wanted, self._number + 1):
            self._write(number)
            if number < self._number and not self._taken():
                return False
        return False

    def _garbled(self) -> CableFailure:
        return CableFailure(
            f"the line to {self._port.name} garbles too much: another cable, or away from motors "
            "and mains"
        )

    def _settled(self, reply: Reply) -> tuple[int | None, bool]:
        """Return which line is wanted, once all that is under way has come; and whether more than
        the answer that belongs to it did."""
        wanted, answers = reply.line, 0
        end_s = self.now_s() + _DRAINED_S
        until_s = self.now_s() + _QUIET_S
        while (text := self._receive(max(0.0, min(until_s, end_s) - self.now_s()))) is not None:
            more = reply_of(text)
            if more.kind == "ok":
                answers += 1
            elif more.kind in ("resend", "again") and more.line is not None:
                wanted = more.line if wanted is None else max(wanted, more.line)
                answers = 0
            else:
                self._check(more, "")
            if self.now_s() > end_s:
                break
            if more.kind in ("ok", "resend", "again"):
                until_s = self.now_s() + _QUIET_S
        return wanted, answers > 1

    def _taken(self) -> bool:
        """Wait for the answer to an older line that was sent again."""
        until_s = self.now_s() + _PATIENCE_S[0]
        while (text := self._receive(max(0.0, until_s - self.now_s()))) is not None:
            kind = reply_of(text).kind
            if kind == "ok":
                return True
            if kind in ("resend", "again") or self.now_s() > until_s:
                return False
        return False

    def _drain(self) -> None:
        until_s = self.now_s() + _DRAINED_S
        while self._receive(_QUIET_S) is not None and self.now_s() < until_s:
            continue

    def _receive(self, patience_s: float) -> str | None:
        """Return the next line; the guard hears it, and looks at the clock."""
        text = self._port.receive(patience_s)
        if text is not None:
            unasked = not (self.asking and self._command in _TELLS_HEAT)
            self.guard.came(text, self.now_s(), unasked=unasked)
        self.guard.look(self.now_s(), polled=False)
        return text

    def _write(self, number: int) -> None:
        command = next(text for sent, text in self._sent if sent == number)
        self.guard.sent(command, self.now_s())
        self._port.send(numbered(number, command))
