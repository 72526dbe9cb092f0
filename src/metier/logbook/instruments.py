"""The workshop's instruments: what is known of each, and the last zero."""

from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.measure.instruments import KINDS, InstrumentKind, Named
from metier.logbook.book import Logbook
from metier.logbook.edits import edit
from metier.logbook.items import add, found, listed, named


class Instrument(NamedTuple):
    """An instrument as the logbook keeps it; ``zeroed_at`` is when its zero was last taken."""

    name: str
    kind: InstrumentKind
    accuracy_mm: float | None
    resolution_mm: float | None
    zero_mm: float | None
    accuracy_g: float | None
    resolution_g: float | None
    zero_g: float | None
    zeroed_at: str | None
    id: int
    reach_mm: float | None
    retired: int
    note: str | None

    @property
    def instrument(self) -> Named:
        """What it can tell."""
        return Named(
            self.name, self.kind, self.accuracy_mm, self.resolution_mm, self.zero_mm,
            self.accuracy_g, self.resolution_g, self.zero_g,
        )  # fmt: skip


def unit_of(kind: InstrumentKind) -> str:
    """Return the unit that instruments of a kind show: g or mm."""
    return "g" if kind == "scale" else "mm"


def add_instrument(
    book: Logbook,
    moment: int,
    name: str,
    kind: InstrumentKind,
    accuracy: float | None = None,
    resolution: float | None = None,
    reach_mm: float | None = None,
) -> Instrument:
    """Add an instrument; accuracy and resolution are in g for a scale, in mm for all others.

    Raises:
        BadInput: a name that cannot be one or is taken.
    """
    if name in KINDS and name != kind:
        raise BadInput(f"an instrument named '{name}' can only be a {name}")
    told = {f"accuracy_{unit_of(kind)}": accuracy, f"resolution_{unit_of(kind)}": resolution}
    return add(book, moment, Instrument, name, kind=kind, reach_mm=reach_mm, **told)


def reach_of(book: Logbook, name: str) -> float | None:
    """Return the longest that an instrument measures; None where nobody said."""
    row = book.connection.execute(
        "SELECT reach_mm FROM instrument WHERE name = ?", (name,)
    ).fetchone()
    return row[0] if row else None


def any_instrument(book: Logbook, name: str) -> Named:
    """Return the workshop's instrument of that name, else one of that kind as it comes.

    Raises:
        BadInput: neither.
    """
    for own in found(book, Instrument, "WHERE name = ?", (name.strip(),)):
        if not (own.retired and name in KINDS):
            return own.instrument
    for kind in KINDS:
        if name == kind:
            return Named(name, kind)
    names = [own.name for own in listed(book, Instrument)]
    raise BadInput(f"no instrument '{name}': use one of {', '.join([*names, *KINDS])}")


def set_zero(book: Logbook, moment: int, name: str, zero: float) -> Instrument:
    """Remember what an instrument shows when closed, or a scale with nothing on it.

    Raises:
        BadInput: unknown, and no kind either.
    """
    own = kept_or_added(book, moment, name)
    edit(book, moment, "instrument", own.id, {f"zero_{unit_of(own.kind)}": zero, "zeroed": moment})
    return named(book, Instrument, name)


def set_accuracy(book: Logbook, moment: int, name: str, accuracy: float) -> Instrument:
    """Remember how accurate an instrument was found to be.

    Raises:
        BadInput: unknown, and no kind either.
    """
    own = kept_or_added(book, moment, name)
    edit(book, moment, "instrument", own.id, {f"accuracy_{unit_of(own.kind)}": accuracy})
    return named(book, Instrument, name)


def kept_or_added(book: Logbook, moment: int, name: str) -> Instrument:
    """The only calipers on a bench go by their kind and need not be added first."""
    known = book.connection.execute("SELECT 1 FROM instrument WHERE name = ?", (name,)).fetchone()
    if known is None and name in KINDS:
        kind = next(kind for kind in KINDS if kind == name)
        return add_instrument(book, moment, name, kind)
    own = named(book, Instrument, name)
    if own.retired and own.name in KINDS:
        edit(book, moment, "instrument", own.id, {"retired": 0})
    return own
