"""What is in force on a bench and why, from all that the logbook holds."""

from typing import Any

from metier.core.dependence import DRIFT, TRAITS, ValueKind, temperature_matters
from metier.core.standing import UNSET, Changed, Event, Said, Standing, Tried, settled, stand
from metier.core.threshold import exceeds, same
from metier.logbook.bench import Setup
from metier.logbook.book import Logbook
from metier.logbook.machines import HardwareChange, Printer, changes
from metier.logbook.spools import akin

# Which test speaks about a value.
TEST_OF: dict[ValueKind, str] = {
    "esteps": "esteps",
    "flow": "flow",
    "limit": "volumetric",
    "hole": "xy",
    "contour": "xy",
    "scale": "xy",
}
_FIRST_WINDOW = 8


def standing(book: Logbook, setup: Setup, kind: ValueKind) -> Standing:
    """Return how a value stands on this bench: its own, else one carried from a kindred spool."""
    own = own_standing(book, setup, kind)
    if own.status != "unset":
        return own
    if kind == "limit":
        nearby = _at_another_heat(book, setup)
        if nearby.value is not None:
            return nearby
    if TRAITS[kind].per_nozzle_and_spool:
        for spool, likeness in akin(book, setup.spool, setup.printer.id, setup.nozzle.id):
            theirs = setup._replace(spool=spool)
            other = own_standing(book, theirs, kind)
            if kind == "limit" and other.value is None:
                other = _at_another_heat(book, theirs)
            if other.value is not None:
                heat = f", {other.why}" if kind == "limit" and other.status == "carried" else ""
                why = f"from spool {spool.name}, {likeness}{heat}"
                if kind == "limit" and other.status == "doubtful":
                    return other._replace(in_force=None, trials=0, why=f"{why}; {other.why}")
                return other._replace(in_force=None, status="carried", trials=0, why=why)
    return own


def _at_another_heat(book: Logbook, setup: Setup) -> Standing:
    """Return the limit found nearest to the bench's temperature, a cooler one first.

    What melts when cooler also melts when hotter, so that one is safe; the other is doubtful.
    """
    now_c, where = setup.temperature_c, _where("t", _scope(setup, "hole"))
    if now_c is None:
        return UNSET
    rows = book.connection.execute(
        f"SELECT temperature_c FROM trial AS t WHERE {where} AND test = 'volumetric'"
        " AND state = 'measured' AND temperature_c IS NOT NULL"
        f" UNION SELECT temperature_c FROM entry AS t WHERE {where} AND kind = 'limit'"
        " AND temperature_c IS NOT NULL",
        _scope(setup, "hole") * 2,
    )
    for then_c in sorted((row[0] for row in rows), key=lambda c: (c > now_c, abs(c - now_c))):
        found = own_standing(book, setup._replace(temperature_c=then_c), "limit")
        if found.value is None:
            continue
        if then_c > now_c:
            why = f"found at {then_c:g} °C, and less melts at {now_c:g} °C"
            return found._replace(status="doubtful", why=why)
        if found.status == "doubtful":
            return found
        why = f"found at {then_c:g} °C: safe at {now_c:g} °C, where more melts"
        return found._replace(status="carried", trials=0, why=why)
    return UNSET


def steps_in_force(book: Logbook, printer: Printer) -> float | None:
    """Return the e-steps a printer carries, whatever is on the bench."""
    return _latest(book, "esteps", [printer.id])[1]


def own_standing(book: Logbook, setup: Setup, kind: ValueKind) -> Standing:
    found = stand(_events(book, setup, kind))
    if found.value is None or found.status in ("carried", "doubtful"):
        return found
    for other in TRAITS[kind].depends_on:
        found = _after_drift(book, setup, kind, found, other)
    return _at_temperature(book, setup, kind, found)


def _after_drift(
    book: Logbook, setup: Setup, kind: ValueKind, found: Standing, other: ValueKind
) -> Standing:
    """A value built on another one that has moved since: flow rescales, the rest is doubtful."""
    scope = _scope(setup, other)
    order, now = _latest(book, other, scope)
    if found.value is None or order <= found.evidence:
        return found
    _, then = _latest(book, other, scope, found.evidence)
    if not then or not now or not exceeds(abs(now / then - 1), DRIFT):
        return found
    moved = f"{other} changed by {100 * (now / then - 1):+.1f} % since"
    if kind == "flow" and other == "esteps":
        # The same plastic as before: more steps a mm, less flow.
        return found._replace(
            value=found.value * then / now,
            u95=found.u95 and found.u95 * then / now,
            status="carried",
            why=f"rescaled from {100 * found.value:g} %: {moved}",
        )
    return found._replace(status="doubtful", why=moved)


def _at_temperature(book: Logbook, setup: Setup, kind: ValueKind, found: Standing) -> Standing:
    if found.trial is None or kind in ("esteps", "limit"):
        return found
    (then_c,) = book.row("SELECT temperature_c FROM trial WHERE id = ?", found.trial)
    now_c = setup.temperature_c
    if not temperature_matters(then_c, now_c, setup.spool.foaming):
        return found
    return found._replace(
        status="doubtful", why=f"found at {then_c:g} °C, the bench is at {now_c:g} °C"
    )


def _events(book: Logbook, setup: Setup, kind: ValueKind) -> list[Event]:
    """Return as many of the newest events as decide how the value stands, oldest first."""
    touching = [
        _changed(change, setup) for change in changes(book, setup.printer) if kind in change.affects
    ]
    window = _FIRST_WINDOW
    while True:
        tried = _tried(book, setup, kind, window)
        said = _said(book, setup, kind, window)
        full = [part[-1].order for part in (tried, said) if part and len(part) == window]
        events: list[Event] = [*tried, *said, *(change for change in touching if change)]
        oldest = max(full, default=0)
        events = sorted((one for one in events if one.order >= oldest), key=lambda one: one.order)
        if not full or settled(events):
            return events
        window *= 8


def _changed(change: HardwareChange, setup: Setup) -> Changed | None:
    """A change as this bench's values see it; None where another nozzle is meant."""
    if change.nozzle is None:
        return Changed(change.moment, change.at, "doubtful", f"{change.what} changed since")
    if change.nozzle != setup.nozzle.id:
        return None
    if change.what == "nozzle":
        return Changed(change.moment, change.at, "carried", "this nozzle was fitted again since")
    return Changed(change.moment, change.at, "doubtful", f"{change.note or change.what} since")


def _tried(book: Logbook, setup: Setup, kind: ValueKind, limit: int) -> list[Tried]:
    scope = _scope(setup, kind)
    rows = book.connection.execute(
        "SELECT trial.measured, moment.at, trial.id, value_now, value_new, u95, value_to_type,"
        " verdict FROM trial JOIN outcome ON outcome.trial = trial.id AND outcome.kind = ?"
        f" JOIN moment ON moment.id = trial.measured WHERE {_where('trial', scope)}"
        " AND test = ? AND state = 'measured' ORDER BY trial.measured DESC LIMIT ?",
        (kind, *scope, TEST_OF[kind], limit),
    )
    tried = [Tried(*row) for row in rows]
    return [_of_one_value(one) for one in tried] if TEST_OF[kind] == "xy" else tried


def _of_one_value(tried: Tried) -> Tried:
    """A plate speaks about several values at once: what it says of this one alone."""
    if tried.verdict == "recheck":
        return tried
    if tried.value_to_type is None:
        return tried._replace(verdict="unclear")
    kept = tried.value_now is not None and same(tried.value_now, tried.value_to_type)
    return tried._replace(verdict="keep" if kept else "correct")


def _said(book: Logbook, setup: Setup, kind: ValueKind, limit: int) -> list[Said]:
    scope = _scope(setup, kind)
    rows = book.connection.execute(
        "SELECT entry.moment, moment.at, value FROM entry JOIN moment ON moment.id = entry.moment"
        f" WHERE {_where('entry', scope)} AND kind = ? ORDER BY entry.moment DESC LIMIT ?",
        (*scope, kind, limit),
    )
    return [Said(*row) for row in rows]


def _latest(
    book: Logbook, kind: ValueKind, scope: list[Any], order: int = 2**62
) -> tuple[int, float | None]:
    """Return the newest event up to ``order`` that put a value in force, and that value."""
    tried = book.connection.execute(
        "SELECT trial.measured, value_now FROM trial"
        " JOIN outcome ON outcome.trial = trial.id AND outcome.kind = ?"
        f" WHERE {_where('trial', scope)} AND test = ? AND state = 'measured'"
        " AND trial.measured <= ? AND value_now IS NOT NULL ORDER BY trial.measured DESC LIMIT 1",
        (kind, *scope, TEST_OF[kind], order),
    ).fetchone()
    said = book.connection.execute(
        f"SELECT moment, value FROM entry WHERE {_where('entry', scope)} AND kind = ?"
        " AND moment <= ? ORDER BY moment DESC LIMIT 1",
        (*scope, kind, order),
    ).fetchone()
    known = [row for row in (tried, said) if row]
    return max(known) if known else (0, None)


def _scope(setup: Setup, kind: ValueKind) -> list[Any]:
    """Return what a value belongs to: printer, or printer, nozzle and spool, or temperature too."""
    scope: list[Any] = [setup.printer.id]
    if TRAITS[kind].per_nozzle_and_spool:
        scope += [setup.nozzle.id, setup.spool.id]
    if kind == "limit":
        scope += [setup.temperature_c]
    return scope


def _where(table: str, scope: list[Any]) -> str:
    columns = ("printer", "nozzle", "spool", "temperature_c")
    return " AND ".join(f"{table}.{column} IS ?" for column in columns[: len(scope)])
