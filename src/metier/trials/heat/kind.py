"""Temperature steps through the pipeline: ``metier heat``."""

from argparse import Namespace
from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.heat import ASPECTS, WORDS, HeatFinding, judge_heat
from metier.core.measure.readings import Instrument
from metier.logbook.trials import Outcome, Reading
from metier.trials.heat.kept import KEPT, HeatResult, HeatSettings, StepResult
from metier.trials.heat.planning import (
    SaidOfStep,
    planned_steps,
    read_words,
    readings_of,
    said_of_step,
    steps_of,
)
from metier.trials.kind import Kind, Settled, refuse_unplanned
from metier.trials.on_bench import OnBench
from metier.trials.table import Plan, given, of_bench, setting, told
from metier.words.arguments import layer_height, length, line_width, speed, temperature
from metier.words.missing import Asked

_LISTED = "; ".join(f"{aspect}: {', '.join(words)}" for aspect, words in WORDS.items())
_STEPS = "the steps"


class Heat(Kind[HeatSettings, None, HeatFinding]):
    """Steps of temperature, judged by eye and hand."""

    kept = KEPT
    form = KEPT.settings
    title = "Temperature"
    description = (
        "Find the range of temperatures that works, from steps printed one above the other: "
        "strings, surface, bridge, and how a column breaks by hand, in words, for one nozzle or "
        "for several side by side."
    )
    example = (
        "  metier heat --plan --from 225 --to 195 --part columns.gcode\n"
        "  metier heat --trial 10 --step 225=many/even/sags/holds \\\n"
        "    220=few/even/straight/holds 215=none/even/straight/holds \\\n"
        "    210=none/dull/straight/hard 205=none/dull/straight/easy"
    )
    draws = True
    printed = True
    job = "step from to every"
    lacking = "nothing is said of any step: give --step 220=few/even/straight/holds …, or type it"

    table = (
        told("--step C=WORDS …", f"a step and a word each ({_LISTED}); - for what was not looked "
             "at; NOZZLE@220=… for another nozzle beside", said_of_step),
        setting("set_c", "--set C", "what is set (the bench's)", temperature, given,
                of_bench(lambda bench: bench.chosen.temperature_c), dest="set_c"),
        "the steps to print, with --plan",
        told("--from C", "hottest", temperature, dest="from_c", printed=_STEPS),
        told("--to C", "coolest", temperature, dest="to_c", printed=_STEPS),
        told("--every C", "from step to step (5)", temperature, printed=_STEPS),
        told("--step-height MM", "of a step (8)", length, printed=_STEPS),
        told("--width MM", "line width", line_width, printed=_STEPS),
        told("--layer MM", "layer height", layer_height, printed=_STEPS),
        told("--speed MM/S", "print speed", speed, printed=_STEPS),
    )  # fmt: skip

    def given(self, options: Namespace) -> bool:
        refuse_unplanned(self, options, bool(options.step), "columns")
        return bool(options.step)

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[HeatSettings] | None
    ) -> Settled[HeatSettings]:
        set_c = self.sought(options, bench, plan)["set_c"].value
        if options.plan:
            return planned_steps(options, bench, set_c)
        own = bench.setup.nozzle.name if bench.setup else ""
        planned = plan and plan.settings
        if not options.step:
            if planned is None:
                raise BadInput(
                    "which steps there are is not known: give --step 220=… for each, or plan "
                    "them first (metier heat --plan)"
                )
            return Settled(planned._replace(set_c=set_c, nozzles=(own,)))
        heats = {step.temperature_c for step in options.step}
        each = [(step.nozzle, step.temperature_c) for step in options.step]
        if len(set(each)) < len(each):
            raise BadInput("--step: a temperature is given twice: one step each")
        if planned:
            odd = sorted(heats - set(planned.temperatures_c))
            if odd:
                listed = ", ".join(f"{heat:g}" for heat in planned.temperatures_c)
                raise BadInput(f"--step: {odd[0]:g} °C is no step of that plan: {listed}")
        nozzles = tuple(dict.fromkeys(step.nozzle or own for step in options.step))
        if own not in nozzles:
            raise BadInput(f"--step: nothing is said of the bench's own nozzle {own}")
        nozzles = (own, *(nozzle for nozzle in nozzles if nozzle != own))
        base = planned or HeatSettings(())
        ordered = tuple(sorted(heats, reverse=True))
        return Settled(base._replace(temperatures_c=ordered, set_c=set_c, nozzles=nozzles))

    def recipe(self, settled: Settled[HeatSettings], bench: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        listed = ", ".join(f"{heat:g}" for heat in settings.temperatures_c)
        return [
            ("print", "two columns with a gap, a bridge and a thin wall a step"),
            ("steps", f"{listed} °C: the first lowest"),
            ("look", "strings in the gap, the surface, the bridge; break the steps off by hand"),
            *(("note", text) for text in settled.remarks),
        ]

    def readings(
        self, options: Namespace, settled: Settled[HeatSettings], bench: OnBench
    ) -> list[Reading]:
        return readings_of(options.step, settled.settings.nozzles[0])

    def asked(self, settled: Settled[HeatSettings], bench: OnBench) -> Asked:
        heats = settled.settings.temperatures_c
        return Asked(
            self.name,
            "A line for each step from below, a word each: strings, surface, bridge, and how the "
            "column breaks.",
            tuple(f"{heat:g} °C" for heat in heats),
            f"The lowest step is the hottest. {_LISTED}; - for what was not looked at.",
            _NO_FIGURES,
            lambda *_: None,
            lambda text: [
                float(WORDS[aspect].index(word))
                for aspect, word in zip(ASPECTS, read_words(text), strict=True)
                if word != "-"
            ],
            lambda _: "",
        )

    def taken_in(
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
        finding = judge_heat(steps_of(readings, own), settings.set_c)
        if len(settings.nozzles) > 1:
            beside = [_beside(nozzle, readings) for nozzle in settings.nozzles[1:]]
            finding = finding._replace(notes=(*finding.notes, *beside))
        return finding

    def result(self, settings: HeatSettings, finding: HeatFinding) -> HeatResult:
        low, high = finding.low, finding.high
        return HeatResult(
            low_c=low and low.temperature_c,
            low_u95_c=low and low.u95_c,
            high_c=high and high.temperature_c,
            high_u95_c=high and high.u95_c,
            temperature_c=finding.best_c,
            temperature_u95_c=finding.best_u95_c,
            temperature_now_c=settings.set_c,
            temperature_to_type_c=_to_type(settings, finding),
            steps=tuple(
                StepResult(
                    temperature_c=step.temperature_c,
                    **{aspect: step.word(aspect) or None for aspect in ASPECTS},
                    serves=step.serves,
                )
                for step in finding.steps
            ),
        )

    def outcomes(self, settings: HeatSettings, finding: HeatFinding) -> list[Outcome]:
        to_type = _to_type(settings, finding)
        return [Outcome("temperature", settings.set_c, finding.best_c, finding.best_u95_c, to_type)]


# Words have no scatter in any unit.
_NO_FIGURES = Instrument(0.1, 0.0, 1.0)


def _to_type(settings: HeatSettings, finding: HeatFinding) -> float | None:
    return settings.set_c if finding.verdict.name == "keep" else finding.best_c


def _beside(nozzle: str, readings: Sequence[Reading]) -> str:
    """Return what the steps of another nozzle say, in words."""
    heat = judge_heat(steps_of(readings, nozzle), None)
    if heat.low is None or heat.high is None or heat.best_c is None:
        return f"{nozzle}: {heat.verdict.reason}"
    low, high = heat.low.temperature_c, heat.high.temperature_c
    return f"{nozzle}: {low:g} to {high:g} °C work, best {heat.best_c:g}"


KIND = Heat()
