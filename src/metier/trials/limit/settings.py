"""What trials of the limit are printed with, by the way it is looked for."""

from argparse import Namespace
from collections.abc import Sequence
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.plan import Reach, check_reach
from metier.core.limit.ramp import LimitRule, Ramp, ramp_of
from metier.core.line.bead import LineModel, PrintedLine, SetSpeed
from metier.core.values import VALUES
from metier.logbook.plain import Form
from metier.logbook.trials import latest_on_printer
from metier.trials.limit.kept import KEPT
from metier.trials.on_bench import OnBench
from metier.words.arguments import length, mm3_s
from metier.words.missing import Missing

# What may be seen on a ramp.
SEEN = {
    "gaps": "the first gaps show",
    "good": "it still looks good",
    "matte": "the surface changes",
    "failed": "it failed",
}


class KeptLine(NamedTuple):
    """The line that speeds are reckoned for, where it is known, and the sizes to show them for."""

    width_mm: float | None = None
    layer_mm: float | None = None
    line_model: LineModel | None = None
    flow_percent: float | None = None
    widths_mm: tuple[float, ...] = ()
    layers_mm: tuple[float, ...] = ()

    @classmethod
    def of(
        cls,
        line: PrintedLine | None,
        widths_mm: Sequence[float] | None = None,
        layers_mm: Sequence[float] | None = None,
    ) -> "KeptLine":
        """Return a line as it is kept, with the sizes that were asked for."""
        kept = cls(widths_mm=tuple(widths_mm or ()), layers_mm=tuple(layers_mm or ()))
        if line is None:
            return kept
        return kept._replace(
            width_mm=line.width_mm,
            layer_mm=line.layer_mm,
            line_model=line.line_model,
            flow_percent=VALUES["flow"].seen(line.flow),
        )

    @property
    def printed(self) -> PrintedLine | None:
        """The line itself, where all of it is known."""
        width_mm, layer_mm, model, flow_percent, *_ = self
        if width_mm is None or layer_mm is None or flow_percent is None:
            return None
        return PrintedLine(width_mm, layer_mm, model, flow_percent / 100)


class Reckoning(NamedTuple):
    """How a limit is made of the last good flow."""

    margin_percent: float
    round_to_mm3_s: float

    @classmethod
    def of(cls, rule: LimitRule) -> "Reckoning":
        """Return a rule as it is kept."""
        return cls(round(100 * rule.margin, 9), rule.round_to_mm3_s)

    @property
    def rule(self) -> LimitRule:
        """The rule, its margin as a ratio."""
        return LimitRule(self.margin_percent / 100, self.round_to_mm3_s)


class HotEnd(NamedTuple):
    """What melts the filament, and the limit that was in force meanwhile."""

    bore_mm: float | None
    hot_end: str | None
    limit_now_mm3_s: float | None

    @classmethod
    def of(cls, here: "OnBench") -> "HotEnd":
        """Return that of a bench."""
        nozzle = here.setup.nozzle if here.setup else None
        limit_now = here.stands("limit").in_force
        return cls(nozzle and nozzle.bore_mm, nozzle and nozzle.hot_end, limit_now)


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
    found = Reach(outline, accel_mm_s2)
    check_reach(found)
    return found


def no_ramp() -> Missing:
    """Return the want of a ramp."""
    meaning = "the flow that the ramp begins at, in mm³/s"
    return Missing("--from", meaning, mm3_s, 4.0, dest="start")


def given_ramp(options: Namespace) -> Ramp | None:
    """Return the ramp that the options describe; None where they describe none.

    Raises:
        Missing: not all of it is given.
    """
    rises = {"rise-per-mm": options.rise_per_mm, "step": options.step, "every": options.every}
    given = next((name for name, value in rises.items() if value is not None), None)
    if options.start is None:
        if given and not options.plan:
            raise BadInput(f"--from is needed with --{given}: where it begins")
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
