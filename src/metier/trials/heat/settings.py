"""The steps that are printed, and the line and speed they are printed with."""

from typing import NamedTuple

from metier.logbook.plain import Form
from metier.trials.limit.settings import KeptLine


class HeatSettings(NamedTuple):
    """The temperatures, hottest first; the temperature that is set; how steps are printed.

    ``nozzles`` are those that were looked at side by side, the bench's first.
    """

    temperatures_c: tuple[float, ...]
    set_c: float | None = None
    nozzles: tuple[str, ...] = ()
    line: KeptLine | None = None
    speed_mm_s: float | None = None
    step_mm: float | None = None


FORM = Form(HeatSettings)
