"""Temperature steps on their sheet, and as a picture."""

from metier.core.heat import ASPECTS, Edge, HeatFinding, judge_heat
from metier.show.sheet import Sheet, table
from metier.trials.heat.kept import HeatSettings
from metier.trials.heat.planning import steps_of
from metier.trials.kind import Measured
from metier.trials.on_bench import OnBench

Trial = Measured[HeatSettings, None, HeatFinding]


def write(trial: Trial, sheet: Sheet) -> None:
    """Write steps that were just looked at."""
    finding, settings = trial.finding, trial.settings
    if finding.low and finding.high:
        sheet.row("from", _edge_text(finding.low), "below it a step does not work")
        sheet.row("to", _edge_text(finding.high), "above it a step does not work")
    if settings.set_c is not None:
        sheet.row("set", f"{settings.set_c:g} °C")
    sheet.judged(trial.verdict, trial.notes)
    sheet.gap()
    rows = [
        (f"{step.temperature_c:g}", *(step.word(aspect) or "-" for aspect in ASPECTS),
         "works" if step.serves else "")
        for step in reversed(finding.steps)
    ]  # fmt: skip
    if len(settings.nozzles) > 1:
        sheet.lines(*_side_by_side(trial))
    else:
        sheet.lines(*table(("°C", *ASPECTS, ""), rows, (0,)))
    if finding.best_c is not None:
        if finding.verdict.name == "correct":
            u95 = f"± {finding.best_u95_c:.0f}" if finding.best_u95_c else ""
            was = "" if settings.set_c is None else f" (was {settings.set_c:g})"
            text = f"{finding.best_c:g} °C {u95}".rstrip()
            sheet.act("type", text, f"nozzle temperature, in the slicer{was}")
        elif settings.set_c is not None:
            sheet.act("leave", f"{settings.set_c:g} °C", "nothing to type")
        _meaning(sheet, trial.bench, finding.best_c)


def _side_by_side(trial: Trial) -> list[str]:
    """Return the steps of several nozzles, a column each: what was said, and which work."""
    columns = []
    for nozzle in trial.settings.nozzles:
        judged = judge_heat(steps_of(trial.readings, nozzle), None)
        columns.append(
            {
                step.temperature_c: "/".join(step.word(aspect) or "-" for aspect in ASPECTS)
                + (" works" if step.serves else "")
                for step in judged.steps
            }
        )
    heats = sorted({heat_c for column in columns for heat_c in column}, reverse=True)
    rows = [(f"{heat_c:g}", *(column.get(heat_c, "-") for column in columns)) for heat_c in heats]
    return table(("°C", *trial.settings.nozzles), rows, (0,))


def _meaning(sheet: Sheet, bench: OnBench, best_c: float) -> None:
    """Say what that temperature means for what hangs on it."""
    if bench.setup is None:
        return
    there = bench.moved_to(bench.setup._replace(temperature_c=best_c))
    limit = there.stands("limit")
    if limit.value is not None:
        sheet.note(f"{limit.value:g} mm³/s, {limit.status}: {limit.why}", "limit there")
    doubtful = [
        name for name in ("flow", "hole", "contour") if there.stands(name).status == "doubtful"
    ]
    if doubtful and best_c != bench.setup.temperature_c:
        sheet.note(f"{', '.join(doubtful)}: found at another temperature", "doubtful")


def _edge_text(edge: Edge) -> str:
    if edge.u95_c is None:
        return f"{edge.temperature_c:g} °C or beyond"
    return f"{edge.temperature_c:g} ± {edge.u95_c:.0f} °C"


def draw(path: str, title: str, trial: Trial) -> None:
    """Draw steps with the range that serves."""
    from metier.show.step_plots import plot_steps

    plot_steps(path, title, trial.finding, trial.settings.set_c)
