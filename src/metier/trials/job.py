"""The job as it stands on a bench: its stations, and what is to be done next."""

from typing import NamedTuple

from metier.core.next_step import Station, next_step
from metier.core.values import VALUES
from metier.logbook.instruments import kept_instruments
from metier.logbook.trials import latest_on_printer
from metier.show.command import proposed
from metier.show.figures import short_date
from metier.trials.esteps.kept import HOW_TO_READ_STEPS
from metier.trials.on_bench import OnBench
from metier.trials.registry import KINDS, kept_named

# A zero moves with the battery, dirt and wear.
_ZERO_HOLDS_DAYS = 30
# What is asked for and not measured, and the option that asks.
_ASKED = {"line model": "--line-model", "e-steps": "--steps"}


class NextStep(NamedTuple):
    """What to do, why, and with which command."""

    step: str
    why: str
    command: str


def stations(here: OnBench) -> list[Station]:
    """Return the stations of the job in their order."""
    found = [_zero(here)]
    for name, room in KINDS.items():
        if name == "flow":
            found += _line_model(here)
        if room.due == "by itself":
            found += kept_named(name).stations(here)
        elif room.due == "by its values":
            typed = [one for one, row in VALUES.items() if row.measured_by == name and row.typed]
            found += [_value(here, one) for one in typed]
    return found


def next_due(here: OnBench) -> NextStep:
    """Return the one thing to do now on this bench."""
    due = next_step(stations(here))
    return NextStep(due.step, due.why, due.command or command_of(due.measured_by or "", here))


def command_of(measured_by: str, here: OnBench) -> str:
    """Return the command that measures a station on this bench."""
    if measured_by == "instrument":
        return proposed("instrument", "zero", "calipers", "0.00")
    if measured_by in _ASKED and here.setup:
        return proposed("printer", "set", here.setup.printer.name, _ASKED[measured_by])
    return kept_named(measured_by).command(here)


def _zero(here: OnBench) -> Station:
    zeroed = [kept.zeroed_at for kept in kept_instruments(here.book) if kept.zeroed_at]
    if not zeroed:
        why = "close the calipers and note what they show: all thicknesses hang on it"
        return Station("zero", "unset", why, "instrument")
    why = f"zeroed {short_date(max(zeroed))}"
    if here.days_since(max(zeroed)) > _ZERO_HOLDS_DAYS:
        return Station("zero", "doubtful", f"last {why}", "instrument")
    return Station("zero", "verified", why, "instrument")


def _line_model(here: OnBench) -> list[Station]:
    """Return the question how the slicer doses a line: asked before the first cube, not again."""
    if here.setup is None or here.setup.printer.line_model is not None:
        return []
    if latest_on_printer(here.book, here.setup.printer, "flow", 1):
        return []
    why = "how the slicer doses a line decides flow by a tenth: its preview tells, once and for all"
    return [Station("line model", "unset", why, "line model")]


def _value(here: OnBench, name: str) -> Station:
    row, now = VALUES[name], here.stands(name)
    if name == "esteps" and now.value is None:
        # What is measured is reckoned from what the printer carries.
        return Station(name, now.status, HOW_TO_READ_STEPS, "e-steps")
    enter = None
    if now.value is not None:
        digits = here.writing.decimals if row.place == "printer" else 2
        enter = proposed("entered", name, f"{round(row.seen(now.value), digits):g}")
    tried = now.trials > 0 and not now.rechecked
    return Station(
        name,
        now.status,
        now.why,
        row.measured_by,
        enter,
        retype=row.place == "printer",
        tried=tried,
        old=here.old(now.since),
        proven=(row.proven and tried) or now.rough,
        built_on="flow" in row.depends_on,
    )
