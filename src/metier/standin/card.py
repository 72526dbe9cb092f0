"""A file printed off a card in the stand-in: without a cable, and without waiting for its time."""

from collections.abc import Callable
from typing import NamedTuple

from metier.core.refusal import Refusal
from metier.standin import dialect
from metier.standin.machine import Machine

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
        Refusal: it cannot be read, or was stopped.
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
                    raise Refusal("it was stopped in the middle")
    except OSError as error:
        raise Refusal(f"cannot read {path}: {error.strerror}") from None
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
