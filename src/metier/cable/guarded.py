"""The line to a printer with all its heaters in hand: whatever ends it, they end up off, or it is
said that they may not."""

import os
import signal
import sys
from contextlib import ExitStack, suppress
from types import FrameType, TracebackType
from typing import NamedTuple

from metier.cable.guard import Guard, Most
from metier.cable.link import Link
from metier.cable.log import CableLog, given_log, own_log
from metier.cable.port import CableFailure, HeaterFault, LineLost, Port
from metier.core.errors import BadInput

OFF = "its heaters are off"
MAY_BE_ON = "the heater may still be on: switch the printer off"
# Whatever ends a program, or stops it where it is.
_SIGNALS = ("SIGINT", "SIGTERM", "SIGHUP", "SIGQUIT", "SIGTSTP", "SIGTTIN", "SIGTTOU", "SIGBREAK",
            "SIGUSR1", "SIGUSR2", "SIGALRM", "SIGVTALRM", "SIGPROF", "SIGXCPU", "SIGXFSZ", "SIGIO",
            "SIGPWR", "SIGSTKFLT")  # fmt: skip
_STOPPING = ("SIGTSTP", "SIGTTIN", "SIGTTOU")


class Signals:
    """What ends or stops a program: the first such signal is a KeyboardInterrupt, and all that
    come after it have to wait until the heaters are off."""

    def __init__(self) -> None:
        self._numbers = {getattr(signal, name): name for name in _SIGNALS if hasattr(signal, name)}
        self._before: dict[int, object] = {}
        self._held = self._ended = False
        self._stops = 0
        # Whether one came just as all was over: it is heeded, and breaks nothing.
        self.late = False

    def catch(self) -> None:
        """Take them from now on."""
        for number in self._numbers:
            # What is ignored on purpose (nohup) stays so.
            if signal.getsignal(number) is not signal.SIG_IGN:
                self._before[number] = signal.signal(number, self._came)

    def hold(self) -> None:
        """Let none of them break what is being done."""
        self._held = True

    def release(self) -> None:
        """Leave them to whoever had them; stop now if one came that stops a program."""
        if self._stops:
            signal.signal(self._stops, signal.SIG_DFL)
            os.kill(os.getpid(), self._stops)
        for number, handler in self._before.items():
            # Whoever presses Ctrl-C again and again has been heard: what is left is to say so.
            again = self._ended and number == signal.SIGINT
            signal.signal(number, signal.SIG_IGN if again else handler)  # type: ignore[arg-type]
        self._before.clear()

    def stops(self) -> bool:
        """Tell whether it is to stop where it is."""
        return bool(self._stops)

    def _came(self, number: int, frame: FrameType | None) -> None:
        if self._held:
            return
        self._held = self._ended = True
        if self._numbers[number] in _STOPPING:
            self._stops = number
        self.late = frame is not None and frame.f_code is Guarded.__exit__.__code__
        if not self.late:
            raise KeyboardInterrupt


class Cable(NamedTuple):
    """Where a printer is spoken to, what its heaters may reach, and where the log of it lies:
    named, else beside the logbook."""

    port: str
    baud: int
    most: Most
    log: str | None = None
    logbook: str | None = None


class Guarded:
    """A printer that answers, as a context: its link, guarded from the first command on.

    ``urgent`` does not wait for heat before, and is for switching off: that it could not is said.
    """

    def __init__(self, cable: Cable, *, urgent: bool = False) -> None:
        self._cable, self._urgent = cable, urgent
        self._signals = Signals()
        self._link: Link | None = None
        # How the heaters are left once it is over: what is on, or that all is off now; empty where
        # they were off throughout.
        self.left = ""

    def __enter__(self) -> Link:
        self._signals.catch()
        try:
            self._link = linked(self._cable, urgent=self._urgent)
            # What was left on is in the guard's hands, too, and stays on where all goes well.
            self._link.ask("M105")
            self._link.guard.keeps = self._link.guard.on
            if self._link.guard.on:
                self._link.watch()
            return self._link
        except BaseException as error:
            self._signals.hold()
            try:
                if self._link is not None:
                    self._leave(error)
                elif self._urgent and isinstance(error, CableFailure):
                    error.args = (f"{error}; {MAY_BE_ON}",)
            finally:
                self._signals.release()
            raise

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._signals.hold()
        try:
            if self._signals.late:
                error = KeyboardInterrupt()
            self._leave(error)
        finally:
            self._signals.release()

    def _leave(self, error: BaseException | None) -> None:
        """Leave it with the heaters as they have to be, and say so.

        Raises:
            CableFailure: it was stopped, or they may be on after all.
        """
        link = self._link
        assert link is not None
        guard = link.guard
        unheard = self._read_back(link) if error is None else None
        error = error or unheard
        # What was told to go off is not off before the printer says so.
        settled = guard.keeps or not guard.ever_on or guard.is_off
        if error is None and settled:
            with suppress(CableFailure):
                link.unwatch()
            link.close()
            self.left = guard.on_in_words()
            return
        if error is not None and guard.is_off and not guard.ever_on:
            # Nothing was ever on.
            link.close()
            if isinstance(error, KeyboardInterrupt):
                raise error
            return
        was_on = guard.on
        off = switched_off(link)
        link.close()
        self.left = (OFF if was_on or error else "") if off else MAY_BE_ON
        if self._signals.stops():
            with suppress(OSError, ValueError):
                print(f"Stopped: {self.left}.", file=sys.stderr, flush=True)
        if isinstance(error, KeyboardInterrupt):
            raise CableFailure(f"stopped: {self.left}") from None
        if isinstance(error, CableFailure | BadInput):
            error.args = (f"{error}; {self.left}",)
        elif isinstance(error, OSError):
            raise CableFailure(f"{error.strerror or error}; {self.left}") from None
        elif error is not None:
            error.add_note(self.left)
        elif not off:
            raise CableFailure(f"the printer does not say that its heaters are off: {MAY_BE_ON}")
        if unheard is not None:
            raise unheard

    def _read_back(self, link: Link) -> CableFailure | None:
        """Have the printer say what is set: what heats without a word, a macro or a tuning, is seen
        by what it leaves. Return what went wrong, where a heater is or was on."""
        try:
            link.ask("M105")
        except HeaterFault as fault:
            return fault
        except CableFailure as failure:
            return failure if link.guard.ever_on else None
        return None


def switched_off(link: Link) -> bool:
    """Switch every heater off; tell whether the printer says that they are."""
    guard = link.guard
    guard.ending = True
    try:
        if link.asking:
            link.restart()
        for attempt in range(2):
            try:
                for command in guard.off_commands():
                    link.ask(command)
                link.ask("M105")
                if guard.is_off:
                    with suppress(CableFailure):
                        link.unwatch()
                    return True
            except LineLost:
                return False
            except CableFailure:
                if attempt == 0:
                    link.restart()
        # Where it listens to nothing else any more it may listen to this.
        link.hurry("M112")
    except CableFailure:
        with suppress(CableFailure):
            link.hurry("M112")
    return False


def linked(cable: Cable, *, urgent: bool = False) -> Link:
    """Return a printer that answers; with ``urgent`` it does not wait for heat before.

    Raises:
        CableFailure: the port cannot be opened, or nothing answers there.
    """
    with ExitStack() as until_met:
        log: CableLog = given_log(cable.log) if cable.log else own_log(cable.logbook)
        until_met.callback(log.close)
        link = Link(Port(cable.port, cable.baud, log.note), log, Guard(cable.most))
        until_met.callback(link.close)
        if urgent:
            link.hurry("M108")
        link.meet()
        # From here on whoever asked for it closes it.
        until_met.pop_all()
    return link
