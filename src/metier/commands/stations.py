"""The stations of the job as they stand on a bench; `next` and `profile` read them."""

from metier.commands.on_bench import OnBench
from metier.core.dependence import ValueKind
from metier.core.next_step import Station
from metier.logbook.bench import Setup
from metier.logbook.instruments import kept_instruments
from metier.logbook.spools import measured_diameter
from metier.show.figures import short_date
from metier.show.values import on_screen

# Values that a command measures, in the order of the job.
_MEASURED: tuple[ValueKind, ...] = ("esteps", "flow")


def stations(here: OnBench, ready: Setup) -> list[Station]:
    """Return the stations of the job in their order."""
    return [_zero(here), _diameter(here, ready), *(_value(here, kind) for kind in _MEASURED)]


def _zero(here: OnBench) -> Station:
    zeroed = [kept.zeroed_at for kept in kept_instruments(here.book) if kept.zeroed_at]
    command = "metier instrument zero calipers MM"
    if zeroed:
        return Station("zero", "verified", f"zeroed {short_date(max(zeroed))}", command)
    why = "close the calipers and note what they show: all thicknesses hang on it"
    return Station("zero", "unset", why, command)


def _diameter(here: OnBench, ready: Setup) -> Station:
    command = "metier diameter --read D1/D2 D1/D2 …"
    measured = measured_diameter(here.book, ready.spool)
    if measured is None:
        why = f"the strand of {ready.spool.name} was never measured"
        return Station("diameter", "unset", why, command)
    return Station("diameter", "verified", f"{measured.diameter_mm:.3f} mm", command)


def _value(here: OnBench, kind: ValueKind) -> Station:
    now = here.stands(kind)
    enter = None
    if now.value is not None:
        typed = here.writing.decimals if kind == "esteps" else 2
        enter = f"metier entered {kind} {round(on_screen(kind, now.value), typed):g}"
    return Station(
        kind,
        now.status,
        now.why,
        f"metier {kind} …",
        enter,
        retype=kind == "esteps",
        tried=now.trials > 0,
    )
