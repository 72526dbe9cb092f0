"""Witnesses beside the numbers of any trial: how a print looks, a note, a photo; they move none."""

import argparse
import os
from argparse import Namespace
from collections.abc import Sequence
from typing import Any

from metier.core.errors import BadInput
from metier.core.looks import LOOKS, looks_in, said_of_looks
from metier.logbook.book import Logbook
from metier.logbook.trials import Trial, latest_on
from metier.show.sheet import Sheet
from metier.trials.kind import Kind
from metier.trials.on_bench import OnBench
from metier.words.arguments import option, small_text

# What is looked at beside the kinds that have a part of their own; and those that are all words.
_LOOKED_AT, _OWN_WORDS = ("proof", "volumetric", "weigh"), ("heat", "fit")
# Among the newest of its kind, where the last note or photo is looked for.
_LOOKED_THROUGH = 5
_PHOTO = "photo: "


def add_witnesses(group: argparse._ArgumentGroup, kind: Kind[Any, Any, Any]) -> None:
    """Add the options of what is seen and kept beside the readings."""
    if (kind.printed and kind.name not in _OWN_WORDS) or kind.name in _LOOKED_AT:
        option(group, "--looks WORD …", f"how it looks: {', '.join(LOOKS)}", tuple(LOOKS))
    else:
        group.set_defaults(looks=())
    option(group, "--note TEXT", "a word to keep with it", small_text)
    if "--photo" not in group._option_string_actions:
        option(group, "--photo FILE", "where a picture of it lies")


def photo_at(path: str | None) -> str | None:
    """Return where a picture lies, from wherever it is looked for later.

    Raises:
        BadInput: there is none.
    """
    if path is not None and not os.path.isfile(path):
        raise BadInput(f"--photo: there is no file {path[:80]}")
    return path and os.path.abspath(path)


def witnessed(remarks: Sequence[str], options: Namespace, own_photo: bool) -> tuple[str, ...]:
    """Return what is said of a print with how it looks and where its picture is, if that is given;
    a kind with ``own_photo`` has the picture in its settings."""
    kept = with_looks(remarks, options.looks)
    if options.photo is None or own_photo:
        return kept
    others = (remark for remark in kept if not remark.startswith(_PHOTO))
    return (*others, f"{_PHOTO}{photo_at(options.photo)}")


def with_looks(remarks: Sequence[str], looks: Sequence[str] | None) -> tuple[str, ...]:
    """Return what is said of a print with how it looks, in the place of what was said before."""
    if not looks:
        return tuple(remarks)
    return (*(remark for remark in remarks if not looks_in([remark])), said_of_looks(looks))


def keep_note(book: Logbook, number: int, note: str | None) -> None:
    """Keep a word with a trial that was just recorded; to be called with the lock held."""
    if note:
        book.connection.execute("UPDATE trial SET note = ? WHERE id = ?", (note, number))


def write_last(sheet: Sheet, kind: Kind[Any, Any, Any], bench: OnBench, number: int | None) -> None:
    """Lay beside a trial what was noted at the last of its kind here, and where its picture is."""
    if bench.setup is None:
        return
    for before in latest_on(bench.book, bench.setup, kind.name, _LOOKED_THROUGH, number):
        photo = photo_of(before)
        told = [text for text in (before.note, photo and f"{_PHOTO}{photo}") if text]
        if told:
            sheet.note(f"trial {before.number}: {'; '.join(told)}", "last time")
            return


def photo_of(trial: Trial) -> str:
    """Return where the picture of a trial lies; empty where there is none."""
    kept = trial.settings.get("photo")
    remarks: Sequence[str] = trial.settings.get("remarks", ())
    said = next((text for text in remarks if text.startswith(_PHOTO)), "")
    return kept if isinstance(kept, str) else said.removeprefix(_PHOTO)
