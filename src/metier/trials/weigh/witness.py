"""What the logbook knows beside a weighing: the roll's strand, and what walls say."""

from typing import NamedTuple

from metier.core.measure.student import NORMAL95
from metier.core.weighing import Strand, WallWitness
from metier.logbook.inforce import last_doubted
from metier.logbook.plain import from_plain
from metier.logbook.trials import latest_on, readings
from metier.trials.flow.earlier import as_trial
from metier.trials.flow.kept import KEPT as FLOW
from metier.trials.flow.kept import Found as FoundWalls
from metier.trials.flow.settings import FORM as FLOW_FORM
from metier.trials.on_bench import OnBench
from metier.trials.weigh.kept import weighed_strand
from metier.trials.weigh.settings import WeighSettings

# How many prints before are looked at for one that tells.
_NEWEST = 3


class WeighContext(NamedTuple):
    """What else bears on a weighing: the strand weighed before, what walls say, and of which
    trials both are."""

    strand: Strand | None = None
    strand_trial: int | None = None
    walls: WallWitness | None = None
    walls_trial: int | None = None
    foaming: bool = False
    nominal_mm: float | None = None


def context_of(here: OnBench, settings: WeighSettings, before: int | None) -> WeighContext:
    """Return what the logbook knows that bears on a weighing, before a trial's number."""
    if here.setup is None:
        return WeighContext()
    spool = here.setup.spool
    known = weighed_strand(here.book, spool, before)
    strand = None
    if known:
        grams, u95 = known[1].strand_g_per_m, known[1].strand_u95_g_per_m
        strand = Strand(grams / 1000, u95 / NORMAL95 / grams)
    walls, number = _walls(here, settings, before)
    return WeighContext(strand, known and known[0], walls, number, spool.foaming, spool.diameter_mm)


def _walls(
    here: OnBench, settings: WeighSettings, before: int | None
) -> tuple[WallWitness | None, int | None]:
    """Return what the newest walls say, in the e-steps of the weighing; those of the print that
    was weighed, where that is known."""
    assert here.setup is not None
    # The walls of just that print are its own, whatever was changed since.
    since = 0 if settings.of_trial else last_doubted(here.book, here.setup, FLOW.name, before)
    for trial in latest_on(here.book, here.setup, FLOW.name, 50, before, since):
        if settings.of_trial not in (None, trial.number):
            continue
        found = from_plain(FoundWalls, trial.findings)
        share = found.delivered_share
        u95 = None if share is None else found.delivered_share_u95
        if trial.verdict == "recheck" or share is None or u95 is None:
            continue
        printed = FLOW_FORM.of(here.book, trial)
        now = printed._replace(
            esteps=settings.esteps or printed.esteps,
            diameter_mm=settings.diameters.slicer_mm or printed.diameter_mm,
        )
        made = as_trial(
            trial.number, printed, readings(here.book, trial.number), now=now,
            accuracy_mm=printed.instrument_mm.accuracy_mm, instrument=trial.conditions.instrument,
        )  # fmt: skip
        walls = tuple(made.as_walls(printed.line_model))
        same = settings.of_trial == trial.number
        return WallWitness(share / made.rescale, u95 / made.rescale, walls, same), trial.number
    return None, None
