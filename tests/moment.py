"""The moment and the zone that the tests run at, whatever the day is.

The program's one clock is put ahead or back by a fixed time, so that it goes on as clocks do; a
process of its own is started by this file as a script, which does the same in there.
"""

import os
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime, timedelta

from metier import clock

# That of the pages' examples, and of all tests where no other is asked for.
FIRST = datetime(2026, 11, 30, 15, 0, tzinfo=UTC)
_ahead = timedelta(0)


def now() -> datetime:
    """Return the moment that the tests are at."""
    return datetime.now(UTC) + _ahead


def today() -> date:
    """Return the local day that the tests are at."""
    return now().astimezone().date()


def go_to(moment: datetime) -> None:
    """Put the program's clock to a moment, from where it goes on."""
    _put_ahead(moment - datetime.now(UTC))


def _put_ahead(ahead: timedelta) -> None:
    global _ahead
    _ahead = ahead
    clock.now = now


def set_zone(zone: str | None) -> None:
    """Go to another time zone; to that of the machine where there is none."""
    if zone is None:
        os.environ.pop("TZ", None)
    else:
        os.environ["TZ"] = zone
    time.tzset()


@contextmanager
def at(moment: datetime, zone: str | None = None) -> Iterator[None]:
    """Be at another moment, and in another zone where one is named."""
    ahead, before = _ahead, os.environ.get("TZ")
    go_to(moment)
    set_zone(zone or before)
    try:
        yield
    finally:
        _put_ahead(ahead)
        set_zone(before)


def program(*words: str | bytes) -> list[str | bytes]:
    """Return how the program is started as a process, at the moment that the tests are at."""
    # -P: a file beside this one must not pass for a module.
    at = (str(_ahead.total_seconds()), os.environ.get("TZ", ""))
    return [sys.executable, "-P", __file__, *at, *words]


if __name__ == "__main__":
    _put_ahead(timedelta(seconds=float(sys.argv.pop(1))))
    zone = sys.argv.pop(1)
    set_zone(os.environ.get("TZ") or zone or None)
    from metier.__main__ import program as run

    run()
