"""The rows of an exported logbook on their way in, table by table, whatever the file's order."""

import json
import sqlite3
from collections.abc import Iterator
from typing import Any

from metier.core.errors import BadInput
from metier.logbook.document import TABLES
from metier.logbook.document_read import Document

Row = dict[str, Any]
_TEXTS = ("settings", "findings")


class Brought:
    """The rows of a document, taken into a table of this connection that is not kept.

    Raises:
        BadInput: it is no exported logbook, or does not hold together.
    """

    def __init__(self, connection: sqlite3.Connection, document: Document) -> None:
        self._connection = connection
        connection.execute("CREATE TEMP TABLE brought (title TEXT, row TEXT)")
        connection.executemany("INSERT INTO brought VALUES (?, ?)", document.rows())
        connection.execute("CREATE INDEX temp.brought_title ON brought (title)")
        self.trusted = document.trusted

    def rows(self, name: str, by: tuple[str, ...] = ()) -> Iterator[Row]:
        """Yield the rows of a table, in the order of these columns; settings and findings of trials
        stay text.

        Raises:
            BadInput: a row has a column that the table has not.
        """
        title = next((table.title for table in TABLES if table.name == name), "moments")
        texts = _TEXTS if name == "trial" else ()
        cells = ["row"]
        if texts:
            paths = ", ".join(f"'$.{text}'" for text in texts)
            cells = [f"json_remove(row, {paths})"]
            cells += [f"json_extract(row, '$.{text}')" for text in texts]
        order = ", ".join(f"json_extract(row, '$.{column}')" for column in by) or "rowid"
        rows = self._connection.execute(
            f"SELECT {', '.join(cells)} FROM brought WHERE title = ? ORDER BY {order}", (title,)
        )
        columns = {
            row[0]
            for row in self._connection.execute("SELECT name FROM pragma_table_info(?)", (name,))
        }
        for text, *parts in rows:
            row: Row = {**json.loads(text), **dict(zip(texts, parts, strict=True))}
            for column in row.keys() - columns:
                raise BadInput(
                    f"that exported logbook is damaged ({title} have no column "
                    f"{column[:30]!r}): nothing was imported"
                )
            yield row

    def drop(self) -> None:
        """Let the rows go."""
        self._connection.execute("DROP TABLE brought")
