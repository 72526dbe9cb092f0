"""What a cube is printed and reckoned with, and what the cubes before it tell."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.correction import FlowFinding, FlowRule, as_cube_wall
from metier.core.flow.trend import CubeWall
from metier.core.line.bead import LineModel
from metier.core.line.cube import Cube
from metier.core.measure.readings import Estimate, Instrument
from metier.core.measure.thresholds import Rounding, exceeds, same
from metier.core.values import VALUES, temperature_matters
from metier.core.verdicts import VerdictName
from metier.logbook.plain import from_plain
from metier.logbook.spools import Spool
from metier.logbook.trials import Trial

# Beyond this an older cube was printed on what is no longer the same printer.
_ESTEPS_DRIFT = 0.02


class FlowSettings(NamedTuple):
    """All that a cube is reckoned with besides its readings."""

    width_mm: float
    walls: int
    layer_mm: float
    line_model: LineModel
    aim_mm: float | None
    flow_percent: float
    rule: FlowRule
    accept_percent: tuple[float, float]
    round_to_percent: float
    round: Rounding
    instrument_mm: Instrument
    esteps: float | None

    @property
    def cube(self) -> Cube:
        """The cube as it was printed."""
        return Cube(
            self.width_mm,
            self.walls,
            self.layer_mm,
            self.flow_percent / 100,
            self.line_model,
            self.aim_mm,
        )

    def like(self, other: "FlowSettings") -> bool:
        """Tell whether two cubes are alike but for their flow, on a printer of like e-steps."""
        cube = other.cube._replace(flow=self.cube.flow)
        return cube == self.cube and not self.steps_moved_from(other)

    def steps_moved_from(self, other: "FlowSettings") -> bool:
        """Tell whether e-steps are other ones now than they were for another cube."""
        then, now = other.esteps, self.esteps
        return bool(then and now and exceeds(abs(now / then - 1), _ESTEPS_DRIFT))


class Found(NamedTuple):
    """What a cube was found to be, as far as later cubes and tables ask for it."""

    wall_mm: float
    wall_u95_mm: float
    wall_u_mm: float
    wall_readings: int
    target_mm: float
    flow_now_percent: float
    flow_new_percent: float
    flow_to_type_percent: float | None


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


def findings_of(settings: FlowSettings, finding: FlowFinding) -> dict[str, object]:
    """Return a finding as JSON and the logbook have it."""
    percent = VALUES["flow"].seen
    to_type, trend = finding.flow_to_type, finding.trend
    return {
        "wall_mm": finding.wall.value,
        "wall_u95_mm": finding.wall.u95,
        "wall_u_mm": finding.wall.u,
        "wall_readings": finding.wall.n,
        "target_mm": finding.target_mm,
        "targets_mm": finding.targets_mm._asdict(),
        "line_model": settings.line_model,
        "flow_now_percent": percent(finding.flow_now),
        "flow_new_percent": 100 * finding.flow_new,
        "flow_new_u95_percent": 100 * finding.flow_new_u95,
        "flow_plain_percent": 100 * finding.flow_plain,
        "flow_trend_percent": None if trend is None else 100 * trend.flow,
        "flow_under_percent": {
            model: 100 * ratio for model, ratio in finding.flow_under._asdict().items()
        },
        "flow_to_type_percent": None if to_type is None else percent(to_type),
        "rule": finding.rule,
    }
