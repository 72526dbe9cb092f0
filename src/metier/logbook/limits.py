"""The volumetric limits that the logbook knows, by nozzle, hot end, filament and temperature."""

from typing import NamedTuple

from metier.core.standing import Status
from metier.logbook.bench import Setup
from metier.logbook.book import Logbook
from metier.logbook.inforce import own_standing
from metier.logbook.machines import Printer, nozzle_by_id, printer_by_id
from metier.logbook.spools import Spool, spool_by_id


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
    found = []
    for printer_id, nozzle_id, spool_id, temperature_c in rows.fetchall():
        setup = Setup(
            printer_by_id(book, printer_id),
            nozzle_by_id(book, nozzle_id),
            spool_by_id(book, spool_id),
            temperature_c,
        )
        known = _known(book, setup)
        if known:
            found.append(known)
    return sorted(found, key=lambda known: -known.limit_mm3_s)


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
