"""Walls through the pipeline: their options, settings, finding, their part in the job."""

import argparse
from argparse import Namespace
from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.flow.verdict import FlowFinding
from metier.core.line.bead import spacing_mm, wall_mm
from metier.core.measure.student import by_name
from metier.core.values import LINE_MODELS, VALUES, LineModel
from metier.logbook.inforce import steps_in_force
from metier.logbook.machines import set_printer
from metier.logbook.trials import Conditions, Outcome, Reading, latest_on
from metier.show.figures import value_text
from metier.trials.flow.earlier import FlowContext
from metier.trials.flow.given import (
    TABLE,
    fill,
    given_tube,
    planned_sections,
    refuse_width,
    walls_given,
    writes_lines,
)
from metier.trials.flow.judging import context_of, expected_walls, judge_walls
from metier.trials.flow.kept import KEPT, FlowResult, SectionResult, WallForecast
from metier.trials.flow.settings import FORM, SECTION_MM, FlowSettings, lines_text
from metier.trials.flow.sliced_at import (
    as_typed,
    ask_walls,
    asked_model,
    counted,
    quick_text,
    sliced_at,
)
from metier.trials.kind import Expected, Kind, Settled, refuse_unplanned
from metier.trials.on_bench import OnBench, figures_of
from metier.trials.table import Plan, Seeking
from metier.words.missing import Asked


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
    table = TABLE

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        super().add_options(parser)
        parser.set_defaults(in_order=None, dose=None)

    def given(self, options: Namespace) -> bool:
        ways = [way for way in ("read", "side", "file") if getattr(options, way)]
        if len(ways) > 1:
            raise BadInput("give the readings in one way only: --read, --side or --from")
        refuse_unplanned(self, options, bool(ways), "a print")
        if options.sliced and options.preview:
            raise BadInput("--sliced and --preview both tell the dose: give one of them")
        return bool(ways)

    def before(self, bench: OnBench) -> Plan[FlowSettings] | None:
        for trial in latest_on(bench.book, bench.setup, self.name, 1) if bench.setup else ():
            return Plan(trial.number, self.form.of(bench.book, trial), trial.conditions)
        return None

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[FlowSettings] | None
    ) -> Settled[FlowSettings]:
        before, seen_flow = self.before(bench), VALUES["flow"].seen
        of_file = fill(options, bench, plan, plan or before)
        seeking = Seeking(options, bench, plan, before)
        seen = self.sought(options, bench, plan)
        value = {name: known.value for name, known in seen.items()}
        refuse_width(
            value["width_mm"], value["layer_mm"], bench.setup and bench.setup.nozzle.bore_mm
        )
        sections = counted(options, planned_sections(options, value["sections"]))
        used, dose = sliced_at(seeking, sections), options.dose or (plan and plan.settings.dose)
        learnt = options.line_model
        line_tells = value["line_model"] or dose or options.aim or value["width_mm"] is None
        if not (line_tells or writes_lines(options)):
            learnt = asked_model(options, value["width_mm"], value["layer_mm"])
            value["line_model"] = learnt
        name, speed_mm_s = value.pop("instrument"), value.pop("speed_mm_s")
        settings = FlowSettings(
            **{**value, "sections": sections, "accept_percent": tuple(value["accept_percent"])},
            flow_percent=None if used.value is None else seen_flow(used.value),
            instrument_mm=figures_of(bench.book, name, "wall", options.zero),
            dose=dose,
            set_percent=None if used.flow_set is None else seen_flow(used.flow_set),
            by_plan=used.by_plan,
            esteps=steps_in_force(bench.book, bench.setup.printer) if bench.setup else None,
            diameter_mm=bench.slicer_mm,
            tube=given_tube(options) or (plan and plan.settings.tube),
        )
        if options.flow is not None or options.plan:
            settings.known_dose  # noqa: B018 (an aim that is no wall is refused now)
        taken = {key: seen[of].source for key, of in _LINE if seen[of].source.startswith("as ")}
        which = "all" if len(taken) == len(_LINE) else " and ".join(taken)
        line = f"{which} {next(iter(taken.values()))}" if taken else ""
        return Settled(
            settings,
            Conditions(speed_mm_s=speed_mm_s, instrument=name),
            (*of_file, *used.notes),
            {"flow": used.source, "line": line},
            learnt=learnt,
        )

    def recipe(self, settled: Settled[FlowSettings], bench: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        several = max(section.walls for section in settings.sections) > 1
        steps = [("print", "a hollow cube: no top, no infill, a few centimetres wide")]
        lines = f"{settings.sections[0].named} a wall"
        if len(settings.sections) > 1:
            steps = [("print", "a square tube in sections one above the other")]
            lines = ", ".join(section.named for section in settings.sections) + ": the first lowest"
        steps += [("walls", lines), ("line", _line_text(settings))]
        if settings.flow_percent is not None and settings.sections[0].flow_percent is None:
            why = ""
            if settings.by_plan:
                why = "  for this print only: richer than needed, so that lines touch"
            flow = value_text("flow", settings.flow_percent / 100, bench.writing)
            steps.append(("flow", flow + why))
        if settings.tube and settings.tube.section_mm < SECTION_MM - 1e-9:
            steps.append(("quick", quick_text(settings)))
        if not several:
            steps.append(("rough", "one line tells flow to ±7 % at best; three lines to ±4 %"))
        return steps

    def as_part(self, plan: Plan[FlowSettings], bench: OnBench, ending: str) -> Plan[FlowSettings]:
        from metier.trials.flow.part import as_tube

        return as_tube(plan, bench, ending)

    def readings(
        self, options: Namespace, settled: Settled[FlowSettings], bench: OnBench
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

    def asked(self, settled: Settled[FlowSettings], bench: OnBench) -> Asked:
        return ask_walls(self.name, settled.settings)

    def taken_in(
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
        bench: OnBench,
        settings: FlowSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> FlowContext:
        return context_of(bench, settings, conditions, before)

    def judge(
        self, settings: FlowSettings, readings: Sequence[Reading], context: FlowContext
    ) -> FlowFinding:
        return judge_walls(settings, readings, context)

    def result(self, settings: FlowSettings, finding: FlowFinding) -> FlowResult:
        return result_of(settings, finding)

    def outcomes(self, settings: FlowSettings, finding: FlowFinding) -> list[Outcome]:
        low, high = finding.sure_range or (None, None)
        new, u95 = finding.flow_new, finding.u95
        return [
            Outcome(
                "flow", finding.flow_set, new, u95 if new else None, finding.flow_to_type, low,
                high, int(finding.rough),
            )
        ]  # fmt: skip

    def expected(self, bench: OnBench, name: str, value: float) -> list[Expected]:
        return expected_walls(bench, value)

    def learn(self, settled: Settled[FlowSettings], bench: OnBench) -> list[str]:
        model = settled.learnt
        if not bench.setup or model in (None, bench.setup.printer.line_model):
            return []
        from metier.trials.flow.afterwards import judge_open

        with bench.book.transaction() as moment:
            printer = set_printer(bench.book, moment, bench.setup.printer, {"line_model": model})
            return [f"{anew.number} ({anew.verdict})" for anew in judge_open(bench.book, printer)]


# What a line is known by, as the sheet calls it.
_LINE = (("width", "width_mm"), ("layer", "layer_mm"), ("walls", "sections"))


def _side(walls: int | None, side: str) -> str:
    lines = lines_text(walls) if walls else ""
    return ", ".join(part for part in (lines, side) if part)


def _line_text(settings: FlowSettings) -> str:
    width = "" if settings.width_mm is None else f"{settings.width_mm:g} mm wide, "
    return f"{width}{settings.layer_mm:g} mm high"


def result_of(settings: FlowSettings, finding: FlowFinding) -> FlowResult:
    """Return a finding in the units people see: flows in percent."""
    trial, followed, delivered = finding.trial, finding.response, finding.delivered
    first, targets = trial.sections[0], trial.targets_mm(settings.line_model)
    sure_from, sure_to = finding.sure_range or (None, None)
    under = finding.under if len(finding.under) > 1 else {}
    return FlowResult(
        wall_mm=first.wall.value,
        wall_u95_mm=first.wall.u95,
        target_mm=targets[0],
        targets_mm={model: _target_mm(settings, model) for model in LINE_MODELS},
        sections=tuple(
            SectionResult(
                section.walls, section.wall.value, section.wall.u95, section.wall.n, target_mm
            )
            for section, target_mm in zip(trial.sections, targets, strict=True)
        ),
        line_model=settings.line_model,
        flow_sliced_percent=settings.flow_percent,
        flow_now_percent=settings.set_percent,
        flow_new_percent=_percent(finding.flow_new),
        flow_new_u95_percent=_percent(finding.u95),
        interval_percent=tuple(100 * flow for flow in finding.interval),
        sure_percent=_percent(finding.sure),
        sure_from_percent=_percent(sure_from),
        sure_to_percent=_percent(sure_to),
        trials_pooled=finding.pooled,
        texture_mm=finding.texture_mm,
        response=followed and followed.ratio,
        response_u95=followed and followed.u95,
        flow_plain_percent=_percent(finding.flow_plain),
        flow_under_percent={
            model: _percent(under[model].flow_new) if model in under else None
            for model in LINE_MODELS
        },
        flow_to_type_percent=_percent(finding.flow_to_type, seen=True),
        influences_percent={name: 100 * u95 for name, u95 in by_name(finding.influences).items()},
        rough=finding.rough,
        delivered_share=delivered and delivered.share,
        delivered_share_u95=delivered and delivered.u95,
        forecasts=tuple(
            WallForecast(ahead.walls, ahead.wall_mm, ahead.u95_mm, ahead.came_so)
            for ahead in finding.forecasts
        ),
    )


def _target_mm(settings: FlowSettings, model: LineModel) -> float | None:
    if settings.width_mm is None:
        return None
    apart_mm = spacing_mm(settings.width_mm, settings.layer_mm, model)
    return wall_mm(settings.sections[0].walls, apart_mm, settings.layer_mm)


def _percent(ratio: float | None, *, seen: bool = False) -> float | None:
    """Return a ratio in percent; one that is typed in without what binary fractions add."""
    if ratio is None:
        return None
    return VALUES["flow"].seen(ratio) if seen else 100 * ratio


KIND = Flow()
