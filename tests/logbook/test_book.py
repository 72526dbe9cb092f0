"""A logbook that is not one, is damaged, read-only, locked or newer: one line, nothing written."""

import sqlite3

import platformdirs
import pytest

from metier.logbook import opening
from metier.logbook.location import locate
from metier.logbook.opening import open_existing, open_or_make
from metier.logbook.schema import APPLICATION_ID, MIGRATIONS, VERSION

ADD = "printer add wren --nozzle 0.8 --steps 412"


def foreign(path):
    with sqlite3.connect(path) as connection:
        connection.execute("CREATE TABLE recipe (name TEXT)")
    connection.close()


def with_pragma(pragma):
    """Return what makes a whole logbook that says something else of itself."""

    def spoil(path):
        open_or_make(str(path)).connection.close()
        with sqlite3.connect(path) as connection:
            connection.execute(f"PRAGMA {pragma}")
        connection.close()

    return spoil


def torn(path):
    open_or_make(str(path)).connection.close()
    data = bytearray(path.read_bytes())
    data[100 : len(data) : 7] = b"\xaa" * len(data[100 : len(data) : 7])
    path.write_bytes(data)


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (lambda path: path.write_bytes(b"not a database at all, " * 50), "not a Metier logbook"),
        (foreign, "not a Metier logbook"),
        (with_pragma(f"user_version = {VERSION + 1}"), "newer Metier"),
        (with_pragma("user_version = 0"), "damaged (it says it is of version 0)"),
        (with_pragma("user_version = -1"), "damaged (it says it is of version -1)"),
        (with_pragma("application_id = 77"), "not a Metier logbook"),
        (with_pragma("application_id = 0"), "not a Metier logbook"),
        (torn, "damaged"),
    ],
)
@pytest.mark.parametrize("command", [ADD, "profile", "history", "flow --read 0.47"])
def test_a_file_that_cannot_be_used_is_left_as_it_is(metier, spoil, said, command):
    spoil(metier.logbook)
    before = metier.logbook.read_bytes()
    assert said in metier.refuses(command, status=1)
    assert metier.logbook.read_bytes() == before


def test_a_read_only_logbook_is_read_but_not_written(heron):
    heron.json(
        "flow --width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --read 1.54 1.53"
    )
    heron.logbook.chmod(0o444)
    before = heron.logbook.read_bytes()
    assert heron.json("profile")["values"]["flow"]["status"] == "advised"
    for command in (ADD, "entered flow 92", "flow --read 1.50 1.51", "undo"):
        assert "read-only" in heron.refuses(command, status=1)
    assert heron.logbook.read_bytes() == before


def test_a_logbook_held_for_long_is_given_up_on(heron, monkeypatch):
    holder = sqlite3.connect(heron.logbook, isolation_level=None)
    holder.execute("BEGIN IMMEDIATE")
    # Who only reads does not wait.
    assert heron.json("history")["trials"] == []
    monkeypatch.setattr(opening, "LOCK_TIMEOUT_S", 0.5)
    assert "another program is using" in heron.refuses("entered flow 92", status=1)
    holder.execute("ROLLBACK")
    holder.close()
    assert heron.json("entered flow 92")["entered"][0]["value"] == 92


def test_a_folder_and_a_missing_folder_are_refused(metier):
    assert "is a folder" in metier.refuses(f"{ADD} --logbook {metier.folder}")
    assert "no folder" in metier.refuses(f"{ADD} --logbook {metier.folder}/none/logbook.sqlite")
    assert not (metier.folder / "none").exists()


def test_a_failure_in_the_middle_of_a_transaction_leaves_nothing(tmp_path):
    with open_or_make(str(tmp_path / "logbook.sqlite")) as book:

        def fail():
            with book.transaction() as moment:
                book.connection.execute(
                    "INSERT INTO printer (name, decimals, added) VALUES ('heron', 2, ?)", (moment,)
                )
                raise KeyboardInterrupt

        with pytest.raises(KeyboardInterrupt):
            fail()
        counts = book.connection.execute(
            "SELECT (SELECT count(*) FROM printer), (SELECT count(*) FROM moment)"
        ).fetchone()
    assert counts == (0, 0)


def test_an_older_logbook_is_brought_up_to_date_and_keeps_what_it_holds(tmp_path, monkeypatch):
    path = tmp_path / "logbook.sqlite"
    with open_or_make(str(path)) as book, book.transaction() as moment:
        book.connection.execute(
            "INSERT INTO printer (name, decimals, added) VALUES ('heron', 2, ?)", (moment,)
        )
    later = (*MIGRATIONS, "ALTER TABLE printer ADD COLUMN motto TEXT;\nCREATE TABLE more (id INT);")
    monkeypatch.setattr(opening, "MIGRATIONS", later)
    monkeypatch.setattr(opening, "VERSION", len(later))
    with open_existing(str(path)) as book:
        assert book.connection.execute("SELECT name, motto FROM printer").fetchall() == [
            ("heron", None)
        ]
        assert book.connection.execute("PRAGMA user_version").fetchone() == (len(later),)
    # A step that fails takes the whole of its migration back.
    broken = (*later, "CREATE TABLE late (id INT);\nCREATE TABLE more (id INT);")
    monkeypatch.setattr(opening, "MIGRATIONS", broken)
    monkeypatch.setattr(opening, "VERSION", len(broken))
    with pytest.raises(sqlite3.OperationalError):
        open_existing(str(path))
    with sqlite3.connect(path) as connection:
        assert connection.execute("PRAGMA user_version").fetchone() == (len(later),)
        assert not connection.execute("SELECT 1 FROM sqlite_schema WHERE name = 'late'").fetchall()
    connection.close()


def test_a_new_logbook_is_marked_strict_and_write_ahead(tmp_path):
    with open_or_make(str(tmp_path / "odd ?#% name.sqlite")) as book:
        one = book.connection.execute
        assert one("PRAGMA application_id").fetchone() == (APPLICATION_ID,)
        assert one("PRAGMA journal_mode").fetchone() == ("wal",)
        assert one("PRAGMA foreign_keys").fetchone() == (1,)
        loose = one(
            "SELECT name FROM pragma_table_list WHERE schema = 'main' AND strict = 0"
            " AND name NOT LIKE 'sqlite%'"
        ).fetchall()
    assert loose == []
    assert (tmp_path / "odd ?#% name.sqlite").exists()


def test_an_empty_file_becomes_a_logbook(metier):
    metier.logbook.touch()
    assert metier.json("history")["trials"] == []
    metier.json(ADD)
    assert metier.json("printer list")["printers"][0]["name"] == "wren"


def test_where_the_logbook_lies(monkeypatch, tmp_path):
    monkeypatch.setenv("METIER_LOGBOOK", "named.sqlite")
    assert locate("given.sqlite") == ("given.sqlite", False)
    assert locate(None) == ("named.sqlite", False)
    monkeypatch.delenv("METIER_LOGBOOK")
    for value in ("", "relative", str(tmp_path)):
        monkeypatch.setenv("XDG_DATA_HOME", value)
        folder = platformdirs.user_data_dir("metier", appauthor=False)
        if value != "relative":
            assert locate(None) == (f"{folder}/logbook.sqlite", True)
        assert locate(None).own_folder


def test_the_users_own_folder_is_made_at_need(metier):
    environment = {"METIER_LOGBOOK": ""}
    assert metier("history", **environment).status == 0
    assert not (metier.folder / "data").exists()
    assert metier(ADD, **environment).status == 0
    assert (metier.folder / "data/metier/logbook.sqlite").exists()
