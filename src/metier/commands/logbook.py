"""``metier logbook``: where it lies, whether it is whole, and carrying it to another computer."""

import os
from argparse import Namespace
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial

from metier.bar import progress_bar
from metier.core.errors import BadInput
from metier.logbook.book import Logbook
from metier.logbook.check import problems
from metier.logbook.document import written
from metier.logbook.document_read import Document
from metier.logbook.location import LogbookFailure, damaged, locate
from metier.logbook.merge import import_into
from metier.logbook.opening import is_older_copy, open_existing
from metier.logbook.rescue import rescue
from metier.show.sheet import wrapped
from metier.trials.judging import (
    differing_trials,
    judge_brought,
    judge_by_readings,
    unreadable_trials,
)
from metier.whole_file import check_target, spare, write_whole
from metier.words.arguments import option
from metier.words.parser import (
    Actions,
    Answer,
    Parser,
    add_written_file,
    existing_logbook,
    logbook_to_write,
)

_LARGEST_BYTES = 1_000_000_000
_MANY_TRIALS = 200
# Older trials bear on little, and all of a long logbook would take minutes.
_NEWEST = 300


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier logbook", "The logbook itself: where it lies, check, export, import.")
    actions = Actions(top)
    actions.add("path", "print where the logbook lies", "  metier logbook path")
    actions.add("check", "verify the file", "  metier logbook check")
    out = actions.add(
        "export",
        "write all that the logbook holds to a JSON file",
        "  metier logbook export workshop.json",
    )
    add_written_file(out, "FILE.json")
    copy = actions.add(
        "backup",
        "copy the logbook as it is now, while others write to it",
        "  metier logbook backup workshop-november.sqlite",
    )
    add_written_file(copy, "FILE.sqlite")
    saved = actions.add(
        "rescue",
        "copy what can be read of a damaged logbook into a new one",
        "  metier logbook rescue workshop-rescued.sqlite",
    )
    option(saved, "file FILE.sqlite")
    into = actions.add(
        "import",
        "bring in an exported logbook; what both hold stays once",
        "  metier logbook import workshop.json",
    )
    option(into, "file FILE.json")
    return top


def run(options: Namespace) -> Answer:
    """Run ``metier logbook``."""
    actions = {
        "path": _path,
        "check": _check,
        "export": _export,
        "backup": _backup,
        "rescue": _rescue,
        "import": _import,
    }
    return actions[options.action](options)


def _path(options: Namespace) -> Answer:
    path = os.path.abspath(locate(options.logbook).path)
    return Answer({"path": path, "exists": os.path.exists(path)}, path)


def _check(options: Namespace) -> Answer:
    path = locate(options.logbook).path
    with existing_logbook(options.logbook) as book, book.snapshot():
        trouble = _wrong_in(book)
        differ = [] if trouble else differing_trials(book, _NEWEST)
        counts = {
            name: book.connection.execute(f"SELECT count(*) FROM {name}").fetchone()[0]
            for name in ("printer", "spool", "trial", "reading", "entry")
        }
    if trouble:
        raise damaged(path, f"{trouble[0]}; {len(trouble)} in all")
    listed = ", ".join(
        f"{count} {name if count == 1 else PLURALS[name]}" for name, count in counts.items()
    )
    payload: dict[str, object] = {
        "path": os.path.abspath(path),
        "sound": True,
        "counts": counts,
        "differ": differ,
    }
    text = "\n".join(wrapped(f"{listed}.", "The logbook is sound: ", ""))
    if counts["trial"] > _NEWEST:
        text += f"\nThe newest {_NEWEST:,} were judged once more."
    if differ:
        named = ", ".join(str(number) for number in differ[:12])
        more = " …" if len(differ) > 12 else ""
        learnt = f"judged otherwise today, by what was learnt since: {named}{more}."
        text += "\n" + "\n".join(wrapped(learnt, "Trials that would be ", ""))
    return Answer(payload, text)


def _wrong_in(book: Logbook) -> list[str]:
    return [*unreadable_trials(book), *problems(book)]


def damage_of(path: str) -> LogbookFailure | None:
    """Return what is wrong with the file of a logbook; None where nothing is."""
    try:
        with open_existing(path, to_read=True) as book, book.snapshot():
            trouble = _wrong_in(book)
    except LogbookFailure as failure:
        return failure
    return damaged(path, trouble[0]) if trouble else None


PLURALS = {
    "printer": "printers",
    "spool": "spools",
    "trial": "trials",
    "reading": "readings",
    "entry": "entries",
}


def _logbook_there(options: Namespace) -> Logbook:
    """Open the logbook.

    Raises:
        BadInput: there is none.
    """
    path = locate(options.logbook).path
    if not os.path.exists(path):
        raise BadInput(f"there is no logbook {path}: nothing was written")
    return existing_logbook(options.logbook)


def _export(options: Namespace) -> Answer:
    with _logbook_there(options) as book, book.snapshot():
        write_whole(options.file, written(book), overwrite=options.force)
        count = book.connection.execute("SELECT count(*) FROM trial").fetchone()[0]
    many = f"{count} trial{'' if count == 1 else 's'}"
    return Answer({"written": options.file, "trials": count}, f"Wrote {many} to {options.file}")


def _backup(options: Namespace) -> Answer:
    with _logbook_there(options) as book:
        older = is_older_copy(book, options.file)
        write_whole(options.file, book.copied(), overwrite=options.force, over_copy=older)
        count = book.connection.execute("SELECT count(*) FROM trial").fetchone()[0]
    text = f"Copied {count} trial{'' if count == 1 else 's'} to {options.file}"
    return Answer({"written": options.file, "trials": count}, text)


def _rescue(options: Namespace) -> Answer:
    check_target(options.file, overwrite=False)
    path = locate(options.logbook).path
    spare(path)
    rescued = rescue(path, options.file, judge_by_readings)
    count = rescued.copied["trial"]
    lines = [f"Rescued {count} trial{'' if count == 1 else 's'} to {options.file}"]
    for table, lost in rescued.lost.items():
        for what in lost[:_MOST_TOLD]:
            lines += wrapped(f"{table} {what}", "  lost      ", " " * 12)
        if len(lost) > _MOST_TOLD:
            more = f"{len(lost) - _MOST_TOLD} more {PLURALS.get(table, table)}"
            lines.append(f"  lost      {more}")
    if rescued.judged:
        numbers = ", ".join(map(str, rescued.judged))
        lines += wrapped(f"trial {numbers}: by their readings", "  judged    ", " " * 12)
    if not rescued.lost:
        lines.append("  lost      nothing")
    return Answer({"written": options.file, **rescued._asdict()}, "\n".join(lines))


# The others are counted, and all of them stand in JSON.
_MOST_TOLD = 8


def _import(options: Namespace) -> Answer:
    with (
        _document(options.file) as document,
        logbook_to_write(options.logbook) as book,
        progress_bar("judging", _MANY_TRIALS) as progress,
    ):
        imported = import_into(book, document, partial(judge_brought, progress=progress))
    trials, facts = (
        f"{count} new {word}{'' if count == 1 else 's'}"
        for count, word in ((imported.trials, "trial"), (imported.facts, "fact"))
    )
    lines = [f"Imported {trials}, {facts} in all."]
    if imported.renumbered:
        pairs = ", ".join(f"{old} is now {now}" for old, now in imported.renumbered.items())
        lines += wrapped(f"Numbers that were taken here: trial {pairs}.", "", "  ")
    if imported.renamed:
        pairs = ", ".join(f"{old} is {now} here" for old, now in imported.renamed.items())
        lines += wrapped(f"Others of the same name were there first: {pairs}.", "", "  ")
    if imported.renamed_here:
        pairs = ", ".join(f"{old} is {now} now" for old, now in imported.renamed_here.items())
        lines += wrapped(f"Others of the same name came that are older: {pairs}.", "", "  ")
    for printer, words in imported.steering.items():
        came = f"{printer} came with its own {' and '.join(_STEERING[word] for word in words)}"
        look = f"look at it before you print: metier printer show {printer}"
        lines += wrapped(f"{came}: {look}", "", "  ")
    renumbered = {str(old): now for old, now in imported.renumbered.items()}
    payload = {**imported._asdict(), "renumbered": renumbered}
    return Answer(payload, "\n".join(lines))


_STEERING = {"start": "start G-code", "end": "end G-code", "port": "port"}


@contextmanager
def _document(path: str) -> Iterator[Document]:
    """Open a file to import.

    Raises:
        BadInput: it cannot be read, is no file, or larger than any logbook.
    """
    try:
        if not os.path.isfile(path):
            os.stat(path)
            raise BadInput(f"{path} is no regular file: name an exported logbook")
        if os.path.getsize(path) > _LARGEST_BYTES:
            many = f"{_LARGEST_BYTES // 1_000_000} MB"
            raise BadInput(f"{path} is larger than {many}: that is no logbook")
        file = open(path, "rb")  # noqa: SIM115 (held on to)
    except OSError as error:
        raise BadInput(f"cannot read {path}: {error.strerror}") from None
    with file:
        yield Document(file)
