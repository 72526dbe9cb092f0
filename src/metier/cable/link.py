"""A printer that answers: each command is numbered, sent with a checksum, and done once, whatever
the line drops, garbles or repeats."""

import time
from collections import deque
from collections.abc import Callable
from contextlib import ExitStack
from functools import reduce
from typing import Self

from metier.cable.failure import CableFailure, LineLost, ResetInTheMiddle, TooCold
from metier.cable.log import CableLog
from metier.cable.port import Port
from metier.cable.replies import Reply, reply_of

# A board that resets when it is spoken to takes some seconds to come up.
_COMES_UP_S, _ASKED_EVERY_S = 20.0, 1.5
# Without an answer for so long a line is sent again, the first time by how long answers took
# lately, so that a slow move is waited for. After all of them without any sign of life, it is given
# up.
_PATIENCE_S = (2.0, 4.0, 8.0, 16.0, 32.0, 60.0)
_LEAST_S, _AS_LATELY, _FORGETS = 0.4, 4.0, 0.9
# What is under way when a line is asked for again is waited for.
# How long a printer may take to answer again once what it waited for was cut off.
_RESTARTED_S = 10.0
_QUIET_S, _DRAINED_S = 0.15, 2.0
# Lines that may be asked for again. Whoever asks for older ones has begun anew.
_REMEMBERED = 64
_AGAIN_MOST = 40
_ODD_MOST = 3

Heard = Callable[[Reply], None]


def _unheard(_: Reply) -> None:
    """Nobody listens to what else is said."""


class Link:
    """A printer at the other end of a line, ready to take commands.

    A command that has its number already is not run again by a printer, so sending it once more
    is safe. ``heard`` is told of each line that is no answer.
    """

    def __init__(self, port: Port, log: CableLog | None = None) -> None:
        self._port, self._log = port, log
        self._number = 0
        self._sent: deque[tuple[int, str]] = deque(maxlen=_REMEMBERED)
        self.again = 0
        # Lines sent twice unasked: the printer will object to each that came twice.
        self._spare = 0
        # How often in a row a line was asked for that cannot be meant.
        self._odd = 0
        # The longest that an answer took lately.
        self._slowest_s = _PATIENCE_S[0]
        self.heard: Heard = _unheard

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the line."""
        self._port.close()
        if self._log:
            self._log.close()

    def meet(self, patience_s: float = _COMES_UP_S) -> None:
        """Wait until the printer answers, and begin to count lines, or begin anew.

        Raises:
            CableFailure: it does not.
        """
        until = time.monotonic() + patience_s
        self._number, self._spare = 0, 0
        self._sent.clear()
        heard = 0
        while time.monotonic() < until:
            self._port.send(numbered(0, "M110 N0"))
            asked = time.monotonic()
            while time.monotonic() < asked + _ASKED_EVERY_S:
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
            return self._port.receive(_ASKED_EVERY_S / 3)
        except LineLost:
            raise CableFailure(
                f"{self._port.name} closed the line at once: another program speaks to it, or it "
                "is no printer"
            ) from None

    def ask(self, command: str, takes_s: float = 0.0) -> list[str]:
        """Have a command done, which itself takes so long, and return what the printer said to it.

        Raises:
            CableFailure: it does not answer, reports an error, or began anew.
            TooCold: it is too cold to feed.
        """
        self._number += 1
        self._sent.append((self._number, command))
        self._write(self._number)
        said: list[str] = []
        tries, silent, cold = 0, 0, False
        # A line that lost its number is a command that no board knows, and is answered all the
        # same: it is sent once more. A board that had understood its number objects to that.
        unknown, doubted = False, False
        asked = time.monotonic()
        due = asked + takes_s + self._patience_s
        while True:
            text = self._port.receive(max(0.0, due - time.monotonic()))
            if text is None:
                tries, silent = tries + 1, silent + 1
                if silent == len(_PATIENCE_S):
                    raise CableFailure(
                        f"{self._port.name} no longer answers (to {command}): is the printer "
                        "still on?"
                    )
                self._spare += 1
                self._write(self._number)
                due = time.monotonic() + _PATIENCE_S[min(tries, len(_PATIENCE_S) - 1)]
                continue
            silent = 0
            reply = reply_of(text)
            if reply.kind == "ok":
                if unknown and not doubted:
                    doubted = True
                    self._spare += 1
                    self._write(self._number)
                    continue
                self._odd = 0
                took_s = time.monotonic() - asked - takes_s
                self._slowest_s = max(took_s, _FORGETS * self._slowest_s)
                if cold:
                    raise TooCold("the nozzle is too cold to feed")
                return [*said, text]
            if reply.kind in ("resend", "again"):
                if self._answered_again(reply):
                    return said
                due = time.monotonic() + self._patience_s
                continue
            if reply.kind == "busy":
                # At work, as it says; other chatter is no sign that the line came.
                due = max(due, time.monotonic() + _PATIENCE_S[1])
            said.append(text)
            cold = cold or reply.kind == "cold"
            unknown = unknown or reply.kind == "unknown"
            self._check(reply, command)
            self.heard(reply)

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
        """Refuse to go on where the printer cannot.

        Raises:
            CableFailure: why.
        """
        if reply.kind == "start":
            raise ResetInTheMiddle("the printer began anew in the middle")
        if reply.kind == "error":
            raise CableFailure(f"the printer reports «{reply.text[:100]}» (at {command[:40]})")

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
            raise CableFailure(
                f"the line to {self._port.name} garbles too much: another cable, or away from "
                "motors and mains"
            )
        for number in range(wanted, self._number + 1):
            self._write(number)
            if number < self._number and not self._taken():
                return False
        return False

    def _settled(self, reply: Reply) -> tuple[int | None, bool]:
        """Return which line is wanted, once all that is under way has come; and whether more than
        the answer that belongs to it did."""
        wanted, answers = reply.line, 0
        until = time.monotonic() + _QUIET_S
        while (text := self._port.receive(max(0.0, until - time.monotonic()))) is not None:
            more = reply_of(text)
            if more.kind == "ok":
                answers += 1
            elif more.kind in ("resend", "again") and more.line is not None:
                wanted = more.line if wanted is None else max(wanted, more.line)
                answers = 0
            else:
                self._check(more, "")
                continue
            until = time.monotonic() + _QUIET_S
        return wanted, answers > 1

    def _taken(self) -> bool:
        """Wait for the answer to an older line that was sent again."""
        while (text := self._port.receive(_PATIENCE_S[0])) is not None:
            kind = reply_of(text).kind
            if kind == "ok":
                return True
            if kind in ("resend", "again"):
                return False
        return False

    def _drain(self) -> None:
        until = time.monotonic() + _DRAINED_S
        while self._port.receive(_QUIET_S) is not None and time.monotonic() < until:
            continue

    def _write(self, number: int) -> None:
        command = next(text for one, text in self._sent if one == number)
        self._port.send(numbered(number, command))


def numbered(number: int, command: str) -> str:
    """Return a command as a line with its number and its checksum: all its bytes by exclusive or.

    >>> numbered(1, "M105")
    'N1 M105*38'
    """
    body = f"N{number} {command}"
    return f"{body}*{reduce(lambda done, byte: done ^ byte, body.encode('ascii', 'replace'), 0)}"


def linked(port: str, baud: int, log: str | None, *, urgent: bool = False) -> Link:
    """Return a printer that answers at a port; with ``urgent`` it does not wait for heat before.

    Raises:
        CableFailure: the port cannot be opened, or nothing answers there.
    """
    with ExitStack() as until_met:
        kept = CableLog(log)
        until_met.callback(kept.close)
        link = Link(Port(port, baud, kept.note), kept)
        until_met.callback(link.close)
        if urgent:
            link.hurry("M108")
        link.meet()
        # From here on whoever asked for it closes it.
        until_met.pop_all()
    return link
