"""The workshop's instruments: what is known of each, and the last zero."""

from typing import Any, NamedTuple

from metier.core.measure.instruments import KINDS, InstrumentKind, Named
from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.edits import edit
from metier.logbook.names import new_name, refuse_unknown


class Kept(NamedTuple):
    """An instrument as the logbook keeps it; ``zeroed_at`` is when its zero was last taken."""

    instrument: Named
    zeroed_at: str | None
    id: int
    reach_mm: float | None
    retired: int
    note: str | None


def unit_of(kind: InstrumentKind) -> str:
    """Return the unit that instruments of a kind show: g or mm."""
    return "g" if kind == "scale" else "mm"


_INSTRUMENT = (
    "SELECT name, kind, accuracy_mm, resolution_mm, zero_mm, accuracy_g, resolution_g, zero_g,"
    " moment.at, instrument.id, reach_mm, retired, note FROM instrument"
    " LEFT JOIN moment ON moment.id = instrument.zeroed"
)


def add_instrument(
    book: Logbook,
    moment: int,
    name: str,
    kind: InstrumentKind,
    accuracy: float | None = None,
    resolution: float | None = None,
    reach_mm: float | None = None,
) -> Kept:
    """Add an instrument; accuracy and resolution are in g for a scale, in mm for all others.

    Raises:
        Refusal: a name that cannot be one or is taken.
    """
    name = new_name(book.connection, "instrument", name)
    if name in KINDS and name != kind:
        raise Refusal(f"an instrument named '{name}' can only be a {name}")
    unit = unit_of(kind)
    book.connection.execute(
        f"INSERT INTO instrument (name, kind, accuracy_{unit}, resolution_{unit}, reach_mm, added)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        (name, kind, accuracy, resolution, reach_mm, moment),
    )
    return kept_instrument(book, name)


def kept_instruments(book: Logbook, retired: bool = False) -> list[Kept]:
    """Return the instruments in use by name; with ``retired`` all of them."""
    where = "" if retired else "WHERE retired = 0"
    rows = book.connection.execute(f"{_INSTRUMENT} {where} ORDER BY name")
    return [_kept(row) for row in rows]


def kept_instrument(book: Logbook, name: str) -> Kept:
    """Return an instrument of the workshop.

    Raises:
        Refusal: unknown, naming the nearest.
    """
    row = book.connection.execute(f"{_INSTRUMENT} WHERE name = ?", (name.strip(),)).fetchone()
    if row is None:
        raise refuse_unknown(book.connection, "instrument", name)
    return _kept(row)


def reach_of(book: Logbook, name: str) -> float | None:
    """Return the longest that an instrument measures; None where nobody said."""
    row = book.connection.execute(
        "SELECT reach_mm FROM instrument WHERE name = ?", (name,)
    ).fetchone()
    return row[0] if row else None


def _kept(row: tuple[Any, ...]) -> Kept:
    figures = len(Named._fields)
    return Kept(Named(*row[:figures]), *row[figures:])


def any_instrument(book: Logbook, name: str) -> Named:
    """Return the workshop's instrument of that name, else one of that kind as it comes.

    Raises:
        Refusal: neither.
    """
    row = book.connection.execute(f"{_INSTRUMENT} WHERE name = ?", (name.strip(),)).fetchone()
    retired_kind = row is not None and _kept(row).retired and name in KINDS
    if row is not None and not retired_kind:
        return _kept(row).instrument
    for kind in KINDS:
        if name == kind:
            return Named(name, kind)
    own = [kept.instrument.name for kept in kept_instruments(book)]
    raise Refusal(f"no instrument '{name}': use one of {', '.join([*own, *KINDS])}")


def set_zero(book: Logbook, moment: int, name: str, zero: float) -> Kept:
    """Remember what an instrument shows when closed, or a scale with nothing on it.

    Raises:
        Refusal: unknown, and no kind either.
    """
    kept = kept_or_added(book, moment, name)
    edit(
        book,
        moment,
        "instrument",
        kept.id,
        {f"zero_{unit_of(kept.instrument.kind)}": zero, "zeroed": moment},
    )
    return kept_instrument(book, name)


def set_accuracy(book: Logbook, moment: int, name: str, accuracy: float) -> Kept:
    """Remember how accurate an instrument was found to be.

    Raises:
        Refusal: unknown, and no kind either.
    """
    kept = kept_or_added(book, moment, name)
    edit(
        book, moment, "instrument", kept.id, {f"accuracy_{unit_of(kept.instrument.kind)}": accuracy}
    )
    return kept_instrument(book, name)


def kept_or_added(book: Logbook, moment: int, name: str) -> Kept:
    """The only calipers on a bench go by their kind and need not be added first."""
    known = book.connection.execute("SELECT 1 FROM instrument WHERE name = ?", (name,)).fetchone()
    if known is None and name in KINDS:
        kind = next(kind for kind in KINDS if kind == name)
        return add_instrument(book, moment, name, kind)
    kept = kept_instrument(book, name)
    if kept.retired and kept.instrument.name in KINDS:
        edit(book, moment, "instrument", kept.id, {"retired": 0})
    return kept
