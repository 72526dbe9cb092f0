"""The moves of a sliced job as arrays: where each ends, what it extrudes, how fast, what it is."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

TRAVEL, PRINT, RETRACT, PRIME, JUMP = range(5)


class Moves(NamedTuple):
    """Moves in order, one an entry; each begins where the one before ends.

    ``x y z`` are where it ends (mm), ``e`` how much filament it feeds (mm, below zero when it is
    drawn back), ``feed`` its speed (mm/s), ``acceleration`` as the file sets it (mm/s², NaN where
    it does not), ``kind`` one of the above and ``tool`` the head that makes it. A JUMP only names
    a place anew. The first entry is the start and moves nothing.
    """

    x: NDArray[np.float64]
    y: NDArray[np.float64]
    z: NDArray[np.float64]
    e: NDArray[np.float64]
    feed: NDArray[np.float64]
    acceleration: NDArray[np.float32]
    kind: NDArray[np.uint8]
    tool: NDArray[np.uint8]

    @property
    def entries(self) -> int:
        """How many entries there are."""
        return len(self.x)

    def steps(self) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Return how far each goes along x, y and z; a JUMP goes nowhere."""
        still = self.kind == JUMP
        found = []
        for end in (self.x, self.y, self.z):
            step = np.diff(end, prepend=end[:1])
            step[still] = 0.0
            found.append(step)
        return found[0], found[1], found[2]

    def length_mm(self) -> NDArray[np.float64]:
        """Return how far each goes."""
        dx, dy, dz = self.steps()
        length: NDArray[np.float64] = np.sqrt(dx * dx + dy * dy + dz * dz)
        return length

    def of_tool(self, tool: int) -> "Moves":
        """Return what one head prints: the moves of the others extrude nothing."""
        mine = self.tool == tool
        return self._replace(
            e=np.where(mine, self.e, 0.0),
            kind=np.where(mine | (self.kind == JUMP), self.kind, TRAVEL).astype(np.uint8),
        )


def kinds_of(
    dx: NDArray[np.float64], dy: NDArray[np.float64], e: NDArray[np.float64]
) -> NDArray[np.uint8]:
    """Tell printing from travel, drawing back, and priming (feeding in place)."""
    across = (np.abs(dx) > 1e-9) | (np.abs(dy) > 1e-9)
    kind = np.full(len(e), TRAVEL, np.uint8)
    kind[e < 0] = RETRACT
    feeds = e > 0
    kind[feeds & across] = PRINT
    kind[feeds & ~across] = PRIME
    return kind
