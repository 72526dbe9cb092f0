"""Plates of holes and posts: as a table, and as they are written on the command line."""

import re

from metier.core.fit.plate import Axis, Feature, FeatureKind
from metier.core.refusal import Refusal
from metier.formats.quantity import read_count, read_length_mm
from metier.formats.table_csv import TableRow, read_table

_ALSO = ("measured", "axis", "height", "go", "no_go", "facets", "jaw_land")
_NOT_PRINTED = ("none", "-", "no")
# Readings below this height are of the first layers.
_FOOT_MM = 1.0
_FEATURE = re.compile(r"([\d.,]+\s*(?:mm|in)?)\s*([xyXY])?\s*(@\s*foot)?", re.ASCII)
MOST_FACETS = 1000


def read_plate(path: str) -> list[Feature]:
    """Read ``kind,nominal,measured`` and, if wanted, ``axis,height,go,no_go,facets,jaw_land``.

    ``measured`` may hold several angles, ``9.82/9.84``, or ``none`` where it did not print.

    Raises:
        Refusal: not such a file; names the column or the row.
    """
    return [_feature(row) for row in read_table(path, ("kind", "nominal"), _ALSO)]


def _feature(row: TableRow) -> Feature:
    where, cells = row
    kind = cells["kind"].lower()
    if kind not in ("hole", "post"):
        raise Refusal(f"{where}: kind is hole or post, not {cells['kind'][:40]!r}")
    nominal_mm = read_length_mm(cells["nominal"], f"{where}, nominal")
    axis = cells["axis"].lower()
    if axis not in ("", "x", "y"):
        raise Refusal(f"{where}: axis is x or y, not {cells['axis'][:40]!r}")
    go, no_go = cells["go"], cells["no_go"]
    if not cells["measured"] and not go and not no_go:
        raise Refusal(f"{where} has no measured size, nor pins: write none if it did not print")
    angles = read_angles(cells["measured"], f"{where}, measured") if cells["measured"] else ()
    return Feature(
        "hole" if kind == "hole" else "post",
        nominal_mm,
        angles,
        ("x" if axis == "x" else "y") if axis else None,
        _is_foot(cells["height"], where),
        read_length_mm(go, f"{where}, go") if go else None,
        read_length_mm(no_go, f"{where}, no_go") if no_go else None,
        read_count(cells["facets"], f"{where}, facets", MOST_FACETS) if cells["facets"] else None,
        read_length_mm(cells["jaw_land"], f"{where}, jaw_land") if cells["jaw_land"] else None,
        missing=bool(cells["measured"]) and not angles,
    )


def _is_foot(height: str, where: str) -> bool:
    if height.lower() in ("", "foot", "above"):
        return height.lower() == "foot"
    return read_length_mm(height, f"{where}, height", True) < _FOOT_MM


def read_angles(text: str, what: str) -> tuple[float, ...]:
    """Read ``9.82/9.84``; nothing for ``none``, a feature that did not print.

    Raises:
        Refusal: a part that is no length.
    """
    if text.strip().lower() in _NOT_PRINTED:
        return ()
    return tuple(read_length_mm(part, what) for part in text.split("/"))


def read_feature(kind: FeatureKind, text: str) -> Feature:
    """Read ``10=9.82/9.84``; ``20x=19.9`` along an axis, ``20@foot=20.3`` at the first layers.

    A size alone, ``10``, is one that is still to be measured.

    Raises:
        Refusal: not of that form.
    """
    size, equals, measured = text.partition("=")
    match = _FEATURE.fullmatch(size.strip())
    if not match:
        raise Refusal(f"{text[:40]!r}: write the size drawn and the one measured, 10=9.82")
    axis: Axis | None = None
    if match[2]:
        axis = "x" if match[2].lower() == "x" else "y"
    feature = Feature(kind, read_length_mm(match[1], kind), axis=axis, foot=bool(match[3]))
    if not equals:
        return feature
    angles = read_angles(measured, feature.name)
    return feature._replace(readings_mm=angles, missing=not angles)


def read_pin(text: str) -> Feature:
    """Read ``10=9.7/9.8``: a hole of 10, the pin that goes in, the next that does not.

    ``19.05=go`` is a gauge of just that size that goes in, ``10=9.7`` a pin that does, and nothing
    larger was tried.

    Raises:
        Refusal: not of that form.
    """
    size, equals, pins = text.partition("=")
    go, slash, no_go = pins.partition("/")
    if not equals or not go.strip():
        raise Refusal(
            f"{text[:40]!r}: write 10=9.7/9.8, the pin that goes and the one that does not"
        )
    hole = read_feature("hole", size)
    if not slash:
        goes = size if go.strip().lower() == "go" else go
        return hole._replace(go_mm=read_length_mm(goes, hole.name))
    return hole._replace(
        go_mm=read_length_mm(go, hole.name), no_go_mm=read_length_mm(no_go, hole.name)
    )
