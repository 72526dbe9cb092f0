"""A ramp through the pipeline: where gaps, a dull surface or a failure begin on a rising flow."""

from argparse import Namespace
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.onset import Height, Markers, PreviewFlow, Sighting
from metier.core.limit.plan import MOSTLY, line_notes
from metier.core.limit.ramp import Ramp
from metier.core.limit.verdict import LimitFinding, NextRamp, Seen, limit_from_ramp
from metier.core.line.bead import CappedSpeed, cap_speeds
from metier.core.measure.readings import Instrument
from metier.core.measure.student import by_name
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict
from metier.formats import quantity
from metier.logbook.trials import Conditions, Reading
from metier.trials.kind import Settled
from metier.trials.limit.base import SEEN, LimitTrial, limit_to_type, seen_options
from metier.trials.limit.lines import printed_line, read_speeds
from metier.trials.limit.settings import HotEnd, KeptLine, Reckoning, limit_rule
from metier.trials.on_bench import OnBench
from metier.trials.ramp.settings import (
    FORM,
    RampSettings,
    given_ramp,
    given_reach,
    last_ramp,
    no_ramp,
)
from metier.trials.table import Plan
from metier.words.missing import Asked

# Readings are kept under what was seen; those with a unit are flows, the others heights.
FLOW_UNIT = ", mm³/s"
CLEAN_TO = f"clean to{FLOW_UNIT}"
_CLEAN_MARKERS = "clean markers"
_NO_TEMPERATURE = (
    "the nozzle temperature is not known: a limit holds for one only (metier bench --temperature C)"
)
_GOOD = "still good"
_CLEAN = "clean"
_SEVERAL_WALLS = (
    "lines a wall: one hides the other's gaps, and the slicer may print them at different speeds"
)


class RampResult(NamedTuple):
    """What a ramp says: the onset of gaps, the limit lowered from it, the speeds that it means."""

    last_good_mm3_s: float | None
    limit_mm3_s: float | None
    onset_mm3_s: float | None
    onset_u95_mm3_s: float | None
    influences_mm3_s: Mapping[str, float] | None
    limit_unrounded_mm3_s: float | None
    limit_below_mm3_s: float | None
    limit_now_mm3_s: float | None
    limit_to_type_mm3_s: float | None
    bound: str | None
    even_looks_mm3_s: float | None
    held_mm3_s: float | None
    at_speed: float | None
    spread_mm3_s: float
    speed_mm_s: float | None
    capped: tuple[CappedSpeed, ...]
    next_ramp: NextRamp | None


class RampContext(NamedTuple):
    """Whether the nozzle temperature, which a limit holds for, is missing."""

    temperature_missing: bool


class RampTrial(LimitTrial[RampSettings, RampContext, LimitFinding]):
    """A wall whose flow rises with height, looked at for the first gaps."""

    form = FORM
    told_by_part = frozenset({"print", "line", "height", "set"})

    def given(self, options: Namespace) -> bool:
        return bool(seen_options(options))

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[RampSettings] | None
    ) -> Settled[RampSettings]:
        if options.plan:
            from metier.trials.ramp.plan import planned_ramp

            return planned_ramp(options, bench)
        ramp, taken, of_file = self._ramp(options, bench, plan)
        planned = plan and plan.settings
        seen = {name: known.value for name, known in self.sought(options, bench, plan).items()}
        marker_every_mm = seen["marker_every_mm"]
        if options.clean_markers is not None and marker_every_mm is None:
            raise BadInput("--clean-markers needs --marker-every: how far the markers stand apart")
        line, notes = printed_line(options, bench, planned and planned.line.printed)
        known = planned or (last.settings if (last := last_ramp(bench)) else None)
        reach = None if options.sliced else given_reach(options, known)
        if reach and line is None and options.accel is not None:
            raise BadInput("--width and --layer are needed with --accel: the line that is printed")
        rule = limit_rule(options, planned and planned.reckoning.rule)
        settings = RampSettings(
            way="ramp",
            ramp=ramp,
            marker_every_mm=marker_every_mm,
            within_mm=seen["within_mm"],
            reckoning=Reckoning.of(rule),
            line=KeptLine.of(line, options.width, options.layer),
            walls=seen["walls"],
            on=HotEnd.of(bench),
            set_speeds=read_speeds(options.speeds or (), line),
            reach=reach,
            own_lines=bool(planned and planned.own_lines),
        )
        return Settled(settings, remarks=(*of_file, *notes), sources={"ramp": taken})

    def _ramp(
        self, options: Namespace, bench: OnBench, plan: Plan[RampSettings] | None
    ) -> tuple[Ramp | None, str, tuple[str, ...]]:
        """Return the ramp, where it was taken from, and what is to be said of its file."""
        ramp = given_ramp(options)
        if options.sliced:
            if ramp:
                raise BadInput("--from and --sliced both describe the ramp: give one of them")
            from metier.trials.ramp.sliced import ramp_of_file

            ramp, notes = ramp_of_file(options.sliced, bench, options.accel)
            return ramp, f"as in {options.sliced}", notes
        by_height = any(getattr(options, f"{name}_at") for name in SEEN)
        by_height = by_height or options.clean_markers is not None
        by_flow = any(getattr(options, f"{name}_flow") for name in SEEN)
        only_flows = by_flow and not by_height
        taken = ""
        if ramp is None and (plan or not only_flows):
            last = None if plan else last_ramp(bench)
            known = plan.settings.ramp if plan else last and last.settings.ramp
            if known is not None:
                taken = f"as in trial {last.number}" if last else "as planned"
                to_mm3_s = known.to_mm3_s if options.to is None else options.to
                base_mm = known.base_mm if options.base is None else options.base
                ramp = known._replace(to_mm3_s=to_mm3_s, base_mm=base_mm)
        if ramp is None and not only_flows and (by_height or not options.clean):
            raise no_ramp(options)
        return ramp, taken, ()

    def as_part(self, plan: Plan[RampSettings], bench: OnBench, ending: str) -> Plan[RampSettings]:
        from metier.trials.ramp.part import as_ramp_part

        return as_ramp_part(plan, bench, ending)

    def recipe(self, settled: Settled[RampSettings], bench: OnBench) -> list[tuple[str, str]]:
        from metier.trials.ramp.plan import recipe

        return recipe(settled, bench)

    def planned(self, settled: Settled[RampSettings], bench: OnBench) -> dict[str, object]:
        from metier.trials.ramp.plan import figures_of, priced

        return figures_of(priced(settled, bench))

    def readings(
        self, options: Namespace, settled: Settled[RampSettings], bench: OnBench
    ) -> list[Reading]:
        """Return what was seen; where it was clean to its end, that end."""
        readings: list[Reading] = []
        for name in SEEN:
            for seen in getattr(options, f"{name}_at") or ():
                readings.append(Reading(name, seen.value, seen.text))
            for seen in getattr(options, f"{name}_flow") or ():
                readings.append(Reading(name + FLOW_UNIT, seen.value, seen.text))
        if options.clean_markers is not None:
            clean = options.clean_markers
            readings.append(Reading(_CLEAN_MARKERS, clean, str(clean)))
        if options.clean:
            ramp = settled.settings.ramp
            top = options.to or (ramp and ramp.to_mm3_s)
            if top is None:
                raise BadInput("--to is needed with --clean: the flow the ramp ends at")
            readings.append(Reading(CLEAN_TO, top, f"{top:g}"))
        return readings

    def asked(self, settled: Settled[RampSettings], bench: OnBench) -> Asked:
        ramp, within_mm = settled.settings.ramp, settled.settings.within_mm
        assert ramp is not None

        def check(height_mm: float, _: str) -> None:
            ramp.flow_at(height_mm)

        def read(text: str) -> list[float]:
            if text.strip().lower() != _CLEAN:
                return [quantity.read_length_mm(text, "height")]
            if ramp.to_mm3_s is None:
                raise BadInput("how far the ramp goes is not known: say --clean --to with its flow")
            return [ramp.end_mm]

        def running(heights_mm: list[float]) -> str:
            lowest = min(heights_mm)
            text = f"earliest {lowest:g} mm, {ramp.flow_at(lowest):.3g} mm³/s"
            if len(heights_mm) > 1:
                text += f", {max(heights_mm) - lowest:.3g} mm apart"
            return text

        return Asked(
            self.name,
            "The height where the first gaps show, in mm from the bottom of the part, going round "
            "it: front, right, back, left; or clean, if there are none up to its end. After an "
            "empty line, up to where it still looked good, if you can tell.",
            ("front", "right", "back", "left"),
            "Hold the part against the light, turn it slowly, and look for the first gap or torn "
            f"line from below. {_how_high(settled.settings)}",
            Instrument(within_mm, within_mm, 0.1),
            check,
            read,
            running,
            sections=("gaps", _GOOD),
            optional=(_GOOD,),
        )

    def taken_in(
        self,
        settled: Settled[RampSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[RampSettings], list[Reading]]:
        top_mm3_s = settled.settings.ramp and settled.settings.ramp.to_mm3_s
        seen = []
        for reading in readings:
            if reading.typed.lower() == _CLEAN and top_mm3_s is not None:
                seen.append(Reading(CLEAN_TO, top_mm3_s, reading.typed))
            else:
                side = "good" if reading.side.startswith(_GOOD) else "gaps"
                seen.append(reading._replace(side=side))
        return settled, seen

    def context(
        self,
        bench: OnBench,
        settings: RampSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> RampContext:
        return RampContext(bool(bench.setup and bench.setup.temperature_c is None))

    def judge(
        self, settings: RampSettings, readings: Sequence[Reading], context: RampContext
    ) -> LimitFinding:
        clean_to = next((reading.value for reading in readings if reading.side == CLEAN_TO), None)
        finding = limit_from_ramp(
            settings.ramp,
            Seen(
                **{name: _sightings(readings, name) for name in SEEN},
                markers=markers_of(settings, readings),
                clean=clean_to is not None,
                clean_to_mm3_s=clean_to,
                within_mm=settings.within_mm,
            ),
            settings.reckoning.rule,
            settings.on.limit_now_mm3_s,
            settings.reached_mm3_s,
            sliced=not settings.own_lines,
        )
        share = at_speed(settings, finding)
        notes = [*finding.notes]
        if share is not None and exceeds(MOSTLY, share) and not finding.held_mm3_s:
            notes.append(
                f"at {finding.last_good_mm3_s:.3g} mm³/s only {100 * share:.0f} % of each side ran "
                "at that flow: a larger outline shows gaps more surely"
            )
        line, bore_mm = settings.line.printed, settings.on.bore_mm
        if line and bore_mm:
            notes += line_notes(line.width_mm, line.layer_mm, bore_mm)
        if settings.walls is not None and settings.walls > 1:
            remedy = "the same ramp with a single line a wall"
            verdict = Verdict("recheck", f"{settings.walls} {_SEVERAL_WALLS}", (remedy,))
            finding = finding._replace(verdict=verdict)
        notes += [_NO_TEMPERATURE] if context.temperature_missing else []
        return finding._replace(notes=tuple(notes))

    def result(self, settings: RampSettings, finding: LimitFinding) -> RampResult:
        limit, now, onset = finding.limit_mm3_s, settings.on.limit_now_mm3_s, finding.onset
        line = settings.line.printed
        return RampResult(
            last_good_mm3_s=finding.last_good_mm3_s,
            limit_mm3_s=limit,
            onset_mm3_s=onset and onset.flow_mm3_s,
            onset_u95_mm3_s=onset and onset.u95_mm3_s,
            influences_mm3_s=onset and by_name(onset.influences),
            limit_unrounded_mm3_s=finding.limit_unrounded_mm3_s,
            limit_below_mm3_s=finding.limit_below_mm3_s,
            limit_now_mm3_s=now,
            limit_to_type_mm3_s=limit_to_type(finding.verdict, limit, now),
            bound=finding.bound,
            even_looks_mm3_s=finding.even_looks_mm3_s,
            held_mm3_s=finding.held_mm3_s,
            at_speed=at_speed(settings, finding),
            spread_mm3_s=finding.spread_mm3_s,
            speed_mm_s=line and limit and line.speed_mm_s(limit),
            capped=capped(settings, finding),
            next_ramp=finding.next_ramp,
        )


def _how_high(settings: RampSettings) -> str:
    """Return how the height of a place is read."""
    if settings.marker_every_mm is None:
        return "Lay the calipers' depth rod or a ruler along the wall."
    return (
        f"The ribs end every {settings.marker_every_mm:g} mm above the foot, each fifth is a long "
        "one; or lay a ruler along the wall."
    )


def markers_of(settings: RampSettings, readings: Sequence[Reading]) -> Markers | None:
    """Return the markers on the part with the last clean one; None where there are none."""
    clean = next((reading.value for reading in readings if reading.side == _CLEAN_MARKERS), None)
    if clean is None or settings.marker_every_mm is None:
        return None
    return Markers(settings.marker_every_mm, round(clean))


def _sightings(readings: Sequence[Reading], name: str) -> tuple[Sighting, ...]:
    sightings: list[Sighting] = []
    for reading in readings:
        if reading.side == name:
            sightings.append(Height(reading.value))
        elif reading.side == name + FLOW_UNIT:
            sightings.append(PreviewFlow(reading.value))
    return tuple(sightings)


def at_speed(settings: RampSettings, finding: LimitFinding) -> float | None:
    """Return the share of the outline that the last good flow was printed at, where known."""
    line, reach, good = settings.line.printed, settings.reach, finding.last_good_mm3_s
    if line is None or reach is None or good is None:
        return None
    return reach.share(line.speed_mm_s(good))


def capped(settings: RampSettings, finding: LimitFinding) -> tuple[CappedSpeed, ...]:
    """Return what the limit leaves of the set speeds."""
    line, limit = settings.line.printed, finding.limit_mm3_s
    if not settings.set_speeds or limit is None or line is None:
        return ()
    return cap_speeds(limit, settings.set_speeds, line.line_model, line.flow)


KIND = RampTrial()
