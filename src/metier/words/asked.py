"""What is asked for when readings are typed one by one."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from metier.core.measure.readings import Instrument


class Asked(NamedTuple):
    """What is asked for: the test, where each reading belongs, and how to measure here.

    ``places`` are asked round and round; a name ending in ``…`` counts up instead. ``check``
    refuses a reading that cannot be at its place. ``running`` says what they come to so far, by
    default their mean. ``sections`` are gone through one after the other, each until an empty
    line; the name of one stands before its places. Those that are ``optional`` may stay empty.
    ``before`` does what has to be done before a reading can be taken, by its number from 0, and
    tells whether to go on, ``meanwhile`` what has to be done every second until it comes;
    ``enough`` tells of the readings so far that no more are needed.
    """

    test: str
    what: str
    places: tuple[str, ...]
    how: str
    instrument: Instrument
    check: Callable[[float, str], None]
    read: Callable[[str], Sequence[float]]
    running: Callable[[list[float]], str] | None = None
    sections: tuple[str, ...] = ("",)
    optional: tuple[str, ...] = ()
    before: Callable[[int], bool] | None = None
    enough: Callable[[list[float]], bool] | None = None
    meanwhile: Callable[[], None] | None = None

    def place(self, position: int, section: str = "") -> str:
        """Return the name of the place that a section's reading at ``position`` (from 0) is of."""
        name = self.places[position % len(self.places)]
        name = f"{name.removesuffix('…')}{position + 1}" if name.endswith("…") else name
        return f"{section}, {name}" if section else name
