"""What was done besides trials, in words: entries, changes, what was mended or added."""

from typing import NamedTuple

from metier.clock import local_day
from metier.core.values import VALUES
from metier.logbook.book import Logbook, Plain, decoded, plain, scalar
from metier.logbook.edits import TOLD_LATE, Edit
from metier.logbook.items import MACHINES
from metier.show.figures import Writing, flat, labelled, with_unit

_FOREVER = 2**62


class Fact(NamedTuple):
    """Something that was done and stands; ``what`` is one word for it."""

    moment: int
    at: str
    what: str
    words: str
    printer: str | None = None
    spool: str | None = None


def facts(book: Logbook, since: int = 0, until: int = _FOREVER) -> list[Fact]:
    """Return what was done between two moments, both included, oldest first; trials apart."""
    span = (since, until)
    all_facts = [*_entries(book, span), *_changes(book, span), *_added(book, span)]
    all_facts += [*_kept(book, span), *_edits(book, span)]
    return sorted(all_facts, key=lambda fact: fact.moment)


def trials_at(book: Logbook, moment: int) -> list[str]:
    """Return the trials that were measured or planned at a moment, in words."""
    rows = book.connection.execute(
        "SELECT trial.id, test, state, spool.name, printer.name FROM trial"
        " JOIN spool ON spool.id = trial.spool JOIN printer ON printer.id = trial.printer"
        " WHERE (state = 'measured' AND measured = ?) OR (state = 'planned' AND planned = ?)",
        (moment, moment),
    )
    return [
        f"trial {number}, {test} of {spool} on {printer}"
        + (", planned" if state == "planned" else "")
        for number, test, state, spool, printer in rows
    ]


def _entries(book: Logbook, span: tuple[int, int]) -> list[Fact]:
    rows = book.connection.execute(
        "SELECT entry.moment, moment.at, kind, value, read_off, printer.name, printer.decimals,"
        " spool.name, entry.temperature_c"
        " FROM entry JOIN moment ON moment.id = entry.moment"
        " JOIN printer ON printer.id = entry.printer LEFT JOIN spool ON spool.id = entry.spool"
        " WHERE entry.moment BETWEEN ? AND ? AND withdrawn IS NULL ORDER BY entry.moment, kind",
        span,
    )
    facts = []
    for moment, at, kind, value, read_off, printer, decimals, spool, heat in rows:
        said = with_unit(kind, value, Writing(decimals))
        where = f"{spool} on {printer}" if spool else printer
        where += "" if heat is None else f" at {heat:g} °C"
        verb = "found on" if read_off else "entered for"
        words = f"{VALUES[kind].called} {said} {verb} {where}"
        facts.append(Fact(moment, at, "found" if read_off else "entered", words, printer, spool))
    return facts


def _changes(book: Logbook, span: tuple[int, int]) -> list[Fact]:
    rows = book.connection.execute(
        "SELECT change.moment, moment.at, what, printer.name, nozzle.name, change.note"
        " FROM change JOIN moment ON moment.id = change.moment"
        " JOIN printer ON printer.id = change.printer LEFT JOIN nozzle ON nozzle.id = change.nozzle"
        " WHERE change.moment BETWEEN ? AND ? AND withdrawn IS NULL",
        span,
    )
    return [
        Fact(
            moment,
            at,
            "changed",
            f"{what} of {printer} changed"
            + (f": {nozzle} fitted" if nozzle and what == "nozzle" else "")
            + (f" ({note})" if note else ""),
            printer,
        )
        for moment, at, what, printer, nozzle, note in rows
    ]


def _added(book: Logbook, span: tuple[int, int]) -> list[Fact]:
    added = []
    for table in MACHINES:
        rows = book.connection.execute(
            f"SELECT added, moment.at, name FROM {table} JOIN moment ON moment.id = added"
            " WHERE added BETWEEN ? AND ? AND retired = 0",
            span,
        )
        for moment, at, name in rows:
            of = {"printer": name} if table == "printer" else {}
            of = {"spool": name} if table == "spool" else of
            added.append(Fact(moment, at, "added", f"{table} {name} added", **of))
    return added


def _kept(book: Logbook, span: tuple[int, int]) -> list[Fact]:
    rows = book.connection.execute(
        "SELECT preference.moment, moment.at, test, preference.name, value, spool.name"
        " FROM preference JOIN moment ON moment.id = preference.moment"
        " LEFT JOIN spool ON spool.id = preference.spool"
        " WHERE preference.moment BETWEEN ? AND ? AND withdrawn IS NULL",
        span,
    )
    kept = []
    for moment, at, test, name, value, spool in rows:
        shown = f"{name.replace('_', ' ')} {_shown(book, value)}"
        words = f"{test}: {shown}, for {spool or 'all filament'}"
        kept.append(Fact(moment, at, "kept", words, spool=spool))
    return kept


def _edits(book: Logbook, span: tuple[int, int]) -> list[Fact]:
    rows = book.connection.execute(
        "SELECT edit.moment, moment.at, subject, item, field, was, now FROM edit"
        " JOIN moment ON moment.id = edit.moment WHERE edit.moment BETWEEN ? AND ?"
        f" AND undone IS NULL AND NOT ({TOLD_LATE}) ORDER BY edit.moment",
        span,
    )
    edits = []
    for edit in (Edit(*row) for row in rows):
        words = edit_words(book, edit)
        if words and not _new_then(book, edit):
            what = "bench" if edit.subject == "bench" else "mended"
            edits.append(Fact(edit.moment, edit.at, what, f"{_named(book, edit)}{words}"))
    return edits


def _new_then(book: Logbook, edit: Edit) -> bool:
    """Tell whether a machine was added in the same moment as it was told of."""
    if edit.subject not in MACHINES:
        return False
    (added,) = book.row(f"SELECT added FROM {edit.subject} WHERE id = ?", edit.item)
    return bool(added == edit.moment) and edit.field != "zero_mm"


def edit_words(book: Logbook, edit: Edit) -> str:
    """Return «line model: rounded (was unknown)»; empty for what is mended along with another."""
    was, now = scalar(book, edit.was), scalar(book, edit.now)
    if edit.field in ("zeroed", "worn", "line_model_shown") or (edit.subject, edit.field) == (
        "spool",
        "temperature_c",
    ):
        return ""
    if edit.field == "dried":
        return ""
    if edit.field == "dried_how":
        return f"dried {now}"
    if edit.subject == "moment":
        return f"measured: {local_day(str(now))} (was {local_day(str(was))})"
    if edit.field == "retired":
        return "out of use" if now else "in use again"
    if edit.field in ("start_gcode", "end_gcode"):
        lines = len(str(now or "").splitlines())
        return f"{edit.field.removesuffix('_gcode')} G-code: {lines} lines"
    if edit.field == "settings":
        return _settings_words(decoded(book, str(was), dict), decoded(book, str(now), dict))
    if edit.field in MACHINES and edit.subject in ("trial", "bench"):
        was, now = (_name(book, edit.field, item) for item in (was, now))
    if edit.subject == "reading":
        before, after = was or "none", now or "dropped"
        return f"reading {edit.field}: {after} (was {before})"
    label, text = labelled(edit.field, now)
    before = "none" if was is None else labelled(edit.field, was)[1]
    return f"{label}: {'none' if now is None else text} (was {before})"


def _settings_words(was: dict[str, object], now: dict[str, object]) -> str:
    # What is new as a whole is told by what comes first in it.
    fresh = {
        name: dict([next(iter(part.items()))])
        for name, part in now.items()
        if isinstance(part, dict) and part and was.get(name) is None
    }
    before, after = flat(was), flat({**now, **fresh})
    changed = [
        (name, before.get(name), value)
        for name, value in after.items()
        if before.get(name) != value and name not in ("remarks", "instrument_mm", "version")
    ]
    shown = []
    for name, old, new in changed:
        label, text = labelled(name, new)
        shown.append(f"{label}: {text} (was {'none' if old is None else labelled(name, old)[1]})")
    return "; ".join(shown)


def _named(book: Logbook, edit: Edit) -> str:
    if edit.subject == "bench":
        return "bench, "
    if edit.subject in ("trial", "reading"):
        return f"trial {edit.item}, "
    if edit.subject == "moment":
        row = book.connection.execute(
            "SELECT id FROM trial WHERE measured = ? OR planned = ?", (edit.item, edit.item)
        ).fetchone()
        return f"trial {row[0]}, " if row else ""
    return f"{edit.subject} {_name(book, edit.subject, edit.item)}, "


def _name(book: Logbook, table: str, item: Plain) -> str:
    if item is None:
        return "none"
    return str(book.row(f"SELECT name FROM {table} WHERE id = ?", item)[0])


def _shown(book: Logbook, value: str) -> str:
    read = plain(book, value)
    return f"{read:g}" if isinstance(read, int | float) else str(read)
