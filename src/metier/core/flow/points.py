"""Walls as shares delivered over dosed, at the speeds and temperatures they were printed at."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.walls import TEXTURE_MM, DosedWall, covariance
from metier.core.refusal import Refusal


class Place(NamedTuple):
    """A speed in mm/s and a temperature in °C, None where nobody noted one."""

    speed_mm_s: float
    temperature_c: float | None


class Points(NamedTuple):
    """Shares found at places, the flow each was printed at (a ratio), and what their errors have
    in common, pair by pair."""

    places: tuple[Place, ...]
    flows: tuple[float, ...]
    shares: tuple[float, ...]
    common: tuple[tuple[float, ...], ...]

    def of(self, wanted: Sequence[int]) -> "Points":
        """Return those of these numbers alone."""
        return Points(
            tuple(self.places[i] for i in wanted),
            tuple(self.flows[i] for i in wanted),
            tuple(self.shares[i] for i in wanted),
            tuple(tuple(self.common[i][j] for j in wanted) for i in wanted),
        )


def points_of(walls: Sequence[DosedWall], places: Sequence[Place], print_scatter: float) -> Points:
    """Return walls as shares at the places where they were printed.

    Each wall tells its share, texture's usual part taken off. How starved lines share what is
    lacking nobody knows: anything from keeping their distance to shrinking together, all alike.

    Raises:
        Refusal: a wall thinner than its lines could be.
    """
    shares, slopes, open_to = [], [], []
    for wall in walls:
        most, share, least = (_share_of(wall, starved) for starved in (0.0, 0.5, 1.0))
        step = 0.001 * share
        slopes.append((wall.lines_mm(share + step) - wall.lines_mm(share - step)) / (2 * step))
        shares.append((most + least) / 2)
        open_to.append((most - least) / math.sqrt(12))
    common = covariance(walls, print_scatter)
    return Points(
        tuple(places),
        tuple(wall.area_mm2 / wall.layer_mm / wall.spacing_mm for wall in walls),
        tuple(shares),
        tuple(
            tuple(
                each / slopes[i] / slopes[j] + open_to[i] * open_to[j] for j, each in enumerate(row)
            )
            for i, row in enumerate(common)
        ),
    )


def _share_of(wall: DosedWall, starved: float) -> float:
    """Return the share that a wall tells: lines grow with it, so halving finds it."""
    low, high = 0.05, 4.0
    wanted_mm = wall.wall_mm - TEXTURE_MM
    if not wall.lines_mm(low, starved) < wanted_mm < wall.lines_mm(high, starved):
        if starved == 0.0 and wanted_mm < wall.lines_mm(high, starved):
            # So thin a wall cannot be of lines that kept their distance.
            return _share_of(wall, 0.5)
        raise Refusal(f"a wall of {wall.wall_mm:.3f} mm is not of the lines it was printed with")
    for _ in range(50):
        middle = (low + high) / 2
        low, high = (middle, high) if wall.lines_mm(middle, starved) < wanted_mm else (low, middle)
    return (low + high) / 2
