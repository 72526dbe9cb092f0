"""``metier logbook``: where it lies, whether it is whole, and carrying it to another computer."""

import json
import os
from argparse import Namespace
from functools import partial

from metier.bar import progress_bar
from metier.core.errors import BadInput
from metier.logbook.book import Logbook
from metier.logbook.check import problems
from metier.logbook.document import exported, read_document
from metier.logbook.location import damaged, locate
from metier.logbook.merge import import_into
from metier.logbook.opening import is_older_copy
from metier.show.sheet import wrapped
from metier.trials.judging import differing_trials, judge_touched, unreadable_trials
from metier.whole_file import check_target, write_whole
from metier.words.arguments import option
from metier.words.parser import (
    Actions,
    Answer,
    Parser,
    add_written_file,
    existing_logbook,
    logbook_to_write,
)

_LARGEST_BYTES = 200_000_000
_MANY_TRIALS = 200


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
        "import": _import,
    }
    return actions[options.action](options)


def _path(options: Namespace) -> Answer:
    path = os.path.abspath(locate(options.logbook).path)
    return Answer({"path": path, "exists": os.path.exists(path)}, path)


def _check(options: Namespace) -> Answer:
    path = locate(options.logbook).path
    with existing_logbook(options.logbook) as book, book.snapshot():
        trouble = problems(book)
        trouble += [] if trouble else unreadable_trials(book)
        differ = [] if trouble else differing_trials(book)
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
    if differ:
        named = ", ".join(str(number) for number in differ[:12])
        more = " …" if len(differ) > 12 else ""
        learnt = f"judged otherwise today, by what was learnt since: {named}{more}."
        text += "\n" + "\n".join(wrapped(learnt, "Trials that would be ", ""))
    return Answer(payload, text)


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
    with _logbook_there(options) as book:
        check_target(options.file, overwrite=options.force)
        with book.snapshot():
            document = exported(book)
    text = json.dumps(document, indent=1, ensure_ascii=False) + "\n"
    write_whole(options.file, text, overwrite=options.force)
    count = len(document["trials"])
    many = f"{count} trial{'' if count == 1 else 's'}"
    return Answer({"written": options.file, "trials": count}, f"Wrote {many} to {options.file}")


def _backup(options: Namespace) -> Answer:
    with _logbook_there(options) as book:
        older = is_older_copy(book, options.file)
        write_whole(options.file, book.copied(), overwrite=options.force, over_copy=older)
        count = book.connection.execute("SELECT count(*) FROM trial").fetchone()[0]
    text = f"Copied {count} trial{'' if count == 1 else 's'} to {options.file}"
    return Answer({"written": options.file, "trials": count}, text)


def _import(options: Namespace) -> Answer:
    document = read_document(_text(options.file))
    with (
        logbook_to_write(options.logbook) as book,
        progress_bar("judging", _MANY_TRIALS) as progress,
    ):
        imported = import_into(book, document, partial(judge_touched, progress=progress))
    lines = [f"Imported {imported.trials} new trials, {imported.facts} new facts in all."]
    if imported.renumbered:
        pairs = ", ".join(f"{old} is now {now}" for old, now in imported.renumbered.items())
        lines += wrapped(f"Numbers that were taken here: trial {pairs}.", "", "  ")
    if imported.renamed:
        pairs = ", ".join(f"{old} is {now} here" for old, now in imported.renamed.items())
        lines += wrapped(f"Others of the same name were there already: {pairs}.", "", "  ")
    payload = {"trials": imported.trials, "facts": imported.facts, "renamed": imported.renamed}
    renumbered = {str(old): now for old, now in imported.renumbered.items()}
    return Answer({**payload, "renumbered": renumbered}, "\n".join(lines))


def _text(path: str) -> str:
    """Return what is in a file to import.

    Raises:
        BadInput: it cannot be read, is no text, or larger than any logbook.
    """
    try:
        if not os.path.isfile(path):
            os.stat(path)
            raise BadInput(f"{path} is no regular file: name an exported logbook")
        if os.path.getsize(path) > _LARGEST_BYTES:
            many = f"{_LARGEST_BYTES // 1_000_000} MB"
            raise BadInput(f"{path} is larger than {many}: that is no logbook")
        with open(path, encoding="utf-8") as file:
            return file.read()
    except OSError as error:
        raise BadInput(f"cannot read {path}: {error.strerror}") from None
    except UnicodeDecodeError:
        raise BadInput(f"{path} is no text: export a logbook with metier logbook export") from None
