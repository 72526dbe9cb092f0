"""Walls through the pipeline: their options, settings, finding, their part in the job."""

import argparse
from argparse import Namespace
from collections.abc import Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING

from metier.core.errors import BadInput
from metier.core.flow.verdict import FlowFinding
from metier.core.values import VALUES
from metier.logbook.inforce import steps_in_force
from metier.logbook.machines import set_printer
from metier.logbook.trials import Conditions, Outcome, Reading, latest_on
from metier.show.figures import value_text
from metier.show.sheet import Sheet
from metier.trials.flow.earlier import FlowContext
from metier.trials.flow.given import (
    add_print_options,
    along_m,
    given_for_part,
    given_print,
    given_tube,
    planned_sections,
    refuse_tube_options,
    sections_given,
    sizes,
    walls_given,
    writes_lines,
)
from metier.trials.flow.judging import context_of, judge_walls
from metier.trials.flow.kept import KEPT
from metier.trials.flow.settings import FORM, SECTION_MM, FlowSettings, lines_text
from metier.trials.flow.sheet import payload_of, write_sheet
from metier.trials.flow.sliced_at import (
    as_typed,
    ask_walls,
    asked_model,
    counted,
    quick_text,
    reckoned,
    sliced_at,
)
from metier.trials.kind import (
    Expected,
    Kind,
    Measured,
    Plan,
    Settled,
    WantedLine,
    refuse_planned_readings,
)
from metier.trials.on_bench import OnBench, figures_of, instrument_name
from metier.words.arguments import option, percent, signed_length
from metier.words.missing import Asked

if TYPE_CHECKING:
    from metier.parts.part import Part


class Flow(Kind[FlowSettings, FlowContext, FlowFinding]):
    """Walls of a hollow part, measured all round."""

    kept = KEPT
    form = FORM
    title = "Flow"
    description = (
        "Correct the flow from the wall thickness of a hollow cube or tube (no top, no infill). "
        "Flow is percent; 0.93x is a multiplier and means the same."
    )
    example = (
        "  metier flow --width 0.42 --walls 3 --layer 0.2 --flow 97 \\\n"
        "    --line-model rounded --side 1.26 1.27 --side 1.25 1.26 --side 1.26 1.25\n"
        "  metier flow --aim 0.80 --walls 2 --layer 0.2 --flow 100 --read 0.84 0.83\n"
        "      two lines measured for a wall of 0.80, wherever that comes from"
    )
    draws = True
    printed = True
    told_by_part = frozenset({"print", "line"})
    lacking = "no readings: give --read, --side or --from FILE.csv, or type them in"
    preferences = MappingProxyType(
        {
            "aim": "filament",
            "accept": "filament",
            "sure": "bench",
            "round": "bench",
            "round_to": "bench",
            "instrument": "bench",
        }
    )

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        add_print_options(parser)
        how = parser.add_argument_group("how to reckon")
        option(how, "--accept", "how far flow may be off and is kept (-2 3: a little rich does "
               "less harm)", percent, metavar=("LOW", "HIGH"), nargs=2)  # fmt: skip
        option(how, "--sure PERCENT", "how sure it has to be (75)", percent)
        option(how, "--round", "of the value to type (nearest)", ("nearest", "down", "up"))
        option(how, "--round-to PERCENT", "step of flow (1)", percent)
        option(how, "--instrument NAME", "calipers (default), micrometer or your own")
        option(how, "--zero MM", "what it shows when closed", signed_length)

    def given(self, options: Namespace) -> bool:
        ways = [way for way in ("read", "side", "file") if getattr(options, way)]
        if len(ways) > 1:
            raise BadInput("give the readings in one way only: --read, --side or --from")
        refuse_planned_readings(options, bool(ways), "a print")
        refuse_tube_options(options)
        if options.sliced and options.preview:
            raise BadInput("--sliced and --preview both tell the dose: give one of them")
        return bool(ways)

    def settle(
        self, options: Namespace, here: OnBench, plan: Plan[FlowSettings] | None
    ) -> Settled[FlowSettings]:
        planned = plan and plan.settings
        conditions = plan.conditions if plan else Conditions()
        given = given_print(options)
        of_file: tuple[str, ...] = ()
        if options.sliced:
            from metier.trials.flow.sliced import filled_from_file

            given, of_file = filled_from_file(given, options.sliced, here, plan)
        known, where = planned, "planned"
        if known is None and here.setup:
            for trial in latest_on(here.book, here.setup, self.name, 1):
                known, where = self.form.of(here.book, trial), f"in trial {trial.number}"
        bore_mm = here.setup and here.setup.nozzle.bore_mm
        if options.plan and options.part:
            given = given_for_part(given, options, known, here)
        width_mm, layer_mm, taken = sizes(given, known, planned, bore_mm)
        sections, walls_known = sections_given(given.walls, known, planned)
        sections = counted(options, planned_sections(options, sections))
        taken += ["walls"] if walls_known else []
        used = sliced_at(options, here, given, planned, sections)
        seen = VALUES["flow"].seen
        name = instrument_name(options, conditions)
        dose, aim_mm = given.dose or (planned and planned.dose), given.aim_mm
        printer = here.bench.printer
        known_model = (printer and printer.line_model) or (planned and planned.line_model)
        model, learnt = given.line_model or known_model, options.line_model
        if not (model or dose or aim_mm or width_mm is None or writes_lines(options)):
            model = learnt = asked_model(options, width_mm, layer_mm)
        base = planned or FlowSettings(
            layer_mm, None, sections, figures_of(here.book, name, "wall", options.zero),
            round_to_percent=here.bench.flow_step_percent,
        )  # fmt: skip
        settings = base._replace(
            layer_mm=layer_mm,
            flow_percent=None if used.value is None else seen(used.value),
            sections=sections,
            instrument_mm=figures_of(here.book, name, "wall", options.zero),
            width_mm=width_mm,
            line_model=model or base.line_model,
            aim_mm=given.aim_mm or base.aim_mm,
            dose=given.dose or base.dose,
            set_percent=None if used.flow_set is None else seen(used.flow_set),
            by_plan=used.by_plan,
            esteps=steps_in_force(here.book, here.setup.printer) if here.setup else None,
            diameter_mm=here.slicer_mm,
            tube=given_tube(options) or base.tube,
            along_m=along_m(options, planned),
        )
        if given.flow is not None or options.plan:
            settings.known_dose  # noqa: B018 (an aim that is no wall is refused now)
        which = "all" if len(taken) == 3 else " and ".join(taken)
        speed = given.speed_mm_s or conditions.speed_mm_s
        return Settled(
            reckoned(options, settings),
            Conditions(speed_mm_s=speed, instrument=name),
            (*of_file, *used.notes),
            {
                "flow": used.source,
                "line": f"{which} as {where}" if taken else "",
                "learnt": learnt or "",
            },
        )

    def recipe(self, settled: Settled[FlowSettings], here: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        several = max(one.walls for one in settings.sections) > 1
        steps = [("print", "a hollow cube: no top, no infill, a few centimetres wide")]
        lines = f"{settings.sections[0].named} a wall"
        if len(settings.sections) > 1:
            steps = [("print", "a square tube in sections one above the other")]
            lines = ", ".join(one.named for one in settings.sections) + ": the first lowest"
        steps += [("walls", lines), ("line", _line_text(settings))]
        if settings.flow_percent is not None and settings.sections[0].flow_percent is None:
            why = ""
            if settings.by_plan:
                why = "  for this print only: richer than needed, so that lines touch"
            flow = value_text("flow", settings.flow_percent / 100, here.writing)
            steps.append(("flow", flow + why))
        if settings.tube and settings.tube.section_mm < SECTION_MM - 1e-9:
            steps.append(("quick", quick_text(settings)))
        if not several:
            steps.append(("rough", "one line tells flow to ±7 % at best; three lines to ±4 %"))
        return steps

    def as_part(self, plan: Plan[FlowSettings], here: OnBench, ending: str) -> Plan[FlowSettings]:
        from metier.trials.flow.tube import as_tube

        return as_tube(plan, here, ending)

    def part(self, plan: Plan[FlowSettings], here: OnBench, wanted: WantedLine) -> "Part":
        from metier.trials.flow.tube import tube_of

        return tube_of(plan, here, wanted)

    def readings(
        self, options: Namespace, settled: Settled[FlowSettings], here: OnBench
    ) -> list[Reading]:
        if options.file:
            from metier.formats.tables import read_readings

            rows = read_readings(options.file)
            several = len({row.walls for row in rows}) > 1
            order = list(dict.fromkeys(row.walls for row in rows))
            return [
                Reading(_side(row.walls if several else None, row.side), row.value_mm, row.typed)
                for walls in order
                for row in rows
                if row.walls == walls
            ]
        return walls_given(options, settled.settings.sections)

    def asked(self, settled: Settled[FlowSettings], here: OnBench) -> Asked:
        return ask_walls(self.name, settled.settings)

    def typed(
        self,
        settled: Settled[FlowSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[FlowSettings], list[Reading]]:
        if len(settled.settings.sections) > 1:
            settled = settled._replace(settings=as_typed(settled.settings, lines))
        return settled, readings

    def context(
        self,
        here: OnBench,
        settings: FlowSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> FlowContext:
        return context_of(here, settings, conditions, before)

    def judge(
        self, settings: FlowSettings, readings: Sequence[Reading], context: FlowContext
    ) -> FlowFinding:
        return judge_walls(settings, readings, context)

    def payload(self, settings: FlowSettings, finding: FlowFinding) -> dict[str, object]:
        return payload_of(settings, finding)

    def outcomes(self, settings: FlowSettings, finding: FlowFinding) -> list[Outcome]:
        low, high = finding.sure_range or (None, None)
        new, u95 = finding.flow_new, finding.u95
        return [
            Outcome(
                "flow", finding.flow_set, new, u95 if new else None, finding.flow_to_type, low,
                high, int(finding.rough),
            )
        ]  # fmt: skip

    def expected(self, here: OnBench, name: str, value: float) -> list[Expected]:
        from metier.trials.flow.afterwards import expected_walls

        return expected_walls(here, value)

    def learn(self, settled: Settled[FlowSettings], here: OnBench) -> list[str]:
        model = settled.settings.line_model
        if not here.setup or settled.sources["learnt"] in ("", here.setup.printer.line_model):
            return []
        from metier.trials.flow.afterwards import judge_open

        with here.book.transaction() as moment:
            printer = set_printer(here.book, moment, here.setup.printer, {"line_model": model})
            return [f"{one.number} ({one.verdict})" for one in judge_open(here.book, printer)]

    def sheet(self, trial: Measured[FlowSettings, FlowContext, FlowFinding], sheet: Sheet) -> None:
        write_sheet(trial, sheet)

    def draw(
        self, path: str, title: str, trial: Measured[FlowSettings, FlowContext, FlowFinding]
    ) -> None:
        """Draw this print after those it was judged with, recorded or not."""
        from metier.trials.flow.picture import plot_measured

        bench = title.removeprefix(self.title).rpartition(", trial")[0]
        plot_measured(path, f"Walls of the test cubes{bench}", trial)


def _side(walls: int | None, side: str) -> str:
    lines = lines_text(walls) if walls else ""
    return ", ".join(part for part in (lines, side) if part)


def _line_text(settings: FlowSettings) -> str:
    width = "" if settings.width_mm is None else f"{settings.width_mm:g} mm wide, "
    return f"{width}{settings.layer_mm:g} mm high"


KIND = Flow()
