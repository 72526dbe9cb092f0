"""Weighings through the pipeline: their options, settings, finding."""

import math
from argparse import Namespace
from collections.abc import Callable, Sequence
from typing import Any

from metier.core.errors import BadInput
from metier.core.flow.answer import PRIOR_MEASURED, Known
from metier.core.flow.posterior import Prior
from metier.core.flow.rows import PRINT_SCATTER
from metier.core.flow.trials import FlowTrial
from metier.core.flow.verdict import FlowFinding, judge_flow
from metier.core.measure.instruments import weighed
from metier.core.measure.readings import Instrument
from metier.core.measure.student import NORMAL95
from metier.core.values import VALUES
from metier.core.weighing import (
    Strand,
    WeighFinding,
    Weighing,
    beside_walls,
    judge_fed,
    judge_strand,
    refuse_other_print,
    strand_of,
    weigh,
    weighing_notes,
)
from metier.formats import quantity
from metier.logbook.inforce import steps_in_force
from metier.logbook.instruments import any_instrument
from metier.logbook.trials import Conditions, Reading
from metier.trials.flow.judging import judge_walls, known_of
from metier.trials.flow.settings import KeptWeight
from metier.trials.flow.weight import known_density
from metier.trials.kind import Kind, Measured, Settled, refuse_unplanned
from metier.trials.on_bench import OnBench
from metier.trials.table import (
    Plan,
    Row,
    Seeking,
    condition,
    given,
    of_bench,
    planned,
    setting,
    told,
    usual,
)
from metier.trials.weigh.given import (
    WeighContext,
    asked_for,
    context_of,
    diameters,
    refuse_other_kind,
)
from metier.trials.weigh.kept import KEPT, PRINT, STRAND, WeighResult, WeighSettings
from metier.words.arguments import flow, grams, length, positive, steps, trial_number
from metier.words.missing import Asked, missing


def _length_needed(seeking: Seeking, row: Row) -> None:
    if seeking.options.strand:
        raise missing(row.flag, "how long the strand on the scale is, in mm", length)


def _steps_in_force(bench: OnBench) -> float | None:
    return steps_in_force(bench.book, bench.setup.printer) if bench.setup else None


class Weigh(Kind[WeighSettings, WeighContext, WeighFinding]):
    """A strand of known length on a scale, and a print: what was delivered against asked."""

    kept = KEPT
    form = KEPT.settings
    title = "Weighing"
    description = (
        "Compare what a print weighs with the filament its file asked for: a second witness beside "
        "the walls, blind to texture and to jaws. The plastic's density tells how much that is; a "
        "strand of known length, weighed once a roll, tells it better."
    )
    example = (
        "  metier weigh --part 4.24 --of 4                    a tube that Metier wrote\n"
        "  metier weigh --strand 2.95 2.96 --length 1000      once a roll\n"
        "  metier weigh --part 12.31 --sliced globe.gcode     the print of that file\n"
        "  metier weigh --strand 2.95 --length 1000 --part 12.31 --filament 4123"
    )
    draws = True
    job = "part of strand length sliced filament scale flow density"
    lacking = "no readings: give --strand G and --length MM, or --part G, or type them in"

    table = (
        told("--strand G …", "grams of a strand, weighed once or several times", grams),
        setting("length_mm", "--length MM", "how long that strand is", length, given, planned,
                _length_needed),
        told("--part G …", "grams of the print, with all that the file asks for", grams,
             dest="part_g"),
        "what the print was asked for (one of these)",
        told("--sliced FILE", "the sliced file it was printed from"),
        told("--filament MM", "the slicer's length", length),
        told("--of N", "the flow trial whose print it is", trial_number),
        "",
        setting("instrument", "--scale NAME", "a scale of your own (scale)", None, given, condition,
                usual("scale")),
        setting("flow", "--flow PERCENT", "the flow that is set", flow, given,
                of_bench(lambda bench: bench.stands("flow").in_force)),
        setting("esteps", "--steps S", "e-steps in the printer", steps, given,
                of_bench(_steps_in_force)),
        told("--diameter MM", "the strand's, measured", length),
        told("--slicer MM", "the slicer's diameter", length),
        setting("density_g_cm3", "--density G/CM3", "the plastic's, by its maker (by the roll)",
                positive, given, planned),
    )  # fmt: skip

    def given(self, options: Namespace) -> bool:
        readings = bool(options.strand or options.part_g)
        refuse_unplanned(self, options, readings, "a print")
        if options.length and options.part_g and not options.strand:
            raise BadInput("--length is of the strand: give its grams, too (--strand G)")
        return readings

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[WeighSettings] | None
    ) -> Settled[WeighSettings]:
        before = plan and plan.settings
        if options.of:
            refuse_other_kind(bench, options.of)
        asked = asked_for(options, bench, before)
        seen = self.sought(options, bench, plan)
        if options.part_g and asked.mm is None:
            meaning = "the filament that the print was asked for, in mm"
            hint = " (or --sliced FILE, or --of N for a tube of Metier's own)"
            raise missing("--filament", meaning, length, hint)
        name, ratio = seen["instrument"].value, seen["flow"].value
        settings = WeighSettings(
            any_instrument(bench.book, name).scale,
            seen["length_mm"].value,
            *(asked.mm, asked.source),
            None if ratio is None else VALUES["flow"].seen(ratio),
            seen["esteps"].value,
            diameters(options, bench, asked),
            options.of or (before and before.of_trial),
            seen["density_g_cm3"].value,
        )
        return Settled(settings, Conditions(instrument=name), asked.notes)

    def recipe(self, settled: Settled[WeighSettings], bench: OnBench) -> list[tuple[str, str]]:
        length_mm = settled.settings.length_mm or 1000
        return [
            ("weigh", f"a strand of {length_mm:g} mm, twice, the scale tared"),
            ("and", "the print with all that its file asks for: skirt and priming line, too"),
        ]

    def readings(
        self, options: Namespace, settled: Settled[WeighSettings], bench: OnBench
    ) -> list[Reading]:
        return [
            *(Reading(STRAND, typed.value, typed.text) for typed in options.strand or ()),
            *(Reading(PRINT, typed.value, typed.text) for typed in options.part_g or ()),
        ]

    def asked(self, settled: Settled[WeighSettings], bench: OnBench) -> Asked:
        scale = settled.settings.scale_g
        return Asked(
            test=self.name,
            what="Grams: first the strand, then an empty line, then the print.",
            places=("weighing …",),
            how="Tare the scale, lay the thing in its middle, wait until it rests. A strand of a "
            "metre, curled up; the print with all that its file asks for.",
            instrument=scale.figures,
            check=lambda *_: None,
            read=lambda text: [quantity.read_positive(text, "grams", ("g",))],
            running=_mean_text(settled.settings),
            sections=(STRAND, PRINT),
            optional=(STRAND, PRINT),
        )

    def taken_in(
        self,
        settled: Settled[WeighSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[WeighSettings], list[Reading]]:
        taken = [reading._replace(side=reading.side.partition(",")[0]) for reading in readings]
        settings = settled.settings
        if settings.length_mm is None and any(reading.side == STRAND for reading in taken):
            settings = settings._replace(length_mm=1000.0)
            settled = settled._replace(remarks=(*settled.remarks, "the strand is taken as 1000 mm"))
        if settings.asked_mm is None and any(reading.side == PRINT for reading in taken):
            raise BadInput("--filament is needed: what the print was asked for (or --sliced FILE)")
        return settled._replace(settings=settings), taken

    def context(
        self,
        bench: OnBench,
        settings: WeighSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> WeighContext:
        return context_of(bench, settings, before)

    def judge(
        self, settings: WeighSettings, readings: Sequence[Reading], context: WeighContext
    ) -> WeighFinding:
        strand, strand_trial = _strand(settings, readings, context)
        print_g = [reading.value for reading in readings if reading.side == PRINT]
        if not print_g:
            if strand is None:
                raise BadInput("no grams: give --strand G and --length MM, or --part G")
            return judge_strand(strand)
        return _print_finding(settings, print_g, strand, context)._replace(
            strand_trial=strand_trial
        )

    def result(self, settings: WeighSettings, finding: WeighFinding) -> WeighResult:
        return result_of(settings, finding)

    def learn(self, made: Measured[Any, Any, Any], bench: OnBench) -> list[str]:
        """Keep what the print of a flow trial weighed with that trial, and judge it with it."""
        number, weighing = made.settings.of_trial, made.finding.weighing
        if number is None or weighing is None or weighing.density is None or not made.finding.flow:
            return []
        from metier.trials.weigh.beside import keep_weight

        return keep_weight(bench, number, made.finding)


def _print_finding(
    settings: WeighSettings, print_g: Sequence[float], strand: Strand | None, context: WeighContext
) -> WeighFinding:
    if settings.asked_mm is None:
        raise BadInput("what the print was asked for is not known: metier trial N --filament MM")
    slicer_mm = settings.diameters.slicer_mm or 1.75
    diameters = settings.diameters
    density = known_density(
        context.bench, strand, diameters.found_mm, slicer_mm, settings.density_g_cm3
    )
    weighing = weigh(
        weighed(print_g, settings.scale_g),
        settings.asked_mm,
        density=density,
        strand=strand,
        slicer_mm=slicer_mm,
        steps=settings.esteps,
        print_number=settings.of_trial or 0,
    )
    steps = weighing.delivered is not None and settings.esteps and context.steps_untried
    told, walls, delivered = weighing.told, context.walls, weighing.delivered
    beside = beside_walls(told, walls) if told and walls and not context.foaming else None
    flow = None
    share = told.value if told else 1.0
    if context.foaming or told is None or (steps and not settings.of_trial):
        assert delivered is not None
        verdict = judge_fed(delivered)
    else:
        flow = _flow_with(settings, weighing, context)
        verdict = refuse_other_print(share) or flow.verdict
    grown = None
    if context.foaming and walls and delivered:
        ratio = walls.share / delivered.ratio
        u95 = ratio * math.hypot(walls.u95 / walls.share, delivered.ratio_u95 / delivered.ratio)
        grown = ratio, u95
    flow_set = None if flow is None else flow.flow_set
    notes = weighing_notes(flow_set, context.foaming, beside, flow is None)
    return WeighFinding(
        strand, weighing, verdict, tuple(notes), flow=flow, beside=beside, grown=grown
    )


def _flow_with(settings: WeighSettings, weighing: Weighing, context: WeighContext) -> FlowFinding:
    """Return what all prints say of flow with this one weighed."""
    told, density = weighing.told, weighing.density
    assert told is not None
    assert density is not None
    if settings.of_trial and context.flow and context.flow_settings:
        weight = KeptWeight(
            weighing.mass.value, weighing.mass.u, weighing.asked_mm,
            settings.diameters.slicer_mm or 1.75, density.g_cm3, density.u,
        )  # fmt: skip
        printed = context.flow_settings._replace(
            weight=weight, set_percent=settings.flow_percent or context.flow_settings.set_percent
        )
        return judge_walls(printed, context.walls_read, context.flow)
    trials = [*context.prints, FlowTrial.of_weight(0, told)]
    known = Known()
    if context.flow and context.flow_settings:
        known = known_of(context.flow, context.flow_settings, trials)
    elif not context.steps_untried:
        known = Known(Prior(1.0, PRIOR_MEASURED))
    return judge_flow(
        trials, Instrument(0.0, 0.0, 0.0), model=None, flow_set=settings.flow, known=known
    )


def result_of(settings: WeighSettings, finding: WeighFinding) -> WeighResult:
    """Return a finding in the units people see."""
    strand, weighing, beside = finding.strand, finding.weighing, finding.beside
    flow, told = finding.flow, weighing and weighing.told
    delivered = weighing and weighing.delivered
    density = weighing.density if weighing else None
    ratio, ratio_u95 = (delivered.ratio, delivered.ratio_u95) if delivered else (None, None)
    if ratio is None and told:
        ratio, ratio_u95 = told.value, NORMAL95 * math.hypot(told.whole_u, PRINT_SCATTER)
    asked_mm = settings.asked_mm
    steps = delivered if finding.offers_steps else None

    def percent(value: float | None) -> float | None:
        return None if value is None else 100 * value

    return WeighResult(
        strand_g_per_m=strand and strand.g_per_m,
        strand_u95_g_per_m=strand and strand.g_per_m_u95,
        strand_trial=finding.strand_trial,
        part_g=weighing and weighing.mass.value,
        part_u95_g=weighing and weighing.mass.u95,
        asked_mm=asked_mm,
        delivered_mm=asked_mm * delivered.ratio if asked_mm and delivered else None,
        delivered_u95_mm=asked_mm * delivered.ratio_u95 if asked_mm and delivered else None,
        delivered_percent=percent(ratio),
        delivered_u95_percent=percent(ratio_u95),
        flow_now_percent=settings.flow_percent,
        flow_new_percent=percent(flow and flow.flow_new),
        flow_new_u95_percent=percent(flow and flow.u95),
        esteps_new=steps and steps.steps_new,
        esteps_new_u95=steps and steps.steps_u95,
        agree=beside and beside.agree,
        walls_more_percent=percent(beside and beside.difference),
        walls_more_u95_percent=percent(beside and beside.u95),
        texture_mm=flow and flow.texture_mm,
        grown_ratio=finding.grown and finding.grown[0],
        grown_ratio_u95=finding.grown and finding.grown[1],
        flow_to_type_percent=None
        if flow is None or flow.flow_to_type is None or finding.verdict.name == "recheck"
        else VALUES["flow"].seen(flow.flow_to_type),
        interval_percent=tuple(100 * end for end in flow.interval) if flow else (),
        sure_percent=percent(flow and flow.answer.sure_set),
        sure_typed_percent=percent(flow and flow.sure_typed),
        density_g_cm3=density and density.g_cm3,
        density_u95_percent=percent(density and NORMAL95 * density.u),
        share=told and told.value,
        share_u=told and told.u,
        density_u=told and told.density_u,
    )


def _strand(
    settings: WeighSettings, readings: Sequence[Reading], context: WeighContext
) -> tuple[Strand | None, int | None]:
    """Return the strand that a print is weighed against, and the trial of another weighing of
    it."""
    strand_g = [reading.value for reading in readings if reading.side == STRAND]
    if strand_g:
        length_mm = settings.length_mm or 1000.0
        spool = context.bench.setup and context.bench.setup.spool
        nominal_mm = spool.diameter_mm if spool else None
        return strand_of(weighed(strand_g, settings.scale_g), length_mm, nominal_mm), None
    return context.strand, context.strand_trial


def _mean_text(settings: WeighSettings) -> Callable[[list[float]], str]:
    def text(values: list[float]) -> str:
        mass = weighed(values, settings.scale_g)
        return f"mean {mass.value:.3f} g, {mass.n} weighing{'s' if mass.n > 1 else ''}"

    return text


KIND = Weigh()
