"""The stations of the job as they stand on a bench; `next` and `profile` read them."""

from collections.abc import Callable
from datetime import UTC, datetime

from metier.commands.on_bench import OnBench
from metier.core.dependence import TRAITS, ValueKind
from metier.core.next_step import Station
from metier.core.standing import Standing
from metier.logbook.bench import Setup
from metier.logbook.instruments import kept_instruments
from metier.logbook.spools import measured_diameter
from metier.logbook.trials import latest_on, latest_on_printer
from metier.show.figures import short_date
from metier.show.values import on_screen

# A zero moves with the battery, dirt and wear; a settled value with the machine.
_ZERO_HOLDS_DAYS = 30
_OLD_DAYS = 90
# Values that a command measures, in the order of the job.
_MEASURED: tuple[ValueKind, ...] = ("esteps", "flow", "limit", "hole", "contour")


def stations(here: OnBench, ready: Setup) -> list[Station]:
    """Return the stations of the job in their order."""
    return [_zero(here), _diameter(here, ready), *(_value(here, ready, kind) for kind in _MEASURED)]


def _zero(here: OnBench) -> Station:
    zeroed = [kept.zeroed_at for kept in kept_instruments(here.book) if kept.zeroed_at]
    command = "metier instrument zero calipers 0.00"
    if not zeroed:
        why = "close the calipers and note what they show: all thicknesses hang on it"
        return Station("zero", "unset", why, command)
    why = f"zeroed {short_date(max(zeroed))}"
    if _days_since(max(zeroed)) > _ZERO_HOLDS_DAYS:
        return Station("zero", "doubtful", f"last {why}", command)
    return Station("zero", "verified", why, command)


def _diameter(here: OnBench, ready: Setup) -> Station:
    command = "metier diameter"
    measured = measured_diameter(here.book, ready.spool)
    if measured is None:
        why = f"the strand of {ready.spool.name} was never measured"
        return Station("diameter", "unset", why, command)
    why = f"{measured.diameter_mm:.3f} mm by trial {measured.trial}"
    if measured.verdict == "recheck":
        return Station("diameter", "doubtful", f"{why}, which found it uneven", command)
    return Station("diameter", "verified", why, command, old=_old(measured.at))


def _old(at: str | None) -> bool:
    return at is not None and _days_since(at) > _OLD_DAYS


def _days_since(at: str) -> int:
    then = datetime.fromisoformat(at.replace("Z", "+00:00"))
    return (datetime.now(UTC) - then).days


def _value(here: OnBench, ready: Setup, kind: ValueKind) -> Station:
    now = here.stands(kind)
    enter = None
    if now.value is not None:
        typed = here.writing.decimals if kind == "esteps" else 2
        enter = f"metier entered {kind} {round(on_screen(kind, now.value), typed):g}"
    tried = now.trials > 0 and not now.rechecked
    return Station(
        kind,
        now.status,
        now.why,
        _MEASURE[kind](here, ready, now),
        enter,
        retype=kind == "esteps",
        tried=tried,
        old=_old(now.since),
        proven=kind == "limit" and tried,
        built_on="flow" in TRAITS[kind].depends_on,
    )


def _esteps(here: OnBench, ready: Setup, _: Standing) -> str:
    """The command that asks for what is left; ask and mark as before, if there is a before."""
    known = any(
        trial.settings["mark_mm"]
        for trial in latest_on_printer(here.book, ready.printer, "esteps", 1)
    )
    return "metier esteps" if known else "metier esteps --asked 150 --mark 180"


def _flow(here: OnBench, ready: Setup, now: Standing) -> str:
    """The command that asks for walls; before the first cube, the one that plans it."""
    if latest_on(here.book, ready, "flow", 1):
        return "metier flow"
    bore_mm = ready.nozzle.bore_mm
    layer_mm = max(0.05, round(0.4 * bore_mm / 0.05) * 0.05)
    flow = "" if now.in_force is not None else " --flow 100"
    return f"metier flow --plan --width {bore_mm:g} --walls 1 --layer {layer_mm:.2g}{flow}"


def _limit(here: OnBench, ready: Setup, _: Standing) -> str:
    """The command that asks where gaps begin; before the first ramp, the one that plans it."""
    printed = any(
        trial.nozzle == ready.nozzle.name
        for trial in latest_on_printer(here.book, ready.printer, "volumetric", 5)
    )
    return "metier volumetric" if printed else "metier volumetric --plan"


def _plate(here: OnBench, ready: Setup, _: Standing) -> str:
    """The command that asks for the plate; before the first one, the one that plans it."""
    printed = latest_on_printer(here.book, ready.printer, "xy", 1)
    return "metier xy" if printed else "metier xy --plan"


_MEASURE: dict[ValueKind, Callable[[OnBench, Setup, Standing], str]] = {
    "esteps": _esteps,
    "flow": _flow,
    "limit": _limit,
    "hole": _plate,
    "contour": _plate,
}
