"""``metier logbook``: where it lies, whether it is whole, and carrying it to another computer."""

import argparse
import json
import os
from typing import Any

from metier.core.refusal import Refusal
from metier.formats.whole_file import write_whole
from metier.logbook.check import problems
from metier.logbook.failure import damaged
from metier.logbook.location import locate
from metier.logbook.transfer import exported, import_into
from metier.trials.reading_back import unreadable_trials
from metier.words.parser import Actions, Answer, Parser, existing_logbook, logbook_to_write


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
    out.add_argument("file", metavar="FILE.json")
    out.add_argument("--force", action="store_true", help="write over a file that exists")
    into = actions.add(
        "import",
        "bring in an exported logbook; what both hold stays once",
        "  metier logbook import workshop.json",
    )
    into.add_argument("file", metavar="FILE.json")
    return top


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier logbook``."""
    return {"path": _path, "check": _check, "export": _export, "import": _import}[options.action](
        options
    )


def _path(options: argparse.Namespace) -> Answer:
    path = os.path.abspath(locate(options.logbook).path)
    return Answer({"path": path, "exists": os.path.exists(path)}, path)


def _check(options: argparse.Namespace) -> Answer:
    path = locate(options.logbook).path
    with existing_logbook(options.logbook) as book:
        found = problems(book)
        found += [] if found else unreadable_trials(book)
        counts = {
            name: book.connection.execute(f"SELECT count(*) FROM {name}").fetchone()[0]
            for name in ("printer", "spool", "trial", "reading", "entry")
        }
    if found:
        raise damaged(path, f"{found[0]}; {len(found)} in all")
    listed = ", ".join(
        f"{count} {name if count == 1 else PLURALS[name]}" for name, count in counts.items()
    )
    payload: dict[str, object] = {"path": os.path.abspath(path), "sound": True, "counts": counts}
    return Answer(payload, f"The logbook is sound: {listed}.")


PLURALS = {
    "printer": "printers",
    "spool": "spools",
    "trial": "trials",
    "reading": "readings",
    "entry": "entries",
}


def _export(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        document = exported(book)
    text = json.dumps(document, indent=1, ensure_ascii=False) + "\n"
    write_whole(options.file, text, overwrite=options.force)
    count = len(document["trials"])
    many = f"{count} trial{'' if count == 1 else 's'}"
    return Answer({"written": options.file, "trials": count}, f"Wrote {many} to {options.file}")


def _import(options: argparse.Namespace) -> Answer:
    document = _read(options.file)
    with logbook_to_write(options.logbook) as book:
        found = import_into(book, document, unreadable_trials)
    lines = [f"Imported {found.trials} new trials, {found.facts} new facts in all."]
    if found.renumbered:
        pairs = ", ".join(f"{old} is now {now}" for old, now in list(found.renumbered.items())[:8])
        lines.append(f"Numbers that were taken here: trial {pairs}.")
    payload = {"trials": found.trials, "facts": found.facts}
    renumbered = {str(old): now for old, now in found.renumbered.items()}
    return Answer({**payload, "renumbered": renumbered}, "\n".join(lines))


def _read(path: str) -> Any:
    try:
        with open(path, encoding="utf-8") as file:
            return json.load(file)
    except OSError as error:
        raise Refusal(f"cannot read {path}: {error.strerror}") from None
    except (ValueError, RecursionError):
        raise Refusal(f"{path} is not JSON: export a logbook with metier logbook export") from None
