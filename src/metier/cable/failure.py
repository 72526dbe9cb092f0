"""A printer or its cable that does not do its part."""

from metier.failure import Failure


class CableFailure(Failure):
    """What went wrong on the line and what to do: one line for the user."""


class ResetInTheMiddle(CableFailure):
    """The printer began anew: what was not stored is lost, and so is a print."""


class LineLost(CableFailure):
    """The cable was pulled, or whatever is at its other end is gone."""


class TooCold(CableFailure):
    """The nozzle is too cold to feed."""


class HeaterFault(CableFailure):
    """A heater does what none should do."""


class Untold(CableFailure):
    """The printer does not say what it was asked for: it knows no such command."""
