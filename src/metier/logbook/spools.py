"""Spools: one roll of filament each."""

from typing import NamedTuple

from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.names import new_name, refuse_unknown


class Spool(NamedTuple):
    """One roll. ``diameter_mm`` is the nominal one that the slicer reckons with; ``temperature_c``
    that of the nozzle when it was last on the bench, ``hottest_c`` what it may be printed at;
    ``bed_c`` and ``fan_percent`` are for printing parts. None where nobody said it."""

    id: int
    name: str
    material: str
    maker: str | None
    colour: str | None
    batch: str | None
    diameter_mm: float
    foaming: bool
    flexible: bool
    retired: int
    note: str | None
    temperature_c: float | None
    bed_c: float | None
    fan_percent: float | None
    hottest_c: float | None


_SPOOL = (
    "SELECT id, name, material, maker, colour, batch, diameter_mm, foaming, flexible, retired,"
    " note, temperature_c, bed_c, fan_percent, hottest_c FROM spool"
)


def add_spool(
    book: Logbook,
    moment: int,
    name: str,
    material: str,
    *,
    maker: str | None,
    colour: str | None,
    batch: str | None,
    diameter_mm: float,
    foaming: bool,
    flexible: bool,
) -> Spool:
    """Add a roll.

    Raises:
        Refusal: a name or material that cannot be one, or a name taken.
    """
    name = new_name(book.connection, "spool", name)
    if not material.strip():
        raise Refusal("a spool needs a material, for example --material PLA")
    book.connection.execute(
        "INSERT INTO spool (name, material, maker, colour, batch, diameter_mm, foaming, flexible,"
        " added) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (name, material.strip(), maker, colour, batch, diameter_mm, foaming, flexible, moment),
    )
    return spool_named(book, name)


def spools(book: Logbook, retired: bool = False) -> list[Spool]:
    """Return the spools in use by name; with ``retired`` all of them."""
    where = "" if retired else "WHERE retired = 0"
    return [_spool(row) for row in book.connection.execute(f"{_SPOOL} {where} ORDER BY name")]


def spool_named(book: Logbook, name: str) -> Spool:
    """Return a spool.

    Raises:
        Refusal: unknown, naming the nearest.
    """
    row = book.connection.execute(f"{_SPOOL} WHERE name = ?", (name.strip(),)).fetchone()
    if row is None:
        raise refuse_unknown(book.connection, "spool", name)
    return _spool(row)


def spool_by_id(book: Logbook, spool: int) -> Spool:
    """Return a spool that the logbook itself refers to."""
    return _spool(book.row(f"{_SPOOL} WHERE id = ?", spool))


def akin(book: Logbook, spool: Spool, printer: int, nozzle: int) -> list[tuple[Spool, str]]:
    """Return other spools tried on this printer and nozzle whose values may serve, nearest first.

    First rolls of the same filament (maker, material and colour), then of the same maker in
    another colour, then of the same material; the newest first. Foaming and flexible rolls only
    ever stand in for their like.
    """
    rows = book.connection.execute(
        f"{_SPOOL} WHERE id <> ? AND material = ? COLLATE NOCASE AND foaming = ? AND flexible = ?"
        " AND (EXISTS (SELECT 1 FROM trial WHERE printer = ? AND nozzle = ? AND spool = spool.id"
        "   AND state = 'measured')"
        " OR EXISTS (SELECT 1 FROM entry WHERE printer = ? AND nozzle = ? AND spool = spool.id))"
        " ORDER BY id DESC",
        (spool.id, spool.material, spool.foaming, spool.flexible, *(printer, nozzle) * 2),
    )
    found = [_spool(row) for row in rows]

    kinds = ("the same filament", "the same maker and material", "the same material")

    def nearness(other: Spool) -> int:
        if spool.maker is None or (other.maker or "").lower() != spool.maker.lower():
            return 2
        return 0 if (other.colour or "").lower() == (spool.colour or "").lower() else 1

    return [(other, kinds[nearness(other)]) for other in sorted(found, key=nearness)]


def kindred_spools(book: Logbook, spool: Spool) -> list[Spool]:
    """Return the other rolls of the same maker and material, of whatever colour; newest first."""
    rows = book.connection.execute(
        f"{_SPOOL} WHERE id <> ? AND maker = ? COLLATE NOCASE AND material = ? COLLATE NOCASE"
        " AND foaming = ? AND flexible = ? ORDER BY id DESC",
        (spool.id, spool.maker, spool.material, spool.foaming, spool.flexible),
    )
    return [_spool(row) for row in rows]


def _spool(row: tuple[object, ...]) -> Spool:
    spool = Spool._make(row)
    return spool._replace(foaming=bool(spool.foaming), flexible=bool(spool.flexible))
