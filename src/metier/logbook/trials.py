"""Trials as the logbook holds them: one, the newest, those planned, and their readings."""

from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.verdicts import VerdictName
from metier.logbook.book import Logbook, decoded

if TYPE_CHECKING:
    from collections.abc import Iterator

    from metier.logbook.bench import Setup
    from metier.logbook.machines import Printer, Spool

State = Literal["planned", "measured", "withdrawn"]


class Reading(NamedTuple):
    """One number off the instrument: the side it belongs to, and as it was typed.

    ``value`` is in the unit of what its kind reads: mm for most, grams off a scale.
    """

    side: str
    value: float
    typed: str


class Outcome(NamedTuple):
    """What a trial says about one value, in the unit of calculation.

    ``sure_from … sure_to`` are the values it would be sure enough of; ``rough`` tells that no
    more of its kind would ever be sure, and that the present one has stood as far as that tells.
    """

    kind: str
    value_now: float | None
    value_new: float | None
    u95: float | None
    value_to_type: float | None
    sure_from: float | None = None
    sure_to: float | None = None
    rough: int = 0


Through = Literal["nozzle", "open", "tube"]


class Conditions(NamedTuple):
    """What else was so; trials of different conditions are not pooled."""

    speed_mm_s: float | None = None
    feed_rate_mm_s: float | None = None
    through: Through | None = None
    instrument: str | None = None


class Trial(NamedTuple):
    """A trial as the logbook holds it; ``at`` is when it was measured, else planned.

    Its kind alone knows what ``settings`` and ``findings`` hold: see `metier.trials.kind`.
    """

    number: int
    test: str
    state: State
    at: str
    printer: str
    nozzle: str
    spool: str
    temperature_c: float | None
    conditions: Conditions
    settings: dict[str, Any]
    findings: dict[str, Any] | None
    verdict: VerdictName | None
    note: str | None


_TRIAL = (
    "SELECT trial.id, trial.test, trial.state, moment.at, printer.name, nozzle.name, spool.name,"
    " trial.temperature_c, trial.speed_mm_s, trial.feed_rate_mm_s, trial.through,"
    " trial.instrument, trial.settings, trial.findings, trial.verdict, trial.note"
    " FROM trial JOIN printer ON printer.id = trial.printer"
    " JOIN nozzle ON nozzle.id = trial.nozzle JOIN spool ON spool.id = trial.spool"
    " JOIN moment ON moment.id = coalesce(trial.measured, trial.planned)"
)

# No trial has so high a number.
_LAST = 2**62


def open_plans(book: Logbook, setup: "Setup") -> list[Trial]:
    """Return the trials planned on this bench and not measured yet, newest first."""
    rows = book.connection.execute(
        f"{_TRIAL} WHERE trial.printer = ? AND trial.nozzle = ? AND trial.spool = ?"
        " AND trial.state = 'planned' ORDER BY trial.planned DESC",
        (setup.printer.id, setup.nozzle.id, setup.spool.id),
    )
    return [_trial(book, row) for row in rows]


def open_plan(book: Logbook, number: int, test: str) -> Trial:
    """Return a planned trial.

    Raises:
        BadInput: no such trial, of another test, or measured or withdrawn already.
    """
    plan = trial(book, number)
    if plan.test != test:
        raise BadInput(f"trial {number} is for {plan.test}: metier {plan.test} --trial {number}")
    if plan.state != "planned":
        raise BadInput(f"trial {number} is {plan.state} already: metier history {number} shows it")
    return plan


def trial(book: Logbook, number: int) -> Trial:
    """Return one trial.

    Raises:
        BadInput: there is no such trial.
    """
    row = book.connection.execute(f"{_TRIAL} WHERE trial.id = ?", (number,)).fetchone()
    if row is None:
        last = book.connection.execute("SELECT max(id) FROM trial").fetchone()[0]
        known = f"the last one is {last}" if last else "there are none yet"
        raise BadInput(f"no trial {number}: {known}")
    return _trial(book, row)


def trials(
    book: Logbook,
    limit: int,
    *,
    test: str | None = None,
    printer: str | None = None,
    spool: str | None = None,
    since: str | None = None,
) -> list[Trial]:
    """Return the newest trials, newest first; of one test, printer or spool, if given.

    ``since`` is a moment in UTC, ISO 8601.
    """
    where, values = _wanted(test, printer, spool, since)
    query = f"{_TRIAL} {where} ORDER BY trial.id DESC LIMIT ?"
    return [_trial(book, row) for row in book.connection.execute(query, (*values, limit))]


def count_trials(
    book: Logbook,
    *,
    test: str | None = None,
    printer: str | None = None,
    spool: str | None = None,
    since: str | None = None,
) -> int:
    """Return how many such trials there are, withdrawn ones included."""
    where, values = _wanted(test, printer, spool, since)
    joined = (
        "JOIN printer ON printer.id = trial.printer JOIN spool ON spool.id = trial.spool"
        " JOIN moment ON moment.id = coalesce(trial.measured, trial.planned)"
    )
    query = f"SELECT count(*) FROM trial {joined if where else ''} {where}"
    return int(book.connection.execute(query, values).fetchone()[0])


def _wanted(
    test: str | None, printer: str | None, spool: str | None, since: str | None
) -> tuple[str, list[str]]:
    columns = {
        "trial.test = ?": test,
        "printer.name = ?": printer,
        "spool.name = ?": spool,
        "moment.at >= ?": since,
    }
    chosen = {column: value for column, value in columns.items() if value is not None}
    return (f"WHERE {' AND '.join(chosen)}" if chosen else ""), list(chosen.values())


def _measured(book: Logbook, number: int | None) -> int:
    """Return the moment at which a trial was measured; one after all others for none."""
    if number is None:
        return _LAST
    (moment,) = book.row("SELECT measured FROM trial WHERE id = ?", number)
    return _LAST if moment is None else int(moment)


def latest_on(
    book: Logbook, setup: "Setup", test: str, limit: int, before: int | None = None, since: int = 0
) -> list[Trial]:
    """Return the newest measured trials of one test on this bench, newest first.

    With ``before``, only those measured before the trial of that number.
    """
    owners = {"printer": setup.printer.id, "nozzle": setup.nozzle.id, "spool": setup.spool.id}
    return _newest(book, owners, test, limit, before, since)


def _newest(
    book: Logbook, owners: dict[str, int], test: str, limit: int, before: int | None, since: int = 0
) -> list[Trial]:
    of_these = "".join(f"trial.{owner} = ? AND " for owner in owners)
    rows = book.connection.execute(
        f"{_TRIAL} WHERE {of_these}trial.test = ? AND trial.state = 'measured'"
        " AND trial.measured < ? AND trial.measured > ? ORDER BY trial.measured DESC LIMIT ?",
        (*owners.values(), test, _measured(book, before), since, limit),
    )
    return [_trial(book, row) for row in rows]


def newest_like(
    book: Logbook,
    test: str,
    limit: int,
    *,
    printer: int | None = None,
    nozzle: int | None = None,
    spool: int | None = None,
    like: "Spool | None" = None,
) -> list[Trial]:
    """Return the newest measured trials of one test, oldest first: on a printer, with a nozzle, of
    a roll, or of all rolls of one's maker and material."""
    wanted: dict[str, object] = {
        "trial.printer = ?": printer,
        "trial.nozzle = ?": nozzle,
        "trial.spool = ?": spool,
    }
    if like is not None:
        wanted |= {
            "coalesce(spool.maker, '') = ? COLLATE NOCASE": like.maker or "",
            "spool.material = ? COLLATE NOCASE": like.material,
            "spool.foaming = ?": like.foaming,
            "spool.flexible = ?": like.flexible,
        }
    chosen = {condition: value for condition, value in wanted.items() if value is not None}
    rows = book.connection.execute(
        f"{_TRIAL} WHERE {''.join(f'{condition} AND ' for condition in chosen)}trial.test = ?"
        " AND trial.state = 'measured' AND trial.findings IS NOT NULL"
        " ORDER BY trial.measured DESC LIMIT ?",
        (*chosen.values(), test, limit),
    )
    return [_trial(book, row) for row in rows][::-1]


# How many of the newest prints a map looks at, of each kind.
NEWEST_MAPPED = 24


def speeds_noted(book: Logbook, setup: "Setup") -> list[float]:
    """Return the speeds that the newest walls on this bench were printed at, each once, rising."""
    rows = book.connection.execute(
        "SELECT DISTINCT speed_mm_s FROM (SELECT speed_mm_s FROM trial WHERE printer = ?"
        " AND nozzle = ? AND spool = ? AND test = 'flow' AND state = 'measured'"
        " ORDER BY measured DESC LIMIT ?) WHERE speed_mm_s IS NOT NULL ORDER BY 1",
        (setup.printer.id, setup.nozzle.id, setup.spool.id, NEWEST_MAPPED),
    )
    return [row[0] for row in rows]


def with_bore(book: Logbook, setup: "Setup", test: str) -> "Iterator[Trial]":
    """Yield measured trials of one test made with a nozzle of this bore: those of this printer
    first, the newest first."""
    rows = book.connection.execute(
        f"{_TRIAL} WHERE trial.test = ? AND trial.state = 'measured'"
        " AND abs(nozzle.bore_mm - ?) < 1e-9"
        " ORDER BY trial.printer = ? DESC, trial.measured DESC LIMIT 20",
        (test, setup.nozzle.bore_mm, setup.printer.id),
    )
    return (_trial(book, row) for row in rows.fetchall())


def latest_on_printer(
    book: Logbook, printer: "Printer", test: str, limit: int, before: int | None = None
) -> list[Trial]:
    """Return the newest measured trials of one test on this printer, whatever the spool.

    With ``before``, only those measured before the trial of that number.
    """
    return _newest(book, {"printer": printer.id}, test, limit, before)


def latest_of_spool(
    book: Logbook, spool: "Spool", test: str, limit: int, before: int | None = None
) -> list[Trial]:
    """Return the newest measured trials of one test of this roll, on whatever printer.

    With ``before``, only those measured before the trial of that number.
    """
    return _newest(book, {"spool": spool.id}, test, limit, before)


def moment_of(book: Logbook, number: int) -> int:
    """Return the moment at which a trial was measured, else planned."""
    (moment,) = book.row("SELECT coalesce(measured, planned) FROM trial WHERE id = ?", number)
    return int(moment)


def readings(book: Logbook, number: int) -> list[Reading]:
    """Return the readings of a trial in the order they were taken, as amended."""
    return list(placed_readings(book, number).values())


def placed_readings(book: Logbook, number: int) -> dict[int, Reading]:
    """Return the readings of a trial by position; one that was dropped leaves its place empty."""
    rows = book.connection.execute(
        "SELECT position, side, value, typed FROM reading"
        " WHERE trial = ? AND amended IS NULL AND typed <> '' ORDER BY position",
        (number,),
    )
    return {position: Reading(*row) for position, *row in rows}


def replaced_readings(book: Logbook, number: int) -> dict[int, list[str]]:
    """Return what stood at each amended position before, oldest first, as typed."""
    rows = book.connection.execute(
        "SELECT position, typed FROM reading WHERE trial = ? AND amended IS NOT NULL"
        " AND typed <> '' ORDER BY position, version",
        (number,),
    )
    replaced: dict[int, list[str]] = {}
    for position, typed in rows:
        replaced.setdefault(position, []).append(typed)
    return replaced


def _trial(book: Logbook, row: tuple[Any, ...]) -> Trial:
    settings, findings, verdict, note = row[12:]
    return Trial._make(
        (
            *row[:8],
            Conditions._make(row[8:12]),
            decoded(book, settings, dict, f"trial {row[0]}"),
            findings and decoded(book, findings, dict, f"trial {row[0]}"),
            verdict,
            note,
        )
    )
