"""A length that was fed: its table of options and settings, asking for it, what it says."""

from argparse import Namespace
from collections.abc import Sequence
from functools import partial
from typing import Any

from metier.core.errors import BadInput
from metier.core.esteps import measured
from metier.core.esteps.measured import EstepsFinding
from metier.core.esteps.verdict import KEEP_WITHIN
from metier.core.measure.readings import refuse_slip
from metier.formats import quantity
from metier.logbook.trials import Reading
from metier.trials.esteps.kept import WAYS, EstepsSettings, Way
from metier.trials.on_bench import Known
from metier.trials.table import (
    Row,
    Seeking,
    condition,
    given,
    in_use,
    instrument,
    known,
    planned,
    setting,
    told,
    usual,
)
from metier.words.arguments import (
    BAUD,
    baud,
    length,
    percent,
    port,
    positive,
    reading,
    reading_or_zero,
    speed,
    steps,
    strand,
)
from metier.words.missing import Asked, missing

_OF_MARK: tuple[Way, ...] = ("left", "swallowed")


def way_of(options: Namespace, plan: EstepsSettings | None = None) -> Way:
    """Return how a length is measured: as the readings say, as planned, else to a mark."""
    told_way = next((way for way in WAYS if getattr(options, way)), None)
    by: Way = options.by or "left"
    return told_way or (plan.way if plan else by)


def _way(seeking: Seeking) -> Way:
    return way_of(seeking.options, seeking.plan and seeking.plan.settings)


def _longest(seeking: Seeking, row: Row) -> Known | None:
    lengths = getattr(seeking.options, row.dest)
    return Known(max(lengths), "given") if lengths else None


def _mark(seeking: Seeking, row: Row) -> Known | None:
    """The mark as before, where there is one to be measured from."""
    if _way(seeking) not in _OF_MARK:
        return None
    before = known(seeking, row)
    if before is None:
        raise missing("--mark", "how far from the inlet the pen mark was, in mm", length)
    return before


def _open(seeking: Seeking, _: Row) -> Known | None:
    return Known("open") if _way(seeking) == "cut" else None


def _check_accept(accept: float) -> None:
    if not 0.05 <= accept <= 5:
        raise BadInput(f"--accept: {accept:g} must be from 0.05 to 5 percent")


TABLE = (
    "what was measured (one of these)",
    told("--left MM …", "pen mark to inlet after feeding; needs --mark", reading_or_zero),
    told("--cut MM …", "length cut off at the open cold end; 98.4/98.7 is one strand measured "
         "twice", strand),
    told("--short MM …", "mark set at exactly the asked length: how far it stopped short of the "
         "inlet", reading_or_zero),
    told("--moved MM …", "what moved, however that was found out", reading),
    told("--swallowed", "the mark went in; needs --mark"),
    "",
    setting("asked_mm", "--asked MM …", "length the printer was told to feed; two lengths: one for "
            "each --left", length, _longest, known,
            wanted="the length the printer was told to feed, in mm"),
    setting("mark_mm", "--mark MM", "pen mark to inlet before feeding", length, given, _mark),
    setting("steps", "--steps S", "e-steps in the printer meanwhile", steps, in_use("esteps")),
    instrument("calipers, ruler or your own (calipers)", kept="bench"),
    setting("through", "--through", "fed through the hot nozzle, from the open cold end, or just "
            "into the tube", ("nozzle", "open", "tube"), _open, given, condition),
    told("--by", "what is planned or asked for one by one (left: what is left to a mark)",
         ("left", "cut", "short")),
    setting("accept_percent", "--accept PERCENT", "how far off it may be (0.5)", percent, given,
            planned, usual(100 * KEEP_WITHIN), check=_check_accept, kept="bench"),
    setting("feed_rate_mm_s", "--feed-rate MM/S", "how fast it was fed", speed, given, condition),
    "guided, the printer on its cable",
    told("--feed", "warm up, feed, ask for what is left, then set, store and verify"),
    "the printer's cable, where it is another than the set one",
    told("--port PORT", "device or URL", port),
    told("--baud N", f"speed of the line ({BAUD})", baud),
    told("--log FILE", "write down there what is sent and received"),
    "for firmware that stores mm per motor turn",
    told("--full-steps N", "full steps of a turn", positive),
    told("--microsteps N", "microsteps of a step", positive),
)  # fmt: skip


def each_asked(options: Namespace, way: Way, plan: EstepsSettings | None) -> tuple[float, ...]:
    """Return what each run was asked for, where they are not all asked alike.

    Raises:
        BadInput: not one for each run, or not measured as what is left to a mark.
    """
    each: tuple[float, ...] = tuple(options.asked or ()) or (plan.asked_each_mm if plan else ())
    if len(set(each)) < 2:
        return ()
    if way != "left":
        raise BadInput("several lengths --asked go with --left: a mark, and what is left to it")
    if options.left and len(options.left) != len(each):
        raise BadInput(f"--asked has {len(each)} lengths, --left {len(options.left)}: one for each")
    return each


def ask_length(test: str, settings: EstepsSettings) -> Asked:
    """Ask for what is left to a mark, for cut pieces, or for how far a mark stopped short."""
    instrument, asked_mm, mark_mm = settings.instrument_mm, settings.asked_mm, settings.mark_mm
    assert instrument is not None
    if settings.way == "cut":
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
    if settings.way == "short":
        from_mm = asked_mm
        what = (
            f"How far the mark stopped short of the inlet; each run a new mark at {asked_mm:g} mm."
        )
        hint = "0 if it stopped just there; if it went in, stop and say --swallowed with --mark."
        nothing_moved = f"short is not less than the {asked_mm:g} mm asked"
    else:
        from_mm = mark_mm or 0.0
        what = f"What is left from inlet to pen mark, each run with a new mark at {mark_mm:g} mm."
        hint = (
            "Measure from the same edge of the inlet both times, filament straight and taut, the "
            "printer at rest. A fine pen line beats a dot."
        )
        nothing_moved = f"left is not less than the mark at {mark_mm:g} mm"

    def check(length_mm: float, _: str) -> None:
        if length_mm >= from_mm:
            raise BadInput(f"{length_mm:g} mm {nothing_moved}")
        refuse_slip(from_mm - length_mm, asked_mm, "moved length")

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
    settings: EstepsSettings,
    readings: Sequence[Reading],
    decimals: int,
    reach_mm: float | None = None,
    swapped: bool = False,
) -> EstepsFinding:
    """Return what a length says of the steps; ``swapped`` tells that hardware was since they were
    set.

    Raises:
        BadInput: readings that cannot be, or not one for each length.
    """
    asked_mm, mark_mm = settings.asked_mm, settings.mark_mm or 0.0
    if settings.way == "swallowed":
        return measured.swallowed(mark_mm=mark_mm, asked_mm=asked_mm, steps_now=settings.steps)
    assert settings.instrument_mm is not None
    values_mm = [reading.value for reading in readings]
    judge: dict[str, Any] = {
        "steps_now": settings.steps,
        "instrument": settings.instrument_mm,
        "decimals": decimals,
        "within": settings.accept_percent / 100,
    }
    if settings.asked_each_mm:
        each_mm = settings.asked_each_mm
        if len(values_mm) != len(each_mm):
            raise BadInput(f"{len(each_mm)} lengths were asked: read what is left of each")
        moved_mm = [mark_mm - left_mm for left_mm in values_mm]
        return partial(measured.from_lengths, moved_mm, asked_mm=each_mm)(**judge)
    judge |= {"reach_mm": reach_mm, "swapped": swapped}
    if settings.way == "cut":
        strands: dict[str, list[float]] = {}
        for reading in readings:
            strands.setdefault(reading.side, []).append(reading.value)
        return partial(measured.from_cut, list(strands.values()), asked_mm=asked_mm)(**judge)
    if settings.way == "short":
        return partial(measured.from_gauge, values_mm, asked_mm=asked_mm)(**judge)
    if settings.way == "moved":
        del judge["instrument"]
        return partial(measured.from_moved, values_mm, asked_mm=asked_mm)(**judge)
    return partial(measured.from_mark, values_mm, mark_mm=mark_mm, asked_mm=asked_mm)(**judge)
