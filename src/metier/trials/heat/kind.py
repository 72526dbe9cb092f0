"""Temperature steps through the pipeline, and their sheet."""

import argparse
from argparse import Namespace
from collections.abc import Sequence
from typing import TYPE_CHECKING

from metier.core.errors import BadInput
from metier.core.heat import ASPECTS, WORDS, Edge, HeatFinding, judge_heat
from metier.core.measure.readings import Instrument
from metier.logbook.trials import Conditions, Outcome, Reading
from metier.show.sheet import Sheet, table
from metier.trials.heat.kept import FORM, KEPT, HeatSettings
from metier.trials.heat.planning import (
    SaidOfStep,
    part_of,
    planned_steps,
    read_words,
    readings_of,
    said_of_step,
    steps_of,
)
from metier.trials.kind import Kind, Measured, Plan, Settled, WantedLine, refuse_planned_readings
from metier.trials.on_bench import OnBench
from metier.words.arguments import length, option, speed, temperature
from metier.words.missing import Asked

if TYPE_CHECKING:
    from metier.parts.part import Part


def write_sheet(trial: Measured[HeatSettings, None, HeatFinding], sheet: Sheet) -> None:
    """Write steps that were just looked at."""
    found, settings = trial.finding, trial.settings
    if found.low and found.high:
        sheet.row("from", _edge_text(found.low), "below it a step does not serve")
        sheet.row("to", _edge_text(found.high), "above it a step does not serve")
    if settings.set_c is not None:
        sheet.row("set", f"{settings.set_c:g} °C")
    sheet.judged(found.verdict, trial.notes)
    sheet.gap()
    rows = [
        (f"{one.temperature_c:g}", *(one.word(aspect) or "-" for aspect in ASPECTS),
         "serves" if one.serves else "")
        for one in reversed(found.steps)
    ]  # fmt: skip
    sheet.lines(*table(("°C", *ASPECTS, ""), rows, (0,)))
    if found.best_c is not None:
        if found.verdict.name == "correct":
            u95 = f"± {found.best_u95_c:.0f}" if found.best_u95_c else ""
            sheet.act("type", f"{found.best_c:g} °C", f"{u95}, in the slicer".lstrip(", "))
        elif settings.set_c is not None:
            sheet.act("leave", f"{settings.set_c:g} °C", "nothing to type")
        _meaning(sheet, trial.here, found.best_c)


def _meaning(sheet: Sheet, here: OnBench, best_c: float) -> None:
    """Say what that temperature means for what hangs on it."""
    if here.setup is None:
        return
    there = here.moved_to(here.setup._replace(temperature_c=best_c))
    limit = there.stands("limit")
    if limit.value is not None:
        sheet.note(f"{limit.value:g} mm³/s, {limit.status}: {limit.why}", "limit there")
    doubtful = [
        name for name in ("flow", "hole", "contour") if there.stands(name).status == "doubtful"
    ]
    if doubtful and best_c != here.setup.temperature_c:
        sheet.note(f"{', '.join(doubtful)}: found at another temperature", "doubtful")


def _edge_text(edge: Edge) -> str:
    if edge.u95_c is None:
        return f"{edge.temperature_c:g} °C or beyond"
    return f"{edge.temperature_c:g} ± {edge.u95_c:.0f} °C"


class Heat(Kind[HeatSettings, None, HeatFinding]):
    """Steps of temperature, judged by eye and hand."""

    kept = KEPT
    form = FORM
    title = "Temperature"
    description = (
        "Find the range of temperatures that serves, from steps printed one above the other: "
        "strings, surface, bridge, and how a column breaks by hand, in words, for one nozzle or "
        "for several side by side."
    )
    example = (
        "  metier heat --plan --from 225 --to 195 --part columns.gcode\n"
        "  metier heat --trial 3 --step 225=many/even/sags/holds \\\n"
        "    220=few/even/straight/holds 215=none/even/straight/holds \\\n"
        "    210=none/dull/straight/hard 205=none/dull/straight/easy"
    )
    draws = True
    printed = True
    lacking = "nothing is said of any step: give --step 220=few/even/straight/holds …, or type it"

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        listed = "; ".join(f"{aspect}: {', '.join(words)}" for aspect, words in WORDS.items())
        option(parser, "--step C=WORDS …", f"a step and a word each ({listed}); - for what was "
               f"not looked at; NOZZLE@220=… for another nozzle beside", said_of_step)  # fmt: skip
        option(parser, "--set C", "what is set (the bench's)", temperature, dest="set_c")
        steps = parser.add_argument_group("the steps to print, with --plan")
        option(steps, "--from C", "hottest", temperature, dest="from_c")
        option(steps, "--to C", "coolest", temperature, dest="to_c")
        option(steps, "--every C", "from step to step (5)", temperature)
        option(steps, "--step-height MM", "of a step (8)", length)
        option(steps, "--width MM", "line width", length)
        option(steps, "--layer MM", "layer height", length)
        option(steps, "--speed MM/S", "print speed", speed)

    def given(self, options: Namespace) -> bool:
        refuse_planned_readings(options, bool(options.step), "columns")
        for name in ("from_c", "to_c", "every", "step_height", "width", "layer", "speed"):
            if getattr(options, name) is not None and not options.plan:
                option = name.removesuffix("_c").replace("_", "-")
                raise BadInput(f"--{option} is of the steps to print: it goes with --plan")
        return bool(options.step)

    def settle(
        self, options: Namespace, here: OnBench, plan: Plan[HeatSettings] | None
    ) -> Settled[HeatSettings]:
        set_c = options.set_c or here.bench.temperature_c
        if options.plan:
            return planned_steps(options, here, set_c)
        own = here.setup.nozzle.name if here.setup else ""
        planned = plan and plan.settings
        if not options.step:
            if planned is None:
                raise BadInput(
                    "which steps there are is not known: give --step 220=… for each, or plan "
                    "them first (metier heat --plan)"
                )
            return Settled(planned._replace(set_c=set_c, nozzles=(own,)), Conditions())
        heats = {one.temperature_c for one in options.step}
        each = [(one.nozzle, one.temperature_c) for one in options.step]
        if len(set(each)) < len(each):
            raise BadInput("--step: a temperature is given twice: one step each")
        if planned:
            odd = sorted(heats - set(planned.temperatures_c))
            if odd:
                listed = ", ".join(f"{heat:g}" for heat in planned.temperatures_c)
                raise BadInput(f"--step: {odd[0]:g} °C is no step of that plan: {listed}")
        nozzles = tuple(dict.fromkeys(one.nozzle or own for one in options.step))
        if own not in nozzles:
            raise BadInput(f"--step: nothing is said of the bench's own nozzle {own}")
        nozzles = (own, *(one for one in nozzles if one != own))
        base = planned or HeatSettings(())
        return Settled(
            base._replace(
                temperatures_c=tuple(sorted(heats, reverse=True)), set_c=set_c, nozzles=nozzles
            ),
            Conditions(),
        )

    def recipe(self, settled: Settled[HeatSettings], here: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        listed = ", ".join(f"{heat:g}" for heat in settings.temperatures_c)
        return [
            ("print", "two columns with a gap, a bridge and a thin wall a step"),
            ("steps", f"{listed} °C: the first lowest"),
            ("look", "strings in the gap, the surface, the bridge; break the steps off by hand"),
            *(("note", text) for text in settled.remarks),
        ]

    def part(self, plan: Plan[HeatSettings], here: OnBench, wanted: WantedLine) -> "Part":
        return part_of(plan, wanted)

    def readings(
        self, options: Namespace, settled: Settled[HeatSettings], here: OnBench
    ) -> list[Reading]:
        return readings_of(options.step, settled.settings.nozzles[0])

    def asked(self, settled: Settled[HeatSettings], here: OnBench) -> Asked:
        heats = settled.settings.temperatures_c
        listed = "; ".join(f"{aspect}: {', '.join(words)}" for aspect, words in WORDS.items())
        return Asked(
            self.name,
            "A line for each step from below, a word each: strings, surface, bridge, and how the "
            "column breaks.",
            tuple(f"{heat:g} °C" for heat in heats),
            f"The lowest step is the hottest. {listed}; - for what was not looked at.",
            _NO_FIGURES,
            lambda *_: None,
            lambda text: [
                float(WORDS[aspect].index(word))
                for aspect, word in zip(ASPECTS, read_words(text), strict=True)
                if word != "-"
            ],
            lambda _: "",
        )

    def typed(
        self,
        settled: Settled[HeatSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[HeatSettings], list[Reading]]:
        heats = settled.settings.temperatures_c
        if len(lines) > len(heats):
            raise BadInput(f"{len(lines)} lines are typed for {len(heats)} steps: one for each")
        said = [
            SaidOfStep(heat, read_words(text))
            for heat, (_, text) in zip(heats, lines, strict=False)
        ]
        own = settled.settings.nozzles[0] if settled.settings.nozzles else ""
        return settled, readings_of(said, own)

    def judge(
        self, settings: HeatSettings, readings: Sequence[Reading], context: None
    ) -> HeatFinding:
        own = settings.nozzles[0] if settings.nozzles else ""
        found = judge_heat(steps_of(readings, own), settings.set_c)
        if len(settings.nozzles) > 1:
            beside = [_beside(one, readings) for one in settings.nozzles[1:]]
            found = found._replace(notes=(*found.notes, *beside))
        return found

    def payload(self, settings: HeatSettings, finding: HeatFinding) -> dict[str, object]:
        low, high = finding.low, finding.high
        return {
            "low_c": low and low.temperature_c,
            "low_u95_c": low and low.u95_c,
            "high_c": high and high.temperature_c,
            "high_u95_c": high and high.u95_c,
            "temperature_c": finding.best_c,
            "temperature_u95_c": finding.best_u95_c,
            "temperature_now_c": settings.set_c,
            "temperature_to_type_c": _to_type(settings, finding),
            "steps": [
                {
                    "temperature_c": one.temperature_c,
                    **{aspect: one.word(aspect) or None for aspect in ASPECTS},
                    "serves": one.serves,
                }
                for one in finding.steps
            ],
        }

    def outcomes(self, settings: HeatSettings, finding: HeatFinding) -> list[Outcome]:
        to_type = _to_type(settings, finding)
        return [Outcome("temperature", settings.set_c, finding.best_c, finding.best_u95_c, to_type)]

    def sheet(self, trial: Measured[HeatSettings, None, HeatFinding], sheet: Sheet) -> None:
        write_sheet(trial, sheet)

    def draw(self, path: str, title: str, trial: Measured[HeatSettings, None, HeatFinding]) -> None:
        from metier.show.step_plots import plot_steps

        plot_steps(path, title, trial.finding, trial.settings.set_c)


# Words have no scatter in any unit.
_NO_FIGURES = Instrument(0.1, 0.0, 1.0)


def _to_type(settings: HeatSettings, finding: HeatFinding) -> float | None:
    if finding.verdict.name == "keep":
        return settings.set_c
    return finding.best_c


def _beside(nozzle: str, readings: Sequence[Reading]) -> str:
    """Return what the steps of another nozzle say, in words."""
    found = judge_heat(steps_of(readings, nozzle), None)
    if found.low is None or found.high is None or found.best_c is None:
        return f"{nozzle}: {found.verdict.reason}"
    low, high = found.low.temperature_c, found.high.temperature_c
    return f"{nozzle}: {low:g} to {high:g} °C serve, best {found.best_c:g}"


KIND = Heat()
