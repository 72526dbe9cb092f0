"""An exported logbook read row by row, in memory that does not grow with it, and checked."""

import json
import math
import re
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from hashlib import sha256
from typing import IO, Any, NamedTuple

from metier import clock
from metier.core.errors import BadInput
from metier.core.values import METHOD_EDITION
from metier.logbook.document import DIGEST_LINE, FORMAT, TABLES, VERSION
from metier.port_name import checked_port

_AT = re.compile(r"\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}Z\Z")
_UID = re.compile(r"[0-9a-f]{16}\Z")
# Nothing was measured before, nor is it later by any clock of a day's wrong zone.
_FIRST, _AHEAD = "2000-01-01T00:00:00Z", timedelta(days=2)
_DAMAGED = "that exported logbook is damaged{}: nothing was imported"
_CHUNK = 1_000_000
# No row of a logbook is so long.
_LONGEST_ROW = 20_000_000
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
    *(("spool", field) for field in ("dried", "dried_how")),
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


TITLES = ("moments", *(table.title for table in TABLES))
_JSON_COLUMNS = {table.title: frozenset(table.json_columns) for table in TABLES}


class Row(NamedTuple):
    """A row of the document: what it is a row of, and its own text, a JSON object."""

    title: str
    text: str


class Document:
    """An exported logbook, open to be read once.

    ``trusted``, known at the end, tells that what trials say there needs no second judgement: it
    is as Metier wrote it, by this edition of the calculations.
    """

    def __init__(self, file: IO[bytes]) -> None:
        self._file = file
        self.trusted = False

    def rows(self) -> Iterator[Row]:
        """Yield the rows in the order of the file, what SQLite cannot check checked.

        Raises:
            BadInput: no exported logbook, a newer one, or one that does not hold together.
        """
        whole = _as_written(self._file)
        reader = _Reader(self._file)
        latest = clock.stored(clock.now() + _AHEAD)
        said: dict[str, object] = {}
        seen: set[str] = set()
        try:
            for title, value, text in reader.members():
                if title not in TITLES or text is None:
                    said[title] = value
                    continue
                seen.add(title)
                if value is _NO_ROW:
                    continue
                _check(title, value, latest)
                yield Row(title, text)
        except RecursionError:
            raise BadInput("that is nested too deep for a logbook") from None
        except (KeyError, TypeError, AttributeError) as error:
            raise BadInput(_DAMAGED.format("")) from error
        _check_head(said)
        if seen != set(TITLES):
            raise BadInput(_DAMAGED.format(""))
        self.trusted = whole and said.get("method") == METHOD_EDITION


def _as_written(file: IO[bytes]) -> bool:
    """Tell whether the digest in the last line is that of all before it."""
    tail_bytes = len(DIGEST_LINE.format("0" * 64))
    size = file.seek(0, 2)
    file.seek(max(0, size - tail_bytes))
    tail = file.read()
    file.seek(0)
    digest, left = sha256(), size - tail_bytes
    while left > 0:
        chunk = file.read(min(left, _CHUNK))
        if not chunk:
            break
        digest.update(chunk)
        left -= len(chunk)
    file.seek(0)
    return tail == DIGEST_LINE.format(digest.hexdigest()).encode()


_NO_ROW = object()


class _Reader:
    """JSON text decoded value by value, as much of it at a time as a value takes."""

    def __init__(self, file: IO[bytes]) -> None:
        self._bytes, self._rest = file, b""
        self._text, self._at = "", 0
        self._decoder = json.JSONDecoder(parse_constant=_no_number, parse_float=_number)

    def members(self) -> Iterator[tuple[str, Any, str | None]]:
        """Yield each member of the object as its name and value, each element of a list alone
        with its own text; an empty list as `_NO_ROW`.

        Raises:
            BadInput: it is no JSON object.
        """
        self._expect("{")
        while True:
            name, _ = self._value()
            self._expect(":")
            if self._next() == "[":
                self._at += 1
                if self._next() == "]":
                    yield name, _NO_ROW, ""
                while self._next() != "]":
                    yield (name, *self._value())
                    if self._next() != "]":
                        self._expect(",")
                self._at += 1
            else:
                yield name, self._value()[0], None
            if self._next() == "}":
                break
            self._expect(",")
        self._at += 1
        if self._next():
            raise _not_json()

    def _expect(self, sign: str) -> None:
        if self._next() != sign:
            raise _not_json()
        self._at += 1

    def _next(self) -> str:
        """Return the next sign that is no blank; nothing at the end."""
        while True:
            while self._at < len(self._text) and self._text[self._at] in " \t\r\n":
                self._at += 1
            if self._at < len(self._text):
                return self._text[self._at]
            if not self._more():
                return ""

    def _value(self) -> tuple[Any, str]:
        """Return the next value and its text."""
        self._next()
        while True:
            try:
                value, end = self._decoder.raw_decode(self._text, self._at)
            except json.JSONDecodeError:
                if self._more():
                    continue
                raise _not_json() from None
            # A number that reaches to the end of what is there may go on behind it.
            if end == len(self._text) and self._more():
                continue
            text = self._text[self._at : end]
            self._at = end
            return value, text

    def _more(self) -> bool:
        """Read on; tells whether there was more."""
        pending = self._text[self._at :]
        if len(pending) > _LONGEST_ROW:
            raise _not_json()
        chunk = self._bytes.read(max(_CHUNK, len(pending)))
        if not chunk:
            return False
        chunk = self._rest + chunk
        # A letter may be cut: up to three bytes of it wait for the rest.
        try:
            text, self._rest = chunk.decode(), b""
        except UnicodeDecodeError as error:
            if error.reason != "unexpected end of data" or error.end < len(chunk):
                raise BadInput(
                    "that is no text: export a logbook with metier logbook export"
                ) from None
            text, self._rest = chunk[: error.start].decode(), chunk[error.start :]
        self._text, self._at = pending + text, 0
        return True


def _not_json() -> BadInput:
    return BadInput("that is not JSON: export a logbook with metier logbook export")


def _no_number(text: str) -> float:
    raise BadInput(f"{text} is no number: nothing was imported")


def _number(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise BadInput(f"{text[:30]} is past any number: nothing was imported")
    return value


def _check_head(said: dict[str, object]) -> None:
    if said.get("format") != FORMAT:
        raise BadInput("that is no exported Metier logbook")
    version = said.get("version")
    if type(version) is not int or not 1 <= version <= VERSION:
        raise BadInput(
            f"that logbook is of version {version!r:.20}, this Metier knows {VERSION}: update "
            "Metier"
        )
    odd = sorted(said.keys() - {"format", "version", "method", "digest"})
    if odd:
        raise BadInput(_DAMAGED.format(f" (there is no part {odd[0][:30]!r})"))


# What no column holds but one of JSON.
_NO_CELL = frozenset((dict, list, bool))


def _check(title: str, row: dict[str, Any], latest: str) -> None:
    """Refuse a row that SQLite would take.

    Raises:
        BadInput: it cannot be.
    """
    if not _NO_CELL.isdisjoint(map(type, row.values())):
        odd = [column for column, value in row.items() if type(value) in _NO_CELL]
        for column in set(odd) - _JSON_COLUMNS.get(title, frozenset()):
            raise _refused(f"{column[:30]} of a row of {title}")
    check = _CHECKS.get(title)
    if check:
        check(row)
    if title == "moments" and not _FIRST <= row["at"] <= latest:
        raise _refused(f"a moment of {row['at'][:10]}")


def _check_moment(moment: dict[str, Any]) -> None:
    if not _AT.match(moment["at"]) or not _UID.match(moment["uid"]):
        raise _refused(f"a moment {str(moment)[:60]}")
    try:
        datetime.fromisoformat(moment["at"])
    except ValueError:
        raise _refused(f"a moment {str(moment)[:60]}") from None


def _check_printer(row: dict[str, Any]) -> None:
    _check_port(row["port"])


def _check_trial(row: dict[str, Any]) -> None:
    if not _is_id(row["id"]):
        raise _refused(f"a trial {str(row['id'])[:30]}")
    number = row["id"]
    measured = row["measured"] is not None
    if measured and not (isinstance(row["findings"], dict) and row["verdict"]):
        raise _refused(f"trial {number} was measured and says nothing")
    if row["planned"] is None or (row["state"] == "measured" and not measured):
        raise _refused(f"trial {number} is half there")
    if not isinstance(row["settings"], dict):
        raise _refused(f"trial {number} has no settings")
    for part in ("settings", "findings"):
        if row[part] is not None and _depth(row[part]) > _DEEPEST:
            raise _refused(f"the {part} of trial {number} are nested too deep")


def _check_edit(row: dict[str, Any]) -> None:
    if (row["subject"], row["field"]) not in _EDITED and row["subject"] != "reading":
        raise _refused(f"an edit of {str(row['field'])[:30]}")
    if row["field"] == "port":
        _check_port(row["was"])
        _check_port(row["now"])


def _check_reading(row: dict[str, Any]) -> None:
    if not (_is_id(row["position"] + 1) and _is_id(row["version"] + 1)):
        raise _refused(f"a reading {str(row)[:60]}")


_CHECKS: dict[str, Callable[[dict[str, Any]], None]] = {
    "moments": _check_moment,
    "printers": _check_printer,
    "trials": _check_trial,
    "edits": _check_edit,
    "readings": _check_reading,
}


def _refused(what: str) -> BadInput:
    return BadInput(_DAMAGED.format(f" ({what})"))


def _check_port(port: str | None) -> None:
    try:
        if port is not None:
            checked_port(port)
    except BadInput as refusal:
        raise BadInput(f"{refusal}: nothing was imported") from None


def _is_id(value: object) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 0 < value <= _LARGEST_ID


def _depth(value: dict[str, Any] | list[Any]) -> int:
    parts = value.values() if isinstance(value, dict) else value
    return 1 + max((_depth(part) for part in parts if isinstance(part, dict | list)), default=0)
