"""What a length of filament was asked for and measured with, and what it was found to be."""

from typing import Literal, NamedTuple

from metier.core.measure.readings import Instrument
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


class EstepsContext(NamedTuple):
    """The trials before on this printer, newest first, and the firmware's decimals."""

    earlier: list[Trial]
    decimals: int
    through: str | None


class Found(NamedTuple):
    """What an e-steps trial found, as far as tables show it."""

    steps_now: float
    moved_mm: float | None
    asked_mm: float
    steps_new: float | None
    steps_below: float | None
    steps_to_type: float | None
