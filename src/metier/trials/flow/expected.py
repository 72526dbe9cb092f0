"""What the next print should measure once a flow is typed in, from the prints so far."""

from metier.core.flow.forecast import forecast
from metier.core.flow.trials import dosed_walls
from metier.logbook.trials import latest_on
from metier.trials.flow.judging import context_of, known_of
from metier.trials.flow.kept import KEPT
from metier.trials.flow.settings import FORM, lines_text
from metier.trials.kind import Expected
from metier.trials.on_bench import OnBench


def expected_walls(here: OnBench, flow: float) -> list[Expected]:
    """Return what walls like those of the newest print should measure at another flow.

    Nothing where no print tells: none there is, none that its dose is known of, or all of them
    before something changed that flow hangs on.
    """
    trials = latest_on(here.book, here.setup, KEPT.name, 1) if here.setup else []
    if not trials:
        return []
    settings = FORM.of(here.book, trials[0])
    context = context_of(here, settings, trials[0].conditions, None)
    model = settings.line_model or context.line_model
    pooled = context.pooled_trials(settings)
    walls = dosed_walls(pooled, model)
    if not walls or pooled[-1].number != trials[0].number or settings.flow is None:
        return []
    ahead = [
        wall._replace(area_mm2=wall.area_mm2 * flow / settings.flow, print_number=0)
        for wall in pooled[-1].as_walls(model)
    ]
    return [
        Expected(f"a wall of {lines_text(one.walls)}", one.wall_mm, one.u95_mm, "mm")
        for one in forecast(walls, ahead, known_of(context, pooled))
    ]
