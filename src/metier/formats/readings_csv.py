"""Readings from a spreadsheet: a header row, a reading a row, the side beside it if known."""

import csv
from typing import NamedTuple

from metier.core.refusal import Refusal
from metier.formats.quantity import read_length_mm

# A thousand readings fit many times over; anything larger is another file.
MOST_BYTES = 200_000
MOST_READINGS = 1000


class SideReading(NamedTuple):
    """A reading in mm with the side it belongs to ('' when the file has none), as typed."""

    side: str
    value_mm: float
    typed: str


def read_readings(path: str) -> list[SideReading]:
    """Read a CSV of readings: columns ``reading`` and, if wanted, ``side``.

    Separated by commas, semicolons or tabs; a decimal comma needs one of the latter two.

    Raises:
        Refusal: not such a file; names the line.
    """
    lines = _lines(path)
    header, separator = _header(path, lines[0])
    at = header.index("reading")
    side_at = header.index("side") if "side" in header else None
    found: list[SideReading] = []
    try:
        for row in csv.reader(lines[1:], delimiter=separator, strict=True):
            number = len(found) + 2
            if not any(cell.strip() for cell in row):
                continue
            if len(row) > len(header) and separator == ",":
                raise Refusal(
                    f"{path}: a row has more cells than the header; "
                    "with decimal commas separate the columns by ;"
                )
            if at >= len(row):
                raise Refusal(f"{path}: reading {number - 1} has no value")
            typed = row[at].strip()
            side = row[side_at].strip() if side_at is not None and side_at < len(row) else ""
            value_mm = read_length_mm(typed, f"{path}, reading {number - 1}")
            found.append(SideReading(side, value_mm, typed))
    except csv.Error as error:
        raise Refusal(f"{path} is not a CSV file of readings: {error}") from None
    if not found:
        raise Refusal(f"{path} has no readings below its header")
    if len(found) > MOST_READINGS:
        raise Refusal(f"{path} has {len(found)} readings, more than {MOST_READINGS}: another file?")
    return found


def by_side(readings: list[SideReading]) -> list[list[float]]:
    """Return the readings side by side, in the order the sides first appear."""
    sides: dict[str, list[float]] = {}
    for reading in readings:
        sides.setdefault(reading.side, []).append(reading.value_mm)
    return list(sides.values())


def _lines(path: str) -> list[str]:
    try:
        with open(path, "rb") as file:
            data = file.read(MOST_BYTES + 1)
    except OSError as error:
        raise Refusal(f"cannot read {path}: {error.strerror}") from None
    if len(data) > MOST_BYTES:
        raise Refusal(f"{path} is over {MOST_BYTES // 1000} kB: that is no file of readings")
    try:
        text = data.decode("utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig")
    except UnicodeDecodeError:
        raise Refusal(f"{path} is not text: save it as CSV (UTF-8)") from None
    lines = [line for line in text.splitlines() if line.strip()]
    if not lines:
        raise Refusal(f"{path} is empty")
    return lines


def _header(path: str, line: str) -> tuple[list[str], str]:
    separator = next((mark for mark in ";\t" if mark in line), ",")
    header = [cell.strip().strip('"').lower() for cell in line.split(separator)]
    if "reading" not in header:
        shown = line if len(line) <= 40 and line.isprintable() else "something else"
        raise Refusal(
            f"{path} needs a header row with a column 'reading' (and 'side'); "
            f"it starts with {shown}"
        )
    return header, separator
