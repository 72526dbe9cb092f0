"""Times as the logbook stores them: UTC, ISO 8601."""

from datetime import datetime

from metier.core.errors import Failure


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
