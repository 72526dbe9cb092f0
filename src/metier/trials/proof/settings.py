"""A real part: its places and what they should be, and what printing it took."""

from collections.abc import Sequence
from typing import Literal, NamedTuple

from metier.core.measure.readings import Instrument
from metier.core.proof import At, Job
from metier.logbook.plain import Form
from metier.logbook.trials import Reading


class ProofPlace(NamedTuple):
    """A place by its name: the wall it should have, and how many of the readings are of it."""

    name: str
    expected_mm: float
    readings: int = 0


class ProofSettings(NamedTuple):
    """The part and its places; what its file says and what it came to; a word, a path to a photo.

    ``estimate_from`` tells whose minutes the file's are; ``flow_percent`` is the flow in force.
    """

    part: str
    places: tuple[ProofPlace, ...]
    instrument_mm: Instrument
    layer_mm: float | None = None
    grams: float | None = None
    file_grams: float | None = None
    minutes: float | None = None
    file_minutes: float | None = None
    estimate_from: Literal["file", "given"] = "given"
    says: str | None = None
    photo: str | None = None
    flow_percent: float | None = None
    expected_from: str = ""

    @property
    def job(self) -> Job:
        """What printing took beside what the file says."""
        return Job(self.grams, self.file_grams, self.minutes, self.file_minutes)

    def measured(self, readings: Sequence[Reading]) -> list[At]:
        """Return the places with their readings."""
        found, at = [], 0
        for one in self.places:
            taken = readings[at : at + one.readings]
            at += one.readings
            found.append(At(one.name, tuple(each.value for each in taken), one.expected_mm))
        return found


FORM = Form(ProofSettings)
