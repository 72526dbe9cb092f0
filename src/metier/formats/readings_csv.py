"""Readings from a spreadsheet: a header row, a reading a row, the side beside it if known."""

from typing import NamedTuple

from metier.formats.quantity import read_length_mm
from metier.formats.table_csv import read_table


class SideReading(NamedTuple):
    """A reading in mm with the side it belongs to ('' when the file has none), as typed."""

    side: str
    value_mm: float
    typed: str


def read_readings(path: str) -> list[SideReading]:
    """Read a CSV of readings: columns ``reading`` and, if wanted, ``side``.

    Raises:
        Refusal: not such a file; names the row.
    """
    return [
        SideReading(
            row.cells["side"],
            read_length_mm(row.cells["reading"], f"{row.where}, reading"),
            row.cells["reading"],
        )
        for row in read_table(path, ("reading",), ("side",))
    ]


def by_side(readings: list[SideReading]) -> list[list[float]]:
    """Return the readings side by side, in the order the sides first appear."""
    sides: dict[str, list[float]] = {}
    for reading in readings:
        sides.setdefault(reading.side, []).append(reading.value_mm)
    return list(sides.values())
