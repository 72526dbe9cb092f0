"""``metier instrument``: calipers, rulers, micrometers, scales, their zero and their accuracy."""

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
from metier.formats.quantity import (
    read_length_mm,
    read_number,
    read_positive,
    read_signed_length_mm,
)
from metier.logbook.instruments import (
    Kept,
    add_instrument,
    any_instrument,
    kept_instrument,
    kept_instruments,
    kept_or_added,
    set_accuracy,
    set_zero,
    unit_of,
)
from metier.show.command import proposed
from metier.show.figures import short_date
from metier.show.sheet import Sheet, listing
from metier.words.arguments import length
from metier.words.parser import Actions, Answer, Parser, existing_logbook, logbook_to_write

# What jaws with a hair between them show, or a scale that was not tared; more is something else.
_WIDEST_ZEROS = {
    "mm": (0.5, "clean the jaws, close them, read again"),
    "g": (1.0, "take everything off the scale and read again"),
}


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser("metier instrument", "Calipers, rulers, micrometers, scales: zero and accuracy.")
    actions = Actions(top)
    add = actions.add(
        "add",
        "add an instrument; one of a kind is known without: calipers, ruler, micrometer, scale",
        "  metier instrument add blue --kind calipers --accuracy 0.03\n"
        "  metier instrument add pocket --kind scale      a scale shows grams",
    )
    add.add_needed("name", metavar="NAME", help="what to call it")
    add.add_needed("--kind", choices=KINDS, help=f"one of {', '.join(KINDS)}")
    _add_figures(add)
    add.add_argument("--reach", type=length, metavar="MM", help="the longest it measures (150)")
    add_listing(actions, "instrument")
    change = actions.add(
        "set",
        "mend what is known of an instrument; trials keep the figures of their day",
        "  metier instrument set calipers --reach 150",
    )
    change.add_argument("name", metavar="NAME")
    _add_figures(change)
    change.add_argument("--reach", type=length, metavar="MM", help="the longest it measures")
    add_note(change)
    add_common_actions(actions, "instrument", "blue")
    zero = actions.add(
        "zero",
        "note what it shows when closed, or with nothing on it; readings are corrected by it",
        "  metier instrument zero calipers 0.01",
    )
    zero.add_needed("name", metavar="NAME", help="which instrument")
    zero.add_needed(
        "zero", metavar="MM|G", help="what it shows, clean jaws closed, or nothing on the scale"
    )
    check = actions.add(
        "check",
        "compare it with a gauge of known size",
        "  metier instrument check calipers --gauge 10 --read 10.03 10.04 10.03",
    )
    check.add_needed("name", metavar="NAME", help="which instrument")
    check.add_needed("--gauge", metavar="MM|G", help="the gauge's true size, or mass")
    check.add_needed("--read", nargs="+", metavar="MM|G", help="what it shows of it")
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
        with book.transaction() as moment:
            kept = kept_or_added(book, moment, options.name)
            unit = unit_of(kept.instrument.kind)
            given = {
                f"accuracy_{unit}": _amount(options.accuracy, "--accuracy", unit),
                f"resolution_{unit}": _amount(options.resolution, "--resolution", unit),
                "reach_mm": options.reach,
                "note": options.note,
            }
            mend(book, "instrument", kept.id, given)
        kept = kept_instrument(book, kept.instrument.name)
        sheet = _sheet(f"Changed {kept.instrument.kind} {kept.instrument.name}", kept)
        mended_rows(book, sheet, "instrument", kept.id, kept.note)
        return Answer({"instrument": _object(kept)}, sheet.text())


def _add(options: argparse.Namespace) -> Answer:
    unit = unit_of(options.kind)
    accuracy = _amount(options.accuracy, "--accuracy", unit)
    resolution = _amount(options.resolution, "--resolution", unit)
    with logbook_to_write(options.logbook) as book:
        with book.transaction() as moment:
            kept = add_instrument(
                book, moment, options.name, options.kind, accuracy, resolution, options.reach
            )
        sheet = _sheet(f"Added {kept.instrument.kind} {kept.instrument.name}", kept)
        sheet.next(
            "read it with nothing on it, and note that:"
            if kept.instrument.weighs
            else "close it, read it, and note that:",
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
                _zero_text(kept),
                (short_date(kept.zeroed_at) if kept.zeroed_at else "never zeroed")
                + (", out of use" if kept.retired else ""),
            )
            for kept in found
        ]
        text = listing(("instrument", "kind", "accuracy", "zero", ""), rows, (0,))
        none = "No instruments yet: metier instrument zero calipers 0.00 notes what yours show."
        return Answer({"instruments": [_object(kept) for kept in found]}, text if found else none)


def _zero(options: argparse.Namespace) -> Answer:
    with logbook_to_write(options.logbook) as book:
        unit = unit_of(any_instrument(book, options.name).kind)
        zero = _amount(options.zero, "zero", unit, signed=True)
        assert zero is not None
        widest, how = _WIDEST_ZEROS[unit]
        if abs(zero) > widest:
            raise Refusal(f"{zero:g} {unit} is no zero: {how}")
        with book.transaction() as moment:
            kept = set_zero(book, moment, options.name, zero)
        sheet = _sheet(f"Zeroed {kept.instrument.name}", kept)
        option, what = ("--scale", "masses") if unit == "g" else ("--instrument", "thicknesses")
        given = proposed(option, kept.instrument.name).removeprefix("metier ")
        sheet.remark(f"Given as {given}, it corrects {what}.")
        return Answer({"instrument": _object(kept)}, sheet.text())


def _check(options: argparse.Namespace) -> Answer:
    with logbook_to_write(options.logbook) as book:
        named = any_instrument(book, options.name)
        unit = unit_of(named.kind)
        figures_now = named.scale.figures if named.weighs else named.figures("wall")
        checked = figures_now.accuracy_mm
        if named.accuracy_mm is None and not named.weighs:
            checked = min(checked, CHECKED_MM["wall"])
        taken = [_amount(text, "--read", unit) or 0.0 for text in options.read]
        gauge = _amount(options.gauge, "--gauge", unit)
        assert gauge is not None
        found = check_against(taken, gauge, figures_now._replace(accuracy_mm=checked), unit)
        sheet = Sheet(f"Check of {named.name} against {gauge:g} {unit}")
        sheet.row("off by", f"{found.off:+.3f} ± {found.off_u95:.3f} {unit}")
        sheet.judged(found.verdict)
        zero = figures_now.zero_mm + found.off
        if options.mend:
            with book.transaction() as moment:
                if options.mend == "zero":
                    kept = set_zero(book, moment, named.name, zero)
                else:
                    kept = set_accuracy(book, moment, named.name, found.accuracy)
            sheet.row("mended", options.mend, f"accuracy {_accuracy(kept)}")
            named = kept.instrument
        elif found.verdict.name == "keep" and checked < figures_now.accuracy_mm:
            with book.transaction() as moment:
                kept = set_accuracy(book, moment, named.name, checked)
            was = f"±{figures_now.accuracy_mm:g} mm before"
            sheet.row("checked", f"±{checked:g} {unit}", f"counts from now on; {was}")
        elif found.verdict.name == "correct":
            words = ("check", named.name, "--gauge", f"{gauge:g}", "--read", *options.read)
            sheet.next(
                "if it is off by the same everywhere (zero it anew first); if not, --mend accuracy "
                f"takes ±{found.accuracy:.2f} {unit} from now on:",
                proposed("instrument", *words, "--mend", "zero"),
            )
        return Answer(_check_object(named.name, found, unit), sheet.text())


def _accuracy(kept: Kept) -> str:
    if kept.instrument.weighs:
        return f"±{kept.instrument.scale.accuracy_g:g} g"
    accuracy_mm = kept.instrument.accuracy_mm
    if accuracy_mm is None and kept.instrument.kind != "ruler":
        accuracy_mm = figures(kept.instrument.kind, "wall").accuracy_mm
    return "" if accuracy_mm is None else f"±{accuracy_mm:g} mm"


def _zero_text(kept: Kept) -> str:
    named = kept.instrument
    if named.zero_g is not None:
        return f"{named.zero_g:+.3f} g"
    return "" if named.zero_mm is None else f"{named.zero_mm:+.3f} mm"


def _add_figures(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--accuracy", metavar="MM|G", help="limit of its error; in g of a scale")
    parser.add_argument("--resolution", metavar="MM|G", help="its last digit")


def _amount(text: str | None, what: str, unit: str, *, signed: bool = False) -> float | None:
    """Read a figure in the unit that an instrument shows."""
    if text is None:
        return None
    if unit == "g":
        return read_number(text, what, ("g",)) if signed else read_positive(text, what, ("g",))
    return read_signed_length_mm(text, what) if signed else read_length_mm(text, what)


def _sheet(title: str, kept: Kept) -> Sheet:
    sheet = Sheet(title)
    sheet.row("kind", kept.instrument.kind)
    if _accuracy(kept):
        sheet.row("accuracy", _accuracy(kept))
    if _zero_text(kept):
        of = "with nothing on it" if kept.instrument.weighs else "when closed"
        sheet.row("zero", _zero_text(kept), f"what it shows {of}")
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


def _check_object(name: str, found: GaugeCheck, unit: str) -> dict[str, object]:
    return {
        "instrument": name,
        f"off_{unit}": found.off,
        f"off_u95_{unit}": found.off_u95,
        f"accuracy_{unit}": found.accuracy,
        "verdict": found.verdict.name,
        "reason": found.verdict.reason,
    }
