"""Where to look first for a symptom on this bench: its values, and what else may lie behind it."""

from metier.core.next_step import Station
from metier.core.symptoms import Cause, Symptom, causes_of
from metier.logbook.machines import changes
from metier.logbook.trials import latest_on
from metier.show.command import proposed
from metier.show.figures import short_date
from metier.trials.job import command_of, stations, swapped_lately
from metier.trials.on_bench import OnBench

_COOLER_C = 5


def checks(symptom: Symptom, here: OnBench) -> list[Cause]:
    """Return what to check for a symptom, first check first."""
    return causes_of(symptom, [*stations(here), *_besides(here)])


def command_for(cause: Cause, here: OnBench) -> str:
    """Return the command that checks a cause."""
    ready = here.setup
    if ready and cause.step == "nozzle":
        return proposed("nozzle", "show", ready.nozzle.name)
    if ready and cause.step == "temperature":
        if ready.temperature_c is None:
            return proposed("bench")
        cooler = cause.cause.startswith("too hot")
        wanted_c = ready.temperature_c + (-_COOLER_C if cooler else _COOLER_C)
        return proposed("bench", "--temperature", f"{wanted_c:g}")
    return command_of(cause.measured_by, here)


def _besides(here: OnBench) -> list[Station]:
    """Return what else may lie behind a symptom, and is no value of the profile."""
    ready = here.setup
    if ready is None:
        return []
    heat = "not given" if ready.temperature_c is None else f"{ready.temperature_c:g} °C now"
    return [_nozzle(here), Station("temperature", "entered", heat, "temperature"), _fit(here)]


def _nozzle(here: OnBench) -> Station:
    assert here.setup is not None
    nozzle = here.setup.nozzle
    if nozzle.worn:
        return Station("nozzle", "doubtful", f"{nozzle.name} is noted as worn", "nozzle")
    fitted = [
        change.at for change in changes(here.book, here.setup.printer) if change.nozzle == nozzle.id
    ]
    why = f"{nozzle.name} fitted {short_date(fitted[-1])}" if fitted else f"{nozzle.name}"
    lately = swapped_lately(here, "flow")
    return Station("nozzle", "entered", why, "nozzle", swapped=lately)


def _fit(here: OnBench) -> Station:
    assert here.setup is not None
    for trial in latest_on(here.book, here.setup, "fit", 1):
        why = f"trial {trial.number} tried it"
        return Station("fit", "verified", why, "fit", old=here.old(trial.at))
    return Station("fit", "unset", "no pairs were tried yet", "fit")
