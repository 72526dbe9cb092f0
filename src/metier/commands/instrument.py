"""``metier instrument``: calipers, rulers, micrometers, scales, their zero and their accuracy."""

from argparse import Namespace

from metier.commands.machine import NOTE, Machines, Property, add_properties
from metier.core.errors import BadInput
from metier.core.measure.instruments import CHECKED_MM, KINDS, GaugeCheck, check_against, figures
from metier.formats.quantity import (
    read_length_mm,
    read_number,
    read_positive,
    read_signed_length_mm,
)
from metier.logbook.book import Logbook, Plain
from metier.logbook.instruments import (
    Instrument,
    add_instrument,
    any_instrument,
    kept_or_added,
    set_accuracy,
    set_zero,
    unit_of,
)
from metier.logbook.items import named
from metier.show.figures import proposed, short_date
from metier.show.sheet import Sheet
from metier.words.arguments import add_anyway, length, needed, option
from metier.words.doubt import Usual, meant
from metier.words.parser import Actions, Answer, logbook_to_write

# What jaws with a hair between them show, or a scale that was not tared; more is something else.
_WIDEST_ZEROS = {
    "mm": (0.5, "clean the jaws, close them, read again"),
    "g": (1.0, "take everything off the scale and read again"),
}
# What jaws are off by that nobody has cleaned or tared.
_USUAL_ZERO = Usual(float, -0.1, 0.1)
_REACH = Property("reach_mm", "--reach MM", length, "the longest it measures")


class Instruments(Machines[Instrument]):
    """What measures and what weighs."""

    table, record, example = "instrument", Instrument, "calipers"
    description = "Calipers, rulers, micrometers, scales: zero and accuracy."
    header, texts = ("instrument", "kind", "accuracy", "zero", ""), (0,)
    none_yet = "No instruments yet: metier instrument zero calipers 0.00 notes what yours show."
    set_what = "mend what is known of an instrument; trials keep the figures of their day"
    set_example = "calipers --reach 150"
    properties = (
        Property("accuracy", "--accuracy MM|G", None, "limit of its error; in g of a scale"),
        Property("resolution", "--resolution MM|G", None, "its last digit"),
        _REACH,
    )

    def add_actions(self, actions: Actions) -> None:
        kinds = "calipers, ruler, micrometer, scale"
        what = f"add an instrument; one of a kind is known without: {kinds}"
        new = actions.add(
            "add",
            what,
            "  metier instrument add blue --kind calipers --accuracy 0.03\n"
            "  metier instrument add pocket --kind scale      a scale shows grams",
        )
        needed(new, "name NAME", "what to call it")
        needed(new, "--kind", f"one of {', '.join(KINDS)}", KINDS)
        add_properties(new, self.properties[:2])
        option(new, "--reach MM", "the longest it measures (150)", length)
        self.add_list(actions)
        self.add_set(actions)
        self.add_common(actions)
        what = "note what it shows when closed, or with nothing on it; readings are corrected by it"
        zero = actions.add("zero", what, "  metier instrument zero calipers 0.01")
        needed(zero, "name NAME", "which instrument")
        needed(zero, "zero MM|G", "what it shows, clean jaws closed, or nothing on the scale")
        add_anyway(zero)
        example = "  metier instrument check calipers --gauge 10 --read 10.03 10.04 10.03"
        check = actions.add("check", "compare it with a gauge of known size", example)
        needed(check, "name NAME", "which instrument")
        needed(check, "--gauge MM|G", "the gauge's true size, or mass")
        needed(check, "--read MM|G …", "what it shows of it")
        option(check, "--mend", "correct its zero or widen its accuracy", ("zero", "accuracy"))

    def title(self, machine: Instrument) -> str:
        return f"{machine.kind} {machine.name}"

    def rows(self, book: Logbook, sheet: Sheet, machine: Instrument) -> None:
        sheet.row("kind", machine.kind)
        if _accuracy(machine):
            sheet.row("accuracy", _accuracy(machine))
        if _zero_text(machine):
            of = "with nothing on it" if machine.instrument.weighs else "when closed"
            sheet.row("zero", _zero_text(machine), f"what it shows {of}")
        if machine.reach_mm is not None:
            sheet.row("reach", f"{machine.reach_mm:g} mm", _REACH.help)

    def cells(self, book: Logbook, machine: Instrument) -> tuple[str, ...]:
        zeroed = short_date(machine.zeroed_at) if machine.zeroed_at else "never zeroed"
        gone = ", out of use" if machine.retired else ""
        told = (machine.kind, _accuracy(machine), _zero_text(machine))
        return machine.name, *told, f"{zeroed}{gone}"

    def told(self, book: Logbook, machine: Instrument) -> dict[str, object]:
        return {
            **machine.instrument._asdict(),
            "zeroed_at": machine.zeroed_at,
            "reach_mm": machine.reach_mm,
            "note": machine.note,
            "retired": bool(machine.retired),
        }

    def do_set(self, options: Namespace) -> Answer:
        """Mend what is known of an instrument; that of a kind is added by it."""
        with logbook_to_write(options.logbook) as book:
            with book.transaction() as moment:
                own = kept_or_added(book, moment, options.name)
                unit = unit_of(own.kind)
                given: dict[str, Plain] = {
                    f"accuracy_{unit}": _amount(options.accuracy, "--accuracy", unit),
                    f"resolution_{unit}": _amount(options.resolution, "--resolution", unit),
                    "reach_mm": options.reach,
                    NOTE.column: options.note,
                }
                self.mend(book, own.id, given)
            own = named(book, Instrument, own.name)
            return self.answer(book, own, self.sheet(book, f"Changed {self.title(own)}", own))

    def do_add(self, options: Namespace) -> Answer:
        """Add an instrument."""
        unit = unit_of(options.kind)
        accuracy = _amount(options.accuracy, "--accuracy", unit)
        resolution = _amount(options.resolution, "--resolution", unit)
        with logbook_to_write(options.logbook) as book:
            with book.transaction() as moment:
                own = add_instrument(
                    book, moment, options.name, options.kind, accuracy, resolution, options.reach
                )
            sheet = self.sheet(book, f"Added {self.title(own)}", own)
            how = "close it, read it, and note that:"
            if own.instrument.weighs:
                how = "read it with nothing on it, and note that:"
            sheet.next(how, proposed("instrument", "zero", own.name))
            return self.answer(book, own, sheet)

    def do_zero(self, options: Namespace) -> Answer:
        """Note what it shows when it should show nothing."""
        with logbook_to_write(options.logbook) as book:
            unit = unit_of(any_instrument(book, options.name).kind)
            zero = _amount(options.zero, "zero", unit, signed=True)
            assert zero is not None
            widest, how = _WIDEST_ZEROS[unit]
            if abs(zero) > widest:
                raise BadInput(f"{zero:g} {unit} is no zero: {how}")
            if unit == "mm":
                zero = meant(zero, _USUAL_ZERO.doubt("a zero of", zero), options)
            with book.transaction() as moment:
                own = set_zero(book, moment, options.name, zero)
            sheet = Sheet(f"Zeroed {own.name}")
            self.rows(book, sheet, own)
            of, what = ("--scale", "masses") if unit == "g" else ("--instrument", "thicknesses")
            given = proposed(of, own.name).removeprefix("metier ")
            sheet.remark(f"Given as {given}, it corrects {what}.")
            return self.answer(book, own, sheet)

    def do_check(self, options: Namespace) -> Answer:
        """Compare it with a gauge."""
        with logbook_to_write(options.logbook) as book:
            jaws = any_instrument(book, options.name)
            unit = unit_of(jaws.kind)
            figures_now = jaws.scale.figures if jaws.weighs else jaws.figures("wall")
            checked = figures_now.accuracy_mm
            if jaws.accuracy_mm is None and not jaws.weighs:
                checked = min(checked, CHECKED_MM["wall"])
            taken = [_amount(text, "--read", unit) or 0.0 for text in options.read]
            gauge = _amount(options.gauge, "--gauge", unit)
            assert gauge is not None
            check = check_against(taken, gauge, figures_now._replace(accuracy_mm=checked), unit)
            sheet = Sheet(f"Check of {jaws.name} against {gauge:g} {unit}")
            sheet.row("off by", f"{check.off:+.3f} ± {check.off_u95:.3f} {unit}")
            sheet.judged(check.verdict)
            zero = figures_now.zero_mm + check.off
            if options.mend:
                with book.transaction() as moment:
                    if options.mend == "zero":
                        own = set_zero(book, moment, jaws.name, zero)
                    else:
                        own = set_accuracy(book, moment, jaws.name, check.accuracy)
                sheet.row("mended", options.mend, f"accuracy {_accuracy(own)}")
                jaws = own.instrument
            elif check.verdict.name == "keep" and checked < figures_now.accuracy_mm:
                with book.transaction() as moment:
                    own = set_accuracy(book, moment, jaws.name, checked)
                was = f"±{figures_now.accuracy_mm:g} mm before"
                sheet.row("checked", f"±{checked:g} {unit}", f"counts from now on; {was}")
            elif check.verdict.name == "correct":
                words = ("check", jaws.name, "--gauge", f"{gauge:g}", "--read", *options.read)
                sheet.next(
                    "if it is off by the same everywhere (zero it anew first); if not, --mend "
                    f"accuracy takes ±{check.accuracy:.2f} {unit} from now on:",
                    proposed("instrument", *words, "--mend", "zero"),
                )
            return Answer(_check_object(jaws.name, check, unit), sheet.text())


def _accuracy(own: Instrument) -> str:
    if own.instrument.weighs:
        return f"±{own.instrument.scale.accuracy_g:g} g"
    accuracy_mm = own.accuracy_mm
    if accuracy_mm is None and own.kind != "ruler":
        accuracy_mm = figures(own.kind, "wall").accuracy_mm
    return "" if accuracy_mm is None else f"±{accuracy_mm:g} mm"


def _zero_text(own: Instrument) -> str:
    if own.zero_g is not None:
        return f"{own.zero_g:+.3f} g"
    return "" if own.zero_mm is None else f"{own.zero_mm:+.3f} mm"


def _amount(text: str | None, what: str, unit: str, *, signed: bool = False) -> float | None:
    """Read a figure in the unit that an instrument shows."""
    if text is None:
        return None
    if unit == "g":
        return read_number(text, what, ("g",)) if signed else read_positive(text, what, ("g",))
    return read_signed_length_mm(text, what) if signed else read_length_mm(text, what)


def _check_object(name: str, check: GaugeCheck, unit: str) -> dict[str, object]:
    return {
        "instrument": name,
        f"off_{unit}": check.off,
        f"off_u95_{unit}": check.off_u95,
        f"accuracy_{unit}": check.accuracy,
        "verdict": check.verdict.name,
        "reason": check.verdict.reason,
    }


_INSTRUMENTS = Instruments()
parser, run = _INSTRUMENTS.parser, _INSTRUMENTS.run
