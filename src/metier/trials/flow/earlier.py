"""The prints before a print, other rolls of its kind, and what else bears on it."""

from collections.abc import Callable, Sequence
from itertools import accumulate
from typing import NamedTuple

from metier.core.flow.repeats import Kindred, Roll, kindred
from metier.core.flow.trials import FlowTrial, Section
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import exceeds
from metier.core.values import SPEED_WITHIN, LineModel, temperature_matters
from metier.logbook.bench import Setup
from metier.logbook.inforce import last_doubted, steps_in_force
from metier.logbook.machines import Spool, kindred_spools
from metier.logbook.trials import Conditions, Reading, Trial, latest_on
from metier.trials.flow.settings import FlowSettings
from metier.trials.on_bench import OnBench
from metier.trials.registry import kept_named

# How many of a roll's newest trials are looked at for one that tells.
_NEWEST = 3


class KnownRolls(NamedTuple):
    """Rolls of one maker and material, and what they say of another."""

    named: str
    rolls: tuple[Roll, ...]
    expected: Kindred

    @property
    def words(self) -> str:
        """How many of what they are."""
        count = len(self.rolls)
        return f"{count} roll{'s' if count > 1 else ''} of {self.named}"


def known_rolls(bench: OnBench, setup: Setup, before: int | None = None) -> KnownRolls | None:
    """Return what is known of this roll's kindred, itself left out, before a trial's number.

    Foaming rolls say nothing of each other: their flow is chosen, not found.
    """
    spool = setup.spool
    if spool.maker is None or spool.foaming:
        return None
    steps_now = steps_in_force(bench.book, setup.printer)
    rolls = []
    for other in kindred_spools(bench.book, spool):
        theirs = setup._replace(spool=other)
        since = last_doubted(bench.book, theirs, "flow", before)
        for trial in latest_on(bench.book, theirs, "flow", _NEWEST, before, since):
            roll = _roll(bench, trial, steps_now)
            if roll and not temperature_matters(trial.temperature_c, setup.temperature_c, False):
                rolls.append(roll)
                break
    if not rolls:
        return None
    return KnownRolls(f"{spool.maker} {spool.material}", tuple(rolls), kindred(rolls))


def _roll(bench: OnBench, trial: Trial, steps_now: float | None) -> Roll | None:
    """Return what a trial says of its roll, in today's e-steps; None where it cannot tell."""
    kept = kept_named("flow")
    result = kept.of(trial)
    if (
        trial.verdict == "recheck"
        or result.delivered_share is None
        or result.delivered_share_u95 is None
    ):
        return None
    steps_then = kept.form(trial.settings).of(bench.book, trial).esteps
    today = steps_now / steps_then if steps_now and steps_then else 1.0
    u = today * result.delivered_share_u95 / NORMAL95
    return Roll(trial.spool, today * result.delivered_share, u)


# So many prints are pooled.
MOST_POOLED = 6


class EarlierPrint(NamedTuple):
    """A print measured before this one; ``accuracy_mm`` is what is known of its jaws today.

    Only one that compares comes with its readings.
    """

    number: int
    settings: FlowSettings
    conditions: Conditions
    temperature_c: float | None
    readings: tuple[Reading, ...]
    advised_percent: float | None
    accuracy_mm: float


class FlowContext(NamedTuple):
    """The prints before on this bench, newest first, and what else bears on this one.

    ``line_model`` is the printer's as it is known now. ``suspects`` finds the things that the
    record gives cause to look at after a recheck. ``strand_factor`` is what the strand's diameter
    alone would make of the flow, ``strand`` the words for it; ``rolls`` are others of its kind.
    """

    number: int
    earlier: tuple[EarlierPrint, ...]
    conditions: Conditions
    temperature_c: float | None
    spool: Spool | None
    line_model: LineModel | None
    suspects: Callable[[], Sequence[str]] = tuple
    strand: str | None = None
    strand_factor: float | None = None
    rolls: KnownRolls | None = None

    def pooled(self, settings: FlowSettings) -> list[EarlierPrint]:
        """Return the prints before that compare with one of these settings, newest first."""
        alike = [print_ for print_ in self.earlier if self._alike(settings, print_)]
        return alike[: MOST_POOLED - 1]

    def pooled_trials(self, settings: FlowSettings) -> list[FlowTrial]:
        """Return them as the calculation takes them, the oldest first."""
        return [
            as_trial(
                print_.number, print_.settings, print_.readings, now=settings,
                accuracy_mm=print_.accuracy_mm,
                instrument=print_.conditions.instrument, advised_percent=print_.advised_percent,
            )
            for print_ in reversed(self.pooled(settings))
        ]  # fmt: skip

    def _alike(self, settings: FlowSettings, other: EarlierPrint) -> bool:
        if exceeds(abs(settings.layer_mm - other.settings.layer_mm), 0.001):
            return False
        foaming = bool(self.spool and self.spool.foaming)
        if temperature_matters(other.temperature_c, self.temperature_c, foaming):
            return False
        return same_speed(self.conditions.speed_mm_s, other.conditions.speed_mm_s)


def same_speed(one: float | None, other: float | None) -> bool:
    """Tell whether speeds compare: within 5 %, an unknown one only with an unknown one."""
    if one is None or other is None:
        return one is other
    return not exceeds(abs(one / other - 1), SPEED_WITHIN)


def by_section(
    sections: Sequence[Section], readings: Sequence[Reading]
) -> list[tuple[Section, Sequence[Reading]]]:
    """Return each section of a print with the readings taken on it, in the order of both."""
    ends = list(accumulate(section.wall.n for section in sections))
    slices = zip([0, *ends[:-1]], ends, strict=True)
    return [(section, readings[a:b]) for section, (a, b) in zip(sections, slices, strict=True)]


def as_trial(
    number: int,
    settings: FlowSettings,
    readings: Sequence[Reading],
    *,
    now: FlowSettings,
    accuracy_mm: float,
    instrument: str | None,
    advised_percent: float | None = None,
) -> FlowTrial:
    """Return a print as the calculation takes it, its dose in the terms of another print's day."""
    rescale = 1.0
    if settings.esteps and now.esteps:
        rescale *= settings.esteps / now.esteps
    if settings.diameter_mm and now.diameter_mm:
        rescale *= (now.diameter_mm / settings.diameter_mm) ** 2
    return FlowTrial(
        number=number,
        flow=settings.flow,
        layer_mm=settings.layer_mm,
        width_mm=settings.width_mm,
        dose=settings.known_dose,
        sections=sections_of(settings, readings),
        accuracy_mm=accuracy_mm,
        instrument=instrument or "calipers",
        advised=None if advised_percent is None else advised_percent / 100,
        rescale=rescale,
    )


def sections_of(settings: FlowSettings, readings: Sequence[Reading]) -> tuple[Section, ...]:
    """Return the sections of a print with their readings, side by side."""
    sections, at = [], 0
    for section, flow in zip(settings.sections, settings.flows, strict=True):
        taken = readings[at : at + section.readings] if len(settings.sections) > 1 else readings
        at += section.readings
        part = flow / settings.flow if flow and settings.flow else 1.0
        sections.append(Section.of(section.walls, by_side(taken), settings.instrument_mm, part))
    return tuple(sections)


def by_side(readings: Sequence[Reading]) -> list[list[float]]:
    """Return readings side by side, in the order the sides first appear."""
    sides: dict[str, list[float]] = {}
    for reading in readings:
        sides.setdefault(reading.side, []).append(reading.value)
    return list(sides.values())
