"""Tables from a spreadsheet: a header row that names the columns, then a row a thing."""

import csv
from typing import NamedTuple

from metier.core.refusal import Refusal

# Any bench's readings fit many times over; anything larger is another file.
MOST_BYTES = 200_000
MOST_ROWS = 1000


class Row(NamedTuple):
    """A row by column, '' where a cell is empty or its column not there; ``where`` names it."""

    where: str
    cells: dict[str, str]


def read_table(path: str, needed: tuple[str, ...], also: tuple[str, ...] = ()) -> list[Row]:
    """Read a table with the columns ``needed`` and, where they are there, ``also``.

    Separated by commas, semicolons or tabs; a decimal comma needs one of the latter two. Other
    columns are passed over.

    Raises:
        Refusal: not such a file; names the column or the row.
    """
    lines = _lines(path)
    header, separator = _header(path, lines[0], needed)
    wanted = {name: header.index(name) for name in (*needed, *also) if name in header}
    found: list[Row] = []
    try:
        for cells in csv.reader(lines[1:], delimiter=separator, strict=True):
            if not any(cell.strip() for cell in cells):
                continue
            if len(cells) > len(header) and separator == ",":
                raise Refusal(
                    f"{path}: a row has more cells than the header; "
                    "with decimal commas separate the columns by ;"
                )
            row = dict.fromkeys((*needed, *also), "")
            for name, place in wanted.items():
                row[name] = cells[place].strip() if place < len(cells) else ""
            where = f"{path}, row {len(found) + 1}"
            for name in needed:
                if not row[name]:
                    raise Refusal(f"{where} has no {name}")
            found.append(Row(where, row))
    except csv.Error as error:
        raise Refusal(f"{path} is not a CSV file: {error}") from None
    if not found:
        raise Refusal(f"{path} has no rows below its header")
    if len(found) > MOST_ROWS:
        raise Refusal(f"{path} has {len(found)} rows, more than {MOST_ROWS}: another file?")
    return found


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


def _header(path: str, line: str, needed: tuple[str, ...]) -> tuple[list[str], str]:
    separator = next((mark for mark in ";\t" if mark in line), ",")
    header = [cell.strip().strip('"').lower() for cell in line.split(separator)]
    lacking = [name for name in needed if name not in header]
    if lacking:
        shown = line if len(line) <= 40 and line.isprintable() else "something else"
        raise Refusal(
            f"{path} needs a header row with the column{'s' if len(lacking) > 1 else ''} "
            f"{', '.join(lacking)}; it starts with {shown}"
        )
    twice = next((name for name in header if name and header.count(name) > 1), None)
    if twice:
        raise Refusal(f"{path} has the column {twice} twice")
    return header, separator
