"""What a tube that is printed quickly costs in certainty."""

from collections.abc import Sequence

from metier.core.flow.answer import Known
from metier.core.flow.posterior import NOTHING_KNOWN
from metier.core.flow.settling import foreseen_u95
from metier.core.flow.walls import PRINT_SCATTER, DosedWall
from metier.core.line.bead import spacing_mm
from metier.trials.flow.settings import WHOLE_SECTIONS, FlowSettings

_UNKNOWN = Known(NOTHING_KNOWN, PRINT_SCATTER, NOTHING_KNOWN)


def quick_text(settings: FlowSettings) -> str:
    """Return what is told by so small a tube, beside the whole one."""
    mine, whole = (
        _u95(settings, counts)
        for counts in ([one.walls for one in settings.sections], WHOLE_SECTIONS)
    )
    if mine is None or whole is None:
        return "a small tube tells flow less surely than the whole one"
    return f"it tells flow to about ±{mine:.1f} %, the whole tube to ±{whole:.1f} %"


def _u95(settings: FlowSettings, counts: Sequence[int]) -> float | None:
    dose = settings.known_dose
    apart_mm = dose and dose.spacing_mm
    if apart_mm is None and settings.width_mm is not None:
        apart_mm = spacing_mm(settings.width_mm, settings.layer_mm, "rounded")
    if apart_mm is None:
        return None
    instrument, flow = settings.instrument_mm, settings.flow or 1.0
    like = DosedWall(0.0, 0.0, instrument.accuracy_mm, 1, 0.0, apart_mm, settings.layer_mm)
    return 100 * foreseen_u95(counts, like, flow, instrument, _UNKNOWN)
