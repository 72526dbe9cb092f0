"""Spools: one roll of filament each."""

from typing import NamedTuple

from metier.logbook.book import Logbook
from metier.logbook.items import found


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


def akin(book: Logbook, spool: Spool, printer: int, nozzle: int) -> list[tuple[Spool, str]]:
    """Return other spools tried on this printer and nozzle whose values may serve, nearest first.

    First rolls of the same filament (maker, material and colour), then of the same maker in
    another colour, then of the same material; the newest first. Foaming and flexible rolls only
    ever stand in for their like.
    """
    others = found(
        book,
        Spool,
        "WHERE id <> ? AND material = ? COLLATE NOCASE AND foaming = ? AND flexible = ?"
        " AND (EXISTS (SELECT 1 FROM trial WHERE printer = ? AND nozzle = ? AND spool = spool.id"
        "   AND state = 'measured')"
        " OR EXISTS (SELECT 1 FROM entry WHERE printer = ? AND nozzle = ? AND spool = spool.id))"
        " ORDER BY id DESC",
        (spool.id, spool.material, spool.foaming, spool.flexible, *(printer, nozzle) * 2),
    )
    kinds = ("the same filament", "the same maker and material", "the same material")

    def nearness(other: Spool) -> int:
        if spool.maker is None or (other.maker or "").lower() != spool.maker.lower():
            return 2
        return 0 if (other.colour or "").lower() == (spool.colour or "").lower() else 1

    return [(other, kinds[nearness(other)]) for other in sorted(others, key=nearness)]


def kindred_spools(book: Logbook, spool: Spool) -> list[Spool]:
    """Return the other rolls of the same maker and material, of whatever colour; newest first."""
    return found(
        book,
        Spool,
        "WHERE id <> ? AND maker = ? COLLATE NOCASE AND material = ? COLLATE NOCASE"
        " AND foaming = ? AND flexible = ? ORDER BY id DESC",
        (spool.id, spool.maker, spool.material, spool.foaming, spool.flexible),
    )
