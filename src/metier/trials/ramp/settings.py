"""A ramp: what it was printed and is reckoned with, as options give it or as it was last."""

from argparse import Namespace
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.plan import Reach, check_reach
from metier.core.limit.ramp import Ramp, ramp_of
from metier.core.line.bead import SetSpeed
from metier.logbook.plain import Form
from metier.logbook.trials import latest_on_printer
from metier.trials.limit.base import SEEN
from metier.trials.limit.kept import KEPT, way_named
from metier.trials.limit.settings import HotEnd, KeptLine, Reckoning
from metier.trials.on_bench import OnBench
from metier.words.arguments import length, mm3_s
from metier.words.missing import Missing, Want


class RampSettings(NamedTuple):
    """A ramp: how it rises, how well heights are known, how a limit is made of it, and how fast
    it can really be printed. ``own_lines`` tells that it was printed by lines of Metier's own."""

    way: Literal["ramp"]
    ramp: Ramp | None
    marker_every_mm: float | None
    within_mm: float
    reckoning: Reckoning
    line: KeptLine
    walls: int | None
    on: HotEnd
    set_speeds: tuple[SetSpeed, ...] = ()
    reach: Reach | None = None
    own_lines: bool = False

    @property
    def reached_mm3_s(self) -> float | None:
        """The highest flow that the ramp was really printed at, where that is known."""
        if self.own_lines:
            # Planned so that all of it is.
            return None
        line = self.line.printed
        return self.reach.fastest_mm_s * line.area_mm2 if self.reach and line else None


FORM = Form(RampSettings)


class LastRamp(NamedTuple):
    """The last ramp printed with a nozzle: the next is mostly the same file."""

    number: int
    settings: RampSettings


def last_ramp(bench: OnBench) -> LastRamp | None:
    """Return the last ramp printed with this nozzle."""
    if bench.setup:
        for trial in latest_on_printer(bench.book, bench.setup.printer, KEPT.name, 10):
            of_ramp = way_named(trial.settings) == "ramp"
            if of_ramp and trial.nozzle == bench.setup.nozzle.name:
                settings = FORM.of(bench.book, trial)
                if settings.ramp:
                    return LastRamp(trial.number, settings)
    return None


def given_reach(options: Namespace, known: RampSettings | None) -> Reach | None:
    """Return how fast the ramp can be printed: as given, else as it was planned or the last was.

    Raises:
        BadInput: only half of it is known.
    """
    reach = known and known.reach
    if options.accel is None and options.outline is None:
        return reach
    outline = options.outline or (reach and reach.outline)
    accel_mm_s2 = options.accel or (reach and reach.accel_mm_s2)
    if outline is None:
        raise BadInput("--outline is needed with --accel: a side of the ramp, or r and its radius")
    if accel_mm_s2 is None:
        raise BadInput("--accel is needed with --outline: the acceleration it is printed with")
    told_reach = Reach(outline, accel_mm_s2)
    check_reach(told_reach)
    return told_reach


_FROM = Want("--from", "the flow that the ramp begins at, in mm³/s", mm3_s, "start")
_STEP = Want(
    "--step",
    "how much each step adds, in mm³/s",
    mm3_s,
    "step",
    "; or --rise-per-mm for one that rises all the way",
)
_EVERY = Want("--every", "how high each step is, in mm", length, "every")


def no_ramp(options: Namespace) -> Missing:
    """Return the want of a ramp."""
    return Missing(_FROM, _STEP, *((_EVERY,) if _by_height(options) else ()))


def _by_height(options: Namespace) -> bool:
    return any(getattr(options, f"{name}_at") for name in SEEN) or bool(options.clean_markers)


def given_ramp(options: Namespace) -> Ramp | None:
    """Return the ramp that the options describe; None where they describe none.

    Raises:
        Missing: not all of it is given.
    """
    rises = {"rise-per-mm": options.rise_per_mm, "step": options.step, "every": options.every}
    rise = next((name for name, value in rises.items() if value is not None), None)
    if options.start is None:
        if rise and not options.plan:
            raise BadInput(f"--from is needed with --{rise}: where it begins")
        return None
    if rise is None:
        if options.gaps_flow or options.clean:
            # A flow read off a preview, or the end, says it all.
            return None
        raise Missing(_STEP, *((_EVERY,) if _by_height(options) else ()))
    if rise == "step" and options.every is None and _by_height(options):
        raise Missing(_EVERY)
    return ramp_of(
        options.start,
        rise_mm3_s_mm=options.rise_per_mm,
        step_mm3_s=options.step,
        every_mm=options.every,
        base_mm=options.base or 0.0,
        to_mm3_s=options.to,
    )
