"""Which trials of two copies are one: by the moments at which they were planned and measured."""

import sqlite3
from collections.abc import Iterable

Moments = tuple[int | None, int | None]


class KnownTrials:
    """The trials here, by the moments they were planned and measured at.

    ``brought`` are those of the copy that comes in, in the moments of this logbook. A plan of which
    it has a measured trial, too, waits again there: what was measured was taken back.
    """

    def __init__(self, connection: sqlite3.Connection, brought: Iterable[Moments]) -> None:
        self._known: dict[int, dict[int | None, int]] = {}
        for number, planned, measured in connection.execute(
            "SELECT id, planned, measured FROM trial"
        ):
            self.add(planned, measured, number)
        waiting, done = set[int | None](), set[int | None]()
        for planned, measured in brought:
            (waiting if measured is None else done).add(planned)
        self._again = waiting & done

    def add(self, planned: int, measured: int | None, number: int) -> None:
        """Note a trial that is here."""
        self._known.setdefault(planned, {})[measured] = number

    def same(self, planned: int, measured: int | None) -> int | None:
        """Return the trial here that it is: the same, or that which its plan became meanwhile."""
        there = self._known.get(planned, {})
        if measured in there:
            return there[measured]
        if measured is None and there and planned not in self._again:
            return min(there.values())
        return None

    def became(self, planned: int) -> int | None:
        """Return the plan here that was measured there, which waits no more."""
        there = self._known.get(planned, {})
        return None if planned in self._again else there.pop(None, None)


def drop_done_plans(connection: sqlite3.Connection) -> None:
    """Drop plans that waited again, once a trial of the same plan counts."""
    connection.execute(
        "DELETE FROM trial WHERE state = 'planned' AND EXISTS (SELECT 1 FROM trial AS done"
        " WHERE done.planned = trial.planned AND done.state = 'measured')"
    )
    connection.execute("DELETE FROM fate WHERE trial NOT IN (SELECT id FROM trial)")
    connection.execute(
        "DELETE FROM edit WHERE subject = 'trial' AND item NOT IN (SELECT id FROM trial)"
    )
