"""The prints before a print, other rolls of its kind, and what else bears on it."""

import math
from collections.abc import Callable, Mapping, Sequence
from itertools import accumulate
from typing import NamedTuple

from metier.core.flow.answer import PRIOR_UNMEASURED
from metier.core.flow.posterior import Prior
from metier.core.flow.repeats import Kindred, Roll, kindred
from metier.core.flow.rows import PRINT_SCATTER
from metier.core.flow.trials import FlowTrial, Section
from metier.core.line.bead import rounding_mm
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import exceeds
from metier.core.values import LINE_MODELS, SPEED_WITHIN, LineModel, temperature_matters
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
    """Rolls of one maker and material, and what they say of another, under each line model."""

    named: str
    rolls: tuple[Roll, ...]
    under: Mapping[LineModel, Kindred]

    @property
    def expected(self) -> Kindred:
        """What they say where the line model is that under which they were judged."""
        return kindred(self.rolls)

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
    rolls: list[tuple[Roll, dict[LineModel, float]]] = []
    since = last_doubted(bench.book, setup, "flow", before)
    for other in kindred_spools(bench.book, spool, setup.printer.id, setup.nozzle.id):
        theirs = setup._replace(spool=other)
        for trial in latest_on(bench.book, theirs, "flow", _NEWEST, before, since):
            roll = _roll(bench, trial, steps_now)
            if roll and not temperature_matters(trial.temperature_c, setup.temperature_c, False):
                rolls.append((roll, _under(trial)))
                break
    if not rolls:
        return None
    under = {
        model: kindred([roll._replace(share=roll.share * parts[model]) for roll, parts in rolls])
        for model in LINE_MODELS
    }
    return KnownRolls(f"{spool.maker} {spool.material}", tuple(roll for roll, _ in rolls), under)


# What of a flow's ± is not the roll's own.
_SHARED = ("calipers", "micrometer", "texture", "density", "line model")


def _roll(bench: OnBench, trial: Trial, steps_now: float | None) -> Roll | None:
    """Return what a trial says of its roll, in today's e-steps; None where it cannot tell."""
    kept = kept_named("flow")
    result = kept.of(trial)
    share = result.delivered_share
    if trial.verdict == "recheck" or share is None:
        return None
    settings = kept.form(trial.settings).of(bench.book, trial)
    today = steps_now / settings.esteps if steps_now and settings.esteps else 1.0
    own = [part for name, part in result.influences_percent.items() if name not in _SHARED]
    u = share * math.hypot(*own) / (result.flow_new_percent or 100.0) / NORMAL95
    rounding = rounding_mm(settings.layer_mm)
    delivered = [section.wall_mm - rounding for section in result.sections]
    return Roll(
        trial.spool,
        today * share,
        today * max(u, PRINT_SCATTER * share),
        sum(delivered) / len(delivered),
        settings.instrument_mm.accuracy_mm,
        trial.conditions.instrument or "calipers",
        settings.weight.density_u if settings.weight else 0.0,
    )


def _under(trial: Trial) -> dict[LineModel, float]:
    """Return by how much the share of a trial is another under each line model."""
    result = kept_named("flow").of(trial)
    flows = result.flow_under_percent
    new = result.flow_new_percent
    return {
        model: new / flow if new and (flow := flows.get(model)) else 1.0 for model in LINE_MODELS
    }


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
    ``prior`` is what is known of the share beforehand, ``certain`` that a file showed the line
    model; ``weights`` are prints that were weighed and not measured.
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
    prior: Prior = Prior(1.0, PRIOR_UNMEASURED)
    certain: bool = False
    bore_mm: float | None = None
    weights: tuple[FlowTrial, ...] = ()

    def pooled(self, settings: FlowSettings) -> list[EarlierPrint]:
        """Return the prints before that compare with one of these settings, newest first."""
        if settings.aimed_alone:
            return []
        alike = [print_ for print_ in self.earlier if self._alike(settings, print_)]
        return alike[: MOST_POOLED - 1]

    def pooled_trials(self, settings: FlowSettings) -> list[FlowTrial]:
        """Return them as the calculation takes them, the oldest first, and those weighed alone."""
        measured = [
            as_trial(
                print_.number, print_.settings, print_.readings, now=settings,
                accuracy_mm=print_.accuracy_mm,
                instrument=print_.conditions.instrument, advised_percent=print_.advised_percent,
                bore_mm=self.bore_mm,
            )
            for print_ in reversed(self.pooled(settings))
        ]  # fmt: skip
        weights = () if settings.aimed_alone else self.weights
        return sorted([*weights, *measured], key=lambda trial: trial.number)

    def _alike(self, settings: FlowSettings, other: EarlierPrint) -> bool:
        if other.settings.aimed_alone:
            return False
        if exceeds(abs(settings.layer_mm - other.settings.layer_mm), 0.001):
            return False
        foaming = bool(self.spool and self.spool.foaming)
        if temperature_matters(other.temperature_c, self.temperature_c, foaming):
            return False
        return same_speed(self.conditions.speed_mm_s, other.conditions.speed_mm_s)


def same_speed(speed: float | None, other: float | None) -> bool:
    """Tell whether speeds compare: within 5 %, an unknown one only with an unknown one."""
    if speed is None or other is None:
        return speed is other
    return not exceeds(abs(speed / other - 1), SPEED_WITHIN)


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
    bore_mm: float | None = None,
) -> FlowTrial:
    """Return a print as the calculation takes it, its dose in the terms of another print's day."""
    rescale = 1.0
    if settings.esteps and now.esteps:
        rescale *= settings.esteps / now.esteps
    if settings.diameter_mm and now.diameter_mm:
        rescale *= (now.diameter_mm / settings.diameter_mm) ** 2
    return FlowTrial(
        number=number,
        layer_mm=settings.layer_mm,
        sections=sections_of(settings, readings),
        accuracy_mm=accuracy_mm,
        instrument=instrument or "calipers",
        advised=None if advised_percent is None else advised_percent / 100,
        rescale=rescale,
        bore_mm=bore_mm,
        weighed=settings.weight and settings.weight.share,
    )


def sections_of(settings: FlowSettings, readings: Sequence[Reading]) -> tuple[Section, ...]:
    """Return the sections of a print with their readings, side by side."""
    sections, at = [], 0
    for section in settings.sections:
        taken = readings[at : at + section.readings] if len(settings.sections) > 1 else readings
        at += section.readings
        sides = by_side(taken)
        told = len(sides) == 1 and "side" in taken[0].side
        sections.append(
            Section.of(
                section.walls,
                sides,
                settings.instrument_mm,
                1 if told else None,
                settings.flow_of(section),
                section.width_mm or settings.width_mm,
                settings.dose_of(section),
            )
        )
    return tuple(sections)


def by_side(readings: Sequence[Reading]) -> list[list[float]]:
    """Return readings side by side, in the order the sides first appear."""
    sides: dict[str, list[float]] = {}
    for reading in readings:
        sides.setdefault(reading.side, []).append(reading.value)
    return list(sides.values())
