"""A stand-in with its folder: what its board does is kept, print by print."""

import random
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from metier.failure import Failure
from metier.standin.firmware import Firmware
from metier.standin.folder import StandinFolder, State
from metier.standin.printed import Luck, Printed
from metier.standin.records import PrintedLine, PrintRecord
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
    return next((one for one in FILAMENTS if one == name), None)
