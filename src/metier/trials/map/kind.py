"""Maps through the pipeline: the tube of several speeds, and the map out of all that is known."""

import argparse
from argparse import Namespace
from collections.abc import Sequence
from typing import TYPE_CHECKING

from metier.core.errors import BadInput
from metier.core.flow.answer import Aim
from metier.core.flow.mapped import MapFinding
from metier.core.flow.surface import Place, Points
from metier.logbook.book import Logbook
from metier.logbook.plain import to_plain
from metier.logbook.trials import Conditions, Reading
from metier.show.figures import value_text
from metier.show.sheet import Sheet
from metier.trials.flow.given import InOrder, readings_by_walls, walls_given
from metier.trials.flow.settings import FlowSettings, lines_text, names_of
from metier.trials.flow.sliced_at import as_typed, ask_walls
from metier.trials.kind import Kind, Settled, WantedLine, refuse_unplanned
from metier.trials.map.kept import KEPT, MapResult
from metier.trials.map.mapping import (
    MapContext,
    Printed,
    context_of,
    map_of,
    map_point,
    places_of,
    points_known,
    printed,
    walls_known,
)
from metier.trials.map.sheet import result_of, write_map
from metier.trials.on_bench import OnBench, bench_phrase, on_bench
from metier.trials.table import Plan, told
from metier.words.arguments import (
    flow,
    layer_height,
    line_width,
    nozzle_heat,
    reading,
    signed_length,
    speed,
    walls,
)
from metier.words.missing import Asked
from metier.words.parser import Answer

if TYPE_CHECKING:
    from metier.parts.part import Part


class Map(Kind[FlowSettings, MapContext, MapFinding]):
    """Walls printed at several speeds, one above the other, and what all such prints say."""

    kept = KEPT
    form = KEPT.settings
    title = "Flow map"
    description = (
        "Map the flow that each speed and temperature needs, out of the walls that the logbook has "
        "on this bench, printed at known speeds. --plan proposes a tube whose sections differ in "
        "speed alone."
    )
    example = (
        "  metier map --plan --part speeds.gcode         one print, four speeds\n"
        "  metier map                                    what all prints so far say\n"
        "  metier map --point 20@230=62/2 --point 80@230=70/2 --point 40@240=58/2"
    )
    draws = True
    printed = True
    told_by_part = frozenset({"print", "line"})
    job = "read point speeds"
    lacking = "no readings: give --read once for each section, or type them in"

    table = (
        told("--read MM", "with --trial: once for each section, from below", reading, nargs="+",
             action=InOrder),
        told("--speeds MM/S …", "with --plan: those to print; else those to answer for", speed),
        told("--temperature C", "to answer for (the bench's)", nozzle_heat),
        told("--point V@T=FLOW/U …", "a flow that was found at a speed and temperature, with its "
             "±; instead of what the logbook has", map_point),
        told("--flow PERCENT", "the one flow to keep, or to print at", flow),
        "the tube to print, with --plan",
        told("--walls N", "lines a wall (3; 1 of foaming filament)", walls, printed="the tube"),
        told("--width MM", "line width", line_width, printed="the tube"),
        told("--layer MM", "layer height", layer_height, printed="the tube"),
        "",
        told("--instrument NAME", "calipers (default), micrometer or your own"),
        told("--zero MM", "what it shows when closed", signed_length),
    )  # fmt: skip

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        super().add_options(parser)
        parser.set_defaults(in_order=None, side=None, file=None)

    def given(self, options: Namespace) -> bool:
        refuse_unplanned(self, options, bool(options.read), "a tube")
        if options.read and not options.trial and options.what_if is None:
            raise BadInput(
                "--read is of a planned tube: give --trial N; a cube of one speed goes to "
                "metier flow --speed"
            )
        if options.point and (options.plan or options.trial or options.read):
            raise BadInput("--point says what was found: leave --plan, --trial and --read out")
        return bool(options.read)

    def instead(self, options: Namespace, book: Logbook) -> Answer | None:
        if options.plan or options.trial or options.read or options.what_if is not None:
            return None
        return self._shown(options, on_bench(book))

    def _shown(self, options: Namespace, bench: OnBench) -> Answer:
        context = context_of(bench)
        points = _given_points(options.point) if options.point else None
        trials: tuple[int, ...] = ()
        if points is None:
            known = walls_known(context.before, context.line_model)
            points, trials = points_known(known, bench), known.trials
        heat_c = options.temperature or context.temperature_c
        if options.point and options.temperature is None:
            heat_c = None
        flow_set = options.flow or (None if options.point else context.flow_set)
        aim = Aim(round_step=bench.writing.flow_step_percent / 100)
        finding = map_of(points, options.speeds or (), heat_c, flow_set, aim)
        phrase = f": {bench_phrase(bench.setup)}" if bench.setup and not options.point else ""
        sheet = Sheet(f"{self.title}{phrase}")
        if trials:
            sheet.row("out of", f"{len(trials)} print{'s' if len(trials) > 1 else ''}",
                      f"trials {', '.join(str(trial) for trial in trials)}")  # fmt: skip
        write_map(sheet, finding, context.foaming or not bench.setup)
        if options.plot:
            from metier.show.flow_plots import plot_map

            plot_map(options.plot, self.title + phrase, finding)
            sheet.note(f"written to {options.plot}", "picture")
        self._next(sheet, bench, finding)
        payload = {
            **to_plain(result_of(finding)),
            "verdict": finding.verdict.name,
            "reason": finding.verdict.reason,
            "notes": list(finding.notes),
            "trials": list(trials),
        }
        return Answer(payload, sheet.text())

    def _next(self, sheet: Sheet, bench: OnBench, finding: MapFinding) -> None:
        if bench.setup is None or finding.narrows is None:
            return
        place = finding.narrows.place
        now_c = bench.chosen.temperature_c
        heat = "" if place.temperature_c is None else f" at {place.temperature_c:g} °C"
        words = f"a tube{heat} with {place.speed_mm_s:g} mm/s on it would narrow most"
        if place.temperature_c is not None and place.temperature_c != now_c:
            words += f" (metier bench --temperature {place.temperature_c:g} first)"
        sheet.next(f"{words}:", KEPT.command(bench))

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[FlowSettings] | None
    ) -> Settled[FlowSettings]:
        if plan is None:
            from metier.trials.map.planning import planned_tube

            return planned_tube(options, bench)
        settings, conditions = plan.settings, plan.conditions
        if options.read:
            taken = readings_by_walls(options, settings.sections)
            settings = settings._replace(
                sections=tuple(
                    section._replace(readings=len(mine))
                    for section, mine in zip(settings.sections, taken, strict=True)
                )
            )
        if settings.needs_model and settings.line_model is None:
            # It may have been told since the plan was made.
            model = bench.setup.printer.line_model if bench.setup else None
            if model is None:
                raise BadInput(
                    "how that tube was dosed is not known: metier printer set NAME --line-model, "
                    "or write it as G-code (metier part N FILE.gcode)"
                )
            settings = settings._replace(line_model=model)
        return Settled(settings, conditions)

    def recipe(self, settled: Settled[FlowSettings], bench: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        speeds = ", ".join(f"{section.speed_mm_s:g}" for section in settings.sections)
        several = settings.sections[0].walls > 1
        why = "  for this print only" + (": richer than needed, so that lines touch" * several)
        flow_text = value_text("flow", (settings.flow_percent or 100) / 100, bench.writing)
        return [
            ("print", "a square tube in sections one above the other"),
            ("walls", f"{lines_text(settings.sections[0].walls)} each"),
            ("line", f"{settings.width_mm:g} mm wide, {settings.layer_mm:g} mm high"),
            ("speeds", f"{speeds} mm/s: the first lowest"),
            ("flow", flow_text + (why if settings.by_plan else "")),
            *(("note", text) for text in settled.remarks),
        ]

    def part(self, plan: Plan[FlowSettings], bench: OnBench, wanted: WantedLine) -> "Part":
        from metier.trials.flow.part import part_of

        return part_of(plan, bench, wanted)

    def as_part(self, plan: Plan[FlowSettings], bench: OnBench, ending: str) -> Plan[FlowSettings]:
        from metier.trials.flow.part import as_tube

        made = as_tube(plan, bench, ending)
        # Each section has a speed of its own.
        return made._replace(conditions=made.conditions._replace(speed_mm_s=None))

    def readings(
        self, options: Namespace, settled: Settled[FlowSettings], bench: OnBench
    ) -> list[Reading]:
        return walls_given(options, settled.settings.sections)

    def asked(self, settled: Settled[FlowSettings], bench: OnBench) -> Asked:
        return ask_walls(self.name, settled.settings)

    def taken_in(
        self,
        settled: Settled[FlowSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[FlowSettings], list[Reading]]:
        settings = as_typed(settled.settings, lines)
        named = zip(names_of(settings.sections), settings.sections, strict=True)
        empty = [name for name, section in named if not section.readings]
        if empty:
            raise BadInput(f"no readings of {empty[0]}: measure every section")
        return settled._replace(settings=settings), readings

    def context(
        self,
        bench: OnBench,
        settings: FlowSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> MapContext:
        return context_of(bench, before)

    def judge(
        self, settings: FlowSettings, readings: Sequence[Reading], context: MapContext
    ) -> MapFinding:
        conditions = Conditions()
        made = printed(context.number, settings, settings, conditions, readings, None)
        this = Printed(made, places_of(settings, conditions, context.temperature_c))
        model = settings.line_model or context.line_model
        known = walls_known((*context.before, this), model, settings.layer_mm)
        speeds = [place.speed_mm_s for place in this.places]
        aim = settings.aim
        return map_of(points_known(known), speeds, context.temperature_c, settings.flow_set, aim)

    def result(self, settings: FlowSettings, finding: MapFinding) -> MapResult:
        return result_of(finding)


def _given_points(given: Sequence[tuple[Place, float, float]]) -> Points:
    """Return flows that were found elsewhere as points, their errors all their own."""
    shares = tuple(1 / ratio for _, ratio, _ in given)
    us = [u / ratio**2 for _, ratio, u in given]
    common = tuple(
        tuple(us[i] ** 2 if i == j else 0.0 for j in range(len(us))) for i in range(len(us))
    )
    flows = tuple(ratio for _, ratio, _ in given)
    none = (0.0,) * len(given)
    return Points(tuple(place for place, _, _ in given), flows, shares, common, none, none)


KIND = Map()
