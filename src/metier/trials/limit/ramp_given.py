"""A ramp as the options give it, or as it was printed last, and how much of it is reached."""

import argparse
from typing import NamedTuple

from metier.core.limit.ramp import Ramp, ramp_of
from metier.core.limit.reach import Reach, check_reach
from metier.core.refusal import Refusal
from metier.logbook.trials import latest_on_printer
from metier.trials.limit.kept import KEPT
from metier.trials.limit.kind import SEEN
from metier.trials.limit.settings import FORM, RampSettings
from metier.trials.on_bench import OnBench
from metier.words.arguments import length, mm3_s
from metier.words.missing import Missing

_OR_RISE = "; or --rise-per-mm for one that rises all the way"


class LastRamp(NamedTuple):
    """The last ramp printed with a nozzle: the next is mostly the same file."""

    number: int
    settings: RampSettings


def last_ramp(here: OnBench) -> LastRamp | None:
    """Return the last ramp printed with this nozzle."""
    if here.setup:
        for trial in latest_on_printer(here.book, here.setup.printer, KEPT.name, 10):
            of_ramp = trial.settings.get("way") not in ("feed", "strength")
            if of_ramp and trial.nozzle == here.setup.nozzle.name:
                settings = FORM.of(here.book, trial)
                if settings.ramp:
                    return LastRamp(trial.number, settings)
    return None


def given_reach(options: argparse.Namespace, known: RampSettings | None) -> Reach | None:
    """Return how fast the ramp can be printed: as given, else as it was planned or the last was.

    Raises:
        Refusal: only half of it is known.
    """
    reach = known and known.reach
    if options.accel is None and options.outline is None:
        return reach
    outline = options.outline or (reach and reach.outline)
    accel_mm_s2 = options.accel or (reach and reach.accel_mm_s2)
    if outline is None:
        raise Refusal("--outline is needed with --accel: a side of the ramp, or r and its radius")
    if accel_mm_s2 is None:
        raise Refusal("--accel is needed with --outline: the acceleration it is printed with")
    found = Reach(outline, accel_mm_s2)
    check_reach(found)
    return found


def no_ramp() -> Missing:
    """Return the want of a ramp."""
    meaning = "the flow that the ramp begins at, in mm³/s"
    return Missing("--from", meaning, mm3_s, 4.0, dest="start")


def given_ramp(options: argparse.Namespace) -> Ramp | None:
    """Return the ramp that the options describe; None where they describe none.

    Raises:
        Missing: not all of it is given.
    """
    rises = {"rise-per-mm": options.rise_per_mm, "step": options.step, "every": options.every}
    given = next((name for name, value in rises.items() if value is not None), None)
    if options.start is None:
        if given and not options.plan:
            raise Refusal(f"--from is needed with --{given}: where it begins")
        return None
    if given is None:
        if options.gaps_flow or options.clean:
            # A flow read off a preview, or the end, says it all.
            return None
        raise Missing("--step", "how much each step adds, in mm³/s", mm3_s, 0.5, hint=_OR_RISE)
    by_height = any(getattr(options, f"{name}_at") for name in SEEN)
    if given == "step" and options.every is None and (by_height or options.clean_markers):
        raise Missing("--every", "how high each step is, in mm", length, 2.0)
    return ramp_of(
        options.start,
        rise_mm3_s_mm=options.rise_per_mm,
        step_mm3_s=options.step,
        every_mm=options.every,
        base_mm=options.base or 0.0,
        to_mm3_s=options.to,
    )
