"""The other rolls of the same maker and material, as far as walls of them were measured here."""

from typing import NamedTuple

from metier.core.flow.rolls import Kindred, Roll, kindred
from metier.core.measure.student import NORMAL95
from metier.core.values import temperature_matters
from metier.logbook.bench import Setup
from metier.logbook.inforce import last_doubted, steps_in_force
from metier.logbook.plain import from_plain
from metier.logbook.spools import kindred_spools
from metier.logbook.trials import Trial, latest_on
from metier.trials.flow.kept import KEPT, Found
from metier.trials.on_bench import OnBench

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


def known_rolls(here: OnBench, setup: Setup, before: int | None = None) -> KnownRolls | None:
    """Return what is known of this roll's kindred, itself left out, before a trial's number.

    Foaming rolls say nothing of each other: their flow is chosen, not found.
    """
    spool = setup.spool
    if spool.maker is None or spool.foaming:
        return None
    steps_now = steps_in_force(here.book, setup.printer)
    rolls = []
    for other in kindred_spools(here.book, spool):
        theirs = setup._replace(spool=other)
        since = last_doubted(here.book, theirs, "flow", before)
        for trial in latest_on(here.book, theirs, KEPT.name, _NEWEST, before, since):
            roll = _roll(here, trial, steps_now)
            if roll and not temperature_matters(trial.temperature_c, setup.temperature_c, False):
                rolls.append(roll)
                break
    if not rolls:
        return None
    return KnownRolls(f"{spool.maker} {spool.material}", tuple(rolls), kindred(rolls))


def _roll(here: OnBench, trial: Trial, steps_now: float | None) -> Roll | None:
    """Return what a trial says of its roll, in today's e-steps; None where it cannot tell."""
    found = from_plain(Found, trial.findings)
    if (
        trial.verdict == "recheck"
        or found.delivered_share is None
        or found.delivered_share_u95 is None
    ):
        return None
    steps_then = KEPT.form(trial.settings).of(here.book, trial).esteps
    today = steps_now / steps_then if steps_now and steps_then else 1.0
    u = today * found.delivered_share_u95 / NORMAL95
    return Roll(trial.spool, today * found.delivered_share, u)
