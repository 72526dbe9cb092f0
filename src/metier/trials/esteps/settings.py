"""What a length of filament was asked for and measured with."""

from typing import Literal, NamedTuple

from metier.core.measure.readings import Instrument
from metier.logbook.plain import Form
from metier.logbook.trials import Trial

Way = Literal["left", "cut", "short", "swallowed"]


WAYS: tuple[Way, ...] = ("left", "cut", "short", "swallowed")


class EstepsSettings(NamedTuple):
    """What was asked for, at which steps, and how it was measured.

    Full steps and microsteps of a motor turn are given where the firmware stores mm per turn.
    """

    way: Way
    asked_mm: float
    mark_mm: float | None
    steps: float
    # A plan does not say yet what it will be measured with.
    instrument_mm: Instrument | None = None
    full_steps: float | None = None
    microsteps: float | None = None
    # One for each run, where they are not all the same.
    asked_each_mm: tuple[float, ...] = ()
    accept_percent: float = 0.5


class EstepsContext(NamedTuple):
    """The trials before on this printer, newest first, and the firmware's decimals."""

    earlier: list[Trial]
    decimals: int
    through: str | None


FORM = Form(EstepsSettings)
