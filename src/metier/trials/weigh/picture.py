"""A weighing drawn: the flow that scale and walls ask for, or a strand weighing by weighing."""

from metier.core.flow.answer import BAND
from metier.core.weigh_verdict import WeighFinding
from metier.show.weigh_plot import Said, plot_witnesses
from metier.trials.kind import Measured
from metier.trials.weigh.settings import STRAND, WeighSettings
from metier.trials.weigh.witness import WeighContext


def draw(path: str, title: str, trial: Measured[WeighSettings, WeighContext, WeighFinding]) -> None:
    """Draw what a scale said, and walls beside it where they say anything."""
    settings, context, found = trial.settings, trial.context, trial.finding.weighing
    if found is None:
        strand, length_mm = trial.finding.strand, settings.length_mm or 1000.0
        each = [1000 * one.value / length_mm for one in trial.readings if one.side == STRAND]
        rows = [Said(f"weighing {at}", value, None, False) for at, value in enumerate(each, 1)]
        mean = Said("the strand", strand.g_per_m, strand.g_per_m_u95)
        plot_witnesses(path, title, "strand (g/m)", [*rows, mean], None, None)
        return
    walls = context.walls
    if context.foaming:
        rows = [Said("by weight", 100 * found.share, 100 * found.share_u95)]
        if walls:
            name = f"by the walls of trial {context.walls_trial}"
            rows.append(Said(name, 100 * walls.share, 100 * walls.u95))
        plot_witnesses(path, title, "plastic, of what was dosed (%)", rows, None, None)
        return
    rows = [Said("by weight", 100 * found.flow_new, 100 * found.flow_new_u95)]
    if walls:
        u95 = walls.u95 / walls.share**2
        name = f"by the walls of trial {context.walls_trial}"
        rows.append(Said(name, 100 / walls.share, 100 * u95))
    is_set = settings.flow_percent
    serves = None if is_set is None else (is_set / (1 + BAND[1]), is_set / (1 + BAND[0]))
    plot_witnesses(path, title, "flow that is needed (%)", rows, is_set, serves)
