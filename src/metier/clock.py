"""The one clock of the program, and times as the logbook stores them: UTC, ISO 8601.

It is asked as ``clock.now()``, by its module, so that tests can put another in its place.
"""

from datetime import UTC, date, datetime

from metier.core.errors import Failure


def now() -> datetime:
    """Return this moment, in UTC."""
    return datetime.now(UTC)


def stored(moment: datetime) -> str:
    """Return a moment as the logbook stores it, to the second.

    >>> stored(datetime(2026, 11, 23, 18, 30, tzinfo=UTC))
    '2026-11-23T18:30:00Z'
    """
    return moment.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def local_day(at: str) -> date:
    """Return the day, where this machine stands, that a stored moment fell on.

    Raises:
        Failure: it is none any more.
    """
    return stored_time(at).astimezone().date()


def stored_time(at: str) -> datetime:
    """Return a moment that was stored.

    Raises:
        Failure: it is none any more.
    """
    try:
        return datetime.fromisoformat(at)
    except ValueError:
        raise Failure(
            f"a time in the logbook is damaged ({at[:30]!r}): metier logbook check says where, "
            "metier logbook rescue saves the rest"
        ) from None
