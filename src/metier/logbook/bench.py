"""What is in use now, what is preferred there, and which steps are left out."""

import json
from typing import Any, Literal, NamedTuple

from metier.logbook.book import Logbook, Plain, plain, scalar
from metier.logbook.edits import edit, note_edit
from metier.logbook.items import by_id
from metier.logbook.machines import Nozzle, Printer, Spool

ShowFlow = Literal["percent", "multiplier"]


class Bench(NamedTuple):
    """What is on the bench; None where it was not chosen yet.

    ``speed_mm_s`` is that which walls are printed at, where somebody said it;
    ``flow_step_percent`` is what flow is rounded to and ``show_flow`` the form named first.
    """

    printer: Printer | None
    nozzle: Nozzle | None
    spool: Spool | None
    temperature_c: float | None
    flow_step_percent: float = 1.0
    show_flow: ShowFlow = "percent"
    speed_mm_s: float | None = None


class Setup(NamedTuple):
    """A bench complete enough to record on."""

    printer: Printer
    nozzle: Nozzle
    spool: Spool
    temperature_c: float | None

    @property
    def ids(self) -> tuple[int, int, int]:
        """Printer, nozzle and spool by their ids: a trial may teach something of one of them."""
        return self.printer.id, self.nozzle.id, self.spool.id


EMPTY = Bench(None, None, None, None)


def current_bench(book: Logbook) -> Bench:
    """Return the bench as it was last chosen."""
    row = book.connection.execute(
        "SELECT printer, nozzle, spool, temperature_c, flow_step_percent, show_flow,"
        " speed_mm_s FROM bench"
    ).fetchone()
    if row is None:
        return EMPTY
    printer, nozzle, spool, *rest = row
    return Bench(
        by_id(book, Printer, printer) if printer else None,
        by_id(book, Nozzle, nozzle) if nozzle else None,
        by_id(book, Spool, spool) if spool else None,
        *rest,
    )


def choose_bench(book: Logbook, moment: int, bench: Bench) -> None:
    """Make ``bench`` the current one, and remember what its roll is printed at."""
    book.connection.execute("INSERT INTO bench (id) VALUES (1) ON CONFLICT (id) DO NOTHING")
    written: dict[str, Plain] = {
        "flow_step_percent": bench.flow_step_percent,
        "show_flow": bench.show_flow,
    }
    edit(book, moment, "bench", 1, _on_it(bench) | written)
    if bench.spool and bench.temperature_c is not None:
        edit(book, moment, "spool", bench.spool.id, {"temperature_c": bench.temperature_c})


def bench_then(book: Logbook, until: str) -> Bench:
    """Return what was on the bench at a moment (UTC); what is on it now where nobody knows."""
    stood, bench = _stood(book, until), current_bench(book)
    if not all(stood.get(name) for name in ("printer", "nozzle", "spool")):
        return bench
    return bench._replace(
        printer=by_id(book, Printer, stood["printer"]),
        nozzle=by_id(book, Nozzle, stood["nozzle"]),
        spool=by_id(book, Spool, stood["spool"]),
        temperature_c=stood.get("temperature_c"),
        speed_mm_s=stood.get("speed_mm_s"),
    )


def _stood(book: Logbook, until: str) -> dict[str, Any]:
    """Return what had been chosen until a moment, by its columns."""
    rows = book.connection.execute(
        "SELECT field, now FROM edit JOIN moment ON moment.id = edit.moment"
        " WHERE subject = 'bench' AND undone IS NULL AND at <= ? ORDER BY edit.moment",
        (until,),
    )
    return {field: scalar(book, now) for field, now in rows}


def choose_late(book: Logbook, moment: int, bench: Bench, at: str) -> bool:
    """Note what was on the bench from a day in the past on, at a moment that is put there next.

    Tells whether it is on it today, too: not where anything was chosen since.
    """
    since = book.connection.execute(
        "SELECT edit.moment, field FROM edit JOIN moment ON moment.id = edit.moment"
        " WHERE subject = 'bench' AND undone IS NULL AND at > ? ORDER BY edit.moment",
        (at,),
    ).fetchall()
    if not since:
        choose_bench(book, moment, bench)
        return True
    today, before = _on_it(current_bench(book)), _stood(book, at)
    for field, then in _on_it(bench).items():
        if then == before.get(field):
            continue
        note_edit(book, moment, "bench", 1, field, before.get(field), then)
        # What was chosen next was a whole bench, whatever of it was another.
        if then != today[field] and field not in {column for _, column in since}:
            note_edit(book, since[0][0], "bench", 1, field, then, today[field])
    return False


def _on_it(bench: Bench) -> dict[str, Plain]:
    return {
        "printer": bench.printer and bench.printer.id,
        "nozzle": bench.nozzle and bench.nozzle.id,
        "spool": bench.spool and bench.spool.id,
        "temperature_c": bench.temperature_c,
        "speed_mm_s": bench.speed_mm_s,
    }


def setup(bench: Bench) -> Setup | None:
    """Return the bench if printer, nozzle and spool are all chosen."""
    if bench.printer is None or bench.nozzle is None or bench.spool is None:
        return None
    return Setup(bench.printer, bench.nozzle, bench.spool, bench.temperature_c)


def setup_of(book: Logbook, number: int) -> Setup:
    """Return the bench that a trial was made on."""
    printer, nozzle, spool, temperature_c = book.row(
        "SELECT printer, nozzle, spool, temperature_c FROM trial WHERE id = ?", number
    )
    return Setup(
        by_id(book, Printer, printer),
        by_id(book, Nozzle, nozzle),
        by_id(book, Spool, spool),
        temperature_c,
    )


# One value, or several that belong together.
Preferred = Plain | list[float]


class Preference(NamedTuple):
    """A preferred value, and the roll whose filament it is for; None for all filament."""

    value: Preferred
    spool: str | None


def keep_preference(
    book: Logbook, moment: int, test: str, name: str, value: Preferred, spool: int | None
) -> None:
    """Remember what is preferred from now on."""
    book.connection.execute(
        "INSERT OR REPLACE INTO preference (moment, test, name, spool, value)"
        " VALUES (?, ?, ?, ?, ?)",
        (moment, test, name, spool, json.dumps(value)),
    )


def preferences(book: Logbook, setup: Setup | None, test: str) -> dict[str, Preference]:
    """Return what is preferred for a test on this bench, the last of each name.

    What is for a filament counts for its maker and material, whatever the roll.
    """
    spool = setup and setup.spool
    rows = book.connection.execute(
        "SELECT preference.name, value, spool.name FROM preference"
        " LEFT JOIN spool ON spool.id = preference.spool"
        " WHERE test = ? AND withdrawn IS NULL AND (preference.spool IS NULL OR spool.id = ?"
        " OR (spool.material = ? COLLATE NOCASE AND spool.maker = ? COLLATE NOCASE))"
        " ORDER BY moment",
        (test, spool and spool.id, spool and spool.material, spool and spool.maker),
    )
    return {name: Preference(plain(book, value), of) for name, value, of in rows}


def skip_step(book: Logbook, setup: Setup, step: str, stood: str) -> None:
    """Remember that a step is skipped as long as it stands as it does now."""
    with book.transaction(marked=False):
        book.connection.execute(
            "INSERT OR REPLACE INTO skip (printer, nozzle, spool, step, stood)"
            " VALUES (?, ?, ?, ?, ?)",
            (setup.printer.id, setup.nozzle.id, setup.spool.id, step, stood),
        )


def skipped_steps(book: Logbook, setup: Setup) -> dict[str, str]:
    """Return the steps that were skipped on this bench, and how each stood then."""
    rows = book.connection.execute(
        "SELECT step, stood FROM skip WHERE printer = ? AND nozzle = ? AND spool = ?",
        (setup.printer.id, setup.nozzle.id, setup.spool.id),
    )
    return dict(rows.fetchall())
