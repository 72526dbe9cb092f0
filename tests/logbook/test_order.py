"""A moment that gets another time goes where that belongs, and all that refers to it goes along."""

import pytest

from metier.logbook.check import put_at
from metier.logbook.opening import open_or_make

DAYS = ["2026-11-01", "2026-11-05", "2026-11-09"]


@pytest.fixture
def book(tmp_path):
    with open_or_make(str(tmp_path / "logbook.sqlite")) as book, book.transaction(marked=False):
        for number, day in enumerate(DAYS, 1):
            moment = book.moment()
            book.connection.execute(
                "UPDATE moment SET at = ? WHERE id = ?", (f"{day}T12:00:00Z", moment)
            )
            book.connection.execute(
                "INSERT INTO printer (name, decimals, added) VALUES (?, 2, ?)",
                (f"printer {number}", moment),
            )
        yield book


@pytest.mark.parametrize(
    ("day", "order"),
    [
        ("2026-10-01", [1, 2, 3]),
        ("2026-11-07", [2, 1, 3]),
        ("2026-11-09", [2, 3, 1]),
        ("2026-12-01", [2, 3, 1]),
    ],
)
def test_it_goes_before_the_first_that_is_later(book, day, order):
    put_at(book.connection, 1, f"{day}T12:00:00Z")
    rows = book.connection.execute(
        "SELECT name FROM printer JOIN moment ON moment.id = added ORDER BY moment.id"
    )
    assert [row[0] for row in rows] == [f"printer {number}" for number in order]
    times = [row[0] for row in book.connection.execute("SELECT at FROM moment ORDER BY id")]
    assert times == sorted(times)
