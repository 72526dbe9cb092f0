"""What a strand is measured with."""

from typing import TYPE_CHECKING, NamedTuple

from metier.core.measure.readings import Instrument
from metier.logbook.plain import Form

if TYPE_CHECKING:
    pass


class DiameterSettings(NamedTuple):
    """What the slicer reckons with, and what the strand was measured with."""

    slicer_mm: float
    instrument_mm: Instrument


FORM = Form(DiameterSettings)
