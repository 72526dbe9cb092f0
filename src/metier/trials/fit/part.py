"""The part of planned pairs: a pin with its holes; or of a thread, its bolt and nut."""

from metier.core.errors import BadInput
from metier.core.fit.thread import thread_of
from metier.parts.pairs import Pairs
from metier.parts.part import Compensated, Part
from metier.parts.threads import BoltAndNut
from metier.trials.fit.given import USUAL_PAIRS
from metier.trials.fit.kept import FitSettings
from metier.trials.kind import WantedLine
from metier.trials.on_bench import OnBench
from metier.trials.printing import inner_speed, part_line, part_speed
from metier.trials.table import Plan

# What a pin, a clearance and a thread are drawn in.
_PINS_MM, _MOST_CLEARANCE_MM, _MOST_PAIRS = (3.0, 40.0), 2.0, 12
_THREADS_MM, _LEAST_PITCH_MM = (5.0, 60.0), 0.8


def part_of(plan: Plan[FitSettings], bench: OnBench, wanted: WantedLine) -> Part:
    """Return the part of a plan.

    Raises:
        BadInput: a size that cannot be drawn, or a line that the nozzle does not print.
    """
    settings = plan.settings
    line = part_line(bench, wanted)
    speed_mm_s = part_speed(bench, line, wanted.speed_mm_s)
    compensated = Compensated(settings.hole_set_mm, settings.contour_set_mm)
    if settings.thread:
        thread = thread_of(settings.thread)
        low, high = _THREADS_MM
        if not low <= thread.diameter_mm <= high or thread.pitch_mm < _LEAST_PITCH_MM:
            raise BadInput(
                f"{thread.name} is not drawn to be printed: from {low:g} to {high:g} mm, with a "
                f"pitch of {_LEAST_PITCH_MM:g} mm or more"
            )
        return BoltAndNut(plan.number, thread, settings.drawn, line, speed_mm_s, compensated)
    pin_mm, clearances_mm = settings.pairs or USUAL_PAIRS
    low, high = _PINS_MM
    if not low <= pin_mm <= high:
        raise BadInput(f"a pin of {pin_mm:g} mm is not drawn: from {low:g} to {high:g} mm")
    if len(clearances_mm) > _MOST_PAIRS or max(clearances_mm) > _MOST_CLEARANCE_MM:
        raise BadInput(
            f"{len(clearances_mm)} clearances up to {max(clearances_mm):g} mm: at most "
            f"{_MOST_PAIRS}, up to {_MOST_CLEARANCE_MM:g} mm"
        )
    inner_mm_s = inner_speed(bench, line, speed_mm_s)
    return Pairs(plan.number, clearances_mm, line, speed_mm_s, compensated, pin_mm, inner_mm_s)
