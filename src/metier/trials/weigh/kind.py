"""Weighings through the pipeline: their options, settings, finding."""

import argparse
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
from metier.logbook.trials import Conditions, Outcome, Reading
from metier.show.sheet import Sheet
from metier.trials.kind import Kind, Measured, Plan, Settled, refuse_planned_readings
from metier.trials.on_bench import OnBench
from metier.trials.weigh.given import (
    WeighContext,
    asked_for,
    context_of,
    diameters,
    refuse_other_kind,
)
from metier.trials.weigh.kept import FORM, KEPT, PRINT, STRAND, WeighSettings
from metier.trials.weigh.sheet import write_sheet
from metier.words.arguments import flow, grams, length, option, steps, trial_number
from metier.words.missing import Asked, Missing


class Weigh(Kind[WeighSettings, WeighContext, WeighFinding]):
    """A strand of known length on a scale, and a print: what was delivered against asked."""

    kept = KEPT
    form = FORM
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

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        option(parser, "--strand G …", "grams of a strand, weighed once or several times", grams)
        option(parser, "--length MM", "how long that strand is", length)
        option(parser, "--part G …", "grams of the print, with all that the file asks for",
               grams, dest="part_g")  # fmt: skip
        asked = parser.add_argument_group("what the print was asked for (one of these)")
        option(asked, "--sliced FILE", "the sliced file it was printed from")
        option(asked, "--filament MM", "the slicer's length", length)
        option(asked, "--of N", "the flow trial whose print it is", trial_number)
        option(parser, "--scale NAME", "a scale of your own (scale)")
        option(parser, "--flow PERCENT", "the flow that is set", flow)
        option(parser, "--steps S", "e-steps in the printer", steps)
        option(parser, "--diameter MM", "the strand's, measured", length)
        option(parser, "--slicer MM", "the slicer's diameter", length)

    def given(self, options: Namespace) -> bool:
        given = bool(options.strand or options.part_g)
        refuse_planned_readings(options, given, "a print")
        if options.length and options.part_g and not options.strand:
            raise BadInput("--length is of the strand: give its grams, too (--strand G)")
        return given

    def settle(
        self, options: Namespace, here: OnBench, plan: Plan[WeighSettings] | None
    ) -> Settled[WeighSettings]:
        planned = plan and plan.settings
        name = options.scale or (plan and plan.conditions.instrument) or "scale"
        scale = any_instrument(here.book, name).scale
        length_mm = options.length or (planned and planned.length_mm)
        if options.strand and length_mm is None:
            raise Missing("--length", "how long the strand on the scale is, in mm", length, 1000.0)
        if options.of:
            refuse_other_kind(here, options.of)
        asked = asked_for(options, here, planned)
        if options.part_g and asked.mm is None:
            meaning = "the filament that the print was asked for, in mm"
            hint = " (or --sliced FILE, or --of N for a tube of Metier's own)"
            raise Missing("--filament", meaning, length, 4000.0, hint=hint)
        ratio = options.flow or here.stands("flow").in_force
        esteps = options.steps
        if esteps is None and here.setup:
            esteps = steps_in_force(here.book, here.setup.printer)
        settings = WeighSettings(
            scale,
            length_mm,
            asked.mm,
            asked.source,
            None if ratio is None else VALUES["flow"].seen(ratio),
            esteps,
            diameters(options, here, asked),
            options.of or (planned and planned.of_trial),
        )
        return Settled(settings, Conditions(instrument=name), asked.notes)

    def recipe(self, settled: Settled[WeighSettings], here: OnBench) -> list[tuple[str, str]]:
        length_mm = settled.settings.length_mm or 1000
        return [
            ("weigh", f"a strand of {length_mm:g} mm, twice, the scale tared"),
            ("and", "the print with all that its file asks for: skirt and priming line, too"),
        ]

    def readings(
        self, options: Namespace, settled: Settled[WeighSettings], here: OnBench
    ) -> list[Reading]:
        return [
            *(Reading(STRAND, one.value_g, one.text) for one in options.strand or ()),
            *(Reading(PRINT, one.value_g, one.text) for one in options.part_g or ()),
        ]

    def asked(self, settled: Settled[WeighSettings], here: OnBench) -> Asked:
        scale = settled.settings.scale_g
        return Asked(
            self.name,
            "Grams: first the strand, then an empty line, then the print.",
            ("weighing …",),
            "Tare the scale, lay the thing in its middle, wait until it rests. A strand of a "
            "metre, curled up; the print with all that its file asks for.",
            scale.figures,
            lambda *_: None,
            lambda text: [quantity.read_positive(text, "grams", ("g",))],
            _mean_text(settled.settings),
            (STRAND, PRINT),
            (STRAND, PRINT),
        )

    def typed(
        self,
        settled: Settled[WeighSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[WeighSettings], list[Reading]]:
        taken = [one._replace(side=one.side.partition(",")[0]) for one in readings]
        settings = settled.settings
        if settings.length_mm is None and any(one.side == STRAND for one in taken):
            settings = settings._replace(length_mm=1000.0)
            settled = settled._replace(remarks=(*settled.remarks, "the strand is taken as 1000 mm"))
        if settings.asked_mm is None and any(one.side == PRINT for one in taken):
            raise BadInput("--filament is needed: what the print was asked for (or --sliced FILE)")
        return settled._replace(settings=settings), taken

    def context(
        self,
        here: OnBench,
        settings: WeighSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> WeighContext:
        return context_of(here, settings, before)

    def judge(
        self, settings: WeighSettings, readings: Sequence[Reading], context: WeighContext
    ) -> WeighFinding:
        strand, strand_trial = _strand(settings, readings, context)
        print_g = [one.value for one in readings if one.side == PRINT]
        if not print_g:
            return judge_strand(strand)
        if settings.asked_mm is None:
            raise BadInput(
                "what the print was asked for is not known: metier trial N --filament MM"
            )
        found = weigh(
            weighed(print_g, settings.scale_g),
            strand,
            settings.asked_mm,
            settings.diameters,
            settings.esteps,
            context.walls,
            context.foaming,
        )
        diameters_mm = settings.diameters
        judged = judge_print(strand, found, settings.flow, diameters_mm, context.foaming, BAND)
        return judged._replace(strand_trial=strand_trial)

    def payload(self, settings: WeighSettings, finding: WeighFinding) -> dict[str, object]:
        strand, found = finding.strand, finding.weighing
        beside, texture = found and found.beside, found and found.beside and found.beside.texture
        return {
            "strand_g_per_m": strand.g_per_m,
            "strand_u95_g_per_m": strand.g_per_m_u95,
            "strand_trial": finding.strand_trial,
            "part_g": found and found.mass.value,
            "part_u95_g": found and found.mass.u95,
            "asked_mm": settings.asked_mm,
            "delivered_mm": found and found.delivered_mm,
            "delivered_u95_mm": found and found.delivered_u95_mm,
            "delivered_percent": found and 100 * found.ratio,
            "delivered_u95_percent": found and 100 * found.ratio_u95,
            "flow_now_percent": settings.flow_percent,
            "flow_new_percent": found and 100 * found.flow_new,
            "flow_new_u95_percent": found and 100 * found.flow_new_u95,
            "esteps_new": found and found.steps_new,
            "esteps_new_u95": found and found.steps_new_u95,
            "agree": beside and beside.agree,
            "walls_more_percent": beside and 100 * beside.difference,
            "walls_more_u95_percent": beside and 100 * beside.u95,
            "texture_mm": texture and texture.mm,
            "texture_u95_mm": texture and texture.u95_mm,
            "grown_ratio": found and found.grown,
            "grown_ratio_u95": found and found.grown_u95,
        }

    def outcomes(self, settings: WeighSettings, finding: WeighFinding) -> list[Outcome]:
        return []

    def sheet(
        self, trial: Measured[WeighSettings, WeighContext, WeighFinding], sheet: Sheet
    ) -> None:
        write_sheet(trial, sheet)

    def draw(
        self, path: str, title: str, trial: Measured[WeighSettings, WeighContext, WeighFinding]
    ) -> None:
        from metier.trials.weigh.sheet import draw

        draw(path, title, trial)


def _strand(
    settings: WeighSettings, readings: Sequence[Reading], context: WeighContext
) -> tuple[Strand, int | None]:
    """Return the strand that a print is reckoned by, and the trial of another weighing of it."""
    strand_g = [one.value for one in readings if one.side == STRAND]
    if strand_g:
        length_mm = settings.length_mm or 1000.0
        strand = strand_of(weighed(strand_g, settings.scale_g), length_mm, context.nominal_mm)
        return strand, None
    if context.strand is None:
        raise BadInput(
            "what a metre of this roll weighs is not known: give --strand G --length MM, too"
        )
    return context.strand, context.strand_trial


def _mean_text(settings: WeighSettings) -> Callable[[list[float]], str]:
    def text(values: list[float]) -> str:
        found = weighed(values, settings.scale_g)
        return f"mean {found.value:.3f} g, {found.n} weighing{'s' if found.n > 1 else ''}"

    return text


KIND = Weigh()
