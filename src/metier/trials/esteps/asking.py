"""What is asked for when lengths of filament are typed one by one, by the way they are measured."""

from metier.core.measure.readings import Instrument
from metier.core.measure.slips import refuse_slip
from metier.core.refusal import Refusal
from metier.formats import quantity
from metier.words.asked import Asked


def ask_left(test: str, asked_mm: float, mark_mm: float, instrument: Instrument) -> Asked:
    """Ask for what is left to a pen mark."""
    return _asked_to_mark(
        test,
        f"What is left from inlet to pen mark, each run with a new mark at {mark_mm:g} mm.",
        "Measure from the same edge of the inlet both times, filament straight and taut, the "
        "printer at rest. A fine pen line beats a dot.",
        instrument,
        asked_mm,
        mark_mm,
        f"left is not less than the mark at {mark_mm:g} mm",
    )


def ask_pieces(test: str, way: str, asked_mm: float, instrument: Instrument) -> Asked:
    """Ask for cut pieces, or for how far a mark at just the asked length stopped short."""
    if way == "cut":
        return Asked(
            test,
            f"The pieces cut for {asked_mm:g} mm each: 98.4, or 98.4/98.7 for one measured twice.",
            ("strand …",),
            "Cut flush before and after each feed. Straighten the piece along the calipers; a "
            "curled one reads short, so the longer reading counts.",
            instrument,
            lambda value_mm, _: refuse_slip(value_mm, asked_mm, "moved length"),
            lambda text: [quantity.read_length_mm(part, "reading") for part in text.split("/")],
        )
    return _asked_to_mark(
        test,
        f"How far the mark stopped short of the inlet; each run a new mark at {asked_mm:g} mm.",
        "0 if it stopped just there; if it went in, stop and say --swallowed with --mark.",
        instrument,
        asked_mm,
        asked_mm,
        f"short is not less than the {asked_mm:g} mm asked",
    )


def _asked_to_mark(
    test: str,
    what: str,
    hint: str,
    instrument: Instrument,
    asked_mm: float,
    mark_mm: float,
    nothing_moved: str,
) -> Asked:
    """Ask for lengths from the inlet to a mark that was set ``mark_mm`` from it."""

    def check(length_mm: float, _: str) -> None:
        if length_mm >= mark_mm:
            raise Refusal(f"{length_mm:g} mm {nothing_moved}")
        refuse_slip(mark_mm - length_mm, asked_mm, "moved length")

    return Asked(
        test,
        what,
        ("run …",),
        hint,
        instrument,
        check,
        lambda text: [quantity.read_length_mm(text, "reading", True)],
    )
