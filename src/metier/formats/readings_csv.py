"""Readings from a spreadsheet: a header row, a reading a row, the side beside it if known."""

from typing import NamedTuple

from metier.formats.quantity import read_count, read_length_mm
from metier.formats.table_csv import read_table

_MOST_WALLS = 20


class SideReading(NamedTuple):
    """A reading in mm, as typed, with the side it belongs to ('' when the file has none).

    ``walls`` is how many lines the wall has, None when the file does not say.
    """

    side: str
    value_mm: float
    typed: str
    walls: int | None = None


def read_readings(path: str) -> list[SideReading]:
    """Read a CSV of readings: columns ``reading`` and, if wanted, ``side`` and ``walls``.

    Raises:
        Refusal: not such a file; names the row.
    """
    return [
        SideReading(
            row.cells["side"],
            read_length_mm(row.cells["reading"], f"{row.where}, reading"),
            row.cells["reading"],
            read_count(row.cells["walls"], f"{row.where}, walls", _MOST_WALLS)
            if row.cells["walls"]
            else None,
        )
        for row in read_table(path, ("reading",), ("side", "walls"))
    ]
