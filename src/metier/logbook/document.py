"""A logbook as one JSON document: what is in it, and writing it out.

Facts are known by the uid of their moment, which is the same in every copy; a printer, nozzle,
spool or instrument by that of the moment when it was added. In the document a reference to a
moment is its uid, one to a machine its name there, one to a trial its id there. Each row stands
on a line of its own; the last line holds the digest of all before it (FIPS 180-4, SHA-256).
"""

import json
from collections.abc import Iterator
from hashlib import sha256
from typing import Any, NamedTuple

from metier.core.values import METHOD_EDITION
from metier.logbook.book import Logbook, plain
from metier.logbook.location import damaged

FORMAT = "metier-logbook"
VERSION = 2
DIGEST_LINE = ',\n"digest": "{}"\n}}\n'


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
    Table("spool", "spools", {"dried": "moment", "added": "moment"}),
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
    ("spool", "dried"): "moment",
    ("instrument", "zeroed"): "moment",
    ("trial", "printer"): "printer",
    ("trial", "nozzle"): "nozzle",
    ("trial", "spool"): "spool",
}


def written(book: Logbook) -> Iterator[str]:
    """Yield all that a logbook holds, piece by piece; to be called within a snapshot of it.

    Raises:
        LogbookFailure: some of it is damaged.
    """
    digest = sha256()
    for piece in _pieces(book):
        digest.update(piece.encode())
        yield piece
    yield DIGEST_LINE.format(digest.hexdigest())


def _pieces(book: Logbook) -> Iterator[str]:
    head = {"format": FORMAT, "version": VERSION, "method": METHOD_EDITION}
    yield json.dumps(head, indent=0).removesuffix("\n}")
    moments = book.connection.execute("SELECT uid, at FROM moment ORDER BY id")
    yield from _section("moments", ({"uid": uid, "at": at} for uid, at in moments))
    names: dict[str, dict[int, Any]] = {
        name: dict(book.connection.execute(f"SELECT id, name FROM {name}").fetchall())
        for name in ("printer", "nozzle", "spool", "instrument")
    }
    names["moment"] = dict(book.connection.execute("SELECT id, uid FROM moment").fetchall())
    for table in TABLES:
        yield from _section(table.title, _rows(book, table, names))


def _section(title: str, rows: Iterator[dict[str, Any]]) -> Iterator[str]:
    before = f',\n"{title}": [\n'
    for row in rows:
        yield before + json.dumps(row, ensure_ascii=False)
        before = ",\n"
    yield "\n]" if before == ",\n" else f"{before}]"


def _rows(
    book: Logbook, table: Table, names: dict[str, dict[int, Any]]
) -> Iterator[dict[str, Any]]:
    cursor = book.connection.execute(f"SELECT * FROM {table.name} ORDER BY {table.order}")
    columns = [column[0] for column in cursor.description]
    for values in cursor:
        row = dict(zip(columns, values, strict=True))
        try:
            for column, target in table.references.items():
                if row[column] is not None:
                    row[column] = names[target][row[column]]
            for column in table.json_columns:
                of = f"trial {row['id']}" if table.name == "trial" else f"a row of {table.title}"
                row[column] = row[column] and plain(book, row[column], of)
            whole = table.name != "edit" or _of_everywhere(row, names)
        except (KeyError, TypeError):
            raise damaged(book.path, "something it refers to is missing") from None
        if table.name != "trial":
            row.pop("id", None)
        if whole:
            yield row


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
