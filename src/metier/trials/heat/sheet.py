"""Temperature steps on their sheet."""

from metier.core.heat import ASPECTS, Edge, HeatFinding
from metier.show.sheet import Sheet, table
from metier.trials.heat.settings import HeatSettings
from metier.trials.kind import Measured
from metier.trials.on_bench import OnBench


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
