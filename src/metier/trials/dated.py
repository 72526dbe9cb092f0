"""Days that somebody names: when something was measured or typed in that is told only now."""

import argparse
from collections.abc import Sequence
from datetime import UTC, datetime

from metier import clock
from metier.clock import local_day, stored, stored_time
from metier.core.errors import BadInput
from metier.logbook.bench import bench_then, setup
from metier.logbook.book import Logbook
from metier.logbook.edits import note_edit
from metier.trials.on_bench import OnBench


def past_moment(text: str) -> str:
    """Read a local day, or a day and a time, as a moment in UTC; a day as its noon.

    Raises:
        ArgumentTypeError: it is no day, or still to come.
    """
    for form in ("%Y-%m-%d %H:%M", "%Y-%m-%dT%H:%M", "%Y-%m-%d"):
        try:
            local = datetime.strptime(text.strip(), form)
        except ValueError:
            continue
        noon = local.replace(hour=12) if form == "%Y-%m-%d" else local
        try:
            at = noon.astimezone(UTC)
        except (OverflowError, ValueError, OSError):
            break
        # A trial of this morning, told at this morning, is no trial of the future.
        return stored(min(at, clock.now())) if _is_today(noon) else _past(at)
    raise argparse.ArgumentTypeError(
        f"{text!r} is no day: write 2026-11-23, or with 18:30 after it"
    )


def bench_at(book: Logbook, at: str) -> OnBench:
    """Return the bench of a day or a moment in the past, as far as it is known; else today's.

    A day is told as its noon: what was chosen in the course of it counts.
    """
    local = stored_time(at).astimezone()
    if local.strftime("%H:%M") == "12:00" or _is_today(local):
        local = local.replace(hour=23, minute=59, second=59)
    bench = bench_then(book, stored(local))
    return OnBench(book, bench, setup(bench))


def _is_today(local: datetime) -> bool:
    return local.date() == clock.now().astimezone().date()


def _past(at: datetime) -> str:
    if at > clock.now():
        raise argparse.ArgumentTypeError(f"{at:%Y-%m-%d} is still to come")
    return stored(at)


def refuse_before_plan(book: Logbook, number: int, at: str) -> None:
    """Refuse a day on which a trial was not even planned.

    Raises:
        BadInput: it was planned later.
    """
    (before,) = book.row(
        "SELECT moment.at FROM trial JOIN moment ON moment.id = planned WHERE trial.id = ?", number
    )
    if at < before:
        raise BadInput(f"trial {number} was planned {local_day(before)}: give a later day")


def told_late(book: Logbook, moment: int, at: str) -> list[int]:
    """Put what was just recorded at the day it is of; as `put_back`."""
    return put_back(book, [(moment, at)])


def put_back(book: Logbook, dated: Sequence[tuple[int, str]]) -> list[int]:
    """Put moments that were just recorded at the days they are of; to be called with the lock
    held, last.

    Returns the trials since then that say something else by it.
    """
    if not dated:
        return []
    # Rare, and slow to load.
    from metier.logbook.check import put_at
    from metier.trials.judging import judge_mended

    # A moment's place is another one once any is put back; its uid stays.
    uids = [(str(book.row("SELECT uid FROM moment WHERE id = ?", moment)[0]), at)
            for moment, at in dated]  # fmt: skip
    for uid, at in uids:
        moment = _placed(book, uid)
        (told,) = book.row("SELECT at FROM moment WHERE id = ?", moment)
        note_edit(book, moment, "moment", moment, "at", told, at)
        put_at(book.connection, moment, at)
    first = min(_placed(book, uid) for uid, _ in uids)
    rows = book.connection.execute("SELECT id FROM trial WHERE measured >= ?", (first,))
    return judge_mended(book, {number for (number,) in rows})


def _placed(book: Logbook, uid: str) -> int:
    (moment,) = book.connection.execute("SELECT id FROM moment WHERE uid = ?", (uid,)).fetchone()
    return int(moment)
