"""The cubes before a cube, and what else the logbook knows that bears on it."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.correction import as_cube_wall
from metier.core.flow.trend import CubeWall
from metier.core.measure.readings import Estimate
from metier.core.measure.thresholds import same
from metier.core.values import temperature_matters
from metier.core.verdicts import VerdictName
from metier.logbook.plain import from_plain
from metier.logbook.spools import Spool
from metier.logbook.trials import Trial
from metier.trials.flow.kept import Found
from metier.trials.flow.settings import FlowSettings


class EarlierCube(NamedTuple):
    """A cube measured before this one."""

    number: int
    settings: FlowSettings
    speed_mm_s: float | None
    temperature_c: float | None
    found: Found
    verdict: VerdictName | None

    @classmethod
    def of(cls, trial: Trial, settings: FlowSettings) -> "EarlierCube":
        """Return a recorded trial as a cube before another."""
        found = from_plain(Found, trial.findings)
        speed_mm_s = trial.conditions.speed_mm_s
        heat = trial.temperature_c
        return cls(trial.number, settings, speed_mm_s, heat, found, trial.verdict)

    @property
    def off_mm(self) -> float:
        """How far its wall was off."""
        return self.found.wall_mm - self.found.target_mm

    def as_wall(self) -> CubeWall:
        """Return it as a point of the trend."""
        found = self.found
        wall = Estimate(
            found.wall_mm, found.wall_u_mm, 0.0, found.wall_u95_mm, found.wall_readings, 0.0
        )
        return as_cube_wall(wall, self.settings.instrument_mm, self.settings.cube.flow)


class FlowContext(NamedTuple):
    """The cubes before on this bench, newest first, and what else bears on this one.

    ``suspects`` are the things that the record gives cause to look at after a recheck.
    """

    earlier: tuple[EarlierCube, ...]
    spool: Spool | None
    speed_mm_s: float | None
    temperature_c: float | None
    suspects: tuple[str, ...]
    strand: str | None
    strand_factor: float | None

    def like(self, settings: FlowSettings) -> list[EarlierCube]:
        """Return the cubes before that were like this one, and printed likewise."""
        return [one for one in self.earlier if settings.like(one.settings) and self._alike(one)]

    def _alike(self, cube: EarlierCube) -> bool:
        at, now = cube.speed_mm_s, self.speed_mm_s
        foaming = bool(self.spool and self.spool.foaming)
        heat = temperature_matters(cube.temperature_c, self.temperature_c, foaming)
        return (at is None or now is None or same(at, now)) and not heat


def offs_mm(like: Sequence[EarlierCube]) -> list[float]:
    """Return how far the cubes before were off, oldest first, since one was right."""
    offs: list[float] = []
    for cube in like:
        if cube.verdict == "keep":
            break
        offs.append(cube.off_mm)
    return offs[::-1]
