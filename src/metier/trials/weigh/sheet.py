"""The sheet of what was weighed, and its picture."""

import math

from metier.core.flow.answer import BAND
from metier.core.flow.rows import PRINT_SCATTER
from metier.core.measure.student import NORMAL95
from metier.core.weighing import WeighFinding, Weighing
from metier.show.figures import influences_text, with_u95
from metier.show.sheet import Sheet
from metier.trials.flow.sheet import what_to_type
from metier.trials.kind import Measured
from metier.trials.weigh.given import WeighContext
from metier.trials.weigh.kept import WeighSettings

Trial = Measured[WeighSettings, WeighContext, WeighFinding]


def write(trial: Trial, sheet: Sheet) -> None:
    """Write a weighing that was just made."""
    finding = trial.finding
    strand, weighing = finding.strand, finding.weighing
    if weighing:
        _act(trial, sheet)
    sheet.judged(trial.verdict, trial.notes)
    sheet.gap()
    if strand:
        own = any(reading.side == "strand" for reading in trial.readings)
        source = (
            f"{trial.settings.length_mm:g} mm of it" if own and trial.settings.length_mm else ""
        )
        if not own and trial.context.strand_trial:
            source = f"as in trial {trial.context.strand_trial}"
        sheet.row("strand", f"{with_u95(strand.g_per_m, strand.g_per_m_u95)} g/m", source)
    if weighing:
        _print_rows(trial, weighing, sheet)


def _print_rows(trial: Trial, weighing: Weighing, sheet: Sheet) -> None:
    settings, finding, result = trial.settings, trial.finding, trial.result
    many = f"{weighing.mass.n} weighing{'s' if weighing.mass.n > 1 else ''}"
    sheet.row("print", f"{with_u95(weighing.mass.value, weighing.mass.u95)} g", many)
    sheet.row("asked", f"{settings.asked_mm:.0f} mm", _ASKED[settings.asked_from])
    density = weighing.density
    if density and weighing.told:
        text = with_u95(density.g_cm3, NORMAL95 * density.u * density.g_cm3)
        sheet.row("density", f"{text} g/cm³", f"by {' and '.join(density.known_from)}")
    ratio = with_u95(result.delivered_percent, result.delivered_u95_percent)
    sheet.row("delivered", f"{ratio} %", "of what was asked for")
    flow = finding.flow
    if not flow:
        sheet.detail("± from", *influences_text(weighing.influences, "%", 100))
    if finding.grown:
        sheet.row("grows", f"x {with_u95(*finding.grown)}", f"by walls of trial {_walls(trial)}")
    if flow:
        low, high = (100 * end for end in flow.interval)
        more = f", {flow.pooled} prints together" if flow.pooled > 1 else ""
        sheet.row("new flow", f"{100 * flow.flow_new:.1f} %", f"{low:.1f} … {high:.1f} %{more}")
        sheet.detail("± from", *influences_text(flow.influences, "%", 100))
    delivered = weighing.delivered
    if finding.offers_steps and delivered and delivered.steps_new and delivered.steps_u95:
        steps = with_u95(delivered.steps_new, delivered.steps_u95)
        sheet.row("e-steps", steps, f"now {settings.esteps:g}")
    beside, walls = finding.beside, trial.context.walls
    if beside and walls:
        text = with_u95(100 * walls.flow, 100 * walls.flow_u95)
        word = "agree" if beside.agree else "disagree"
        sheet.row("walls say", f"{text} %", f"trial {walls.trial} alone: they {word}")


def _walls(trial: Trial) -> str:
    walls = trial.context.walls
    return str(walls.trial) if walls else ""


_ASKED = {"file": "by the sliced file", "given": "as given", "part": "by the lines Metier wrote"}


def _act(trial: Trial, sheet: Sheet) -> None:
    finding, bench = trial.finding, trial.bench
    delivered, verdict = finding.weighing and finding.weighing.delivered, finding.verdict.name
    if verdict == "recheck":
        return
    if finding.flow:
        what_to_type(sheet, bench, finding.flow)
    elif delivered and delivered.steps_new and verdict != "keep":
        steps = f"{delivered.steps_new:.{bench.writing.decimals}f}"
        sheet.act("type", steps, "e-steps, at the printer; flow is measured after that")


def draw(path: str, title: str, trial: Trial) -> None:
    """Draw what a scale said, and walls beside it where they say anything."""
    from metier.show.step_plots import Said, plot_witnesses

    settings, context, weighing = trial.settings, trial.context, trial.finding.weighing
    strand = trial.finding.strand
    if weighing is None:
        assert strand is not None
        length_mm = settings.length_mm or 1000.0
        grams = [reading.value - settings.scale_g.zero_g for reading in trial.readings]
        rows = [Said(f"weighing {at}", 1000 * g / length_mm) for at, g in enumerate(grams, 1)]
        rows.append(Said("the strand", strand.g_per_m, strand.g_per_m_u95))
        plot_witnesses(path, title, "strand (g/m)", rows, None, None)
        return
    walls, flow, told = context.walls, trial.finding.flow, weighing.told
    by_walls = f"by the walls of trial {_walls(trial)}"
    if told is None or flow is None:
        rows = [
            Said("by weight", trial.result.delivered_percent, trial.result.delivered_u95_percent)
        ]
        if walls:
            rows.append(Said(by_walls, 100 * walls.share, 100 * walls.u95))
        plot_witnesses(path, title, "plastic, of what was dosed (%)", rows, None, None)
        return
    alone_u95 = NORMAL95 * math.hypot(told.whole_u, PRINT_SCATTER) / told.value**2
    rows = [Said("by weight", 100 / told.value, 100 * alone_u95)]
    if walls:
        rows.append(Said(by_walls, 100 * walls.flow, 100 * walls.flow_u95))
        rows.append(Said("all together", 100 * flow.flow_new, 100 * flow.u95))
    is_set = settings.flow_percent
    serves = None if is_set is None else (is_set / (1 + BAND[1]), is_set / (1 + BAND[0]))
    plot_witnesses(path, title, "flow that is needed (%)", rows, is_set, serves)
