"""What a strand is measured with."""

from typing import TYPE_CHECKING, NamedTuple

from metier.core.measure.readings import Instrument
from metier.logbook.plain import Form

if TYPE_CHECKING:
    pass


class DiameterSettings(NamedTuple):
    """What the slicer reckons with, what the strand was measured with, and how far along the roll
    that was, in m."""

    slicer_mm: float
    instrument_mm: Instrument
    along_m: float | None = None


FORM = Form(DiameterSettings)
