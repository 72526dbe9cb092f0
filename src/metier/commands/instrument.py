"""``metier instrument``: calipers, rulers, micrometers, their zero and their accuracy."""

import argparse

from metier.commands.machine import (
    add_common_actions,
    add_listing,
    add_note,
    mend,
    mended_rows,
    run_action,
)
from metier.core.measure.gauge import GaugeCheck, check_against
from metier.core.measure.instruments import CHECKED_MM, KINDS, figures
from metier.core.refusal import Refusal
from metier.logbook.instruments import (
    Kept,
    add_instrument,
    any_instrument,
    kept_instrument,
    kept_instruments,
    kept_or_added,
    set_accuracy,
    set_zero,
)
from metier.show.command import proposed
from metier.show.figures import short_date
from metier.show.sheet import Sheet, listing
from metier.words.arguments import length, reading, signed_length
from metier.words.parser import Actions, Answer, Parser, existing_logbook, logbook_to_write

# What jaws with a hair between them show; more is another length.
_WIDEST_ZERO_MM = 0.5


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier instrument", "Calipers, rulers and micrometers: zero and accuracy.")
    actions = Actions(top)
    add = actions.add(
        "add",
        "add an instrument; calipers, ruler and micrometer are known without",
        "  metier instrument add blue --kind calipers --accuracy 0.03",
    )
    add.add_needed("name", metavar="NAME", help="what to call it")
    add.add_needed("--kind", choices=KINDS, help=f"one of {', '.join(KINDS)}")
    add.add_argument("--accuracy", type=length, metavar="MM", help="limit of its error")
    add.add_argument("--resolution", type=length, metavar="MM", help="its last digit")
    add.add_argument("--reach", type=length, metavar="MM", help="the longest it measures (150)")
    add_listing(actions, "instrument")
    change = actions.add(
        "set",
        "mend what is known of an instrument; trials keep the figures of their day",
        "  metier instrument set calipers --reach 150",
    )
    change.add_argument("name", metavar="NAME")
    change.add_argument("--accuracy", type=length, metavar="MM", help="limit of its error")
    change.add_argument("--resolution", type=length, metavar="MM", help="its last digit")
    change.add_argument("--reach", type=length, metavar="MM", help="the longest it measures")
    add_note(change)
    add_common_actions(actions, "instrument", "blue")
    zero = actions.add(
        "zero",
        "note what it shows when closed; thickness readings are corrected by it",
        "  metier instrument zero calipers 0.01",
    )
    zero.add_needed("name", metavar="NAME", help="which instrument")
    zero.add_needed(
        "zero", type=signed_length, metavar="MM", help="what it shows with its clean jaws closed"
    )
    check = actions.add(
        "check",
        "compare it with a gauge of known size",
        "  metier instrument check calipers --gauge 10 --read 10.03 10.04 10.03",
    )
    check.add_needed("name", metavar="NAME", help="which instrument")
    check.add_needed("--gauge", type=length, metavar="MM", help="the gauge's true size")
    check.add_needed("--read", nargs="+", type=reading, metavar="MM", help="what it shows on it")
    check.add_argument(
        "--mend", choices=("zero", "accuracy"), help="correct its zero or widen its accuracy"
    )
    return top


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier instrument``."""
    return run_action(
        options,
        "instrument",
        {"add": _add, "list": _list, "zero": _zero, "check": _check, "set": _set},
    )


def _set(options: argparse.Namespace) -> Answer:
    with logbook_to_write(options.logbook) as book:
        given = {
            "accuracy_mm": options.accuracy,
            "resolution_mm": options.resolution,
            "reach_mm": options.reach,
            "note": options.note,
        }
        with book.transaction() as moment:
            kept = kept_or_added(book, moment, options.name)
            mend(book, "instrument", kept.id, given)
        kept = kept_instrument(book, kept.instrument.name)
        sheet = _sheet(f"Changed {kept.instrument.kind} {kept.instrument.name}", kept)
        mended_rows(book, sheet, "instrument", kept.id, kept.note)
        return Answer({"instrument": _object(kept)}, sheet.text())


def _add(options: argparse.Namespace) -> Answer:
    with logbook_to_write(options.logbook) as book:
        with book.transaction() as moment:
            kept = add_instrument(
                book, moment, options.name, options.kind, options.accuracy, options.resolution,
                options.reach,
            )  # fmt: skip
        sheet = _sheet(f"Added {kept.instrument.kind} {kept.instrument.name}", kept)
        sheet.next(
            "close it, read it, and note that:",
            proposed("instrument", "zero", kept.instrument.name),
        )
        return Answer({"instrument": _object(kept)}, sheet.text())


def _list(options: argparse.Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        found = kept_instruments(book, options.all)
        rows = [
            (
                kept.instrument.name,
                kept.instrument.kind,
                _accuracy(kept),
                "" if kept.instrument.zero_mm is None else f"{kept.instrument.zero_mm:+.3f} mm",
                (short_date(kept.zeroed_at) if kept.zeroed_at else "never zeroed")
                + (", out of use" if kept.retired else ""),
            )
            for kept in found
        ]
        text = listing(("instrument", "kind", "accuracy", "zero", ""), rows, (0,))
        none = "No instruments yet: metier instrument zero calipers 0.00 notes what yours show."
        return Answer({"instruments": [_object(kept) for kept in found]}, text if found else none)


def _zero(options: argparse.Namespace) -> Answer:
    if abs(options.zero) > _WIDEST_ZERO_MM:
        raise Refusal(f"{options.zero:g} mm is no zero: clean the jaws, close them, read again")
    with logbook_to_write(options.logbook) as book:
        with book.transaction() as moment:
            kept = set_zero(book, moment, options.name, options.zero)
        sheet = _sheet(f"Zeroed {kept.instrument.name}", kept)
        given = proposed("--instrument", kept.instrument.name).removeprefix("metier ")
        sheet.remark(f"Given as {given}, it corrects thicknesses.")
        return Answer({"instrument": _object(kept)}, sheet.text())


def _check(options: argparse.Namespace) -> Answer:
    with logbook_to_write(options.logbook) as book:
        named = any_instrument(book, options.name)
        figures_now = named.figures("wall")
        checked_mm = figures_now.accuracy_mm
        if named.accuracy_mm is None:
            checked_mm = min(checked_mm, CHECKED_MM["wall"])
        found = check_against(
            [one.value_mm for one in options.read],
            options.gauge,
            figures_now._replace(accuracy_mm=checked_mm),
        )
        sheet = Sheet(f"Check of {named.name} against {options.gauge:g} mm")
        sheet.row("off by", f"{found.off_mm:+.3f} ± {found.off_u95_mm:.3f} mm")
        sheet.judged(found.verdict)
        zero_mm = (named.zero_mm or 0.0) + found.off_mm
        if options.mend:
            with book.transaction() as moment:
                if options.mend == "zero":
                    kept = set_zero(book, moment, named.name, zero_mm)
                else:
                    kept = set_accuracy(book, moment, named.name, found.accuracy_mm)
            sheet.row("mended", options.mend, f"accuracy {_accuracy(kept)}")
            named = kept.instrument
        elif found.verdict.name == "keep" and checked_mm < figures_now.accuracy_mm:
            with book.transaction() as moment:
                kept = set_accuracy(book, moment, named.name, checked_mm)
            was = f"±{figures_now.accuracy_mm:g} mm before"
            sheet.row("checked", f"±{checked_mm:g} mm", f"counts from now on; {was}")
        elif found.verdict.name == "correct":
            taken = [one.text for one in options.read]
            words = ("check", named.name, "--gauge", f"{options.gauge:g}", "--read", *taken)
            sheet.next(
                "if it is off by the same everywhere (zero it anew first); if not, --mend accuracy "
                f"takes ±{found.accuracy_mm:.2f} mm from now on:",
                proposed("instrument", *words, "--mend", "zero"),
            )
        return Answer(_check_object(named.name, found), sheet.text())


def _accuracy(kept: Kept) -> str:
    accuracy_mm = kept.instrument.accuracy_mm
    if accuracy_mm is None and kept.instrument.kind != "ruler":
        accuracy_mm = figures(kept.instrument.kind, "wall").accuracy_mm
    return "" if accuracy_mm is None else f"±{accuracy_mm:g} mm"


def _sheet(title: str, kept: Kept) -> Sheet:
    sheet = Sheet(title)
    sheet.row("kind", kept.instrument.kind)
    if _accuracy(kept):
        sheet.row("accuracy", _accuracy(kept))
    if kept.instrument.zero_mm is not None:
        sheet.row("zero", f"{kept.instrument.zero_mm:+.3f} mm", "what it shows when closed")
    if kept.reach_mm is not None:
        sheet.row("reach", f"{kept.reach_mm:g} mm", "the longest it measures")
    return sheet


def _object(kept: Kept) -> dict[str, object]:
    return {
        **kept.instrument._asdict(),
        "zeroed_at": kept.zeroed_at,
        "reach_mm": kept.reach_mm,
        "note": kept.note,
        "retired": bool(kept.retired),
    }


def _check_object(name: str, found: GaugeCheck) -> dict[str, object]:
    return {
        "instrument": name,
        "off_mm": found.off_mm,
        "off_u95_mm": found.off_u95_mm,
        "accuracy_mm": found.accuracy_mm,
        "verdict": found.verdict.name,
        "reason": found.verdict.reason,
    }
