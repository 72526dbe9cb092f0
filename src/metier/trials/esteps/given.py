"""Lengths that were fed: as options give them, or asked for one by one, whichever way."""

from argparse import Namespace
from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.esteps import measured
from metier.core.esteps.measured import EstepsFinding
from metier.core.measure.readings import Instrument, refuse_slip
from metier.formats import quantity
from metier.logbook.trials import Reading
from metier.trials.esteps.kept import WAYS, EstepsSettings, Way
from metier.trials.on_bench import OnBench
from metier.words.arguments import length
from metier.words.missing import Asked, Missing


def given_way(options: Namespace) -> Way:
    # A mark, and what is left to it, is what is planned for and asked for but for --by.
    given = next((way for way in WAYS if getattr(options, way)), None)
    by: Way = options.by or "left"
    return given or by


def given_lengths(
    options: Namespace, way: Way, known: EstepsSettings | None
) -> tuple[float, float | None, list[str]]:
    """Return what was asked, where the mark was, and which of the two were known."""
    asked_mm = max(options.asked) if options.asked else None
    mark_mm, taken = options.mark, list[str]()
    if asked_mm is None and known:
        asked_mm = known.asked_mm
        taken.append("asked")
    if mark_mm is None and way in ("left", "swallowed") and known and known.mark_mm:
        mark_mm = known.mark_mm
        taken.append("mark")
    if asked_mm is None:
        meaning = "the length the printer was told to feed, in mm"
        raise Missing("--asked", meaning, lambda text: [length(text)], [150.0])
    if mark_mm is None and way in ("left", "swallowed"):
        raise Missing("--mark", "how far from the inlet the pen mark was, in mm", length, 180.0)
    return asked_mm, mark_mm, taken


def each_asked(options: Namespace, way: Way, planned: EstepsSettings | None) -> tuple[float, ...]:
    """Return what each run was asked for, where they are not all asked alike.

    Raises:
        BadInput: not one for each run, or not measured as what is left to a mark.
    """
    each: tuple[float, ...] = tuple(options.asked or ())
    if not each and planned:
        each = planned.asked_each_mm
    if len(set(each)) < 2:
        return ()
    if way != "left":
        raise BadInput("several lengths --asked go with --left: a mark, and what is left to it")
    if options.left and len(options.left) != len(each):
        raise BadInput(f"--asked has {len(each)} lengths, --left {len(options.left)}: one for each")
    return each


def motor_turn(options: Namespace, here: OnBench) -> tuple[float | None, float | None]:
    """Return full steps and microsteps of a motor turn, where both are known."""
    printer = here.bench.printer
    full = options.full_steps or (printer and printer.full_steps)
    micro = options.microsteps or (printer and printer.microsteps)
    if bool(options.full_steps) != bool(options.microsteps) and not (full and micro):
        raise BadInput("--full-steps and --microsteps go together")
    return (full, micro) if full and micro else (None, None)


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
            raise BadInput(f"{length_mm:g} mm {nothing_moved}")
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


def finding_of(
    settings: EstepsSettings, readings: Sequence[Reading], decimals: int
) -> EstepsFinding:
    asked_mm, mark_mm, steps_now = settings.asked_mm, settings.mark_mm, settings.steps
    if settings.way == "swallowed":
        return measured.swallowed(mark_mm=mark_mm or 0.0, asked_mm=asked_mm, steps_now=steps_now)
    instrument = settings.instrument_mm
    assert instrument is not None
    values_mm = [reading.value for reading in readings]
    if settings.asked_each_mm:
        return _of_lengths(settings, values_mm, instrument, decimals)
    if settings.way == "cut":
        strands: dict[str, list[float]] = {}
        for reading in readings:
            strands.setdefault(reading.side, []).append(reading.value)
        return measured.from_cut(
            list(strands.values()), asked_mm=asked_mm, steps_now=steps_now, instrument=instrument,
            decimals=decimals, within=settings.accept_percent / 100,
        )  # fmt: skip
    if settings.way == "short":
        return measured.from_gauge(
            values_mm, asked_mm=asked_mm, steps_now=steps_now, instrument=instrument,
            decimals=decimals, within=settings.accept_percent / 100,
        )  # fmt: skip
    return measured.from_mark(
        values_mm, mark_mm=mark_mm or 0.0, asked_mm=asked_mm, steps_now=steps_now,
        instrument=instrument, decimals=decimals, within=settings.accept_percent / 100,
    )  # fmt: skip


def _of_lengths(
    settings: EstepsSettings, left_mm: Sequence[float], instrument: Instrument, decimals: int
) -> EstepsFinding:
    if len(left_mm) != len(settings.asked_each_mm):
        raise BadInput(
            f"{len(settings.asked_each_mm)} lengths were asked: read what is left of each"
        )
    mark_mm = settings.mark_mm or 0.0
    return measured.from_lengths(
        [mark_mm - left for left in left_mm], asked_mm=settings.asked_each_mm,
        steps_now=settings.steps, instrument=instrument, decimals=decimals,
        within=settings.accept_percent / 100,
    )  # fmt: skip
