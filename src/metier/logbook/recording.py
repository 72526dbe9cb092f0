"""Trials and values written down."""

import json
from collections.abc import Mapping, Sequence

from metier.core.errors import BadInput
from metier.core.values import VALUES
from metier.core.verdicts import VerdictName
from metier.logbook.bench import Setup
from metier.logbook.book import Logbook
from metier.logbook.edits import note_edit
from metier.logbook.inforce import scope_of
from metier.logbook.machines import Printer
from metier.logbook.merged_trials import drop_done_plans
from metier.logbook.trials import Conditions, Outcome, Reading, State, trial

# What stands in the place of a reading that was dropped.
DROPPED = Reading("", 0.0, "")


def record_trial(
    book: Logbook,
    setup: Setup,
    test: str,
    *,
    settings: Mapping[str, object],
    conditions: Conditions,
    readings: Sequence[Reading],
    findings: Mapping[str, object],
    verdict: VerdictName,
    outcomes: Sequence[Outcome],
    planned: int | None = None,
    draft: str | None = None,
) -> int:
    """Record a measured trial in one transaction and return its number.

    With ``planned``, the trial planned under that number becomes measured. ``draft`` names the
    draft that its readings were typed into. Once this returns, the
    trial survives whatever happens to the process or the computer.

    Raises:
        BadInput: the planned trial was measured or withdrawn meanwhile.
    """
    with book.transaction() as moment:
        if planned is None:
            number = _insert(book, setup, test, settings, conditions, moment)
        else:
            number = planned
            if trial(book, number).state != "planned":
                raise BadInput(f"trial {number} is not open any more")
        book.connection.execute(
            "UPDATE trial SET state = 'measured', speed_mm_s = ?, feed_rate_mm_s = ?, through = ?,"
            " instrument = ?, settings = ?, findings = ?, verdict = ?, measured = ?, draft = ?"
            " WHERE id = ?",
            (
                *conditions,
                json.dumps(settings),
                json.dumps(findings),
                verdict,
                moment,
                draft,
                number,
            ),
        )
        book.connection.executemany(
            "INSERT INTO reading (trial, position, side, value, typed) VALUES (?, ?, ?, ?, ?)",
            [(number, position, *reading) for position, reading in enumerate(readings, 1)],
        )
        _add_outcomes(book, number, outcomes)
    return number


def made_of(book: Logbook, draft: str) -> bool:
    """Tell whether a trial was made of a draft."""
    row = book.connection.execute("SELECT 1 FROM trial WHERE draft = ?", (draft,)).fetchone()
    return row is not None


def plan_trial(
    book: Logbook, setup: Setup, test: str, settings: Mapping[str, object], conditions: Conditions
) -> int:
    """Record a trial that is printed now and measured later; returns the number to pen on it."""
    with book.transaction() as moment:
        number = _insert(book, setup, test, settings, conditions, moment)
    book.recorded = f"trial {number} is planned"
    return number


def _insert(
    book: Logbook,
    setup: Setup,
    test: str,
    settings: Mapping[str, object],
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


def _add_outcomes(book: Logbook, number: int, outcomes: Sequence[Outcome]) -> None:
    """Record what a trial says of values that it has said nothing of."""
    book.connection.executemany(
        "INSERT INTO outcome (trial, kind, value_now, value_new, u95, value_to_type,"
        " sure_from, sure_to, rough) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [(number, *outcome) for outcome in outcomes],
    )


def amend_reading(book: Logbook, number: int, position: int, reading: Reading) -> None:
    """Put another reading in the place of one and keep the old one; the trial is to be judged anew.

    One that is not typed, `DROPPED`, leaves its place empty. A place beyond the last is one that
    was empty until now.
    """
    with book.transaction() as moment:
        old = book.connection.execute(
            "SELECT version, typed FROM reading WHERE trial = ? AND position = ?"
            " AND amended IS NULL",
            (number, position),
        ).fetchone()
        if old is None:
            old = (0, "")
            _insert_reading(book, number, position, DROPPED._replace(side=reading.side), 0)
        book.connection.execute(
            "UPDATE reading SET amended = ? WHERE trial = ? AND position = ? AND version = ?",
            (moment, number, position, old[0]),
        )
        _insert_reading(book, number, position, reading, old[0] + 1)
        note_edit(book, moment, "reading", number, str(position), old[1], reading.typed)


def reading_before(book: Logbook, number: int, position: int) -> Reading:
    """Return the reading whose place the present one took."""
    row = book.connection.execute(
        "SELECT side, value, typed FROM reading WHERE trial = ? AND position = ?"
        " AND amended IS NOT NULL ORDER BY version DESC LIMIT 1",
        (number, position),
    ).fetchone()
    return Reading(*row) if row else DROPPED


def _insert_reading(
    book: Logbook, number: int, position: int, reading: Reading, version: int
) -> None:
    book.connection.execute(
        "INSERT INTO reading (trial, position, side, value, typed, version)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        (number, position, *reading, version),
    )


def judge_anew(
    book: Logbook,
    number: int,
    *,
    findings: Mapping[str, object],
    verdict: VerdictName,
    outcomes: Sequence[Outcome],
) -> None:
    """Put another finding in the place of a trial's, whose readings stay as they are."""
    with book.transaction():
        book.connection.execute(
            "UPDATE trial SET findings = ?, verdict = ? WHERE id = ?",
            (json.dumps(findings), verdict, number),
        )
        book.connection.execute("DELETE FROM outcome WHERE trial = ?", (number,))
        _add_outcomes(book, number, outcomes)


def withdraw(book: Logbook, number: int | None = None) -> int:
    """Withdraw a trial, by default the newest that counts; it is kept, marked, not counted.

    Raises:
        BadInput: no such trial, or withdrawn already.
    """
    with book.transaction() as moment:
        if number is None:
            row = book.connection.execute(
                "SELECT max(id) FROM trial WHERE state <> 'withdrawn'"
            ).fetchone()
            if row[0] is None:
                raise BadInput("there is no trial to withdraw")
            number = int(row[0])
        elif trial(book, number).state == "withdrawn":
            raise BadInput(f"trial {number} is withdrawn already")
        book.connection.execute(
            "UPDATE trial SET state = 'withdrawn', withdrawn = ? WHERE id = ?", (moment, number)
        )
        _note_fate(book, moment, number, withdrawn=True)
    return number


def plan_again(book: Logbook, number: int) -> int | None:
    """Let the plan of a withdrawn trial wait again, under the number that is on its part.

    What was measured is kept under the next number, which is returned; None where nothing was
    planned before it was measured.
    """
    planned, measured, draft = book.row(
        "SELECT planned, measured, draft FROM trial WHERE id = ?", number
    )
    if measured is None or planned == measured:
        return None
    with book.transaction():
        book.connection.execute("UPDATE trial SET draft = NULL WHERE id = ?", (number,))
        cursor = book.connection.execute(
            f"INSERT INTO trial ({_KEPT}) SELECT {_KEPT} FROM trial WHERE id = ?", (number,)
        )
        kept = cursor.lastrowid
        assert kept is not None
        book.connection.execute("UPDATE trial SET draft = ? WHERE id = ?", (draft, kept))
        for table in ("fate", "reading", "outcome"):
            book.connection.execute(f"UPDATE {table} SET trial = ? WHERE trial = ?", (kept, number))
        book.connection.execute(
            "UPDATE edit SET item = ? WHERE item = ? AND subject IN ('trial', 'reading')",
            (kept, number),
        )
        book.connection.execute(
            "UPDATE trial SET state = 'planned', findings = NULL, verdict = NULL, measured = NULL,"
            " withdrawn = NULL, note = NULL WHERE id = ?",
            (number,),
        )
    return kept


# A trial's columns but its number and its draft.
_KEPT = (
    "test, state, printer, nozzle, spool, temperature_c, speed_mm_s, feed_rate_mm_s, through,"
    " instrument, settings, findings, verdict, planned, measured, withdrawn, note"
)


def bring_back(book: Logbook, number: int) -> State:
    """Make a withdrawn trial count again; returns the state it is in then.

    Raises:
        BadInput: no such trial, or not withdrawn.
    """
    with book.transaction() as moment:
        if trial(book, number).state != "withdrawn":
            raise BadInput(f"trial {number} is not withdrawn")
        book.connection.execute(
            "UPDATE trial SET withdrawn = NULL,"
            " state = CASE WHEN measured IS NULL THEN 'planned' ELSE 'measured' END WHERE id = ?",
            (number,),
        )
        _note_fate(book, moment, number, withdrawn=False)
        drop_done_plans(book.connection)
        return trial(book, number).state


def _note_fate(book: Logbook, moment: int, number: int, *, withdrawn: bool) -> None:
    book.connection.execute(
        "INSERT INTO fate (moment, trial, withdrawn) VALUES (?, ?, ?)", (moment, number, withdrawn)
    )


def record_steps(
    book: Logbook, moment: int, printer: Printer, steps_per_mm: float, *, read_off: bool = False
) -> None:
    """Record the e-steps a printer carries, known before any bench is chosen.

    ``read_off`` tells that they were read off it, and not typed in.
    """
    book.connection.execute(
        "INSERT INTO entry (moment, kind, value, printer, read_off) VALUES (?, 'esteps', ?, ?, ?)",
        (moment, steps_per_mm, printer.id, read_off),
    )


def record_entry(
    book: Logbook,
    setup: Setup,
    name: str,
    value: float,
    moment: int,
    opened_mm: float | None = None,
) -> None:
    """Record that ``value`` (in the unit of calculation) was typed in for this bench.

    ``opened_mm`` is what of it was opened for a fit, per side.
    """
    belongs_to = VALUES[name].scope
    columns = {column: owner for column, owner in scope_of(setup).items() if column in belongs_to}
    columns.setdefault("printer", setup.printer.id)
    book.connection.execute(
        f"INSERT INTO entry (moment, kind, value, opened_mm, {', '.join(columns)})"
        f" VALUES (?, ?, ?, ?{', ?' * len(columns)})",
        (moment, name, value, opened_mm, *columns.values()),
    )
