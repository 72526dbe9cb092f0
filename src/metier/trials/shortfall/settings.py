"""Lengths fed at rising flow: what they are reckoned with."""

from typing import Literal, NamedTuple

from metier.core.measure.readings import Instrument
from metier.logbook.plain import Form
from metier.trials.limit.settings import HotEnd, KeptLine, Reckoning


class FeedRun(NamedTuple):
    """A length asked for at a flow; what moved of it is the reading."""

    flow_mm3_s: float
    asked_mm: float


class FeedSettings(NamedTuple):
    """Lengths fed at rising flow; the rest as for a ramp."""

    way: Literal["feed"]
    on: HotEnd
    reckoning: Reckoning
    instrument_mm: Instrument
    fed: tuple[FeedRun, ...]
    line: KeptLine


FORM = Form(FeedSettings)
