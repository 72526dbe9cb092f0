"""What of a head's lines are walls, and which of these are seen from outside."""

from typing import NamedTuple


class Walls(NamedTuple):
    """The lines of one head, in mm over the layers looked at: walls seen from outside, walls that
    are not, and all else."""

    tool: int
    outer_mm: float
    inner_mm: float
    other_mm: float

    @property
    def outer_share(self) -> float:
        """The part of its walls that is seen from outside."""
        walls = self.outer_mm + self.inner_mm
        return self.outer_mm / walls if walls else 0.0
