"""Values that nobody means: what each may be a slip of, and who says what is meant."""

from argparse import Namespace
from collections.abc import Callable
from typing import Any, NamedTuple

from metier.core.errors import BadInput
from metier.core.values import value_named
from metier.words.missing import may_ask

_SHIFTS = (10, 0.1, 100, 0.01)


class Usual(NamedTuple):
    """Reads a quantity that lies between two bounds, but for slips; the parser asks about it."""

    read: Callable[[str], Any]
    low: float
    high: float
    unit: str = "mm"

    def __call__(self, text: str) -> Any:
        return self.read(text)

    def doubt(self, what: str, value: float) -> "Doubt | None":
        """Return what is odd about a value that ``what`` names, if anything is."""
        if self.low <= value <= self.high:
            return None
        likely = next((value / by for by in _SHIFTS if self.low <= value / by <= self.high), None)
        said = f"{what} {value:g} {self.unit}".rstrip()
        return Doubt(f"{said} is far from what is usual ({self.low:g} to {self.high:g})",
                     likely, f"{value:g}", "" if likely is None else f"{likely:.6g}")  # fmt: skip


class Doubt(NamedTuple):
    """What is odd about a value, and what it may be a slip of: the value, and both as typed."""

    said: str
    likely: float | None
    typed: str
    shown: str


def doubt_of(name: str, value: float, stands: float | None) -> Doubt | None:
    """Return what is odd about a value of the profile beside the one that ``stands``, if any."""
    row = value_named(name)
    seen, unit = row.seen(value), row.unit
    if stands is not None and row.most_ratio is not None:
        most = row.most_ratio
        if max(value / stands, stands / value) <= most:
            return None
        shifted = (value / by for by in _SHIFTS)
        near = (each for each in shifted if max(each / stands, stands / each) <= most)
        likely = row.seen(next(near, stands))
        said = f"{row.called} {seen:g} {unit} is far from {row.seen(stands):g}, which stands"
        return Doubt(said, likely / row.seen_factor, f"{seen:g}", f"{likely:g}")
    if row.usual is None:
        return None
    low, high = (row.seen(end) for end in row.usual)
    doubt = Usual(float, low, high, unit).doubt(row.called, seen)
    if doubt is None or doubt.likely is None:
        return doubt
    return doubt._replace(likely=doubt.likely / row.seen_factor)


def meant(value: float, doubt: Doubt | None, options: Namespace) -> float:
    """Return the value that is meant: as it is with ``--anyway``, else as whoever sits there says.

    Raises:
        BadInput: nobody can say so, or nobody does.
    """
    if doubt is None or getattr(options, "anyway", False):
        return value
    asked = f": was it {doubt.shown}?" if doubt.likely is not None else ""
    if not may_ask(getattr(options, "json", False)):
        raise BadInput(f"{doubt.said}{asked} (--anyway says it is meant)")
    from metier.words.question import said_firmly

    if doubt.likely is None:
        if said_firmly(f"{doubt.said}. Is it meant?"):
            options.anyway = True
            return value
        raise BadInput(f"{doubt.said}: nothing was done")
    if said_firmly(f"{doubt.said}{asked} y takes {doubt.shown}, n takes {doubt.typed}"):
        return doubt.likely
    # It is not asked a second time.
    options.anyway = True
    return value
