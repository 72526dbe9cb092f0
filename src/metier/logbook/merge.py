"""An exported logbook brought into another: what both hold stays once, nothing is lost.

A fact that both copies recorded is one fact. Where they went on apart, both sides stay: a planned
trial measured on either becomes two, of two amendments of a reading the later one counts, of
withdrawing and bringing back the last. Printers, nozzles, spools and instruments are one only if
they were added at the same moment; of others of the same name the one added first keeps it, and the
rest get a number.

What trials say follows from all facts together. Where one copy knows all that the other does, its
findings are those of both. Where each has facts of its own, all trials are judged anew by both, in
the same order and by the same facts: so copies that met say the same.
"""

import json
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from itertools import groupby
from typing import Any, NamedTuple

from metier.core.errors import BadInput
from metier.logbook.book import Logbook
from metier.logbook.brought import Brought, Row
from metier.logbook.check import merged_order, put_at, put_in_order, unknown_words
from metier.logbook.document import REFERRING_FIELDS, TABLES
from metier.logbook.document_read import Document
from metier.logbook.edits import Edit, put, standing_value
from metier.logbook.items import MACHINES, Table, free_name, name_by_age
from metier.logbook.location import LogbookFailure
from metier.logbook.merged_readings import INSERT_READING, READING, merge_versions
from metier.logbook.merged_trials import KnownTrials, drop_done_plans
from metier.logbook.plain import alike

# What a document comes to that is no logbook's: a row is missing, a number is text, and so on.
_HALF_THERE = (
    KeyError, TypeError, AttributeError, ValueError, ArithmeticError, RecursionError,
    sqlite3.IntegrityError, LogbookFailure,
)  # fmt: skip
_DAMAGED = "that exported logbook is damaged: nothing was imported"
# What is known of a machine, and not when it became known: ours stays where both know it.
_FILLED = {
    "printer": ("line_model", "full_steps", "microsteps"),
    "nozzle": ("material", "hot_end", "worn"),
    "spool": ("maker", "colour", "batch", "temperature_c"),
    "instrument": ("accuracy_mm", "resolution_mm"),
}
_KEYS = {
    "change": "moment",
    "entry": "moment, kind",
    "bench": "id",
    "fate": "trial, moment",
    "edit": "moment, subject, item, field",
    "preference": "moment, test, name",
}


class Imported(NamedTuple):
    """What an import brought: new facts, new trials, trials under another number than they had,
    machines under another name than they had there, machines of here under another name, and of
    each printer what came along that steers it (a start, an end, a port)."""

    facts: int
    trials: int
    renumbered: dict[int, int]
    renamed: dict[str, str]
    renamed_here: dict[str, str]
    steering: dict[str, list[str]]


def import_into(
    book: Logbook, document: Document, judge: Callable[[Logbook, set[int], bool], Sequence[str]]
) -> Imported:
    """Bring in what a logbook lacks.

    ``judge`` is given the trials that came and whether all are to be judged anew, and names those
    that cannot be read or judged.

    Raises:
        BadInput: a document that does not hold together; nothing is changed then.
    """
    try:
        with book.transaction(marked=False):
            merge = _Merge(book, document)
            imported = merge.run()
            for problem in (*unknown_words(book), *judge(book, merge.brought, merge.apart)):
                raise BadInput(
                    f"that exported logbook cannot be read ({problem}): nothing imported"
                )
            return imported
    except _HALF_THERE as error:
        if isinstance(error, BadInput):
            raise
        raise BadInput(_DAMAGED) from error


class _Merge:
    """One import on its way: what of the document is what here.

    ``brought`` are the trials that came or were another one there; ``apart`` tells that each side
    has facts that the other lacks, or that what the document says cannot be taken for granted.
    """

    def __init__(self, book: Logbook, document: Document) -> None:
        self._book = book
        self._connection = book.connection
        self._document = document
        self._moments: dict[str, int] = {}
        self._machines: dict[str, dict[str, int]] = {name: {} for name in MACHINES}
        self._instruments: dict[str, str] = {}
        self._trials: dict[int, int] = {}
        self._fresh: set[int] = set()
        self._surer = False
        self.brought: set[int] = set()
        self.apart = False

    def run(self) -> Imported:
        self._connection.execute("PRAGMA defer_foreign_keys = ON")
        self._brought = Brought(self._connection, self._document)
        named = self._names()
        steered = self._steered()
        new = self._bring_moments()
        for machine in MACHINES:
            for row in self._brought.rows(machine):
                self._bring_machine(machine, row)
        for name in ("change", "preference"):
            for row in self._brought.rows(name):
                self._bring_fact(name, self._referring(name, row))
        moments = (
            (self._moments.get(row["planned"]), self._moments.get(row["measured"]))
            for row in self._brought.rows("trial")
        )
        known = KnownTrials(self._connection, moments)
        for row in self._brought.rows("trial"):
            self._bring_trial(row, known)
        self._bring_readings()
        self._bring_outcomes()
        for row in self._brought.rows("fate"):
            self._bring_fate(row)
        for row in self._brought.rows("entry"):
            self._bring_fact("entry", self._referring("entry", row))
        self._bring_bench()
        self._bring_edits()
        drop_done_plans(self._connection)
        self.brought &= {number for (number,) in self._connection.execute("SELECT id FROM trial")}
        for machine in MACHINES:
            name_by_age(self._book, machine)
        self._brought.drop()
        renumbered = {old: now for old, now in self._trials.items() if old != now}
        brought = {key: name for key, name in self._called_there().items() if key not in named}
        return Imported(
            new,
            len(self._fresh),
            renumbered,
            self._renamed(brought),
            self._renamed(named),
            self._steering(steered),
        )

    def _names(self) -> dict[tuple[Table, int], str]:
        """Return what every machine here is called."""
        return {
            (table, item): name
            for table in MACHINES
            for item, name in self._connection.execute(f"SELECT id, name FROM {table}")
        }

    def _called_there(self) -> dict[tuple[Table, int], str]:
        """Return what every machine is called in the document."""
        return {
            (table, item): name
            for table in MACHINES
            for name, item in self._machines[table].items()
        }

    def _renamed(self, called: dict[tuple[Table, int], str]) -> dict[str, str]:
        """Return what is called otherwise now."""
        now = self._names()
        return {name: now[key] for key, name in called.items() if now[key] != name}

    def _steered(self) -> dict[int, dict[str, str | None]]:
        """Return what steers each printer."""
        return {
            item: {"start": start, "end": end, "port": port}
            for item, start, end, port in self._connection.execute(
                "SELECT id, start_gcode, end_gcode, port FROM printer"
            )
        }

    def _steering(self, before: dict[int, dict[str, str | None]]) -> dict[str, list[str]]:
        """Return what steers a printer now and did not before, by its name."""
        names = self._names()
        came = {
            names["printer", item]: [
                what
                for what, text in now.items()
                if text and before.get(item, {}).get(what) != text
            ]
            for item, now in self._steered().items()
        }
        return {name: words for name, words in came.items() if words}

    def _bring_moments(self) -> int:
        known = [row[0] for row in self._connection.execute("SELECT uid FROM moment ORDER BY id")]
        theirs = [(moment["uid"], moment["at"]) for moment in self._brought.rows("moment")]
        new = {uid for uid, _ in theirs} - set(known)
        lacking = set(known) - {uid for uid, _ in theirs}
        self.apart = bool(new) and bool(lacking or not self._brought.trusted)
        self._surer = bool(new) and not self.apart
        self._connection.executemany(
            "INSERT INTO moment (uid, at) VALUES (?, ?)",
            [their for their in theirs if their[0] in new],
        )
        at = dict(self._connection.execute("SELECT uid, at FROM moment").fetchall())
        put_in_order(self._connection, merged_order(at, known, [uid for uid, _ in theirs]))
        self._moments = dict(self._connection.execute("SELECT uid, id FROM moment").fetchall())
        return len(new)

    def _referring(self, name: str, row: Row) -> Row:
        """Return a row that refers to what is here, its JSON as it is kept."""
        table = next(table for table in TABLES if table.name == name)
        for column, target in table.references.items():
            if row[column] is not None:
                of = self._moments if target == "moment" else self._machines[target]
                row[column] = of[row[column]]
        for column in table.json_columns if name != "trial" else ():
            row[column] = None if row[column] is None else json.dumps(row[column])
        return row

    def _bring_machine(self, name: Table, row: Row) -> None:
        called = row["name"]
        row = self._referring(name, row)
        there = self._connection.execute(
            f"SELECT id, name FROM {name} WHERE added = ?", (row["added"],)
        ).fetchone()
        if there is None:
            row["name"] = free_name(self._connection, name, called)
            there = self._insert(name, row), row["name"]
        else:
            for column in _FILLED[name]:
                self._connection.execute(
                    f"UPDATE {name} SET {column} = ? WHERE id = ? AND {column} IS NULL",
                    (row[column], there[0]),
                )
            if name == "instrument":
                self._connection.execute(
                    "UPDATE instrument SET zero_mm = ?, zeroed = ?"
                    " WHERE id = ? AND coalesce(zeroed, 0) < ?",
                    (row["zero_mm"], row["zeroed"], there[0], row["zeroed"] or 0),
                )
        self._machines[name][called] = there[0]
        if name == "instrument":
            self._instruments[called] = there[1]

    def _bring_trial(self, row: Row, known: KnownTrials) -> None:
        number = row["id"]
        if row["instrument"] is not None:
            row["instrument"] = self._instruments.get(row["instrument"], row["instrument"])
        row = self._referring("trial", row)
        # What it is follows from its fates, once all of them are here.
        measured = row["measured"]
        row["withdrawn"], row["state"] = None, "planned" if measured is None else "measured"
        there = known.same(row["planned"], measured)
        if there is not None:
            self._trials[number] = there
            if self._surer and measured is not None:
                self._take_finding(there, row)
            return
        there = known.became(row["planned"]) if measured is not None else None
        if there is not None:
            row["id"] = there
            settings = ", ".join(f"{column} = ?" for column in _columns(row))
            self._connection.execute(
                f"UPDATE trial SET {settings} WHERE id = ?", (*row.values(), there)
            )
        else:
            there = self._number(number)
            self._insert("trial", {**row, "id": there})
            self._fresh.add(there)
        known.add(row["planned"], measured, there)
        self._trials[number] = there
        self.brought.add(there)

    def _take_finding(self, number: int, row: Row) -> None:
        """Let a trial say what it says where more is known."""
        says = (row["findings"], row["verdict"])
        (findings, verdict) = self._connection.execute(
            "SELECT findings, verdict FROM trial WHERE id = ?", (number,)
        ).fetchone()
        if verdict != says[1] or not alike(json.loads(findings), json.loads(says[0])):
            self._connection.execute(
                "UPDATE trial SET findings = ?, verdict = ? WHERE id = ?", (*says, number)
            )
            self._connection.execute("DELETE FROM outcome WHERE trial = ?", (number,))
            self.brought.add(number)

    def _number(self, number: int) -> int:
        """Keep a trial's number if it is free here, else take the next."""
        taken = self._connection.execute("SELECT 1 FROM trial WHERE id = ?", (number,)).fetchone()
        if not taken:
            return number
        (last,) = self._connection.execute("SELECT max(id) FROM trial").fetchone()
        return int(last) + 1

    def _bring_readings(self) -> None:
        """Bring the readings; of one amended in both copies all versions stay, in their order."""
        rows = self._brought.rows("reading", ("trial", "position", "version"))
        self._connection.executemany(INSERT_READING, self._new_readings(rows))

    def _new_readings(self, rows: Iterator[Row]) -> Iterator[tuple[Any, ...]]:
        """Yield the readings of new trials; merge those of others on the way."""
        for (of, position), group in groupby(rows, lambda row: (row["trial"], row["position"])):
            number, versions = self._trials[of], list(group)
            for row in versions:
                row["amended"] = None if row["amended"] is None else self._moments[row["amended"]]
                row["trial"] = number
            if number not in self._fresh:
                merge_versions(self._connection, number, position, versions)
                continue
            for row in versions:
                yield tuple(row[column] for column in READING)

    def _bring_outcomes(self) -> None:
        """Bring what trials say of values, of those that came or say another thing there."""
        for row in self._brought.rows("outcome"):
            row["trial"] = self._trials[row["trial"]]
            if row["trial"] in self.brought:
                self._insert_if_new("outcome", row)

    def _bring_bench(self) -> None:
        """Bring the bench where there never was one: each machine has its own."""
        if self._connection.execute("SELECT 1 FROM edit WHERE subject = 'bench'").fetchone():
            return
        for row in self._brought.rows("bench"):
            self._insert_if_new("bench", {"id": 1, **self._referring("bench", row)})

    def _bring_fate(self, row: Row) -> None:
        row["trial"] = self._trials[row["trial"]]
        self._insert_if_new("fate", self._referring("fate", row))
        self._connection.execute(
            "UPDATE trial SET (state, withdrawn) = (SELECT CASE WHEN fate.withdrawn THEN"
            " 'withdrawn' WHEN trial.measured IS NULL THEN 'planned' ELSE 'measured' END,"
            " CASE WHEN fate.withdrawn THEN fate.moment END"
            " FROM fate WHERE fate.trial = trial.id ORDER BY fate.moment DESC LIMIT 1)"
            " WHERE id = ?",
            (row["trial"],),
        )

    def _bring_fact(self, name: str, row: Row) -> None:
        """Bring a fact; one that was taken back in either copy stays so."""
        if not self._insert_if_new(name, row) and row["withdrawn"] is not None:
            keys = [key for key in ("moment", "kind", "test", "name") if key in row]
            same = " AND ".join(f"{key} = ?" for key in keys)
            self._connection.execute(
                f"UPDATE {name} SET withdrawn = min(coalesce(withdrawn, ?1), ?1) WHERE {same}",
                (row["withdrawn"], *(row[key] for key in keys)),
            )

    def _bring_edits(self) -> None:
        """Bring what was mended; of a column that both mended the last edit counts."""
        for row in self._brought.rows("edit"):
            subject, field = row["subject"], row["field"]
            row["item"] = self._item(subject, row["item"])
            row["moment"] = self._moments[row["moment"]]
            row["undone"] = None if row["undone"] is None else self._moments[row["undone"]]
            target = REFERRING_FIELDS.get((subject, field))
            for side in ("was", "now"):
                if target and row[side] is not None:
                    of = self._moments if target == "moment" else self._machines[target]
                    row[side] = of[row[side]]
                row[side] = json.dumps(row[side])
            new = self._insert_if_new("edit", row)
            if not new and row["undone"] is not None:
                keys = ("moment", "subject", "item", "field")
                cursor = self._connection.execute(
                    "UPDATE edit SET undone = ? WHERE undone IS NULL AND "
                    + " AND ".join(f"{key} = ?" for key in keys),
                    (row["undone"], *(row[key] for key in keys)),
                )
                new = cursor.rowcount > 0
            if new:
                self._apply(Edit(row["moment"], "", subject, row["item"], field, "", ""))

    def _item(self, subject: str, item: Any) -> int:
        if subject in MACHINES:
            return self._machines[subject][item]
        return self._moments[item] if subject == "moment" else self._trials[item]

    def _apply(self, edit: Edit) -> None:
        """Put what an edit comes to, with all others of its column, where it belongs."""
        if edit.subject == "reading":
            return
        value = standing_value(self._book, edit)
        if edit.subject == "moment":
            put_at(self._connection, edit.item, str(value))
            self._moments = dict(self._connection.execute("SELECT uid, id FROM moment").fetchall())
            return
        if edit.field == "name" and edit.subject in MACHINES:
            value = free_name(self._connection, edit.subject, str(value), but=edit.item)
        put(self._book, edit.subject, edit.item, edit.field, value)

    def _insert(self, name: str, row: Row) -> int:
        marks = ", ".join("?" for _ in row)
        cursor = self._connection.execute(
            f"INSERT INTO {name} ({', '.join(_columns(row))}) VALUES ({marks})", list(row.values())
        )
        return int(cursor.lastrowid or 0)

    def _insert_if_new(self, name: str, row: Row) -> bool:
        """Insert a row whose key is not there; tells whether it was not."""
        marks = ", ".join("?" for _ in row)
        conflict = _KEYS.get(name, "trial, kind")
        cursor = self._connection.execute(
            f"INSERT INTO {name} ({', '.join(_columns(row))}) VALUES ({marks})"
            f" ON CONFLICT ({conflict}) DO NOTHING",
            list(row.values()),
        )
        return cursor.rowcount > 0


def _columns(row: Row) -> list[str]:
    for column in row:
        if not column.isidentifier():
            raise ValueError(f"no column {column!r}")
    return list(row)
