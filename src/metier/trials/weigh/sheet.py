"""The sheet of what was weighed, and its picture."""

from metier.core.flow.posterior import BAND
from metier.core.weighing import WeighFinding, Weighing
from metier.show.figures import flow_forms, influences_text, with_u95
from metier.show.sheet import Sheet
from metier.trials.kind import Measured
from metier.trials.weigh.given import WeighContext
from metier.trials.weigh.kept import WeighSettings

Trial = Measured[WeighSettings, WeighContext, WeighFinding]


def write(trial: Trial, sheet: Sheet) -> None:
    """Write a weighing that was just made."""
    strand, weighing = trial.finding.strand, trial.finding.weighing
    own = any(reading.side == "strand" for reading in trial.readings)
    source = f"{trial.settings.length_mm:g} mm of it" if own and trial.settings.length_mm else ""
    if not own and trial.context.strand_trial:
        source = f"as in trial {trial.context.strand_trial}"
    sheet.row("strand", f"{with_u95(strand.g_per_m, strand.g_per_m_u95)} g/m", source)
    if weighing:
        _print_rows(trial, weighing, sheet)
    sheet.judged(trial.finding.verdict, trial.notes)
    if weighing:
        _act(trial, weighing, sheet)


def _print_rows(trial: Trial, weighing: Weighing, sheet: Sheet) -> None:
    settings, context = trial.settings, trial.context
    many = f"{weighing.mass.n} weighing{'s' if weighing.mass.n > 1 else ''}"
    sheet.row("print", f"{with_u95(weighing.mass.value, weighing.mass.u95)} g", many)
    sheet.row("asked", f"{settings.asked_mm:.0f} mm", _ASKED[settings.asked_from])
    text = with_u95(weighing.delivered_mm, weighing.delivered_u95_mm)
    ratio = with_u95(100 * weighing.ratio, 100 * weighing.ratio_u95)
    sheet.row("delivered", f"{text} mm", f"{ratio} % of that")
    sheet.row("± from", *influences_text(weighing.influences, "%", 100))
    if context.foaming:
        if weighing.grown and weighing.grown_u95:
            text = with_u95(weighing.grown, weighing.grown_u95)
            sheet.row("grows", f"x {text}", f"by walls of trial {context.walls_trial}")
    else:
        flow = with_u95(100 * weighing.flow_new, 100 * weighing.flow_new_u95)
        of = "" if settings.flow_percent is None else f"{settings.flow_percent:g} % is set"
        sheet.row("flow", f"{flow} %", of)
    if weighing.steps_new and weighing.steps_new_u95:
        steps = with_u95(weighing.steps_new, weighing.steps_new_u95)
        sheet.row("or e-steps", steps, f"now {settings.esteps:g}; one of the two, not both")
    beside = weighing.beside
    if beside and context.walls:
        walls = context.walls
        text = with_u95(100 * walls.flow, 100 * walls.flow_u95)
        word = "agree" if beside.agree else "disagree"
        sheet.row("walls say", f"{text} %", f"trial {context.walls_trial}: they {word}")
        if beside.texture:
            text = with_u95(beside.texture.mm, beside.texture.u95_mm)
            sheet.row("texture", f"{text} mm", "of walls, squeezing and jaws in it")


_ASKED = {"file": "by the sliced file", "given": "as given", "part": "by its own lines"}


def _act(trial: Trial, weighing: Weighing, sheet: Sheet) -> None:
    verdict, settings = trial.finding.verdict.name, trial.settings
    if trial.context.foaming or verdict == "recheck":
        return
    bench = trial.bench
    if verdict == "correct":
        step = bench.writing.flow_step_percent / 100
        value = flow_forms(to_type(weighing, step), bench.writing.show_flow, 100 * step)
        sheet.act("type", value, "flow, in the slicer; or the e-steps above, not both")
    elif settings.flow is not None and verdict == "keep":
        sheet.act("leave", flow_forms(settings.flow, bench.writing.show_flow), "nothing to type")


def to_type(weighing: Weighing, step: float) -> float:
    """Return the flow to type, rounded to a step; both are ratios."""
    from metier.core.measure.thresholds import round_to

    return round_to(weighing.flow_new, step)


def draw(path: str, title: str, trial: Trial) -> None:
    """Draw what a scale said, and walls beside it where they say anything."""
    from metier.show.step_plots import Said, plot_witnesses

    settings, context, weighing = trial.settings, trial.context, trial.finding.weighing
    if weighing is None:
        strand, length_mm = trial.finding.strand, settings.length_mm or 1000.0
        grams = [reading.value - settings.scale_g.zero_g for reading in trial.readings]
        rows = [Said(f"weighing {at}", 1000 * g / length_mm) for at, g in enumerate(grams, 1)]
        rows.append(Said("the strand", strand.g_per_m, strand.g_per_m_u95))
        plot_witnesses(path, title, "strand (g/m)", rows, None, None)
        return
    walls, by_walls = context.walls, f"by the walls of trial {context.walls_trial}"
    if context.foaming:
        rows = [Said("by weight", 100 * weighing.share, 100 * weighing.share_u95)]
        if walls:
            rows.append(Said(by_walls, 100 * walls.share, 100 * walls.u95))
        plot_witnesses(path, title, "plastic, of what was dosed (%)", rows, None, None)
        return
    rows = [Said("by weight", 100 * weighing.flow_new, 100 * weighing.flow_new_u95)]
    if walls:
        rows.append(Said(by_walls, 100 * walls.flow, 100 * walls.flow_u95))
    is_set = settings.flow_percent
    serves = None if is_set is None else (is_set / (1 + BAND[1]), is_set / (1 + BAND[0]))
    plot_witnesses(path, title, "flow that is needed (%)", rows, is_set, serves)
