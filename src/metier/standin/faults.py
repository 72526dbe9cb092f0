"""A bad cable: lines are dropped, garbled or late, and the board resets itself, by seed."""

import random
from typing import Literal, NamedTuple, get_args

Fault = Literal["drop", "garble", "delay", "reset"]
FAULTS: tuple[Fault, ...] = get_args(Fault)

# How often each happens, in lines; and the longest delay.
_EVERY = {"drop": 150, "garble": 120, "delay": 200}
_LATEST_S = 1.5
# A reset comes once, somewhere between these lines.
_RESET_BETWEEN = (300, 900)


class Passed(NamedTuple):
    """What came through of a line, None for nothing, and how much later."""

    text: bytes | None
    late_s: float = 0.0


class Cable:
    """A cable with these faults; with none of them it is a good one."""

    def __init__(self, faults: tuple[Fault, ...], seed: int) -> None:
        self._faults = faults
        self._luck = random.Random(f"{seed} cable")
        self._lines = 0
        self._reset_at = self._luck.randint(*_RESET_BETWEEN) if "reset" in faults else None

    def passes(self, text: bytes) -> Passed:
        """Let a line through, either way."""
        if not self._faults:
            return Passed(text)
        if self._happens("drop"):
            return Passed(None)
        if self._happens("garble") and text.strip():
            place = self._luck.randrange(len(text.rstrip()))
            letter = bytes([self._luck.randrange(33, 127)])
            text = text[:place] + letter + text[place + 1 :]
        late_s = self._luck.uniform(0.1, _LATEST_S) if self._happens("delay") else 0.0
        return Passed(text, late_s)

    def resets(self) -> bool:
        """Count a line that came to the board; tell whether it resets itself now."""
        self._lines += 1
        return self._lines == self._reset_at

    def _happens(self, fault: Fault) -> bool:
        return fault in self._faults and self._luck.random() < 1 / _EVERY[fault]
