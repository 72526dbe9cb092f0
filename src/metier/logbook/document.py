"""A logbook as one JSON document: what is in it, and writing it out.

Facts are known by the uid of their moment, which is the same in every copy; a printer, nozzle,
spool or instrument by that of the moment when it was added. In the document a reference to a
moment is its uid, one to a machine its name there, one to a trial its id there.
"""

import json
import math
import re
from typing import Any, NamedTuple

from metier.core.errors import BadInput
from metier.logbook.book import Logbook
from metier.port_name import checked_port

FORMAT = "metier-logbook"
VERSION = 1

_AT = re.compile(r"\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}Z\Z")
_UID = re.compile(r"[0-9a-f]{16}\Z")
# What may be edited, so that no document writes into other columns.
_EDITED = {
    *(("printer", field) for field in ("decimals", "line_model", "full_steps", "microsteps")),
    *(("printer", field) for field in ("bed_x_mm", "bed_y_mm", "origin", "accel_mm_s2")),
    *(("printer", field) for field in ("hottest_c", "retract_mm", "start_gcode", "end_gcode")),
    *(("printer", field) for field in ("bed_z_mm", "head_round_mm", "head_above_mm")),
    *(("printer", field) for field in ("port", "baud", "hottest_bed_c", "steps_in")),
    *(("spool", field) for field in ("bed_c", "fan_percent", "hottest_c", "density_g_cm3")),
    ("printer", "line_model_shown"),
    *(("nozzle", field) for field in ("bore_mm", "material", "hot_end", "worn")),
    *(("spool", field) for field in ("material", "maker", "colour", "batch", "diameter_mm")),
    *(("spool", field) for field in ("foaming", "flexible", "temperature_c")),
    *(("instrument", field) for field in ("accuracy_mm", "resolution_mm", "zero_mm", "zeroed")),
    *(("instrument", field) for field in ("reach_mm", "accuracy_g", "resolution_g", "zero_g")),
    *((subject, field) for subject in ("printer", "nozzle", "spool", "instrument")
      for field in ("name", "note", "retired")),
    *(("trial", field) for field in ("printer", "nozzle", "spool", "temperature_c", "note")),
    *(("trial", field) for field in ("settings", "speed_mm_s", "feed_rate_mm_s", "through")),
    ("trial", "instrument"),
    ("moment", "at"),
}  # fmt: skip
# Numbers beyond this are no trial's.
_LARGEST_ID = 2**53
_DEEPEST = 20


class Table(NamedTuple):
    """A table, what it is called in the document, the columns that refer to others, those that
    hold JSON, and what its rows are sorted by."""

    name: str
    title: str
    references: dict[str, str]
    json_columns: tuple[str, ...] = ()
    order: str = "id"


TABLES = (
    Table("printer", "printers", {"added": "moment"}),
    Table("nozzle", "nozzles", {"printer": "printer", "worn": "moment", "added": "moment"}),
    Table("spool", "spools", {"added": "moment"}),
    Table("instrument", "instruments", {"zeroed": "moment", "added": "moment"}),
    Table(
        "change",
        "changes",
        {"moment": "moment", "printer": "printer", "nozzle": "nozzle", "withdrawn": "moment"},
        ("affects",),
        "moment",
    ),
    Table(
        "trial",
        "trials",
        {
            "printer": "printer",
            "nozzle": "nozzle",
            "spool": "spool",
            "planned": "moment",
            "measured": "moment",
            "withdrawn": "moment",
        },
        ("settings", "findings"),
    ),
    Table("reading", "readings", {"amended": "moment"}, order="trial, position, version"),
    Table("outcome", "outcomes", {}, order="trial, kind"),
    Table("fate", "fates", {"moment": "moment"}, order="moment, trial"),
    Table(
        "entry",
        "entries",
        {
            "moment": "moment",
            "printer": "printer",
            "nozzle": "nozzle",
            "spool": "spool",
            "withdrawn": "moment",
        },
        order="moment, kind",
    ),
    Table("bench", "bench", {"printer": "printer", "nozzle": "nozzle", "spool": "spool"}),
    Table(
        "preference",
        "preferences",
        {"moment": "moment", "spool": "spool", "withdrawn": "moment"},
        ("value",),
        "moment, test, name",
    ),
    Table(
        "edit",
        "edits",
        {"moment": "moment", "undone": "moment"},
        ("was", "now"),
        "moment, subject, item, field",
    ),
)
# What an edit puts into a column that refers to something else.
REFERRING_FIELDS = {
    ("nozzle", "worn"): "moment",
    ("instrument", "zeroed"): "moment",
    ("trial", "printer"): "printer",
    ("trial", "nozzle"): "nozzle",
    ("trial", "spool"): "spool",
}


def exported(book: Logbook) -> dict[str, Any]:
    """Return all that a logbook holds; to be called within a snapshot of it."""
    moments = book.connection.execute("SELECT uid, at FROM moment ORDER BY id").fetchall()
    names: dict[str, dict[int, Any]] = {
        name: dict(book.connection.execute(f"SELECT id, name FROM {name}").fetchall())
        for name in ("printer", "nozzle", "spool", "instrument")
    }
    names["moment"] = dict(book.connection.execute("SELECT id, uid FROM moment").fetchall())
    document: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "moments": [{"uid": uid, "at": at} for uid, at in moments],
    }
    for table in TABLES:
        cursor = book.connection.execute(f"SELECT * FROM {table.name} ORDER BY {table.order}")
        columns = [column[0] for column in cursor.description]
        rows = []
        for values in cursor:
            row = dict(zip(columns, values, strict=True))
            for column, target in table.references.items():
                if row[column] is not None:
                    row[column] = names[target][row[column]]
            for column in table.json_columns:
                row[column] = row[column] and json.loads(row[column])
            if table.name != "trial":
                row.pop("id", None)
            if table.name != "edit" or _of_everywhere(row, names):
                rows.append(row)
        document[table.title] = rows
    return document


def _of_everywhere(row: dict[str, Any], names: dict[str, dict[int, Any]]) -> bool:
    """Say what an edit is of as the document does; tells whether it is of more than this bench."""
    subject, field = row["subject"], row["field"]
    if subject == "bench":
        return False
    if subject not in ("trial", "reading"):
        row["item"] = names[subject][row["item"]]
    target = REFERRING_FIELDS.get((subject, field))
    for side in ("was", "now"):
        if target and row[side] is not None:
            row[side] = names[target][row[side]]
    return True


def read_document(text: str) -> dict[str, Any]:
    """Return an exported logbook, what SQLite cannot check checked.

    Raises:
        BadInput: it is none, it is newer, or it does not hold together.
    """
    try:
        document = json.loads(text, parse_constant=_no_number, parse_float=_number)
    except RecursionError:
        raise BadInput("that is nested too deep for a logbook") from None
    except ValueError as error:
        if isinstance(error, BadInput):
            raise
        raise BadInput("that is not JSON: export a logbook with metier logbook export") from None
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise BadInput("that is no exported Metier logbook")
    version = document.get("version")
    if type(version) is not int or not 1 <= version <= VERSION:
        raise BadInput(
            f"that logbook is of version {version!r:.20}, this Metier knows {VERSION}: update "
            "Metier"
        )
    try:
        _check(document)
    except (KeyError, TypeError, AttributeError, RecursionError) as error:
        raise BadInput("that exported logbook is damaged: nothing was imported") from error
    return document


def _no_number(text: str) -> float:
    raise BadInput(f"{text} is no number: nothing was imported")


def _number(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise BadInput(f"{text[:30]} is past any number: nothing was imported")
    return value


def _check(document: dict[str, Any]) -> None:
    damaged = "that exported logbook is damaged ({}): nothing was imported"
    for moment in document["moments"]:
        if not _AT.match(moment["at"]) or not _UID.match(moment["uid"]):
            raise BadInput(damaged.format(f"a moment {str(moment)[:60]}"))
    for row in document["printers"]:
        _check_port(row["port"])
    for row in document["trials"]:
        if not _is_id(row["id"]):
            raise BadInput(damaged.format(f"a trial {str(row['id'])[:30]}"))
        number = row["id"]
        measured = row["measured"] is not None
        if measured and not (isinstance(row["findings"], dict) and row["verdict"]):
            raise BadInput(damaged.format(f"trial {number} was measured and says nothing"))
        if row["planned"] is None or (row["state"] == "measured" and not measured):
            raise BadInput(damaged.format(f"trial {number} is half there"))
        if not isinstance(row["settings"], dict):
            raise BadInput(damaged.format(f"trial {number} has no settings"))
        for part in ("settings", "findings"):
            if row[part] is not None and _depth(row[part]) > _DEEPEST:
                raise BadInput(damaged.format(f"the {part} of trial {number} are nested too deep"))
    for row in document["edits"]:
        if (row["subject"], row["field"]) not in _EDITED and row["subject"] != "reading":
            raise BadInput(damaged.format(f"an edit of {str(row['field'])[:30]}"))
        if row["field"] == "port":
            _check_port(row["was"])
            _check_port(row["now"])
    for row in document["readings"]:
        if not all(_is_id(row[column] + 1) for column in ("position", "version")):
            raise BadInput(damaged.format(f"a reading {str(row)[:60]}"))


def _check_port(port: str | None) -> None:
    try:
        if port is not None:
            checked_port(port)
    except BadInput as refusal:
        raise BadInput(f"{refusal}: nothing was imported") from None


def _is_id(value: object) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 0 < value <= _LARGEST_ID


def _depth(value: object) -> int:
    if isinstance(value, dict):
        return 1 + max((_depth(part) for part in value.values()), default=0)
    if isinstance(value, list):
        return 1 + max((_depth(part) for part in value), default=0)
    return 0
