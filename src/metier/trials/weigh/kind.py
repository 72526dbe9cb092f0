"""Weighings through the pipeline: their options, settings, finding."""

from argparse import Namespace
from collections.abc import Callable, Sequence

from metier.core.errors import BadInput
from metier.core.flow.posterior import BAND
from metier.core.measure.instruments import weighed
from metier.core.values import VALUES
from metier.core.weighing import Strand, WeighFinding, judge_print, judge_strand, strand_of, weigh
from metier.formats import quantity
from metier.logbook.inforce import steps_in_force
from metier.logbook.instruments import any_instrument
from metier.logbook.trials import Conditions, Reading
from metier.trials.kind import Kind, Settled, refuse_unplanned
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
from metier.words.arguments import flow, grams, length, steps, trial_number
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
        "the walls, blind to texture and to jaws. A strand of known length, weighed once a roll, "
        "turns grams into millimetres."
    )
    example = (
        "  metier weigh --strand 2.95 2.96 --length 1000      once a roll\n"
        "  metier weigh --part 12.31 --sliced globe.gcode     the print of that file\n"
        "  metier weigh --strand 2.95 --length 1000 --part 12.31 --filament 4123"
    )
    draws = True
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
            *(Reading(STRAND, one.value, one.text) for one in options.strand or ()),
            *(Reading(PRINT, one.value, one.text) for one in options.part_g or ()),
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
            return judge_strand(strand)
        if settings.asked_mm is None:
            raise BadInput(
                "what the print was asked for is not known: metier trial N --filament MM"
            )
        weighing = weigh(
            weighed(print_g, settings.scale_g),
            strand,
            settings.asked_mm,
            settings.diameters,
            settings.esteps,
            context.walls,
            context.foaming,
        )
        diameters_mm = settings.diameters
        judged = judge_print(strand, weighing, settings.flow, diameters_mm, context.foaming, BAND)
        return judged._replace(strand_trial=strand_trial)

    def result(self, settings: WeighSettings, finding: WeighFinding) -> WeighResult:
        strand, weighing = finding.strand, finding.weighing
        beside, texture = (
            weighing and weighing.beside,
            weighing and weighing.beside and weighing.beside.texture,
        )
        return WeighResult(
            strand_g_per_m=strand.g_per_m,
            strand_u95_g_per_m=strand.g_per_m_u95,
            strand_trial=finding.strand_trial,
            part_g=weighing and weighing.mass.value,
            part_u95_g=weighing and weighing.mass.u95,
            asked_mm=settings.asked_mm,
            delivered_mm=weighing and weighing.delivered_mm,
            delivered_u95_mm=weighing and weighing.delivered_u95_mm,
            delivered_percent=weighing and 100 * weighing.ratio,
            delivered_u95_percent=weighing and 100 * weighing.ratio_u95,
            flow_now_percent=settings.flow_percent,
            flow_new_percent=weighing and 100 * weighing.flow_new,
            flow_new_u95_percent=weighing and 100 * weighing.flow_new_u95,
            esteps_new=weighing and weighing.steps_new,
            esteps_new_u95=weighing and weighing.steps_new_u95,
            agree=beside and beside.agree,
            walls_more_percent=beside and 100 * beside.difference,
            walls_more_u95_percent=beside and 100 * beside.u95,
            texture_mm=texture and texture.mm,
            texture_u95_mm=texture and texture.u95_mm,
            grown_ratio=weighing and weighing.grown,
            grown_ratio_u95=weighing and weighing.grown_u95,
        )


def _strand(
    settings: WeighSettings, readings: Sequence[Reading], context: WeighContext
) -> tuple[Strand, int | None]:
    """Return the strand that a print is reckoned by, and the trial of another weighing of it."""
    strand_g = [reading.value for reading in readings if reading.side == STRAND]
    if strand_g:
        length_mm = settings.length_mm or 1000.0
        return strand_of(weighed(strand_g, settings.scale_g), length_mm, context.nominal_mm), None
    if context.strand is None:
        raise BadInput(
            "what a metre of this roll weighs is not known: give --strand G --length MM, too"
        )
    return context.strand, context.strand_trial


def _mean_text(settings: WeighSettings) -> Callable[[list[float]], str]:
    def text(values: list[float]) -> str:
        mass = weighed(values, settings.scale_g)
        return f"mean {mass.value:.3f} g, {mass.n} weighing{'s' if mass.n > 1 else ''}"

    return text


KIND = Weigh()
