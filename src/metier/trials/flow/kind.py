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
    check_two_numbers,
    fill,
    given_tube,
    planned_sections,
    refuse_width,
    walls_given,
)
from metier.trials.flow.judging import context_of, expected_walls, judge_walls
from metier.trials.flow.kept import KEPT, FlowResult, SectionResult, WallForecast
from metier.trials.flow.settings import FORM, SECTION_MM, FlowSettings, KeptWeight
from metier.trials.flow.sliced_at import (
    as_typed,
    ask_walls,
    counted,
    file_readings,
    quick_text,
    richer,
    sliced_at,
    with_doses,
)
from metier.trials.kind import Expected, Kind, Measured, Settled, refuse_unplanned
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
        "  metier flow --measured 0.48 --should 0.45\n"
        "  metier flow --plan --part tube.gcode\n"
        "  metier flow --width 0.42 --walls 3 --layer 0.2 --flow 97 \\\n"
        "    --line-model rounded --side 1.26 1.27 --side 1.25 1.26 --side 1.26 1.25"
    )
    draws = True
    printed = True
    told_by_part = frozenset({"print", "line"})
    bare = "--read"
    job = "measured should read side width walls layer flow line-model sliced grams"
    lacking = "no readings: give --read, --side or --from FILE.csv, or type them in"
    table = TABLE

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        super().add_options(parser)
        parser.set_defaults(in_order=None, dose=None, doses=(), model_shown=None)

    def given(self, options: Namespace) -> bool:
        check_two_numbers(options)
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
        of_file = fill(options, bench, plan)
        seeking = Seeking(options, bench, plan, before)
        seen = self.sought(options, bench, plan)
        value = {name: known.value for name, known in seen.items()}
        refuse_width(
            value["width_mm"], value["layer_mm"], bench.setup and bench.setup.nozzle.bore_mm
        )
        sections = counted(options, planned_sections(options, value["sections"]), value["width_mm"])
        used, dose = sliced_at(seeking, sections), options.dose or (plan and plan.settings.dose)
        sections = with_doses(richer(seeking, sections, used), options.doses)
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
            weight=plan and plan.settings.weight,
        )
        if options.grams:
            settings = settings._replace(weight=_weight(options, bench, plan))
        for section in sections:
            settings.dose_of(section)  # an aim that is no wall is refused now
        taken = {key: seen[of].source for key, of in _LINE if seen[of].source.startswith("as ")}
        which = "all" if len(taken) == len(_LINE) else " and ".join(taken)
        line = f"{which} {next(iter(taken.values()))}" if taken else ""
        return Settled(
            settings,
            Conditions(speed_mm_s=speed_mm_s, instrument=name),
            (*of_file, *seen["layer_mm"].notes, *used.notes),
            {"flow": used.source, "line": line},
            learnt=options.model_shown or options.line_model,
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
            if settings.by_plan and several:
                why = "  for this print only: richer than needed, so that lines touch"
            flow = value_text("flow", settings.flow_percent / 100, bench.writing)
            steps.append(("flow", flow + why))
        if settings.tube and settings.tube.section_mm < SECTION_MM - 1e-9:
            steps.append(("quick", quick_text(settings)))
        if not several:
            steps.append(("rough", "one line tells flow to ±7 % at best; Metier's tube to ±4 %"))
        return steps

    def as_part(self, plan: Plan[FlowSettings], bench: OnBench, ending: str) -> Plan[FlowSettings]:
        from metier.trials.flow.part import as_tube

        return as_tube(plan, bench, ending)

    def readings(
        self, options: Namespace, settled: Settled[FlowSettings], bench: OnBench
    ) -> list[Reading]:
        if options.file:
            settings = settled.settings
            return file_readings(options.file, settings.sections, settings.width_mm)
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
        return [
            Outcome(
                kind="flow",
                value_now=finding.flow_set,
                value_new=finding.flow_new,
                u95=finding.u95,
                value_to_type=finding.flow_to_type,
                sure_from=low,
                sure_to=high,
                rough=int(finding.stands),
            )
        ]

    def expected(self, bench: OnBench, name: str, value: float) -> list[Expected]:
        return expected_walls(bench, value)

    def asked_last(
        self,
        settled: Settled[FlowSettings],
        taken: Sequence[Reading],
        bench: OnBench,
        options: Namespace,
    ) -> Settled[FlowSettings]:
        settings, typed = settled.settings, not self.given(options)
        if typed and options.trial and not settings.weight:
            from metier.trials.flow.weight import ask_weight

            plan = Plan(options.trial, settings, settled.conditions)
            settings = settings._replace(weight=ask_weight(bench, plan))
        learnt = settled.learnt
        if settings.line_model is None and settings.width_mm is not None and settings.needs_model:
            context = self.context(bench, settings, settled.conditions)
            if self.judge(settings, taken, context).ask_model:
                from metier.words.question import ask_line_model

                learnt = ask_line_model(settings.width_mm, settings.layer_mm)
                settings = settings._replace(line_model=learnt)
        return settled._replace(settings=settings, learnt=learnt)

    def learn(
        self, made: Measured[FlowSettings, FlowContext, FlowFinding], bench: OnBench
    ) -> list[str]:
        model, dose = made.settled.learnt, made.settings.dose
        shown = int(bool(dose and dose.source == "file"))
        if not bench.setup or model is None:
            return []
        printer = bench.setup.printer
        if (model, max(shown, printer.line_model_shown)) == (
            printer.line_model,
            printer.line_model_shown,
        ):
            return []
        from metier.trials.flow.afterwards import judge_open

        with bench.book.transaction() as moment:
            told = {"line_model": model, "line_model_shown": shown}
            printer = set_printer(bench.book, moment, printer, told)
            return [f"{anew.number} ({anew.verdict})" for anew in judge_open(bench.book, printer)]


def _weight(options: Namespace, bench: OnBench, plan: Plan[FlowSettings] | None) -> KeptWeight:
    from metier.core.measure.instruments import Scale
    from metier.trials.flow.weight import scale_of, weight_of

    grams = [weighing.value for weighing in options.grams]
    return weight_of(grams, bench, plan, scale_of(bench) or Scale())


# What a line is known by, as the sheet calls it.
_LINE = (("width", "width_mm"), ("layer", "layer_mm"), ("walls", "sections"))


def _line_text(settings: FlowSettings) -> str:
    width = "" if settings.width_mm is None else f"{settings.width_mm:g} mm wide, "
    return f"{width}{settings.layer_mm:g} mm high"


def result_of(settings: FlowSettings, finding: FlowFinding) -> FlowResult:
    """Return a finding in the units people see: flows in percent."""
    trial, followed, delivered = finding.trial, finding.response, finding.delivered
    joint = finding.answer.joint
    first, targets = trial.sections[0], trial.targets_mm(settings.line_model)
    sure_from, sure_to = finding.sure_range or (None, None)
    under = joint.under if finding.hangs_on_model else {}
    return FlowResult(
        wall_mm=first.wall.value,
        wall_u95_mm=first.wall.u95,
        target_mm=targets[0],
        targets_mm={model: _target_mm(settings, model) for model in LINE_MODELS},
        sections=tuple(
            SectionResult(
                walls=section.walls,
                wall_mm=section.wall.value,
                wall_u95_mm=section.wall.u95,
                readings=section.wall.n,
                target_mm=target_mm,
                width_mm=section.width_mm,
                flow_percent=_percent(section.flow, seen=True),
            )
            for section, target_mm in zip(trial.sections, targets, strict=True)
        ),
        line_model=settings.line_model,
        flow_sliced_percent=settings.flow_percent,
        flow_now_percent=settings.set_percent,
        flow_new_percent=100 * finding.flow_new,
        flow_new_u95_percent=100 * finding.u95,
        interval_percent=tuple(100 * flow for flow in finding.interval),
        sure_percent=_percent(finding.answer.sure_set),
        sure_from_percent=_percent(sure_from),
        sure_to_percent=_percent(sure_to),
        trials_pooled=finding.pooled,
        texture_mm=finding.texture_mm,
        response=followed and followed.ratio,
        response_u95=followed and followed.u95,
        flow_plain_percent=_percent(finding.flow_plain),
        flow_under_percent={
            model: 100 * under[model].flow if model in under else None for model in LINE_MODELS
        },
        flow_to_type_percent=_percent(finding.flow_to_type, seen=True),
        influences_percent={name: 100 * u95 for name, u95 in by_name(finding.influences).items()},
        rough=finding.rough,
        delivered_share=delivered.share,
        delivered_share_u95=delivered.u95,
        forecasts=tuple(
            WallForecast(ahead.walls, ahead.wall_mm, ahead.u95_mm, ahead.came_so)
            for ahead in finding.forecasts
        ),
        sure_typed_percent=_percent(finding.sure_typed),
        line_model_percent={
            model: 100 * joint.odds.get(model, 0.0) if under else None for model in LINE_MODELS
        },
        grams=settings.weight and settings.weight.grams,
        stands=finding.stands,
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
