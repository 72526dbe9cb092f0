"""A length of filament through the pipeline: ``metier esteps``."""

import math
from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.esteps.measured import EstepsFinding
from metier.core.esteps.measured import mm_per_turn as turn_mm
from metier.core.measure.student import by_name
from metier.logbook.book import Logbook
from metier.logbook.inforce import last_doubted
from metier.logbook.instruments import reach_of
from metier.logbook.trials import Conditions, Outcome, Reading, Trial, latest_on_printer
from metier.trials.esteps.given import TABLE, ask_length, each_asked, finding_of, way_of
from metier.trials.esteps.kept import KEPT, WAYS, EstepsResult, EstepsSettings
from metier.trials.kind import Expected, Kind, Settled, refuse_unplanned
from metier.trials.on_bench import OnBench, figures_of
from metier.trials.table import Plan
from metier.words.missing import Asked
from metier.words.parser import Answer

# How many trials before are looked at, for the table of trials so far.
_MOST_EARLIER = 5


class EstepsContext(NamedTuple):
    """The trials before on this printer, newest first, the firmware's decimals, what the calipers
    reach, and whether hardware was swapped since the steps in force were set."""

    earlier: list[Trial]
    decimals: int
    through: str | None
    reach_mm: float | None = None
    swapped: bool = False


class Esteps(Kind[EstepsSettings, EstepsContext, EstepsFinding]):
    """A length of filament asked for, and what of it really moved."""

    kept = KEPT
    form = KEPT.settings
    title = "E-steps"
    description = (
        "Correct the e-steps (steps per mm of filament) from what really moved. Measure in one "
        "of four ways; several values are several runs."
    )
    example = (
        "  metier esteps --asked 100 --moved 97 --steps 93\n"
        "  metier esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --steps 412\n"
        "  a pen mark 180 mm from the inlet, 150 mm asked for, three runs"
    )
    job = "asked moved mark left cut short swallowed steps through feed"
    lacking = "no readings: give --left, --cut, --short or --swallowed, or type them in"
    table = TABLE

    def given(self, options: Namespace) -> bool:
        ways = [way for way in WAYS if getattr(options, way)]
        if len(ways) > 1:
            raise BadInput(
                f"--{ways[0]} and --{ways[1]} are two ways of measuring: give one trial at a time"
            )
        refuse_unplanned(self, options, bool(ways), "a length")
        way = way_of(options)
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

    def before(self, bench: OnBench) -> Plan[EstepsSettings] | None:
        if bench.setup:
            for trial in latest_on_printer(bench.book, bench.setup.printer, self.name, 1):
                return Plan(trial.number, self.form.of(bench.book, trial), trial.conditions)
        return None

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[EstepsSettings] | None
    ) -> Settled[EstepsSettings]:
        seen, way = self.sought(options, bench, plan), way_of(options, plan and plan.settings)
        each_mm = each_asked(options, way, plan and plan.settings)
        name, through, mark_mm = (seen[key].value for key in ("instrument", "through", "mark_mm"))
        instrument = None
        if not options.plan:
            instrument = figures_of(bench.book, name, "cut" if way == "cut" else "mark")
        settings = EstepsSettings(
            *(way, seen["asked_mm"].value, mark_mm, seen["steps"].value, instrument),
            *_motor_turn(options, bench),
            each_mm,
            seen["accept_percent"].value,
        )
        taken = {key: seen[f"{key}_mm"].source for key in ("asked", "mark")}
        taken = {key: source for key, source in taken.items() if source.startswith("as ")}
        how = [
            f"mark at {mark_mm:g} mm" if mark_mm is not None else "",
            f"through the {_path(through)}" if through else "",
            f"{' and '.join(taken)} {next(iter(taken.values()))}" if taken else "",
        ]
        sources = {"steps": seen["steps"].source, "asked": ", ".join(part for part in how if part)}
        rate = seen["feed_rate_mm_s"].value
        conditions = Conditions(feed_rate_mm_s=rate, through=through, instrument=name)
        return Settled(settings, conditions, seen["steps"].notes, sources)

    def recipe(self, settled: Settled[EstepsSettings], bench: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        marked = {
            "cut": ("take", "the nozzle or the tube off: pieces are cut flush at the open end"),
            "short": ("mark", f"the filament exactly {settings.asked_mm:g} mm from the inlet"),
        }
        beyond = ("mark", f"the filament {settings.mark_mm or 0:g} mm from the inlet")
        return [
            marked.get(settings.way, beyond),
            ("feed", f"{settings.asked_mm:g} mm, slowly"),
            ("e-steps", f"{bench.worded('esteps', settings.steps)} in the printer"),
        ]

    def readings(
        self, options: Namespace, settled: Settled[EstepsSettings], bench: OnBench
    ) -> list[Reading]:
        way = settled.settings.way
        if way == "swallowed":
            return []
        runs = options.cut if way == "cut" else [(number,) for number in getattr(options, way)]
        named = "strand" if way == "cut" else "run"
        return [
            Reading(f"{named} {number}", reading.value, reading.text)
            for number, run in enumerate(runs, 1)
            for reading in run
        ]

    def asked(self, settled: Settled[EstepsSettings], bench: OnBench) -> Asked:
        return ask_length(self.name, settled.settings)

    def context(
        self,
        bench: OnBench,
        settings: EstepsSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> EstepsContext:
        decimals = bench.writing.decimals
        if bench.setup is None:
            return EstepsContext([], decimals, conditions.through)
        printer = bench.setup.printer
        earlier = latest_on_printer(bench.book, printer, self.name, _MOST_EARLIER, before)
        reach_mm = reach_of(bench.book, conditions.instrument or "calipers")
        swapped = bool(last_doubted(bench.book, bench.setup, self.name, before)) and (
            bench.stands(self.name).status == "doubtful"
        )
        return EstepsContext(earlier, decimals, conditions.through, reach_mm, swapped)

    def judge(
        self, settings: EstepsSettings, readings: Sequence[Reading], context: EstepsContext
    ) -> EstepsFinding:
        finding = finding_of(
            settings, readings, context.decimals, context.reach_mm, context.swapped
        )
        return finding._replace(notes=(*_path_notes(context), *finding.notes))

    def result(self, settings: EstepsSettings, finding: EstepsFinding) -> EstepsResult:
        moved, change, line, turn = finding.moved, finding.change, finding.line, None
        if settings.full_steps and settings.microsteps and finding.steps_to_type:
            turn = turn_mm(settings.full_steps, settings.microsteps, finding.steps_to_type)
        return EstepsResult(
            moved_mm=moved and moved.value,
            moved_u95_mm=moved and moved.u95,
            asked_mm=finding.asked_mm,
            steps_now=finding.steps_now,
            steps_new=finding.steps_new,
            steps_new_u95=finding.steps_new_u95,
            steps_below=finding.steps_below,
            steps_to_type=finding.steps_to_type,
            change_percent=None if change is None else 100 * change,
            mm_per_turn=turn,
            slope=line and line.slope,
            slope_u95=line and line.u95,
            play_mm=line and line.play_mm,
            influences=by_name(finding.influences),
        )

    def outcomes(self, settings: EstepsSettings, finding: EstepsFinding) -> list[Outcome]:
        now, new = finding.steps_now, finding.steps_new
        return [Outcome("esteps", now, new, finding.steps_new_u95, finding.steps_to_type)]

    def expected(self, bench: OnBench, name: str, value: float) -> list[Expected]:
        """Return what moves of the length asked for last, at other steps."""
        newest, before = bench.stands(name).newest, self.before(bench)
        if not (before and newest and newest.value_new and newest.u95):
            return []
        asked_mm = before.settings.asked_mm
        moved_mm = asked_mm * value / newest.value_new
        # What is known of the steps, and as much again from measuring once more.
        u95_mm = math.sqrt(2) * moved_mm * newest.u95 / newest.value_new
        return [Expected(f"what moves of {asked_mm:g} mm", moved_mm, u95_mm, "mm")]


def _motor_turn(options: Namespace, bench: OnBench) -> tuple[float | None, float | None]:
    """Return full steps and microsteps of a motor turn, where both are known."""
    printer = bench.chosen.printer
    full = options.full_steps or (printer and printer.full_steps)
    micro = options.microsteps or (printer and printer.microsteps)
    if bool(options.full_steps) != bool(options.microsteps) and not (full and micro):
        raise BadInput("--full-steps and --microsteps go together")
    return (full, micro) if full and micro else (None, None)


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
