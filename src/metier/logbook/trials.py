"""Trials: recorded whole or not at all, listed, and withdrawn but never deleted."""

import json
from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

from metier.core.dependence import ValueKind
from metier.core.refusal import Refusal
from metier.core.verdicts import VerdictName
from metier.logbook.bench import Setup
from metier.logbook.book import Logbook
from metier.logbook.machines import Printer, nozzle_by_id, printer_by_id
from metier.logbook.spools import spool_by_id

State = Literal["planned", "measured", "withdrawn"]


class Reading(NamedTuple):
    """One number off the instrument: the side it belongs to, and as it was typed."""

    side: str
    value_mm: float
    typed: str


class Outcome(NamedTuple):
    """What a trial says about one value, in the unit of calculation."""

    kind: ValueKind
    value_now: float | None
    value_new: float | None
    u95: float | None
    value_to_type: float | None


class Conditions(NamedTuple):
    """What else was so; trials of different conditions are not pooled."""

    speed_mm_s: float | None = None
    feed_rate_mm_s: float | None = None
    through: Literal["nozzle", "open"] | None = None
    instrument: str | None = None


class Trial(NamedTuple):
    """A trial as the logbook holds it; ``at`` is when it was measured, else planned."""

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


_TRIAL = (
    "SELECT trial.id, trial.test, trial.state, moment.at, printer.name, nozzle.name, spool.name,"
    " trial.temperature_c, trial.speed_mm_s, trial.feed_rate_mm_s, trial.through,"
    " trial.instrument, trial.settings, trial.findings, trial.verdict"
    " FROM trial JOIN printer ON printer.id = trial.printer"
    " JOIN nozzle ON nozzle.id = trial.nozzle JOIN spool ON spool.id = trial.spool"
    " JOIN moment ON moment.id = coalesce(trial.measured, trial.planned)"
)


def record_trial(
    book: Logbook,
    setup: Setup,
    test: str,
    *,
    settings: dict[str, Any],
    conditions: Conditions,
    readings: Sequence[Reading],
    findings: dict[str, Any],
    verdict: VerdictName,
    outcomes: Sequence[Outcome],
    planned: int | None = None,
) -> int:
    """Record a measured trial in one transaction and return its number.

    With ``planned``, the trial planned under that number becomes measured. Once this returns, the
    trial survives whatever happens to the process or the computer.

    Raises:
        Refusal: the planned trial was measured or withdrawn meanwhile.
    """
    with book.transaction() as moment:
        if planned is None:
            number = _insert(book, setup, test, settings, conditions, moment)
        else:
            number = planned
            if trial(book, number).state != "planned":
                raise Refusal(f"trial {number} is not open any more")
        book.connection.execute(
            "UPDATE trial SET state = 'measured', speed_mm_s = ?, feed_rate_mm_s = ?, through = ?,"
            " instrument = ?, settings = ?, findings = ?, verdict = ?, measured = ? WHERE id = ?",
            (*conditions, json.dumps(settings), json.dumps(findings), verdict, moment, number),
        )
        book.connection.executemany(
            "INSERT INTO reading (trial, position, side, value_mm, typed) VALUES (?, ?, ?, ?, ?)",
            [(number, position, *reading) for position, reading in enumerate(readings, 1)],
        )
        _insert_outcomes(book, number, outcomes)
    return number


def plan_trial(
    book: Logbook, setup: Setup, test: str, settings: dict[str, Any], conditions: Conditions
) -> int:
    """Record a trial that is printed now and measured later; returns the number to pen on it."""
    with book.transaction() as moment:
        return _insert(book, setup, test, settings, conditions, moment)


def _insert(
    book: Logbook,
    setup: Setup,
    test: str,
    settings: dict[str, Any],
    conditions: Conditions,
    moment: int,
) -> int:
    # One measured at once is planned for no longer than its transaction takes.
    cursor = book.connection.execute(
        "INSERT INTO trial (test, state, printer, nozzle, spool, temperature_c, speed_mm_s,"
        " feed_rate_mm_s, through, instrument, settings, planned)"
        " VALUES (?, 'planned', ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            test,
            setup.printer.id,
            setup.nozzle.id,
            setup.spool.id,
            setup.temperature_c,
            *conditions,
            json.dumps(settings),
            moment,
        ),
    )
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def _insert_outcomes(book: Logbook, number: int, outcomes: Sequence[Outcome]) -> None:
    book.connection.executemany(
        "INSERT INTO outcome (trial, kind, value_now, value_new, u95, value_to_type)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        [(number, *outcome) for outcome in outcomes],
    )


class Plan(NamedTuple):
    """A trial that waits to be measured, with the bench it was printed on."""

    number: int
    test: str
    at: str
    setup: Setup
    conditions: Conditions
    settings: dict[str, Any]


def open_plans(book: Logbook, setup: Setup) -> list[Plan]:
    """Return the trials planned on this bench and not measured yet, newest first."""
    rows = book.connection.execute(
        "SELECT id FROM trial WHERE printer = ? AND nozzle = ? AND spool = ?"
        " AND state = 'planned' ORDER BY id DESC",
        (setup.printer.id, setup.nozzle.id, setup.spool.id),
    )
    return [_plan(book, row[0]) for row in rows]


def open_plan(book: Logbook, number: int, test: str) -> Plan:
    """Return a planned trial.

    Raises:
        Refusal: no such trial, of another test, or measured or withdrawn already.
    """
    found = trial(book, number)
    if found.test != test:
        raise Refusal(f"trial {number} is for {found.test}: metier {found.test} --trial {number}")
    if found.state != "planned":
        raise Refusal(f"trial {number} is {found.state} already: metier history {number} shows it")
    return _plan(book, number)


def _plan(book: Logbook, number: int) -> Plan:
    found = trial(book, number)
    printer, nozzle, spool = book.row(
        "SELECT printer, nozzle, spool FROM trial WHERE id = ?", number
    )
    setup = Setup(
        printer_by_id(book, printer),
        nozzle_by_id(book, nozzle),
        spool_by_id(book, spool),
        found.temperature_c,
    )
    return Plan(number, found.test, found.at, setup, found.conditions, found.settings)


def trial(book: Logbook, number: int) -> Trial:
    """Return one trial.

    Raises:
        Refusal: there is no such trial.
    """
    row = book.connection.execute(f"{_TRIAL} WHERE trial.id = ?", (number,)).fetchone()
    if row is None:
        last = book.connection.execute("SELECT max(id) FROM trial").fetchone()[0]
        known = f"the last one is {last}" if last else "there are none yet"
        raise Refusal(f"no trial {number}: {known}")
    return _trial(row)


def trials(book: Logbook, *, test: str | None = None, limit: int) -> list[Trial]:
    """Return the newest trials, newest first."""
    where, values = ("WHERE trial.test = ?", [test]) if test else ("", [])
    rows = book.connection.execute(
        f"{_TRIAL} {where} ORDER BY trial.id DESC LIMIT ?", (*values, limit)
    )
    return [_trial(row) for row in rows]


def count_trials(book: Logbook, test: str | None = None) -> int:
    """Return how many trials there are, withdrawn ones included."""
    where, values = ("WHERE test = ?", [test]) if test else ("", [])
    return int(book.connection.execute(f"SELECT count(*) FROM trial {where}", values).fetchone()[0])


def latest_on(book: Logbook, setup: Setup, test: str, limit: int) -> list[Trial]:
    """Return the newest measured trials of one test on this bench, newest first."""
    rows = book.connection.execute(
        f"{_TRIAL} WHERE trial.printer = ? AND trial.nozzle = ? AND trial.spool = ?"
        " AND trial.test = ? AND trial.state = 'measured' ORDER BY trial.measured DESC LIMIT ?",
        (setup.printer.id, setup.nozzle.id, setup.spool.id, test, limit),
    )
    return [_trial(row) for row in rows]


def latest_on_printer(book: Logbook, printer: Printer, test: str, limit: int) -> list[Trial]:
    """Return the newest measured trials of one test on this printer, whatever the spool."""
    rows = book.connection.execute(
        f"{_TRIAL} WHERE trial.printer = ? AND trial.test = ? AND trial.state = 'measured'"
        " ORDER BY trial.measured DESC LIMIT ?",
        (printer.id, test, limit),
    )
    return [_trial(row) for row in rows]


def readings(book: Logbook, number: int) -> list[Reading]:
    """Return the readings of a trial in the order they were taken."""
    rows = book.connection.execute(
        "SELECT side, value_mm, typed FROM reading WHERE trial = ? AND amended IS NULL"
        " ORDER BY position",
        (number,),
    )
    return [Reading(*row) for row in rows]


def withdraw(book: Logbook, number: int | None = None) -> int:
    """Withdraw a trial, by default the newest that counts; it is kept, marked, not counted.

    Raises:
        Refusal: no such trial, or withdrawn already.
    """
    with book.transaction() as moment:
        if number is None:
            row = book.connection.execute(
                "SELECT max(id) FROM trial WHERE state <> 'withdrawn'"
            ).fetchone()
            if row[0] is None:
                raise Refusal("there is no trial to withdraw")
            number = int(row[0])
        elif trial(book, number).state == "withdrawn":
            raise Refusal(f"trial {number} is withdrawn already")
        book.connection.execute(
            "UPDATE trial SET state = 'withdrawn', withdrawn = ? WHERE id = ?", (moment, number)
        )
    return number


def _trial(row: tuple[Any, ...]) -> Trial:
    settings, findings, verdict = row[12:]
    return Trial._make(
        (
            *row[:8],
            Conditions._make(row[8:12]),
            json.loads(settings),
            findings and json.loads(findings),
            verdict,
        )
    )
