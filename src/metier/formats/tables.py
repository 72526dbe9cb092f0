"""Tables of comma-separated values: readings, walls, holes and posts."""

import csv
import io
import math
import re
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.fit.feel import FEELS, gauge_play_mm
from metier.core.fit.plate import AXES, Feature, FeatureKind
from metier.core.limit.shortfall import Fed
from metier.formats.felt_pairs import read_feel
from metier.formats.quantity import read_count, read_length_mm, read_positive

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
        BadInput: not such a file; names the column or the line.
    """
    text = _text(path)
    separator = _separator(text)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    header: list[str] = []
    rows: list[TableRow] = []
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
                raise BadInput(
                    f"{where} has more cells than the header; "
                    "with decimal commas separate the columns by ;"
                )
            row = {name: _cell(cells, header, name) for name in (*needed, *also)}
            lacking = next((name for name in needed if not row[name]), None)
            if lacking:
                raise BadInput(f"{where} has no {lacking}")
            rows.append(TableRow(where, row))
    except csv.Error as error:
        raise BadInput(f"{path}, line {reader.line_num} is no CSV: {error}") from None
    if not rows:
        raise BadInput(f"{path} has no rows below its header")
    if len(rows) > MOST_ROWS:
        raise BadInput(f"{path} has {len(rows)} rows, more than {MOST_ROWS}: another file?")
    return rows


def _cell(cells: list[str], header: list[str], name: str) -> str:
    place = header.index(name) if name in header else len(cells)
    return cells[place].strip() if place < len(cells) else ""


def _text(path: str) -> str:
    try:
        with open(path, "rb") as file:
            data = file.read(MOST_BYTES + 1)
    except OSError as error:
        raise BadInput(f"cannot read {path}: {error.strerror}") from None
    if len(data) > MOST_BYTES:
        raise BadInput(f"{path} is over {MOST_BYTES // 1000} kB: that is no file of readings")
    try:
        text = data.decode("utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig")
    except UnicodeDecodeError:
        raise BadInput(f"{path} is not text: save it as CSV (UTF-8)") from None
    if not text.strip():
        raise BadInput(f"{path} is empty")
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
        raise BadInput(
            f"{path} needs a header row with the column{'s' if len(lacking) > 1 else ''} "
            f"{', '.join(lacking)}; it starts with {shown}"
        )
    twice = next((name for name in header if name and header.count(name) > 1), None)
    if twice:
        raise BadInput(f"{path} has the column {twice} twice")
    return header


def read_feed(path: str) -> list[Fed]:
    """Read ``flow_mm3_s,asked_mm,moved_mm``.

    Raises:
        BadInput: not such a file; names the column or the row.
    """
    return [
        Fed(
            read_positive(cells["flow_mm3_s"], f"{where}, flow_mm3_s", ("mm³/s",)),
            read_length_mm(cells["asked_mm"], f"{where}, asked_mm"),
            read_length_mm(cells["moved_mm"], f"{where}, moved_mm"),
        )
        for where, cells in read_table(path, ("flow_mm3_s", "asked_mm", "moved_mm"))
    ]


def read_coupons(path: str, diameter_mm: float | None) -> dict[float, list[float]]:
    """Read ``flow_mm3_s,strength_mpa``, or ``force_n`` with the coupon's diameter; MPa by flow.

    Raises:
        BadInput: not such a file, or forces without a diameter.
    """
    rows = read_table(path, ("flow_mm3_s",), ("strength_mpa", "force_n"))
    by_flow: dict[float, list[float]] = {}
    for where, cells in rows:
        flow = read_positive(cells["flow_mm3_s"], f"{where}, flow_mm3_s", ("mm³/s",))
        if cells["strength_mpa"]:
            strength = read_positive(cells["strength_mpa"], f"{where}, strength_mpa", ("mpa",))
        elif cells["force_n"]:
            force_n = read_positive(cells["force_n"], f"{where}, force_n", ("n",))
            if diameter_mm is None:
                raise BadInput(
                    "--coupon-diameter is needed: the file has breaking forces, and strength is "
                    "force by cross-section"
                )
            strength = force_n / (math.pi * diameter_mm**2 / 4)
        else:
            raise BadInput(f"{where} has neither strength_mpa nor force_n")
        by_flow.setdefault(flow, []).append(strength)
    return by_flow


_MOST_WALLS = 20


class SideReading(NamedTuple):
    """A reading in mm, as typed, with the side it belongs to ('' when the file has none).

    ``walls`` is how many lines the wall has, None when the file does not say; ``width_mm`` how
    wide they are where the file tells that with them, as in ``1x0.8``.
    """

    side: str
    value_mm: float
    typed: str
    walls: int | None = None
    width_mm: float | None = None


def read_readings(path: str) -> list[SideReading]:
    """Read a CSV of readings: columns ``reading`` and, if wanted, ``side`` and ``walls``.

    Raises:
        BadInput: not such a file; names the row.
    """
    return [
        SideReading(
            row.cells["side"],
            read_length_mm(row.cells["reading"], f"{row.where}, reading"),
            row.cells["reading"],
            *_lines(row.cells["walls"], f"{row.where}, walls"),
        )
        for row in read_table(path, ("reading",), ("side", "walls"))
    ]


def _lines(cell: str, where: str) -> tuple[int | None, float | None]:
    """Return the lines a wall and their width that a cell tells: ``3``, ``1x0.8`` or nothing."""
    count, wide, width = cell.lower().replace("×", "x").partition("x")
    walls = read_count(count, where, _MOST_WALLS) if cell else None
    return walls, read_length_mm(width, where) if wide else None


_ALSO = ("measured", "axis", "height", "go", "no_go", "facets", "jaw_land")
_NOT_PRINTED = ("none", "-", "no")
# Readings below this height are of the first layers.
_FOOT_MM = 1.0
_FEATURE = re.compile(r"([\d.,]+\s*(?:mm|in)?)\s*([xyzXYZ])?\s*(@\s*foot)?", re.ASCII)
MOST_FACETS = 1000


def read_plate(path: str) -> list[Feature]:
    """Read ``kind,nominal,measured`` and, if wanted, ``axis,height,go,no_go,facets,jaw_land``.

    ``measured`` may hold several angles, ``9.82/9.84``, or ``none`` where it did not print.

    Raises:
        BadInput: not such a file; names the column or the row.
    """
    return [_feature(row) for row in read_table(path, ("kind", "nominal"), _ALSO)]


def _feature(row: TableRow) -> Feature:
    where, cells = row
    kind = cells["kind"].lower()
    if kind not in ("hole", "post"):
        raise BadInput(f"{where}: kind is hole or post, not {cells['kind'][:40]!r}")
    nominal_mm = read_length_mm(cells["nominal"], f"{where}, nominal")
    axis = cells["axis"].lower()
    along = next((each for each in AXES if each == axis), None)
    if axis and along is None:
        raise BadInput(f"{where}: axis is x, y or z, not {cells['axis'][:40]!r}")
    go, no_go = cells["go"], cells["no_go"]
    if not cells["measured"] and not go and not no_go:
        raise BadInput(f"{where} has no measured size, nor pins: write none if it did not print")
    angles = read_angles(cells["measured"], f"{where}, measured") if cells["measured"] else ()
    return Feature(
        kind="hole" if kind == "hole" else "post",
        nominal_mm=nominal_mm,
        readings_mm=angles,
        axis=along,
        foot=_is_foot(cells["height"], where),
        go_mm=read_length_mm(go, f"{where}, go") if go else None,
        no_go_mm=read_length_mm(no_go, f"{where}, no_go") if no_go else None,
        facets=read_count(cells["facets"], f"{where}, facets", MOST_FACETS)
        if cells["facets"]
        else None,
        jaw_land_mm=read_length_mm(cells["jaw_land"], f"{where}, jaw_land")
        if cells["jaw_land"]
        else None,
        missing=bool(cells["measured"]) and not angles,
    )


def _is_foot(height: str, where: str) -> bool:
    if height.lower() in ("", "foot", "above"):
        return height.lower() == "foot"
    return read_length_mm(height, f"{where}, height", True) < _FOOT_MM


def read_angles(text: str, what: str) -> tuple[float, ...]:
    """Read ``9.82/9.84``; nothing for ``none``, a feature that did not print.

    Raises:
        BadInput: a part that is no length.
    """
    if text.strip().lower() in _NOT_PRINTED:
        return ()
    return tuple(read_length_mm(part, what) for part in text.split("/"))


def read_feature(kind: FeatureKind, text: str) -> Feature:
    """Read ``10=9.82/9.84``; ``20x=19.9`` along an axis, ``20@foot=20.3`` at the first layers.

    A size alone, ``10``, is one that is still to be measured.

    Raises:
        BadInput: not of that form.
    """
    size, equals, measured = text.partition("=")
    match = _FEATURE.fullmatch(size.strip())
    if not match:
        raise BadInput(f"{text[:40]!r}: write the size drawn and the one measured, 10=9.82")
    axis = next((each for each in AXES if each == (match[2] or "").lower()), None)
    feature = Feature(kind, read_length_mm(match[1], kind), axis=axis, foot=bool(match[3]))
    if not equals:
        return feature
    angles = read_angles(measured, feature.name)
    return feature._replace(readings_mm=angles, missing=not angles)


def read_pin(text: str) -> Feature:
    """Read ``10=9.7/9.8``: a hole of 10, the pin that goes in, the next that does not.

    ``19.05=go`` is a gauge of just that size that goes in, ``10=9.7`` a pin that does, and nothing
    larger was tried. ``19.05=snug`` is a coin, a bearing or a drill's shank of that size by its
    feel, ``10=9.97:slide`` one of another size than the hole is drawn with.

    Raises:
        BadInput: not of that form, or a feel that bounds one side alone.
    """
    size, equals, pins = text.partition("=")
    go, slash, no_go = pins.partition("/")
    if not equals or not go.strip():
        raise BadInput(
            f"{text[:40]!r}: write 10=9.7/9.8, the pin that goes and the one that does not"
        )
    hole = read_feature("hole", size)
    gauge, _, feel = go.rpartition(":")
    if not slash and feel.strip().lower() in FEELS:
        gauge_mm = read_length_mm(gauge or size, hole.name)
        least_mm, most_mm = gauge_play_mm(read_feel(feel))
        return hole._replace(
            go_mm=round(gauge_mm + least_mm, 9), no_go_mm=round(gauge_mm + most_mm, 9)
        )
    if not slash:
        goes = size if go.strip().lower() == "go" else go
        return hole._replace(go_mm=read_length_mm(goes, hole.name))
    return hole._replace(
        go_mm=read_length_mm(go, hole.name), no_go_mm=read_length_mm(no_go, hole.name)
    )
