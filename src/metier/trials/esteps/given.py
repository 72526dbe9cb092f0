"""How a length was fed and measured: given, planned or as last time."""

import argparse

from metier.core.refusal import Refusal
from metier.trials.esteps.settings import WAYS, EstepsSettings, Way
from metier.trials.on_bench import OnBench
from metier.words.arguments import length
from metier.words.missing import Missing


def given_way(options: argparse.Namespace) -> Way:
    # A mark, and what is left to it, is what is planned for and asked for but for --by.
    given = next((way for way in WAYS if getattr(options, way)), None)
    by: Way = options.by or "left"
    return given or by


def given_lengths(
    options: argparse.Namespace, way: Way, known: EstepsSettings | None
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


def each_asked(
    options: argparse.Namespace, way: Way, planned: EstepsSettings | None
) -> tuple[float, ...]:
    """Return what each run was asked for, where they are not all asked alike.

    Raises:
        Refusal: not one for each run, or not measured as what is left to a mark.
    """
    each: tuple[float, ...] = tuple(options.asked or ())
    if not each and planned:
        each = planned.asked_each_mm
    if len(set(each)) < 2:
        return ()
    if way != "left":
        raise Refusal("several lengths --asked go with --left: a mark, and what is left to it")
    if options.left and len(options.left) != len(each):
        raise Refusal(f"--asked has {len(each)} lengths, --left {len(options.left)}: one for each")
    return each


def motor_turn(options: argparse.Namespace, here: OnBench) -> tuple[float | None, float | None]:
    """Return full steps and microsteps of a motor turn, where both are known."""
    printer = here.bench.printer
    full = options.full_steps or (printer and printer.full_steps)
    micro = options.microsteps or (printer and printer.microsteps)
    if bool(options.full_steps) != bool(options.microsteps) and not (full and micro):
        raise Refusal("--full-steps and --microsteps go together")
    return (full, micro) if full and micro else (None, None)
