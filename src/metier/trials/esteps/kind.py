"""A length of filament through the pipeline: its options, settings, judgement, row."""

import argparse
import math
from argparse import Namespace
from collections.abc import Sequence
from types import MappingProxyType

from metier.core.errors import BadInput
from metier.core.esteps.measured import EstepsFinding
from metier.core.esteps.verdict import KEEP_WITHIN
from metier.logbook.book import Logbook
from metier.logbook.trials import Conditions, Outcome, Reading, latest_on_printer
from metier.show.sheet import Sheet
from metier.trials.esteps.given import (
    ask_left,
    ask_pieces,
    each_asked,
    finding_of,
    given_lengths,
    given_way,
    motor_turn,
)
from metier.trials.esteps.kept import FORM, KEPT, WAYS, EstepsContext, EstepsSettings
from metier.trials.esteps.sheet import mm_per_turn, write_sheet
from metier.trials.kind import Expected, Kind, Measured, Plan, Settled, refuse_planned_readings
from metier.trials.on_bench import OnBench, figures_of, instrument_name
from metier.words.arguments import (
    add_cable_options,
    length,
    option,
    percent,
    positive,
    reading_or_zero,
    speed,
    steps,
    strand,
)
from metier.words.missing import Asked
from metier.words.parser import Answer

# How many trials before are looked at, for the table of trials so far.
_MOST_EARLIER = 5


class Esteps(Kind[EstepsSettings, EstepsContext, EstepsFinding]):
    """A length of filament asked for, and what of it really moved."""

    kept = KEPT
    form = FORM
    title = "E-steps"
    description = (
        "Correct the e-steps (steps per mm of filament) from what really moved. Measure in one "
        "of four ways; several values are several runs."
    )
    example = (
        "  metier esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --steps 412\n"
        "  a pen mark 180 mm from the inlet, 150 mm asked for, three runs"
    )
    lacking = "no readings: give --left, --cut, --short or --swallowed, or type them in"
    preferences = MappingProxyType({"accept": "bench", "instrument": "bench"})

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        ways = parser.add_argument_group("what was measured (one of these)")
        for name, read, what in (
            ("left", reading_or_zero, "pen mark to inlet after feeding; needs --mark"),
            (
                "cut", strand,
                "length cut off at the open cold end; 98.4/98.7 is one strand measured twice",
            ),
            (
                "short", reading_or_zero,
                "mark set at exactly the asked length: how far it stopped short of the inlet",
            ),
        ):  # fmt: skip
            option(ways, f"--{name} MM …", what, read)
        option(ways, "--swallowed", "the mark went in; needs --mark")
        option(parser, "--asked MM …", "length the printer was told to feed; two lengths: one "
               "for each --left", length)  # fmt: skip
        option(parser, "--mark MM", "pen mark to inlet before feeding", length)
        option(parser, "--steps S", "e-steps in the printer meanwhile", steps)
        option(parser, "--instrument NAME", "calipers, ruler or your own (calipers)")
        option(parser, "--through", "fed through the hot nozzle, from the open cold end, or just "
               "into the tube", ("nozzle", "open", "tube"))  # fmt: skip
        option(parser, "--by", "what is planned or asked for one by one (left: what is left to a "
               "mark)", ("left", "cut", "short"))  # fmt: skip
        option(parser, "--accept PERCENT", "how far off it may be (0.5)", percent)
        option(parser, "--feed-rate MM/S", "how fast it was fed", speed)
        cable = parser.add_argument_group("guided, the printer on its cable")
        option(cable, "--feed", "warm up, feed, ask for what is left, then set, store and verify")
        add_cable_options(parser)
        turn = parser.add_argument_group("for firmware that stores mm per motor turn")
        option(turn, "--full-steps N", "full steps of a turn", positive)
        option(turn, "--microsteps N", "microsteps of a step", positive)

    def given(self, options: Namespace) -> bool:
        ways = [way for way in WAYS if getattr(options, way)]
        if len(ways) > 1:
            raise BadInput(
                f"--{ways[0]} and --{ways[1]} are two ways of measuring: give one trial at a time"
            )
        refuse_planned_readings(options, bool(ways), "a length")
        way = given_way(options)
        if way in ("cut", "short") and options.mark is not None:
            raise BadInput(f"--mark does not go with --{way}: it belongs to --left and --swallowed")
        if way == "cut" and options.through == "nozzle":
            raise BadInput(
                "--cut is measured at the open cold end: it does not go with --through nozzle"
            )
        return bool(ways)

    def instead(self, options: Namespace, book: Logbook) -> Answer | None:
        if not options.feed:
            if options.port or options.baud or options.log:
                raise BadInput("--port, --baud and --log go with --feed")
            return None
        from metier.trials.esteps.feeding import guided

        return guided(self, options, book)

    def settle(
        self, options: Namespace, here: OnBench, plan: Plan[EstepsSettings] | None
    ) -> Settled[EstepsSettings]:
        way = given_way(options)
        if plan and not any(getattr(options, one) for one in WAYS):
            way = plan.settings.way
        used = here.in_use("esteps", options.steps, "--steps", plan and plan.settings.steps)
        known, where = plan and plan.settings, "planned"
        if plan is None and here.setup:
            for trial in latest_on_printer(here.book, here.setup.printer, self.name, 1):
                known, where = self.form.of(here.book, trial), f"in trial {trial.number}"
        asked_mm, mark_mm, taken = given_lengths(options, way, known)
        each_mm = each_asked(options, way, plan and plan.settings)
        planned = plan.conditions if plan else Conditions()
        name = instrument_name(options, planned)
        conditions = Conditions(
            feed_rate_mm_s=options.feed_rate or planned.feed_rate_mm_s,
            through="open" if way == "cut" else options.through or planned.through,
            instrument=name,
        )
        instrument = None
        if not options.plan:
            instrument = figures_of(here.book, name, "cut" if way == "cut" else "mark")
        turn = motor_turn(options, here)
        accept = options.accept or (plan.settings.accept_percent if plan else 100 * KEEP_WITHIN)
        if not 0.05 <= accept <= 5:
            raise BadInput(f"--accept: {accept:g} must be from 0.05 to 5 percent")
        settings = EstepsSettings(
            way, asked_mm, mark_mm, used.value, instrument, *turn, each_mm, accept
        )
        how = [
            f"mark at {mark_mm:g} mm" if mark_mm is not None else "",
            f"through the {_path(conditions.through)}" if conditions.through else "",
            f"{' and '.join(taken)} as {where}" if taken else "",
        ]
        sources = {"steps": used.source, "asked": ", ".join(part for part in how if part)}
        return Settled(settings, conditions, used.notes, sources)

    def recipe(self, settled: Settled[EstepsSettings], here: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        marked = {
            "cut": ("take", "the nozzle or the tube off: pieces are cut flush at the open end"),
            "short": ("mark", f"the filament exactly {settings.asked_mm:g} mm from the inlet"),
        }
        beyond = ("mark", f"the filament {settings.mark_mm or 0:g} mm from the inlet")
        return [
            marked.get(settings.way, beyond),
            ("feed", f"{settings.asked_mm:g} mm, slowly"),
            ("e-steps", f"{here.worded('esteps', settings.steps)} in the printer"),
        ]

    def readings(
        self, options: Namespace, settled: Settled[EstepsSettings], here: OnBench
    ) -> list[Reading]:
        way = settled.settings.way
        if way == "swallowed":
            return []
        if way == "cut":
            return [
                Reading(f"strand {run}", reading.value_mm, reading.text)
                for run, piece in enumerate(options.cut, 1)
                for reading in piece
            ]
        return [
            Reading(f"run {run}", reading.value_mm, reading.text)
            for run, reading in enumerate(getattr(options, way), 1)
        ]

    def asked(self, settled: Settled[EstepsSettings], here: OnBench) -> Asked:
        settings = settled.settings
        instrument, far_mm = settings.instrument_mm, settings.mark_mm
        assert instrument is not None
        if settings.way == "left":
            assert far_mm is not None
            return ask_left(self.name, settings.asked_mm, far_mm, instrument)
        return ask_pieces(self.name, settings.way, settings.asked_mm, instrument)

    def context(
        self,
        here: OnBench,
        settings: EstepsSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> EstepsContext:
        earlier = []
        if here.setup:
            printer = here.setup.printer
            earlier = latest_on_printer(here.book, printer, self.name, _MOST_EARLIER, before)
        return EstepsContext(earlier, here.writing.decimals, conditions.through)

    def judge(
        self, settings: EstepsSettings, readings: Sequence[Reading], context: EstepsContext
    ) -> EstepsFinding:
        finding = finding_of(settings, readings, context.decimals)
        return finding._replace(notes=(*_path_notes(context), *finding.notes))

    def payload(self, settings: EstepsSettings, finding: EstepsFinding) -> dict[str, object]:
        moved, change = finding.moved, finding.change
        return {
            "moved_mm": moved and moved.value,
            "moved_u95_mm": moved and moved.u95,
            "asked_mm": finding.asked_mm,
            "steps_now": finding.steps_now,
            "steps_new": finding.steps_new,
            "steps_new_u95": finding.steps_new_u95,
            "steps_below": finding.steps_below,
            "steps_to_type": finding.steps_to_type,
            "change_percent": None if change is None else 100 * change,
            "mm_per_turn": mm_per_turn(settings, finding),
            "slope": finding.line and finding.line.slope,
            "slope_u95": finding.line and finding.line.u95,
            "play_mm": finding.line and finding.line.play_mm,
            "influences": {one.name: one.u95 for one in finding.influences},
        }

    def outcomes(self, settings: EstepsSettings, finding: EstepsFinding) -> list[Outcome]:
        now, new = finding.steps_now, finding.steps_new
        return [Outcome("esteps", now, new, finding.steps_new_u95, finding.steps_to_type)]

    def expected(self, here: OnBench, name: str, value: float) -> list[Expected]:
        """Return what moves of the length asked for last, at other steps."""
        now = here.stands(name)
        newest = now.newest
        if not (here.setup and newest and newest.value_new and newest.u95):
            return []
        (trial,) = latest_on_printer(here.book, here.setup.printer, self.name, 1)
        asked_mm = self.form.of(here.book, trial).asked_mm
        moved_mm = asked_mm * value / newest.value_new
        # What is known of the steps, and as much again from measuring once more.
        u95_mm = math.sqrt(2) * moved_mm * newest.u95 / newest.value_new
        return [Expected(f"what moves of {asked_mm:g} mm", moved_mm, u95_mm, "mm")]

    def sheet(
        self, trial: Measured[EstepsSettings, EstepsContext, EstepsFinding], sheet: Sheet
    ) -> None:
        write_sheet(trial, sheet)


def _path(through: str | None) -> str:
    ways = {"nozzle": "hot nozzle", "tube": "tube, just into it"}
    return ways.get(through or "", "open cold end")


def _path_notes(context: EstepsContext) -> list[str]:
    through, before = context.through, context.earlier[0] if context.earlier else None
    if through is None:
        return ["not said how it was fed: --through nozzle (hot, back pressure joins in) or open"]
    if before and before.conditions.through not in (None, through):
        return [
            f"trial {before.number} was fed through the {_path(before.conditions.through)}, this "
            f"one through the {_path(through)}: back pressure differs, the two do not compare"
        ]
    return []


KIND = Esteps()
