"""What the logbook knows of a cube: its settings, the cubes before it, and what they tell."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Any, NamedTuple

from metier.commands.on_bench import OnBench
from metier.core.cube import Cube
from metier.core.dependence import ValueKind, temperature_matters
from metier.core.flow import FlowFinding, as_cube_wall, correct_flow, plausible_flow
from metier.core.readings import Estimate, Instrument
from metier.core.threshold import exceeds, same
from metier.core.trend import CubeWall
from metier.core.wall_signs import drift_note, lines_apart_note
from metier.logbook.bench import Setup
from metier.logbook.spools import Spool, measured_diameter
from metier.logbook.trials import Outcome, Reading, Trial
from metier.show.values import on_screen

# Beyond this an older cube was printed on what is no longer the same printer.
_ESTEPS_DRIFT = 0.02


class Reckoning(NamedTuple):
    """All that a flow trial is reckoned with besides its readings; kept with the trial."""

    cube: Cube
    rule: Any
    accept: tuple[float, float]
    round_step: float
    rounding: Any
    instrument: Instrument
    esteps: float | None

    def settings(self) -> dict[str, Any]:
        """Return it as the logbook keeps it, percentages as people see them."""
        settings = self.cube._asdict()
        settings["flow_percent"] = on_screen("flow", settings.pop("flow"))
        return {
            **settings,
            "rule": self.rule,
            "accept_percent": [round(100 * bound, 9) for bound in self.accept],
            "round_to_percent": on_screen("flow", self.round_step),
            "round": self.rounding,
            "instrument_mm": list(self.instrument),
            "esteps": self.esteps,
        }

    @classmethod
    def of(cls, settings: dict[str, Any]) -> "Reckoning":
        """Return what a measured trial was reckoned with."""
        low, high = settings["accept_percent"]
        return cls(
            cube_of(settings),
            settings["rule"],
            (low / 100, high / 100),
            settings["round_to_percent"] / 100,
            settings["round"],
            Instrument(*settings["instrument_mm"]),
            settings["esteps"],
        )

    def judge(
        self, readings: Sequence[Reading], like: Sequence[Trial], spool: Spool | None
    ) -> FlowFinding:
        """Return the finding for these readings in the light of the cubes like it before."""
        finding = correct_flow(
            by_side(readings),
            self.instrument,
            self.cube,
            rule=self.rule,
            accept=self.accept,
            plausible=plausible_flow(spool.foaming, spool.flexible) if spool else plausible_flow(),
            round_step=self.round_step,
            rounding=self.rounding,
            earlier_offs_mm=_offs_mm(like),
            earlier=[_cube_wall(trial) for trial in like],
        )
        return finding._replace(
            notes=(*finding.notes, *self._further_notes(readings, finding, spool))
        )

    def _further_notes(
        self, readings: Sequence[Reading], finding: FlowFinding, spool: Spool | None
    ) -> list[str]:
        notes = []
        if _in_order_of_time(readings):
            drift = drift_note([one.value_mm for one in readings], self.instrument)
            notes += [drift] if drift else []
        if spool and spool.flexible and finding.flow_new > finding.flow_now:
            notes.append(
                "a flexible wall measures thin where the jaws squeeze it: let them just touch, and "
                "do not raise flow again and again"
            )
        return notes

    def comparable(self, trial: Trial, speed_mm_s: float | None, ready: Setup) -> bool:
        """Tell whether a cube before was like this one, and printed likewise, but for its flow."""
        before = Reckoning.of(trial.settings)
        at = trial.conditions.speed_mm_s
        return (
            bool(trial.findings)
            and before.cube._replace(flow=self.cube.flow) == self.cube
            and not _moved(before.esteps, self.esteps)
            and (at is None or speed_mm_s is None or same(at, speed_mm_s))
            and not temperature_matters(
                trial.temperature_c, ready.temperature_c, ready.spool.foaming
            )
        )


def cube_of(settings: dict[str, Any]) -> Cube:
    """Return the cube of a planned or measured trial."""
    flow = settings["flow_percent"] / 100
    rest = {name: settings[name] for name in Cube._fields if name != "flow"}
    return Cube(flow=flow, **rest)


def by_side(readings: Sequence[Reading]) -> list[list[float]]:
    """Return the readings side by side, in the order the sides first appear."""
    sides: dict[str, list[float]] = {}
    for one in readings:
        sides.setdefault(one.side, []).append(one.value_mm)
    return list(sides.values())


def payload_of(finding: FlowFinding, cube: Cube, notes: Sequence[str]) -> dict[str, Any]:
    """Return a finding as JSON and the logbook have it."""
    to_type, trend = finding.flow_to_type, finding.trend
    return {
        "wall_mm": finding.wall.value,
        "wall_u95_mm": finding.wall.u95,
        "wall_u_mm": finding.wall.u,
        "wall_readings": finding.wall.n,
        "target_mm": finding.target_mm,
        "targets_mm": finding.targets_mm._asdict(),
        "line_model": cube.line_model,
        "flow_now_percent": on_screen("flow", finding.flow_now),
        "flow_new_percent": 100 * finding.flow_new,
        "flow_new_u95_percent": 100 * finding.flow_new_u95,
        "flow_plain_percent": 100 * finding.flow_plain,
        "flow_trend_percent": None if trend is None else 100 * trend.flow,
        "flow_under_percent": {
            model: 100 * ratio for model, ratio in finding.flow_under._asdict().items()
        },
        "flow_to_type_percent": None if to_type is None else on_screen("flow", to_type),
        "rule": finding.rule,
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
        "remedies": list(finding.verdict.remedies),
        "notes": list(notes),
    }


def outcome_of(finding: FlowFinding) -> Outcome:
    """Return what a finding says about flow, for the logbook to reckon with."""
    return Outcome(
        "flow", finding.flow_now, finding.flow_new, finding.flow_new_u95, finding.flow_to_type
    )


def record_notes(
    here: OnBench,
    reckoning: Reckoning,
    speed_mm_s: float | None,
    earlier: Sequence[Trial],
    finding: FlowFinding,
) -> list[str]:
    """Return what the record adds: conditions that differ, and what else explains the wall."""
    notes = []
    cube = reckoning.cube
    if earlier:
        before = earlier[0]
        at = before.conditions.speed_mm_s
        if speed_mm_s and at and not same(speed_mm_s, at):
            notes.append(
                f"printed at {speed_mm_s:g} mm/s, trial {before.number} at {at:g}: "
                "another speed is another trial, the two do not compare"
            )
        heat, now = before.temperature_c, here.bench.temperature_c
        if temperature_matters(heat, now, bool(here.setup and here.setup.spool.foaming)):
            notes.append(
                f"printed at {now:g} °C, trial {before.number} at {heat:g}: the two do not compare"
            )
        if before.settings["walls"] != cube.walls:
            notes.append(
                f"{cube.walls} lines a wall, trial {before.number} had "
                f"{before.settings['walls']}: the two are not pooled"
            )
        if _moved(before.settings["esteps"], reckoning.esteps):
            notes.append(
                f"e-steps changed from {before.settings['esteps']:g} to {reckoning.esteps:g} since "
                f"trial {before.number}: the two do not compare"
            )
    notes += _lines_apart(reckoning, earlier, finding.wall)
    return notes + _strand(here, finding)


def suspicions(here: OnBench, finding: FlowFinding) -> list[str]:
    """Return what the record itself gives cause to look at after a recheck."""
    if here.setup is None or finding.verdict.name != "recheck":
        return []
    ready, found = here.setup, []
    if ready.nozzle.worn:
        found.append(f"nozzle {ready.nozzle.name} is noted as worn")
    watched: tuple[ValueKind, ...] = ("esteps", "flow")
    for kind in watched:
        now = here.stands(kind)
        if now.status == "doubtful":
            found.append(f"{kind} is doubtful: {now.why}")
    if measured_diameter(here.book, ready.spool) is None:
        found.append("the strand's diameter, never measured: metier diameter")
    if ready.spool.flexible:
        found.append("jaws that squeeze a flexible wall: close them until they just touch")
    return found


def _strand(here: OnBench, finding: FlowFinding) -> list[str]:
    """Say how much of the correction the strand's diameter explains."""
    if here.setup is None:
        return []
    strand = measured_diameter(here.book, here.setup.spool)
    if strand is None or strand.verdict != "correct" or finding.verdict.name != "correct":
        return []
    correction = 100 * (finding.flow_new / finding.flow_now - 1)
    explained = 100 * (strand.flow_factor - 1)
    text = (
        f"the strand measures {strand.diameter_mm:.3f} mm where the slicer reckons with "
        f"{strand.slicer_mm:g}: that alone asks for {explained:+.1f} % of flow"
    )
    if explained * correction < 0:
        return [f"{text} and explains nothing of the {correction:+.1f} % of this cube"]
    return [f"{text} of the {correction:+.1f} % this cube asks for; mend one of the two, not both"]


def _lines_apart(reckoning: Reckoning, earlier: Sequence[Trial], wall: Estimate) -> list[str]:
    """Compare with the newest cube of another number of walls that was otherwise the same."""
    cube = reckoning.cube
    for trial in earlier:
        other = Reckoning.of(trial.settings).cube
        if not trial.findings or other.walls == cube.walls or 1 not in (other.walls, cube.walls):
            continue
        if other._replace(walls=cube.walls) != cube or _moved(
            trial.settings["esteps"], reckoning.esteps
        ):
            continue
        walls_mm = {other.walls: trial.findings["wall_mm"], cube.walls: wall.value}
        several = max(walls_mm)
        u95_mm = (trial.findings["wall_u95_mm"] ** 2 + wall.u95**2) ** 0.5
        larger = cube._replace(walls=several)
        return [lines_apart_note(walls_mm[1], walls_mm[several], larger, u95_mm)]
    return []


def _in_order_of_time(readings: Sequence[Reading]) -> bool:
    """Tell whether readings went round the part, or all belong together; not side after side."""
    sides = [one.side for one in readings]
    blocks = 1 + sum(before != after for before, after in pairwise(sides))
    return len(set(sides)) == 1 or blocks > len(set(sides))


def _moved(then: float | None, now: float | None) -> bool:
    return bool(then and now and exceeds(abs(now / then - 1), _ESTEPS_DRIFT))


def _offs_mm(like: Sequence[Trial]) -> list[float]:
    """Return how far the cubes before were off, oldest first, since one was right."""
    offs: list[float] = []
    for trial in like:
        if trial.verdict == "keep" or not trial.findings:
            break
        offs.append(trial.findings["wall_mm"] - trial.findings["target_mm"])
    return offs[::-1]


def _cube_wall(trial: Trial) -> CubeWall:
    found = trial.findings or {}
    reckoning = Reckoning.of(trial.settings)
    wall = Estimate(
        found["wall_mm"], found["wall_u_mm"], 0.0, found["wall_u95_mm"], found["wall_readings"], 0.0
    )
    return as_cube_wall(wall, reckoning.instrument, reckoning.cube.flow)
