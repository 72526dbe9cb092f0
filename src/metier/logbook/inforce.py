"""What is in force, fetched for core to weigh."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from metier.core.standing import (
    Changed,
    Event,
    Moved,
    Said,
    Standing,
    Status,
    Tried,
    after_drift,
    at_temperature,
    between_temperatures,
    from_roll,
    from_temperature,
    nearest_first,
    of_one_value,
    settled,
    stand,
)
from metier.core.values import SPEED_WITHIN, VALUES, Value, measured_together
from metier.logbook.bench import Setup
from metier.logbook.book import Logbook
from metier.logbook.items import by_id
from metier.logbook.machines import HardwareChange, Nozzle, Printer, Spool, akin, changes

_FIRST_WINDOW = 8


def standing(book: Logbook, setup: Setup, name: str) -> Standing:
    """Return how a value stands on this bench: its own, else one carried from a kindred spool."""
    value = VALUES[name]
    own = _at_any_temperature(book, setup, name)
    if own.status != "unset" or not value.carried_by_rolls:
        return own
    for spool, likeness in akin(book, setup.spool, setup.printer.id, setup.nozzle.id, name):
        theirs = _at_any_temperature(book, setup._replace(spool=spool), name)
        lent = from_roll(theirs, value, spool.name, likeness)
        if lent.value is not None:
            return lent
    return own


def own_standing(book: Logbook, setup: Setup, name: str) -> Standing:
    """Return how a value stands on just this bench, by its own trials and entries."""
    value, owners = VALUES[name], scope_of(setup)
    if value.scope == ("printer",) and not value.depends_on:
        # The same whatever the roll.
        owners = {"printer": setup.printer.id, "nozzle": setup.nozzle.id}
    return book.known((name, *owners.values()), lambda: _own_standing(book, setup, name))


def _own_standing(book: Logbook, setup: Setup, name: str) -> Standing:
    value = VALUES[name]
    stands = stand(_events(book, setup, name, value))
    if stands.value is None or stands.status in ("carried", "doubtful"):
        return stands
    for other in value.depends_on:
        stands = after_drift(stands, value, _moved(book, setup, other, stands))
    if stands.trial is not None and value.doubtful_by_temperature:
        (then_c,) = book.row("SELECT temperature_c FROM trial WHERE id = ?", stands.trial)
        stands = at_temperature(stands, then_c, setup.temperature_c, setup.spool.foaming)
    return stands


def steps_in_force(book: Logbook, printer: Printer) -> float | None:
    """Return the e-steps a printer carries, whatever is on the bench."""
    return _latest(book, "esteps", [printer.id])[1]


def opened_mm(book: Logbook, setup: Setup, name: str) -> float:
    """Return what of a compensation in force was opened for a fit, per side."""
    row = book.connection.execute(
        "SELECT opened_mm FROM entry WHERE printer IS ? AND nozzle IS ? AND spool IS ?"
        " AND kind = ? AND withdrawn IS NULL ORDER BY moment DESC LIMIT 1",
        (setup.printer.id, setup.nozzle.id, setup.spool.id, name),
    ).fetchone()
    return (row[0] or 0.0) if row else 0.0


def speed_stood_for(book: Logbook, setup: Setup, name: str) -> float | None:
    """Return the speed that a value of one speed stands for on this bench: as it was said, else
    that of the first trial since the value was last doubtful; None where nobody noted one."""
    if not VALUES[name].of_speed:
        return None
    said = book.connection.execute("SELECT speed_mm_s FROM bench").fetchone()
    if said and said[0]:
        return float(said[0])
    scope = _scope(setup, VALUES[name])
    row = book.connection.execute(
        f"SELECT speed_mm_s FROM trial WHERE {_where('trial', VALUES[name])} AND test = ?"
        " AND state = 'measured' AND speed_mm_s IS NOT NULL AND measured > ?"
        " ORDER BY measured LIMIT 1",
        (*scope, VALUES[name].measured_by, last_doubted(book, setup, name)),
    ).fetchone()
    return row[0] if row else None


def last_doubted(book: Logbook, setup: Setup, name: str, before: int | None = None) -> int:
    """Return the moment of the last change that made a value doubtful on this bench; 0 for none.

    With ``before``, the last one before that trial was measured.
    """
    until = 2**62
    if before is not None:
        (measured,) = book.row("SELECT measured FROM trial WHERE id = ?", before)
        until = until if measured is None else measured
    moments = [0]
    for change in changes(book, setup.printer):
        seen = _changed(change, setup, VALUES[name]) if name in change.affects else None
        if seen and seen.status == "doubtful" and change.moment < until:
            moments.append(change.moment)
    moments += [dry.order for dry in _dried(book, setup, VALUES[name]) if dry.order < until]
    return max(moments)


def _at_any_temperature(book: Logbook, setup: Setup, name: str) -> Standing:
    """Return a value as it stands here; one of another temperature where that serves."""
    own = own_standing(book, setup, name)
    now_c = setup.temperature_c
    if own.status != "unset" or now_c is None or not VALUES[name].of_temperature:
        return own
    temperatures = nearest_first(_temperatures(book, setup, name), now_c)
    known = [
        (then_c, own_standing(book, setup._replace(temperature_c=then_c), name))
        for then_c in temperatures
    ]
    between = between_temperatures(known, now_c)
    if between.value is not None:
        return between
    for then_c, there in known:
        lent = from_temperature(there, then_c, now_c)
        if lent.value is not None:
            return lent
    return own


def _temperatures(book: Logbook, setup: Setup, name: str) -> list[float]:
    """Return the temperatures that a value was measured or typed in at, on this bench."""
    scope = (setup.printer.id, setup.nozzle.id, setup.spool.id)
    where = "printer IS ? AND nozzle IS ? AND spool IS ? AND temperature_c IS NOT NULL"
    rows = book.connection.execute(
        f"SELECT temperature_c FROM trial WHERE {where} AND test = ? AND state = 'measured'"
        f" UNION SELECT temperature_c FROM entry WHERE {where} AND kind = ?",
        (*scope, VALUES[name].measured_by, *scope, name),
    )
    return [row[0] for row in rows]


def _moved(book: Logbook, setup: Setup, other: str, stands: Standing) -> Moved:
    """Return a value that ``found`` rests on, as it was when that was found and as it is."""
    scope, nominal = _scope(setup, VALUES[other]), VALUES[other].nominal
    speed = speed_stood_for(book, setup, other)
    # What a printer was merely found to carry was printed with by nobody.
    order, now = _latest(book, other, scope, meant=True, speed_mm_s=speed)
    if order <= stands.evidence:
        return Moved(other, now, now)
    then = _latest(book, other, scope, stands.evidence, meant=True, speed_mm_s=speed)[1]
    if then is None and nominal is not None:
        then = getattr(setup.spool, nominal)
    return Moved(other, then, now)


def _events(book: Logbook, setup: Setup, name: str, value: Value) -> list[Event]:
    """Return as many of the newest events as decide how the value stands, oldest first."""
    touching = [
        _changed(change, setup, value)
        for change in changes(book, setup.printer)
        if name in change.affects
    ]
    touching += _dried(book, setup, value)
    window = _FIRST_WINDOW
    while True:
        tried = _tried(book, setup, name, value, window)
        said = _said(book, setup, name, value, window)
        full = [part[-1].order for part in (tried, said) if part and len(part) == window]
        events: list[Event] = [*tried, *said, *(change for change in touching if change)]
        oldest = max(full, default=0)
        events = sorted(
            (event for event in events if event.order >= oldest), key=lambda event: event.order
        )
        if not full or settled(events):
            return events
        window *= 8


def _changed(change: HardwareChange, setup: Setup, value: Value) -> Changed | None:
    """A change as this bench's values see it; None where another nozzle is meant."""
    if change.nozzle is None:
        forgotten = change.what in value.forgotten_with
        why = f"{change.what} changed since"
        return Changed(change.moment, change.at, "doubtful", why, forgotten)
    if change.nozzle != setup.nozzle.id:
        return None
    if change.what == "nozzle":
        return Changed(change.moment, change.at, "carried", "this nozzle was fitted again since")
    return Changed(change.moment, change.at, "doubtful", f"{change.note or change.what} since")


def _dried(book: Logbook, setup: Setup, value: Value) -> list[Changed]:
    """Return when the roll was dried, as the values see it that a print of it showed."""
    if setup.spool.dried is None or not {"spool", "nozzle"} <= set(value.scope):
        return []
    rows = book.connection.execute(
        "SELECT edit.moment, moment.at FROM edit JOIN moment ON moment.id = edit.moment"
        " WHERE subject = 'spool' AND item = ? AND field = 'dried' AND undone IS NULL",
        (setup.spool.id,),
    )
    why = "the roll was dried since"
    return [Changed(moment, at, "doubtful", why) for moment, at in rows]


def _tried(book: Logbook, setup: Setup, name: str, value: Value, limit: int) -> list[Tried]:
    scope = _scope(setup, value)
    at_speed, speeds = _at_speed(speed_stood_for(book, setup, name))
    rows = book.connection.execute(
        "SELECT trial.measured, moment.at, trial.id, value_now, value_new, u95, value_to_type,"
        " verdict, sure_from, sure_to, rough"
        " FROM trial JOIN outcome ON outcome.trial = trial.id AND outcome.kind = ?"
        f" JOIN moment ON moment.id = trial.measured WHERE {_where('trial', value)}"
        f" AND test = ? AND state = 'measured'{at_speed} ORDER BY trial.measured DESC LIMIT ?",
        (name, *scope, value.measured_by, *speeds, limit),
    )
    tried = [Tried(*row) for row in rows]
    return [of_one_value(trial) for trial in tried] if measured_together(value) else tried


def _said(book: Logbook, setup: Setup, name: str, value: Value, limit: int) -> list[Said]:
    scope = _scope(setup, value)
    rows = book.connection.execute(
        "SELECT entry.moment, moment.at, value, read_off"
        " FROM entry JOIN moment ON moment.id = entry.moment"
        f" WHERE {_where('entry', value)} AND kind = ? AND withdrawn IS NULL"
        " ORDER BY entry.moment DESC LIMIT ?",
        (*scope, name, limit),
    )
    return [Said(order, at, said, bool(read_off)) for order, at, said, read_off in rows]


def _latest(
    book: Logbook,
    name: str,
    scope: Sequence[Any],
    order: int = 2**62,
    meant: bool = False,
    speed_mm_s: float | None = None,
) -> tuple[int, float | None]:
    """Return the newest event up to ``order`` that put a value in force, and that value.

    With ``meant``, only what somebody typed in or tried; with a speed, only what was tried there.
    """
    value = VALUES[name]
    at_speed, speeds = _at_speed(speed_mm_s)
    tried = book.connection.execute(
        "SELECT trial.measured, value_now FROM trial"
        " JOIN outcome ON outcome.trial = trial.id AND outcome.kind = ?"
        f" WHERE {_where('trial', value)} AND test = ? AND state = 'measured'"
        f" AND trial.measured <= ? AND value_now IS NOT NULL{at_speed}"
        " ORDER BY trial.measured DESC LIMIT 1",
        (name, *scope, value.measured_by, order, *speeds),
    ).fetchone()
    said = book.connection.execute(
        f"SELECT moment, value FROM entry WHERE {_where('entry', value)} AND kind = ?"
        " AND moment <= ? AND withdrawn IS NULL AND read_off <= ? ORDER BY moment DESC LIMIT 1",
        (*scope, name, order, int(not meant)),
    ).fetchone()
    known = [row for row in (tried, said) if row]
    return max(known) if known else (0, None)


def _at_speed(speed_mm_s: float | None) -> tuple[str, tuple[float, ...]]:
    """Return what leaves out trials at another speed; one nobody noted may have been that one."""
    if speed_mm_s is None:
        return "", ()
    where = " AND (trial.speed_mm_s IS NULL OR trial.speed_mm_s BETWEEN ? AND ?)"
    return where, (speed_mm_s * (1 - SPEED_WITHIN) - 1e-9, speed_mm_s * (1 + SPEED_WITHIN) + 1e-9)


def _scope(setup: Setup, value: Value) -> list[Any]:
    """Return what a value belongs to here, in the order of its columns."""
    owners = scope_of(setup)
    return [owners[column] for column in value.scope]


def scope_of(setup: Setup) -> dict[str, Any]:
    """Return all that a value may belong to, by column."""
    return {
        "printer": setup.printer.id,
        "nozzle": setup.nozzle.id,
        "spool": setup.spool.id,
        "temperature_c": setup.temperature_c,
    }


def _where(table: str, value: Value) -> str:
    return " AND ".join(f"{table}.{column} IS ?" for column in value.scope)


class KnownLimit(NamedTuple):
    """A limit found or typed in; ``at_least`` where no trial has seen gaps yet."""

    setup: Setup
    limit_mm3_s: float
    u95: float | None
    status: Status
    since: str | None
    trial: int | None
    at_least: bool


def known_limits(
    book: Logbook, printer: Printer | None = None, spool: Spool | None = None
) -> list[KnownLimit]:
    """Return the limits known on a printer or of a spool, of both if given, highest first."""
    wanted = "(:printer IS NULL AND :spool IS NULL OR printer = :printer OR spool = :spool)"
    rows = book.connection.execute(
        "SELECT printer, nozzle, spool, temperature_c FROM trial WHERE test = 'volumetric'"
        f" AND state = 'measured' AND {wanted}"
        " UNION SELECT printer, nozzle, spool, temperature_c FROM entry WHERE kind = 'limit'"
        f" AND {wanted}",
        {"printer": printer and printer.id, "spool": spool and spool.id},
    )
    limits = []
    for printer_id, nozzle_id, spool_id, temperature_c in rows.fetchall():
        setup = Setup(
            by_id(book, Printer, printer_id),
            by_id(book, Nozzle, nozzle_id),
            by_id(book, Spool, spool_id),
            temperature_c,
        )
        known = _known(book, setup)
        if known:
            limits.append(known)
    return sorted(limits, key=lambda known: -known.limit_mm3_s)


def _known(book: Logbook, setup: Setup) -> KnownLimit | None:
    stands = own_standing(book, setup, "limit")
    if stands.value is not None:
        return KnownLimit(
            setup, stands.value, stands.u95, stands.status, stands.since, stands.trial, False
        )
    row = book.connection.execute(
        "SELECT trial.id, json_extract(findings, '$.limit_mm3_s'), moment.at FROM trial"
        " JOIN moment ON moment.id = trial.measured WHERE printer = ? AND nozzle = ?"
        " AND spool = ? AND temperature_c IS ? AND test = 'volumetric' AND state = 'measured'"
        " AND verdict = 'unclear' AND json_extract(findings, '$.limit_mm3_s') IS NOT NULL"
        " ORDER BY trial.measured DESC LIMIT 1",
        (setup.printer.id, setup.nozzle.id, setup.spool.id, setup.temperature_c),
    ).fetchone()
    if row is None:
        return None
    trial, limit_mm3_s, at = row
    return KnownLimit(setup, limit_mm3_s, None, "unset", at, trial, True)


def most_similar(book: Logbook, setup: Setup) -> KnownLimit | None:
    """Return the known limit most like this bench's: nozzle, hot end, bore, then filament."""

    def unlike(known: KnownLimit) -> tuple[bool, bool, bool, bool, float]:
        other = known.setup
        heat = abs((other.temperature_c or 0.0) - (setup.temperature_c or 0.0))
        return (
            other.nozzle.id != setup.nozzle.id,
            (other.nozzle.hot_end or other.printer.name)
            != (setup.nozzle.hot_end or setup.printer.name),
            other.nozzle.bore_mm != setup.nozzle.bore_mm,
            other.spool.material.lower() != setup.spool.material.lower(),
            heat,
        )

    return min(known_limits(book), key=unlike, default=None)
