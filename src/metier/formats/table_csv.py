"""Tables from a spreadsheet: a header row that names the columns, then a row a thing."""

import csv
import io
from typing import NamedTuple

from metier.core.refusal import Refusal

# Any bench's readings fit many times over; anything larger is another file.
MOST_BYTES = 200_000
MOST_ROWS = 1000


class TableRow(NamedTuple):
    """A row by column, '' where a cell is empty or its column not there; ``where`` names it."""

    where: str
    cells: dict[str, str]


def read_table(path: str, needed: tuple[str, ...], also: tuple[str, ...] = ()) -> list[TableRow]:
    """Read a table with the columns ``needed`` and, where they are there, ``also``.

    Separated by commas, semicolons or tabs; a decimal comma needs one of the latter two. Other
    columns are passed over.

    Raises:
        Refusal: not such a file; names the column or the line.
    """
    text = _text(path)
    separator = _separator(text)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    header: list[str] = []
    found: list[TableRow] = []
    try:
        for cells in reader:
            if not any(cell.strip() for cell in cells):
                continue
            if not header:
                header = _header(path, cells, separator, needed)
                continue
            # A cell may hold a line break of its own: a row is named by where it ends.
            where = f"{path}, line {reader.line_num}"
            if len(cells) > len(header) and separator == ",":
                raise Refusal(
                    f"{where} has more cells than the header; "
                    "with decimal commas separate the columns by ;"
                )
            row = {name: _cell(cells, header, name) for name in (*needed, *also)}
            lacking = next((name for name in needed if not row[name]), None)
            if lacking:
                raise Refusal(f"{where} has no {lacking}")
            found.append(TableRow(where, row))
    except csv.Error as error:
        raise Refusal(f"{path}, line {reader.line_num} is no CSV: {error}") from None
    if not found:
        raise Refusal(f"{path} has no rows below its header")
    if len(found) > MOST_ROWS:
        raise Refusal(f"{path} has {len(found)} rows, more than {MOST_ROWS}: another file?")
    return found


def _cell(cells: list[str], header: list[str], name: str) -> str:
    place = header.index(name) if name in header else len(cells)
    return cells[place].strip() if place < len(cells) else ""


def _text(path: str) -> str:
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
    if not text.strip():
        raise Refusal(f"{path} is empty")
    return text


def _separator(text: str) -> str:
    """Return what the header's columns are separated by."""
    header = next(line for line in text.splitlines() if line.strip())
    return next((mark for mark in ";\t" if mark in header), ",")


def _header(path: str, cells: list[str], separator: str, needed: tuple[str, ...]) -> list[str]:
    header = [cell.strip().lower() for cell in cells]
    lacking = [name for name in needed if name not in header]
    if lacking:
        line = separator.join(cells)
        shown = line if len(line) <= 40 and line.isprintable() else "something else"
        raise Refusal(
            f"{path} needs a header row with the column{'s' if len(lacking) > 1 else ''} "
            f"{', '.join(lacking)}; it starts with {shown}"
        )
    twice = next((name for name in header if name and header.count(name) > 1), None)
    if twice:
        raise Refusal(f"{path} has the column {twice} twice")
    return header
