"""A weighing drawn: the flow that scale and walls ask for, or a strand weighing by weighing."""

from metier.core.flow.answer import BAND
from metier.core.weigh_verdict import WeighFinding
from metier.show.weigh_plot import Said, plot_witnesses
from metier.trials.kind import Measured
from metier.trials.weigh.settings import WeighSettings
from metier.trials.weigh.witness import WeighContext


def draw(path: str, title: str, trial: Measured[WeighSettings, WeighContext, WeighFinding]) -> None:
    """Draw what a scale said, and walls beside it where they say anything."""
    settings, context, found = trial.settings, trial.context, trial.finding.weighing
    if found is None:
        strand, length_mm = trial.finding.strand, settings.length_mm or 1000.0
        grams = [one.value - settings.scale_g.zero_g for one in trial.readings]
        rows = [Said(f"weighing {at}", 1000 * g / length_mm) for at, g in enumerate(grams, 1)]
        rows.append(Said("the strand", strand.g_per_m, strand.g_per_m_u95))
        plot_witnesses(path, title, "strand (g/m)", rows, None, None)
        return
    walls, by_walls = context.walls, f"by the walls of trial {context.walls_trial}"
    if context.foaming:
        rows = [Said("by weight", 100 * found.share, 100 * found.share_u95)]
        if walls:
            rows.append(Said(by_walls, 100 * walls.share, 100 * walls.u95))
        plot_witnesses(path, title, "plastic, of what was dosed (%)", rows, None, None)
        return
    rows = [Said("by weight", 100 * found.flow_new, 100 * found.flow_new_u95)]
    if walls:
        rows.append(Said(by_walls, 100 * walls.flow, 100 * walls.flow_u95))
    is_set = settings.flow_percent
    serves = None if is_set is None else (is_set / (1 + BAND[1]), is_set / (1 + BAND[0]))
    plot_witnesses(path, title, "flow that is needed (%)", rows, is_set, serves)
