"""Maps through the pipeline: the tube of several speeds, and the map out of all that is known."""

import argparse
from argparse import Namespace
from collections.abc import Sequence
from typing import TYPE_CHECKING

from metier.core.errors import BadInput
from metier.core.flow.mapped import MapFinding
from metier.core.flow.posterior import Aim
from metier.core.flow.surface import Place, Points
from metier.logbook.book import Logbook
from metier.logbook.trials import Conditions, Reading
from metier.show.figures import proposed, value_text
from metier.show.sheet import Sheet
from metier.trials.flow.given import readings_by_walls, walls_given
from metier.trials.flow.settings import FlowSettings
from metier.trials.flow.sliced_at import as_typed, ask_walls
from metier.trials.kind import Kind, Measured, Plan, Settled, WantedLine, refuse_planned_readings
from metier.trials.map.kept import FORM, KEPT
from metier.trials.map.mapping import (
    MapContext,
    Printed,
    as_row,
    context_of,
    map_of,
    map_point,
    places_of,
    points_known,
    printed,
    walls_known,
)
from metier.trials.map.sheet import payload_of, write_map
from metier.trials.on_bench import OnBench, bench_phrase, on_bench
from metier.words.arguments import (
    flow,
    length,
    option,
    reading,
    signed_length,
    speed,
    temperature,
    walls,
)
from metier.words.missing import Asked
from metier.words.parser import Answer

if TYPE_CHECKING:
    from metier.parts.part import Part


class Map(Kind[FlowSettings, MapContext, MapFinding]):
    """Walls printed at several speeds, one above the other, and what all such prints say."""

    kept = KEPT
    form = FORM
    title = "Flow by speed and temperature"
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
    lacking = "no readings: give --read once for each section, or type them in"

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        parser.set_defaults(in_order=None, side=None, file=None)
        option(parser, "--read MM", "with --trial: once for each section, from below",
               reading, nargs="+", action="append")  # fmt: skip
        option(parser, "--speeds MM/S …", "with --plan: those to print; else those to answer for",
               speed)  # fmt: skip
        option(parser, "--temperature C", "to answer for (the bench's)", temperature)
        option(parser, "--point V@T=FLOW/U …", "a flow that was found at a speed and "
               "temperature, with its ±; instead of what the logbook has", map_point)  # fmt: skip
        option(parser, "--flow PERCENT", "the one flow to keep, or to print at", flow)
        tube = parser.add_argument_group("the tube to print, with --plan")
        option(tube, "--walls N", "lines a wall (3)", walls)
        option(tube, "--width MM", "line width", length)
        option(tube, "--layer MM", "layer height", length)
        option(parser, "--instrument NAME", "calipers (default), micrometer or your own")
        option(parser, "--zero MM", "what it shows when closed", signed_length)

    def given(self, options: Namespace) -> bool:
        refuse_planned_readings(options, bool(options.read), "a tube")
        if options.read and not options.trial and options.what_if is None:
            raise BadInput(
                "--read is of a planned tube: give --trial N; a cube of one speed goes to "
                "metier flow --speed"
            )
        for name in ("walls", "width", "layer"):
            if getattr(options, name) and not options.plan:
                raise BadInput(f"--{name} is of the tube to print: it goes with --plan")
        if options.point and (options.plan or options.trial or options.read):
            raise BadInput("--point says what was found: leave --plan, --trial and --read out")
        options.in_order = [("read", values) for values in options.read or ()]
        return bool(options.read)

    def instead(self, options: Namespace, book: Logbook) -> Answer | None:
        if options.plan or options.trial or options.read or options.what_if is not None:
            return None
        return self._shown(options, on_bench(book))

    def _shown(self, options: Namespace, here: OnBench) -> Answer:
        context = context_of(here)
        points = _given_points(options.point) if options.point else None
        trials: tuple[int, ...] = ()
        if points is None:
            known = walls_known(context.before, context.line_model)
            points, trials = points_known(known), known.trials
        heat_c = options.temperature or context.temperature_c
        if options.point and options.temperature is None:
            heat_c = None
        flow_set = options.flow or (None if options.point else context.flow_set)
        aim = Aim(round_step=here.writing.flow_step_percent / 100)
        found = map_of(points, options.speeds or (), heat_c, flow_set, aim)
        phrase = f": {bench_phrase(here.setup)}" if here.setup and not options.point else ""
        sheet = Sheet(f"{self.title}{phrase}")
        if trials:
            sheet.row("out of", f"{len(trials)} print{'s' if len(trials) > 1 else ''}",
                      f"trials {', '.join(str(one) for one in trials)}")  # fmt: skip
        write_map(sheet, found, as_row(found), context.foaming or not here.setup)
        if options.plot:
            self._plot(options.plot, self.title + phrase, found)
            sheet.note(f"written to {options.plot}", "picture")
        self._next(sheet, here, found)
        payload = {**payload_of(found), "notes": list(found.notes), "trials": list(trials)}
        return Answer(payload, sheet.text())

    def _next(self, sheet: Sheet, here: OnBench, found: MapFinding) -> None:
        if here.setup is None or found.narrows is None:
            return
        place = found.narrows.place
        now_c = here.bench.temperature_c
        heat = "" if place.temperature_c is None else f" at {place.temperature_c:g} °C"
        words = f"a tube{heat} with {place.speed_mm_s:g} mm/s on it would narrow most"
        if place.temperature_c is not None and place.temperature_c != now_c:
            words += f" (metier bench --temperature {place.temperature_c:g} first)"
        sheet.next(f"{words}:", KEPT.command(here))

    def settle(
        self, options: Namespace, here: OnBench, plan: Plan[FlowSettings] | None
    ) -> Settled[FlowSettings]:
        if plan is None:
            from metier.trials.map.planning import planned_tube

            return planned_tube(options, here)
        settings, conditions = plan.settings, plan.conditions
        if options.read:
            taken = readings_by_walls(options, settings.sections)
            settings = settings._replace(
                sections=tuple(
                    one._replace(readings=len(mine))
                    for one, mine in zip(settings.sections, taken, strict=True)
                )
            )
        if settings.known_dose is None and settings.line_model is None:
            # It may have been told since the plan was made.
            model = here.setup.printer.line_model if here.setup else None
            if model is None:
                raise BadInput(
                    "how that tube was dosed is not known: metier printer set NAME --line-model, "
                    "or write it as G-code (metier part N FILE.gcode)"
                )
            settings = settings._replace(line_model=model)
        return Settled(settings, conditions)

    def recipe(self, settled: Settled[FlowSettings], here: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        speeds = ", ".join(f"{one.speed_mm_s:g}" for one in settings.sections)
        why = "  for this print only: richer than needed, so that lines touch"
        flow_text = value_text("flow", (settings.flow_percent or 100) / 100, here.writing)
        return [
            ("print", "a square tube in sections one above the other"),
            ("walls", f"{settings.sections[0].walls} lines each"),
            ("line", f"{settings.width_mm:g} mm wide, {settings.layer_mm:g} mm high"),
            ("speeds", f"{speeds} mm/s: the first lowest"),
            ("flow", flow_text + (why if settings.by_plan else "")),
            *(("note", text) for text in settled.remarks),
        ]

    def as_part(self, plan: Plan[FlowSettings], here: OnBench, ending: str) -> Plan[FlowSettings]:
        from metier.trials.flow.tube import as_tube

        made = as_tube(plan, here, ending)
        # Each section has a speed of its own.
        return made._replace(conditions=made.conditions._replace(speed_mm_s=None))

    def part(self, plan: Plan[FlowSettings], here: OnBench, wanted: WantedLine) -> "Part":
        from metier.trials.flow.tube import tube_of

        return tube_of(plan, here, wanted)

    def readings(
        self, options: Namespace, settled: Settled[FlowSettings], here: OnBench
    ) -> list[Reading]:
        return walls_given(options, settled.settings.sections)

    def asked(self, settled: Settled[FlowSettings], here: OnBench) -> Asked:
        return ask_walls(self.name, settled.settings)

    def typed(
        self,
        settled: Settled[FlowSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[FlowSettings], list[Reading]]:
        settings = as_typed(settled.settings, lines)
        empty = [one.named for one in settings.sections if not one.readings]
        if empty:
            raise BadInput(f"no readings of {empty[0]}: measure every section")
        return settled._replace(settings=settings), readings

    def context(
        self,
        here: OnBench,
        settings: FlowSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> MapContext:
        return context_of(here, before)

    def judge(
        self, settings: FlowSettings, readings: Sequence[Reading], context: MapContext
    ) -> MapFinding:
        conditions = Conditions()
        made = printed(context.number, settings, settings, conditions, readings, None)
        this = Printed(made, places_of(settings, conditions, context.temperature_c))
        model = settings.line_model or context.line_model
        known = walls_known((*context.before, this), model, settings.layer_mm)
        speeds = [one.speed_mm_s for one in this.places]
        aim = settings.aim
        return map_of(points_known(known), speeds, context.temperature_c, settings.flow_set, aim)

    def payload(self, settings: FlowSettings, finding: MapFinding) -> dict[str, object]:
        return payload_of(finding)

    def sheet(self, trial: Measured[FlowSettings, MapContext, MapFinding], sheet: Sheet) -> None:
        write_map(sheet, trial.finding, as_row(trial.finding), trial.context.foaming)
        sheet.next("what all prints say, and what would narrow it most:", proposed("map"))

    def draw(
        self, path: str, title: str, trial: Measured[FlowSettings, MapContext, MapFinding]
    ) -> None:
        self._plot(path, title, trial.finding)

    def _plot(self, path: str, title: str, found: MapFinding) -> None:
        from metier.show.flow_plots import plot_map

        plot_map(path, title, found)


def _given_points(given: Sequence[tuple[Place, float, float]]) -> Points:
    """Return flows that were found elsewhere as points, their errors all their own."""
    shares = tuple(1 / ratio for _, ratio, _ in given)
    us = [u / ratio**2 for _, ratio, u in given]
    common = tuple(
        tuple(us[i] ** 2 if i == j else 0.0 for j in range(len(us))) for i in range(len(us))
    )
    flows = tuple(ratio for _, ratio, _ in given)
    return Points(tuple(place for place, _, _ in given), flows, shares, common)


KIND = Map()
