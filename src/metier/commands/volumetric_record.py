"""A ramp as the logbook keeps it, and what it says: reckoned when measured and when amended."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from metier.core.bead import LineModel, speed_mm_s
from metier.core.ramp import Markers, Ramp, Sighting
from metier.core.ramp_plan import line_notes
from metier.core.speeds import CappedSpeed, SetSpeed, cap_speeds
from metier.core.verdicts import Verdict
from metier.core.volumetric import LimitFinding, Rule, Seen, limit_from_ramp
from metier.logbook.trials import Outcome, Reading
from metier.show.values import on_screen

# Readings are kept under what was seen; those with a unit are flows, the others heights.
SEEN = ("gaps", "matte", "failed")
FLOW_UNIT = ", mm³/s"
CLEAN_TO = f"clean to{FLOW_UNIT}"
CLEAN_MARKERS = "clean markers"


class PrintedLine(NamedTuple):
    """The line that a limit is turned into speeds with; ``flow`` is the one in force, a ratio."""

    width_mm: float
    layer_mm: float
    line_model: LineModel
    flow: float

    def speed_mm_s(self, limit_mm3_s: float) -> float:
        """Return the speed at which it takes that flow."""
        return speed_mm_s(limit_mm3_s, *self)


class RampReckoning(NamedTuple):
    """All that a ramp is reckoned with besides its readings; kept with the trial."""

    ramp: Ramp | None
    marker_every_mm: float | None
    within_mm: float
    rule: Rule
    line: PrintedLine | None
    walls: int | None
    bore_mm: float | None
    hot_end: str | None
    limit_now_mm3_s: float | None
    set_speeds: tuple[SetSpeed, ...] = ()

    def settings(self) -> dict[str, Any]:
        """Return it as the logbook keeps it."""
        line = self.line
        return {
            "way": "ramp",
            **(self.ramp or Ramp(0))._asdict(),
            "from_mm3_s": self.ramp and self.ramp.from_mm3_s,
            "marker_every_mm": self.marker_every_mm,
            "within_mm": self.within_mm,
            "margin_percent": round(100 * self.rule.margin, 9),
            "round_to_mm3_s": self.rule.round_to_mm3_s,
            "width_mm": line and line.width_mm,
            "layer_mm": line and line.layer_mm,
            "line_model": line and line.line_model,
            "flow_percent": line and on_screen("flow", line.flow),
            "walls": self.walls,
            "bore_mm": self.bore_mm,
            "hot_end": self.hot_end,
            "limit_now_mm3_s": self.limit_now_mm3_s,
            "set_speeds": [list(one) for one in self.set_speeds],
        }

    @classmethod
    def of(cls, settings: dict[str, Any]) -> "RampReckoning":
        """Return what a trial was reckoned with."""
        ramp = line = None
        if settings["from_mm3_s"] is not None:
            ramp = Ramp(**{name: settings[name] for name in Ramp._fields})
        if settings["width_mm"] is not None:
            line = PrintedLine(
                settings["width_mm"],
                settings["layer_mm"],
                settings["line_model"],
                settings["flow_percent"] / 100,
            )
        return cls(
            ramp,
            settings["marker_every_mm"],
            settings["within_mm"],
            Rule(settings["margin_percent"] / 100, settings["round_to_mm3_s"]),
            line,
            settings["walls"],
            settings["bore_mm"],
            settings["hot_end"],
            settings["limit_now_mm3_s"],
            tuple(SetSpeed(*one) for one in settings["set_speeds"]),
        )

    def judge(self, readings: Sequence[Reading]) -> LimitFinding:
        """Return the finding, with what the preconditions make of it.

        Raises:
            Refusal: nothing seen, or not on this ramp.
        """
        seen = {name: _sightings(readings, name) for name in SEEN}
        clean_to = next((one.value_mm for one in readings if one.side == CLEAN_TO), None)
        markers = self.markers(readings)
        finding = limit_from_ramp(
            self.ramp,
            Seen(
                **seen,
                markers=markers,
                clean=clean_to is not None,
                clean_to_mm3_s=clean_to,
                within_mm=self.within_mm,
            ),
            self.rule,
            self.limit_now_mm3_s,
        )
        notes = [*finding.notes]
        if self.line and self.bore_mm:
            notes += line_notes(self.line.width_mm, self.line.layer_mm, self.bore_mm)
        if self.walls is not None and self.walls > 1:
            verdict = Verdict(
                "recheck",
                f"{self.walls} lines a wall: one hides the other's gaps, and the slicer may print "
                "them at different speeds",
                ("the same ramp with a single line a wall",),
            )
            finding = finding._replace(verdict=verdict)
        return finding._replace(notes=tuple(notes))

    def markers(self, readings: Sequence[Reading]) -> Markers | None:
        """Return the markers on the part with the last clean one; None where there are none."""
        clean = next((one.value_mm for one in readings if one.side == CLEAN_MARKERS), None)
        if clean is None or self.marker_every_mm is None:
            return None
        return Markers(self.marker_every_mm, round(clean))

    def capped(self, finding: LimitFinding) -> tuple[CappedSpeed, ...]:
        """Return what the limit leaves of the set speeds."""
        if not self.set_speeds or finding.limit_mm3_s is None or self.line is None:
            return ()
        line = self.line
        return cap_speeds(finding.limit_mm3_s, self.set_speeds, line.line_model, line.flow)


def _sightings(readings: Sequence[Reading], name: str) -> tuple[Sighting, ...]:
    found = []
    for one in readings:
        if one.side == name:
            found.append(Sighting(at_mm=one.value_mm))
        elif one.side == name + FLOW_UNIT:
            found.append(Sighting(flow_mm3_s=one.value_mm))
    return tuple(found)


def find(settings: dict[str, Any], readings: Sequence[Reading]) -> dict[str, Any]:
    """Return the findings of a ramp from what the logbook keeps of it, and what it advises."""
    reckoning = RampReckoning.of(settings)
    finding = reckoning.judge(readings)
    return payload_of(reckoning, finding, finding.notes)


def payload_of(
    reckoning: RampReckoning, finding: LimitFinding, notes: Sequence[str]
) -> dict[str, Any]:
    """Return a finding as JSON and the logbook have it."""
    line, limit = reckoning.line, finding.limit_mm3_s
    following = finding.next_ramp
    return {
        "last_good_mm3_s": finding.last_good_mm3_s,
        "limit_mm3_s": limit,
        "limit_u95_mm3_s": finding.limit_u95_mm3_s,
        "limit_unrounded_mm3_s": finding.limit_unrounded_mm3_s,
        "limit_below_mm3_s": finding.limit_below_mm3_s,
        "limit_now_mm3_s": reckoning.limit_now_mm3_s,
        "limit_to_type_mm3_s": limit_to_type(finding.verdict, limit, reckoning.limit_now_mm3_s),
        "bound": finding.bound,
        "even_looks_mm3_s": finding.even_looks_mm3_s,
        "spread_mm3_s": finding.spread_mm3_s,
        "speed_mm_s": line and limit and line.speed_mm_s(limit),
        "capped": [{**one._asdict(), "capped": one.capped} for one in reckoning.capped(finding)],
        "next_ramp": following and following._asdict(),
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
        "remedies": list(finding.verdict.remedies),
        "notes": list(notes),
    }


def limit_to_type(
    verdict: Verdict, limit_mm3_s: float | None, limit_now_mm3_s: float | None
) -> float | None:
    """Return what to type: the new limit, or the present one where that may stay."""
    if verdict.name == "correct":
        return limit_mm3_s
    return limit_now_mm3_s if verdict.name != "recheck" else None


def outcome_of(payload: dict[str, Any]) -> Outcome:
    """Return what a trial of any way says about the limit, for the logbook to reckon with."""
    return Outcome(
        "limit",
        payload["limit_now_mm3_s"],
        payload["limit_unrounded_mm3_s"],
        payload["limit_u95_mm3_s"],
        payload["limit_to_type_mm3_s"],
    )
