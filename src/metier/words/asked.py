"""What is asked for when readings are typed one by one."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from metier.core.measure.readings import Instrument


class Asked(NamedTuple):
    """What is asked for: the test, where each reading belongs, and how to measure here.

    ``places`` are asked round and round; a name ending in ``…`` counts up instead. ``check``
    refuses a reading that cannot be at its place. ``running`` says what they come to so far, by
    default their mean.
    """

    test: str
    what: str
    places: tuple[str, ...]
    how: str
    instrument: Instrument
    check: Callable[[float, str], None]
    read: Callable[[str], Sequence[float]]
    running: Callable[[list[float]], str] | None = None

    def place(self, position: int) -> str:
        """Return the name of the place that the reading at ``position`` (from 0) belongs to."""
        name = self.places[position % len(self.places)]
        return f"{name.removesuffix('…')}{position + 1}" if name.endswith("…") else name
