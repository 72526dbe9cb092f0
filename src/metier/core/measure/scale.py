"""What a scale can tell: the mean of weighings with its ±, in grams."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.measure.readings import Estimate, Instrument, estimate


class Scale(NamedTuple):
    """A pocket scale as it comes, or the workshop's own; all in g.

    ``repeatability_g`` is a standard deviation, ``accuracy_g`` a limit, ``resolution_g`` the last
    digit and ``zero_g`` what it shows with nothing on it (subtracted from readings).
    """

    repeatability_g: float = 0.004
    accuracy_g: float = 0.01
    resolution_g: float = 0.01
    zero_g: float = 0.0

    @property
    def figures(self) -> Instrument:
        """The same figures as those of any instrument: what readings say hangs on no unit."""
        return Instrument(self.repeatability_g, self.accuracy_g, self.resolution_g, self.zero_g)


def weighed(readings_g: Sequence[float], scale: Scale) -> Estimate:
    """Return the mean of weighings in g, and how far it can be trusted.

    Raises:
        Refusal: none, or one that is no finite number.
    """
    return estimate(readings_g, scale.figures)
