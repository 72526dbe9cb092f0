"""The stand-in as one machine: its board, what it printed, and its memory card."""

import random
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.errors import BadInput, Failure
from metier.standin import dialect
from metier.standin.firmware import Firmware
from metier.standin.folder import StandinFolder, State
from metier.standin.physics import PrintedLine, PrintRecord
from metier.standin.printed import Luck, Printed
from metier.standin.truth import FILAMENTS, Filament, Fitted, Item, truth_of

# What a board loses when it loses power, and what it says when it is back.
GREETING = "start"
# Places to a thousandth of a micrometre, as they are reckoned with.
_AS_WRITTEN = "%.9g"


def luck_of(state: State, number: int) -> Luck:
    """Return what is peculiar to the print of that number."""
    luck, frame = random.Random(f"{state.seed} print {number}"), state.truth.frame
    plastic, melt = luck.gauss(1, frame.print_spread), luck.gauss(1, frame.melt_spread)
    return Luck(frame.another_print(luck), plastic, melt)


def printed_of(folder: StandinFolder, state: State, record: PrintRecord) -> Printed:
    """Return a print as it lies on the bed.

    Raises:
        Failure: its lines are lost.
    """
    path = folder.lines_of(record.number)
    try:
        lines = read_lines(path)
    except (OSError, ValueError):
        raise Failure(f"{path} cannot be read: print it again") from None
    return Printed(lines, truth_of(state.seed, record.fitted), luck_of(state, record.number))


def write_lines(path: str, lines: Sequence[PrintedLine]) -> None:
    """Write the lines of a print as a table (CSV, RFC 4180)."""
    names = ",".join(PrintedLine._fields)
    np.savetxt(path, np.array(lines, float), _AS_WRITTEN, ",", header=names, comments="")


def read_lines(path: str) -> NDArray[np.float64]:
    """Return the lines of a print, a row each.

    Raises:
        OSError, ValueError: there is no such table.
    """
    return np.loadtxt(path, delimiter=",", skiprows=1, ndmin=2)


class Machine:
    """A board that is kept in a folder."""

    def __init__(self, folder: StandinFolder, state: State) -> None:
        self._folder, self._state = folder, state
        self.board = Firmware(state.truth, state.memory, along_mm=state.along_mm)
        self._kept_fed = 0

    def settle(self) -> None:
        """Keep what is done: lengths fed, and a print that has come to its end."""
        board = self.board
        changed = self._state.memory != board.memory
        if board.ended:
            self._keep_print(whole=True)
            changed = True
        if len(board.fed) > self._kept_fed:
            self._state = self._state._replace(fed=(*self._state.fed, *board.fed[self._kept_fed :]))
            self._kept_fed = len(board.fed)
            changed = True
        if changed:
            self.save()

    def save(self) -> None:
        """Keep all of it."""
        board = self.board
        self._state = self._state.keeping(board.memory)._replace(along_mm=board.along_mm)
        self._folder.save(self._state)

    def power_cut(self) -> None:
        """Lose power, and have it back."""
        self._keep_print(whole=False)
        self.board.power_cut()
        self.save()

    def swap(self, item: Item, filament: Filament | None, bore_mm: float | None) -> None:
        """Fit another item of a sort."""
        self._keep_print(whole=False)
        self._state = swapped(self._state, item, filament, bore_mm)
        self.board.truth = self._state.truth
        self.board.memory = self._state.memory
        if item == "roll":
            self.board.along_mm = 0.0
        self.save()

    def _keep_print(self, whole: bool) -> None:
        board = self.board
        if not board.lines:
            return
        number = len(self._state.prints) + 1
        write_lines(self._folder.lines_of(number), board.lines)
        minutes = (board.moving_s - board.begun_s) / 60
        record = PrintRecord(number, minutes, self._state.fitted, whole)
        self._state = self._state._replace(prints=(*self._state.prints, record))
        board.lines, board.ended = [], False


def swapped(
    state: State, item: Item, filament: Filament | None = None, bore_mm: float | None = None
) -> State:
    """Return a stand-in with another item of a sort; a new board knows only what it comes with."""
    fitted = state.fitted._replace(**{item: getattr(state.fitted, item) + 1})
    if filament:
        fitted = fitted._replace(filament=filament)
    if bore_mm:
        fitted = fitted._replace(bore_mm=bore_mm)
    state = state._replace(fitted=Fitted(*fitted))
    if item == "board":
        fresh = state.memory
        fresh.steps = fresh.stored_steps = state.truth.board.factory_steps
        state = state.keeping(fresh)
    if item == "roll":
        state = state._replace(along_mm=0.0)
    return state


def filament_named(name: str) -> Filament | None:
    """Return a sort of filament; None for none."""
    return next((filament for filament in FILAMENTS if filament == name), None)


# No line of G-code is longer; and no heater is waited for longer, in its time.
_LONGEST_LINE, _HOTTEST_S = 4096, 7200.0


# How many lines it prints before it looks whether it is stopped.
_LOOKS_UP = 500


class OffCard(NamedTuple):
    """What was printed: how many lines, and how many minutes it took in its time."""

    lines: int
    minutes: float


def print_card(machine: Machine, path: str, stopped: Callable[[], bool]) -> OffCard:
    """Print a file from end to end, or until it is ``stopped``, which is no print then.

    Raises:
        BadInput: it cannot be read, or was stopped.
    """
    board, count = machine.board, 0
    begun_s = board.now_s
    try:
        with open(path, encoding="ascii", errors="replace") as file:
            while line := file.readline(_LONGEST_LINE):
                command = line.partition(";")[0].strip()
                if command:
                    count += 1
                    _do(machine, command)
                if count % _LOOKS_UP == 0 and stopped():
                    machine.power_cut()
                    raise BadInput("it was stopped in the middle")
    except OSError as error:
        raise BadInput(f"cannot read {path}: {error.strerror}") from None
    board.pass_time_to(board.idle_at_s)
    board.finish_print()
    machine.settle()
    return OffCard(count, (board.now_s - begun_s) / 60)


def _do(machine: Machine, command: str) -> None:
    board = machine.board
    _, until_s = dialect.run(board, command)
    board.pass_time_to(until_s)
    given_up_s = board.now_s + _HOTTEST_S
    while dialect.waits(board, command) and board.now_s < given_up_s:
        board.pass_time_to(board.now_s + 1.0)
    machine.settle()
