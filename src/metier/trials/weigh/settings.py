"""What a print was weighed with, and what its file asked for."""

from typing import Literal, NamedTuple

from metier.core.measure.scale import Scale
from metier.core.weighing import Diameters
from metier.logbook.plain import Form

# What a reading is of.
STRAND, PRINT = "strand", "print"


class WeighSettings(NamedTuple):
    """The scale, the strand's length, the filament that the file asked for, and what is set.

    ``of_trial`` is the flow trial whose print was weighed, where it is one's.
    """

    scale_g: Scale
    length_mm: float | None = None
    asked_mm: float | None = None
    asked_from: Literal["file", "given", "part"] = "given"
    flow_percent: float | None = None
    esteps: float | None = None
    diameters: Diameters = Diameters()
    of_trial: int | None = None

    @property
    def flow(self) -> float | None:
        """The flow that is set, a ratio."""
        return None if self.flow_percent is None else self.flow_percent / 100


FORM = Form(WeighSettings)
